using Kumiko.Charts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Web.Api;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>One row of records with what its line must say: the time only as far as it differs from the line above.</summary>
public sealed record RecordRow(LogRecord Record, string? Day, string? Minute, string Second, IReadOnlyList<Piece> Body, IReadOnlyList<(string Name, string Value)> Columns);

/// <summary>Rows, and where reading on begins.</summary>
public sealed record RecordRows(IReadOnlyList<RecordRow> Rows, Run Run, SearchAddress Address, LogRecord? Unfolded);

/// <summary>A record unfolded: every field with what can be done with it.</summary>
public sealed record RecordDetail(LogRecord Record, SearchAddress Address, DateTimeZone Zone, BodyText Bodies);

public sealed record FieldsPart(IReadOnlyList<FieldSummary> Fields, SearchAddress Address, DateTimeZone Zone);

public sealed class SearchModel(RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock, RecordStore records, RunSurroundings surroundings) : PageModel
{
    private const int RowsAtOnce = 200;

    // Fields on the left and the rail on the right, as the sheet has them.
    private const int PaneWidths = 232 + 118;

    // The values of more records than this are counted when the page asks for them, after it is shown.
    private const long MostAtOnce = 50_000;

    private const int MostDamageTold = 3;

    // Fields and counts come later by themselves when they take longer than a page should.
    private static readonly TimeSpan Patience = TimeSpan.FromMilliseconds(80), CountsPatience = TimeSpan.FromMilliseconds(400);

    public SearchAddress Address { get; private set; } = new();
    public ParseResult Parsed { get; private set; } = QueryParser.Parse("");
    public List<string> Notices { get; } = [];

    /// <summary>What the store had to set aside: what is shown may lack it.</summary>
    public IReadOnlyList<string> Damage => records.Notices is { Count: > MostDamageTold } all
        ? [.. all.TakeLast(MostDamageTold - 1), $"{all.Count - MostDamageTold + 1} more such notices; kumiko check lists all."]
        : records.Notices;

    public Run Run { get; private set; } = null!;

    /// <summary>Parameters of the query that want a value.</summary>
    public IReadOnlyList<Parameter> Parameters { get; private set; } = [];
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public StripModel Strip { get; private set; } = null!;
    public RecordRows? Rows { get; private set; }
    public FieldsPart? Fields { get; private set; }
    public StageCounts? Counts { get; private set; }
    public Frame? Frame { get; private set; }
    public Drawing? Chart { get; private set; }
    public Tab Tab { get; private set; }
    public bool MayKeep => viewer.MayKeep;

    /// <summary>Why there is no answer, in words; null when there is one.</summary>
    public string? Refusal { get; private set; }

    public async Task<IActionResult> OnGetAsync(string? when)
    {
        Prepare();
        if (when is not null)
        {
            if (TimeRange.Parse(when, Run.Question.Now, Zone) is { } range) return Redirect((Address with { Focus = range, At = null }).Url());
            Strip = await strips.Build(Address, Run, viewer) with { WrongTime = when };
        }
        ViewData["Carried"] = Address;
        try { await Load(); }
        catch (QueryRefusedException e) { Refusal = e.Message; }
        // The strip shows where one is in time even when there is no answer.
        if (Strip is null)
        {
            Run = runs.Open(Run.Question with { Parsed = QueryParser.Parse("") });
            Strip = await strips.Build(Address, Run, viewer);
        }
        return Page();
    }

    public async Task<IActionResult> OnGetFieldsAsync()
    {
        Prepare();
        return await Part("_Fields", async () => await FieldsOf());
    }

    public async Task<IActionResult> OnGetCountsAsync()
    {
        Prepare();
        return await Part("_Counts", async () =>
        {
            // What is known by then is shown as at least so much, and asked for again.
            var counts = Run.Counts();
            await Task.WhenAny(counts, Task.Delay(CountsPatience));
            return new CountsPart(counts.IsCompleted || Run.CountsSoFar is not { } soFar ? await counts : soFar, Address, Run);
        });
    }

    /// <summary>What each condition takes, and how the answer came about.</summary>
    public async Task<IActionResult> OnGetHowAsync()
    {
        Prepare();
        return await Part("_How", async () => new HowPart(await Run.Counts(), await Run.Explain(conditions: false), Address, Parsed.Query));
    }

    public async Task<IActionResult> OnGetHintsAsync()
    {
        Prepare();
        return await Part("_Hints", async () => new HintsPart(await Run.Hints(), Address, Zone, Run.Question));
    }

    /// <summary>Reads on below a record.</summary>
    public async Task<IActionResult> OnGetRowsAsync(string? below)
    {
        Prepare();
        return await Part("_Rows", async () => await RowsOf(RecordId.Parse(below)));
    }

    public IActionResult OnGetRecord(string? id)
    {
        Prepare();
        if (RecordId.Parse(id) is not { } known || Run.Find(known) is not { } record) return NotFound();
        return Partial("_Record", Detail(record));
    }

    /// <summary>What is wrong with a text while it is typed.</summary>
    public IActionResult OnGetCheck(string? q)
    {
        var parsed = QueryParser.Parse((q ?? "").ReplaceLineEndings("\n"), surroundings.Tables());
        return new JsonResult(new
        {
            errors = parsed.Errors.Select(e => new { from = e.Span.Start, to = e.Span.End, message = e.Describe(parsed.Text) }),
            hints = parsed.Hints.Select(h => new { from = h.Span.Start, to = h.Span.End, message = h.Message }),
        });
    }

