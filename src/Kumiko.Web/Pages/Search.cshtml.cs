using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Patterns;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Searches;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>One row of records with what its line must say: the time only as far as it differs from the line above.</summary>
public sealed record RecordRow(
    LogRecord Record,
    string? Day,
    string? Minute,
    string Second,
    IReadOnlyList<Piece> Body,
    IReadOnlyList<(string Name, string Value)> Columns
)
{
    /// <summary>Whether the record meets the query, where others are shown beside it.</summary>
    public bool Meets { get; init; }
}

/// <summary>Rows, and where reading on begins.</summary>
public sealed record RecordRows(IReadOnlyList<RecordRow> Rows, Run Run, SearchAddress Address, LogRecord? Unfolded)
{
    /// <summary>Whether there may be records above the first row that are not shown yet.</summary>
    public bool MoreAbove { get; init; }

    /// <summary>Whether reading on below the last row makes sense.</summary>
    public bool MoreBelow { get; init; }

    /// <summary>Whether these are all there are, which is said.</summary>
    public bool SaysEnd { get; init; }
}

/// <summary>Records that came since.</summary>
/// <param name="Newer">Those above all that is shown.</param>
/// <param name="Late">Those with earlier times, each by itself.</param>
public sealed record ArrivedPart(Arrivals Came, RecordRows Newer, IReadOnlyList<RecordRows> Late);

/// <summary>A record unfolded: every field with what can be done with it.</summary>
public sealed record RecordDetail(LogRecord Record, SearchAddress Address, DateTimeZone Zone, BodyText Bodies, string? Pattern)
{
    /// <summary>The id of a record's pattern; null where nobody can tell.</summary>
    public static string? PatternOf(Run run, LogRecord record) =>
        run.Snapshot.Patterns?.Of(record) is { IsMissing: false } pattern ? pattern.AsText : null;
}

public sealed partial class SearchModel(
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock,
    RecordStore records,
    AppDatabase database,
    QuerySources sources,
    SearchStore searches,
    PatternNoteStore notes,
    ExportBoard exports
) : PageModel
{
    public const int RowsAtOnce = 200;

    /// <summary>Rows above a record that a link leads to.</summary>
    private const int RowsAbove = 40;

    // Fields on the left and the rail on the right, as the sheet has them.
    private const int PaneWidths = 232 + 118;

    // The values of more records than this are counted when the page asks for them, after it is shown.
    private const long MostAtOnce = 50_000;

    private const int MostDamageTold = 3;

    // Fields and counts come later by themselves when they take longer than a page should.
    private static readonly TimeSpan Patience = TimeSpan.FromMilliseconds(70);
    private static readonly TimeSpan CountsPatience = TimeSpan.FromMilliseconds(400);

    public SearchAddress Address { get; private set; } = new();
    public ParseResult Parsed { get; private set; } = ParseResult.Empty;
    public List<string> Notices { get; } = [];

    /// <summary>What the store had to set aside: what is shown may lack it.</summary>
    public IReadOnlyList<string> Damage =>
        AllDamage() is { Count: > MostDamageTold } all
            ?
            [
                .. all.TakeLast(MostDamageTold - 1),
                $"{all.Count - MostDamageTold + 1} more such notices; kumiko check lists all.",
            ]
            : AllDamage();

    private List<string> AllDamage() => [.. records.Notices, .. database.Notices];

    public Run Run { get; private set; } = null!;

    /// <summary>Parameters of the query that want a value.</summary>
    public IReadOnlyList<Parameter> Parameters { get; private set; } = [];
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public StripModel Strip { get; private set; } = null!;
    public RecordRows? Rows { get; private set; }
    public FieldsPart? Fields { get; private set; }
    public StageCounts? Counts { get; private set; }

    /// <summary>The name of the search that was just kept; null else.</summary>
    public KeptSearch? JustKept { get; private set; }

    /// <summary>How many records the baseline has for a stretch like the focus; null without one.</summary>
    public double? Usual { get; private set; }
    public Frame? Frame { get; private set; }
    public Drawing? Chart { get; private set; }
    public Tab Tab { get; private set; }
    public bool MayKeep => viewer.MayKeep;

    /// <summary>Why there is no answer, in words; null when there is one.</summary>
    public string? Refusal { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? when)
    {
        Prepare();
        if (Request.Query["base-set"].ToString() is { Length: > 0 } set)
        {
            if (BaselineChoice.Parse(ConditionSet.Prefix + set) is { } choice)
                return Redirect((Address with { Baseline = choice }).Url());
            Notices.Add(
                $"“{(set.Length > 60 ? set[..60] + "…" : set)}” is no condition that chooses records. Write one such as host != gate-t3."
            );
        }
        JustKept = long.TryParse(
            Request.Query["kept"],
            System.Globalization.NumberStyles.None,
            System.Globalization.CultureInfo.InvariantCulture,
            out var kept
        )
            ? searches.FindKept(kept, viewer.Id)
            : null;
        if (when is not null)
        {
            if (TimeRange.Parse(when, Run.Question.Now, Zone) is { } range)
                return Redirect((Address with { Focus = range, At = null }).Url());
            Strip = await strips.Build(Address, Run, viewer) with { WrongTime = when };
        }
        ViewData["Carried"] = Address;
        using (Run.Attach(HttpContext.RequestAborted))
        {
            try
            {
                await Load();
            }
            catch (QueryRefusedException e)
            {
                Refusal = e.Message;
            }
        }
        if (Refusal is null && Parsed.Ok && Address.Query.Trim().Length > 0)
            await Remember();
        // The strip shows where one is in time even when there is no answer.
        if (Strip is null)
        {
            Run = runs.Open(Run.Question with { Parsed = ParseResult.Empty });
            Strip = await strips.Build(Address, Run, viewer);
        }
        return Page();
    }

    /// <summary>Notes what was asked. Where that cannot be written, on a full disk say, the answer is shown all the
    /// same.</summary>
    private async Task Remember()
    {
        try
        {
            await searches.Remember(viewer.Id, Address.Query.Trim(), (Address with { At = null, Span = null }).Url(""));
        }
        catch (Microsoft.Data.Sqlite.SqliteException) { }
    }

    /// <param name="live">Whether the clock goes on, and is not the one of the page.</param>
    private void Prepare(bool live = false)
    {
        var now = Instants.FromDateTime(clock.GetUtcNow());
        if (
            !live
            && long.TryParse(
                Request.Query["now"],
                System.Globalization.NumberStyles.None,
                System.Globalization.CultureInfo.InvariantCulture,
                out var told
            )
            && told <= now
        )
            now = told;
        Address = SearchAddress.Parse(name => Request.Query[name], now, Notices);
        Zone = viewer.Zone(Address.Zone);
        Parsed = QueryParser.Parse(Address.Query, sources.Sets.Names());
        Parameters = Core.Language.Parameters.WithoutValue(Parsed.Query);
        Address = Address with
        {
            Parameters =
            [
                .. Parameters
                    .Select(p => (p.Name, Value: Request.Query["p." + p.Name].ToString()))
                    .Where(p => p.Value.Length is > 0 and <= 500),
            ],
        };
        var window = Address.Focus.Resolve(now);
        var question = new Question(
            User.Identity?.Name ?? "",
            Parsed.Ok ? Parsed : ParseResult.Empty,
            window,
            now,
            Zone,
            Limits.Default
        )
        {
            Parameters = Address.Parameters.ToDictionary(p => p.Name, p => p.Value, StringComparer.Ordinal),
        };
        Run = live ? runs.Shared(question) : runs.FindOrOpen(Request.Query["run"], question);
    }

    private async Task Load()
    {
        if (!Parsed.Ok)
        {
            Refusal = "The query cannot be read yet. " + Parsed.Errors[0].Describe(Parsed.Text);
            return;
        }
        // Rows first; what else is ready in time comes with the page, the rest by itself afterwards.
        if (Run.IsGrouped && !(Run.ReadsRecords && Address.Tab == Tab.Gather))
            Frame = await Run.Frame();
        Tab = Chosen();
        if (Tab == Tab.Table)
            Grid = await GridOf(null);
        else if (Tab != Tab.Gather)
            Rows = await RowsOf(null);
        if (Tab == Tab.Line)
            Chart = Charts.Chart.Draw(Frame!, Spec, View);
        // Where no script ever spoke, nothing comes by itself afterwards: all of it comes with the page.
        var patience = viewer.HasScripts ? Task.Delay(Patience) : Task.Delay(Timeout.Infinite, HttpContext.RequestAborted);
        var gathering = Tab == Tab.Gather ? GatherOf() : null;
        if (gathering is not null && await Task.WhenAny(gathering, patience) == gathering && gathering.IsCompletedSuccessfully)
            Gathering = await gathering;
        Strip ??= await strips.Build(Address, Run, viewer, patience: patience);
        if (Strip.Later is not null)
            return;
        var counts = Run.Counts();
        if (await Task.WhenAny(counts, patience) != counts)
            return;
        Counts = await counts;
        if (Counts.Records > MostAtOnce && viewer.HasScripts)
            return;
        var usual = Run.ReadsRecords ? Run.UsualCount(Baseline) : Task.FromResult<double?>(null);
        if (await Task.WhenAny(usual, patience) != usual)
            return;
        Usual = await usual;
        var fields = FieldsOf();
        // Fields that are too much to count, or whose baseline is damaged, say so in their own place: the answer stands.
        if (await Task.WhenAny(fields, patience) == fields && fields.IsCompletedSuccessfully)
            Fields = await fields;
    }

    /// <summary>The way asked for if the answer can be read so, else the one that suits it.</summary>
    private Tab Chosen()
    {
        if (Address.Tab == Tab.Gather && Run.ReadsRecords)
            return Tab.Gather;
        if (Frame is null)
            return Address.Tab == Tab.Table ? Tab.Table : Tab.Read;
        if (!Run.ReadsRecords && Address.Tab == Tab.Read)
            return Tab.Table;
        return Address.Tab switch
        {
            Tab.Read or Tab.Table => Address.Tab,
            Tab.Line when CanDraw => Tab.Line,
            _ => IsOverTime ? Tab.Line : Tab.Table,
        };
    }

    private bool IsOverTime => Frame!.Schema.Step is not null && Frame.Schema.IndexOf(ColumnRole.Time) >= 0;

    /// <summary>Whether the answer has figures, so that it can be drawn in some form.</summary>
    public bool CanDraw => Frame is not null && Frame.Schema.IndexOf(ColumnRole.Value) >= 0;

    /// <summary>The forms that the answer's shape allows.</summary>
    public IReadOnlyList<ChartForm> Forms
    {
        get
        {
            var shape = new FrameShape(Frame!);
            return [.. ChartForms.All.Where(f => f.Takes(shape))];
        }
    }

    /// <summary>The form that is drawn, and why where nobody chose it.</summary>
    public (ChartForm Form, string Reason) Drawn
    {
        get
        {
            if (Address.Form is { } form && Forms.Contains(form))
                return (form, "");
            if (Charts.Chart.Suggest(Frame!) is var suggested && Forms.Contains(suggested.Form))
                return suggested;
            return (ChartForms.Table, "");
        }
    }

    /// <summary>Keys that the answer can be parted by.</summary>
    public IReadOnlyList<string> Keys => [.. Frame!.Schema.Columns.Where(c => c.Role == ColumnRole.Key).Select(c => c.Name)];

    private ChartSpec Spec =>
        new()
        {
            Form = Drawn.Form,
            Title = IsOverTime ? "Answer over time" : "Answer",
            MultiplesBy = Address.Each is { } each && Keys.Contains(each) ? each : null,
            Reduce = Reduction.Sum,
        };

    /// <summary>The answer as a series of a chart, to be compared with others.</summary>
    public string ChartsUrl =>
        new ChartAddress(
            Address with
            {
                Query = "",
                Tab = Tab.Auto,
                At = null,
                Columns = [],
                Marks = [],
                Form = null,
                Each = null,
            },
            new ChartBoard { Series = [new BoardSeries("answer", Parsed.Text)] }
        ).Url();

    private ChartView View => new(viewer.WidthBeside(PaneWidths), Address.Each is null ? 330 : 420, Zone, Run.Question.Now);

    public ChartPart ChartPart =>
        new(Chart!)
        {
            FileUrl = Address.FragmentUrl(Run, "Picture"),
            IsExportedElsewhere = true,
            MenuUrl = Run.ReadsRecords ? Address.FragmentUrl(Run, "Menu") : null,
        };

    /// <summary>Rows below a record, or the first; around the linked record where there is one.</summary>
    private async Task<RecordRows> RowsOf(RecordId? below)
    {
        var unfolded = below is null && Address.At is { } at ? Run.Find(at) : null;
        if (Address.OldestFirst && Run.ReadsOn && !Run.IsGrouped)
        {
            var up = await Run.Above(
                below ?? new RecordId(Run.Question.Window.From - 1, long.MaxValue),
                Run.Question.Window,
                RowsAtOnce
            );
            return Made(up, below, unfolded) with { MoreBelow = up.Count == RowsAtOnce, SaysEnd = up.Count < RowsAtOnce };
        }
        if (unfolded is not null && Run.ReadsOn && !Run.IsGrouped && Run.Question.Window.Contains(unfolded.Time))
        {
            var above = await Run.Above(unfolded.Id, Run.Question.Window, RowsAbove);
            var rest = await Run.Records(unfolded.Id with { Sequence = unfolded.Id.Sequence + 1 }, RowsAtOnce);
            // A record that the query does not take is shown above the list by itself.
            if (rest.Count > 0 && rest[0].Id == unfolded.Id)
                return Made([.. above.Reverse(), .. rest], null, unfolded) with
                {
                    MoreAbove = above.Count == RowsAbove,
                    MoreBelow = rest.Count == RowsAtOnce,
                    SaysEnd = rest.Count < RowsAtOnce,
                };
        }
        var found = await Run.Records(below, RowsAtOnce);
        return Made(found, below, unfolded) with { MoreBelow = found.Count == RowsAtOnce && Run.ReadsOn, SaysEnd = true };
    }

    private RecordRows Made(IReadOnlyList<FoundRecord> found, RecordId? from, LogRecord? unfolded) =>
        new(new RowMaker(Run, Address).Of(found, from), Run, Address, unfolded);

    public RecordDetail Detail(LogRecord record) =>
        new(record, Address, Zone, new BodyText(Parsed.Query, Address.Marks), RecordDetail.PatternOf(Run, record));

    private Baseline Baseline => strips.BaselineOf(Address, Run);

    private async Task<FieldsPart> FieldsOf() =>
        new(await Run.Fields(Baseline), Address, Zone, Pins(), Strip?.Baseline ?? Baseline, Run);

    /// <summary>Fields that the person keeps at the top.</summary>
    private IReadOnlyList<string> Pins() =>
        [
            .. Uri.UnescapeDataString(Request.Cookies["pins"] ?? "")
                .Split('\t', StringSplitOptions.RemoveEmptyEntries)
                .Where(p => p.Length <= 200)
                .Take(20),
        ];

    private async Task<IActionResult> Part<T>(string name, Func<Task<T>> make)
    {
        using var reading = Run.Attach(HttpContext.RequestAborted);
        try
        {
            return Partial(name, await make());
        }
        catch (QueryRefusedException e)
        {
            return Partial("_Refused", e.Message);
        }
    }
}