    /// <summary>The whole answer as a file.</summary>
    public async Task<IActionResult> OnGetExportAsync(string? format)
    {
        Prepare();
        if (!Parsed.Ok || FrameWriter.FormatOf(format, "") is not { } known) return BadRequest();
        using var run = new Run(Run.Question, Run.Snapshot.Share(), surroundings);
        Response.ContentType = FrameWriter.MediaType(known);
        Response.Headers.ContentDisposition = $"attachment; filename=\"records.{known}\"";
        await FrameWriter.Write(run, known, Response.Body, HttpContext.RequestAborted);
        return new EmptyResult();
    }

    private void Prepare()
    {
        var now = Instants.FromDateTime(clock.GetUtcNow());
        if (long.TryParse(Request.Query["now"], System.Globalization.NumberStyles.None, System.Globalization.CultureInfo.InvariantCulture, out var told) && told <= now) now = told;
        Address = SearchAddress.Parse(name => Request.Query[name], now, Notices);
        Zone = viewer.Zone(Address.Zone);
        Parsed = QueryParser.Parse(Address.Query, surroundings.Tables());
        Parameters = Core.Language.Parameters.Undeclared(Parsed.Query);
        Address = Address with { Parameters = [.. Parameters.Select(p => (p.Name, Value: Request.Query["p." + p.Name].ToString())).Where(p => p.Value.Length is > 0 and <= 500)] };
        var window = Address.Focus.Resolve(now);
        var question = new Question(User.Identity?.Name ?? "", Parsed.Ok ? Parsed : QueryParser.Parse(""), window, now, Zone, Limits.Default) { Parameters = Address.Parameters.ToDictionary(p => p.Name, p => p.Value, StringComparer.Ordinal) };
        Run = runs.FindOrOpen(Request.Query["run"], question);
    }

    private async Task Load()
    {
        if (!Parsed.Ok)
        {
            Refusal = "The query cannot be read yet. " + Parsed.Errors[0].Describe(Parsed.Text);
            return;
        }
        var rows = RowsOf(null);
        var strip = Strip is null ? strips.Build(Address, Run, viewer) : Task.FromResult(Strip);
        Rows = await rows;
        Strip = await strip;
        var counts = Run.Counts();
        if (Run.IsGrouped) Frame = await Run.Frame();
        Tab = Chosen();
        if (Tab is Tab.Line or Tab.Column) Chart = Drawn(Tab == Tab.Line ? ChartForm.Line : ChartForm.Column);
        await Task.WhenAny(counts, Task.Delay(Patience));
        if (!counts.IsCompleted) return;
        Counts = await counts;
        if (Counts.Records > MostAtOnce) return;
        var fields = FieldsOf();
        await Task.WhenAny(fields, Task.Delay(Patience));
        if (fields.IsCompleted) Fields = await fields;
    }

    /// <summary>The way asked for if the answer can be read so, else the one that suits it.</summary>
    private Tab Chosen()
    {
        if (Frame is null) return Tab.Read;
        if (!Run.ReadsRecords && Address.Tab == Tab.Read) return Tab.Table;
        var overTime = Frame.Schema.Step is not null && Frame.Schema.IndexOf(ColumnRole.Time) >= 0;
        return Address.Tab switch
        {
            Tab.Read or Tab.Table => Address.Tab,
            Tab.Line or Tab.Column when overTime => Address.Tab,
            _ => overTime ? Tab.Line : Tab.Table,
        };
    }

    private Drawing? Drawn(ChartForm form) =>
        ChartOverTime.Draw(Frame!, new ChartSpec(form, viewer.WidthBeside(PaneWidths), 330, Zone, Run.Question.Now) { Title = "Answer over time" });

    private async Task<RecordRows> RowsOf(RecordId? below)
    {
        var records = await Run.Records(below, RowsAtOnce);
        var bodies = new BodyText(Run.Question.Parsed.Query);
        var columns = Address.Columns.Select(c => (c, Run.Reader(c))).ToList();
        var rows = new List<RecordRow>();
        var (day, minute) = ("", "");
        var today = Format.Day(Run.Question.Now, Zone);
        // Reading on goes on from the line above, so its time is repeated only where it differs.
        if (below is { } above) (day, minute) = (Format.Day(above.Time, Zone), Format.Clock(above.Time, Zone));
        else day = today;
        foreach (var found in records)
        {
            var record = found.Record;
            var (itsDay, itsMinute) = (Format.Day(record.Time, Zone), Format.Clock(record.Time, Zone));
            var newDay = itsDay != day;
            rows.Add(new RecordRow(record, newDay ? itsDay : null, newDay || itsMinute != minute ? itsMinute : null, Format.SecondsPart(record.Time, Zone),
                bodies.Pieces(record, BodyText.RowLength), [.. columns.Select(c => (c.c, c.Item2(record))).Concat(found.Computed).Where(c => !c.Item2.IsMissing).Select(c => (c.Item1, BodyText.Visible(c.Item2.ToText())))]));
            (day, minute) = (itsDay, itsMinute);
        }
        return new RecordRows(rows, Run, Address, Address.At is { } at ? Run.Find(at) : null);
    }

    public RecordDetail Detail(LogRecord record) => new(record, Address, Zone, new BodyText(Parsed.Query));

    private async Task<FieldsPart> FieldsOf() =>
        new(await Run.Fields(StripBuilder.BaselineOf(Address, Run.Question.Window)), Address, Zone);

    private async Task<IActionResult> Part<T>(string name, Func<Task<T>> make)
    {
        try { return Partial(name, await make()); }
        catch (QueryRefusedException e) { return Partial("_Refused", e.Message); }
    }
}
