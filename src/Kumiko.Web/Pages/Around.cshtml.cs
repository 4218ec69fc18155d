using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages;

/// <summary>Which records are shown around one: those that share this with it.</summary>
public sealed record Neighbours(string Name, string Words, Expr? Condition);

/// <summary>What stands before and after one record, whatever the query says; records that meet the query are set off.</summary>
public sealed class AroundModel(RunRegistry runs, StripBuilder strips, Viewer viewer, TimeProvider clock, QuerySources sources)
    : PageModel
{
    private const int RowsBefore = 25;
    private const int RowsAfter = 25;
    private const int RowsMore = 50;

    public SearchAddress Address { get; private set; } = new();
    public LogRecord? Record { get; private set; }
    public IReadOnlyList<Neighbours> Choices { get; private set; } = [];
    public Neighbours Chosen { get; private set; } = null!;
    public IReadOnlyList<RecordRow> Before { get; private set; } = [];
    public RecordRow Row { get; private set; } = null!;
    public IReadOnlyList<RecordRow> After { get; private set; } = [];
    public StripModel Strip { get; private set; } = null!;
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public Run Run { get; private set; } = null!;
    public string? Refusal { get; private set; }

    /// <summary>The query's text, whose records are set off; empty where there is none.</summary>
    public string Condition => Address.Query.Trim();

    /// <summary>An address of this page with other neighbours.</summary>
    public string With(Neighbours choice) => Address.Url("/search/around", ("id", Record!.Id.ToString()), ("of", choice.Name));

    /// <summary>Where more rows before or after one come from.</summary>
    public string More(LogRecord edge, bool before) =>
        Address
            .FragmentUrl(
                Run,
                before ? "Before" : "After",
                ("id", Record!.Id.ToString()),
                ("of", Chosen.Name),
                ("edge", edge.Id.ToString())
            )
            .Replace("/search?", "/search/around?", StringComparison.Ordinal);

    public async Task<IActionResult> OnGetAsync(string? id, string? of, string? when)
    {
        if (!Prepare(id, of))
            return NotFound();
        if (when is not null && TimeRange.Parse(when, Run.Question.Now, Zone) is { } range)
            return Redirect((Address with { Focus = range }).Url());
        ViewData["Carried"] = Address;
        using (Run.Attach(HttpContext.RequestAborted))
        {
            try
            {
                Before = await Rows(Record!.Id, before: true, RowsBefore);
                Row = Maker().Of([new FoundRecord(Record, [])], Before.Count > 0 ? Before[^1].Record.Id : null, Meets()).Single();
                After = await Rows(Record.Id, before: false, RowsAfter);
            }
            catch (QueryRefusedException e)
            {
                Refusal = e.Message;
            }
        }
        var strip = Address with
        {
            Focus = new TimeRange(
                Moment.At((Record!.Time / Instants.Minute * Instants.Minute) - (5 * Instants.Minute)),
                Moment.At((Record.Time / Instants.Minute * Instants.Minute) + (6 * Instants.Minute))
            ),
        };
        var around = runs.Open(
            Run.Question with
            {
                Parsed = QueryParser.Parse(Address.Query) is { Ok: true } parsed ? parsed : ParseResult.Empty,
                Window = strip.Focus.Resolve(Run.Question.Now),
            }
        );
        Strip = await strips.Build(strip, around, viewer) with { WrongTime = when };
        return Page();
    }

    public Task<IActionResult> OnGetBeforeAsync(string? id, string? of, string? edge) => Part(id, of, edge, before: true);

    public Task<IActionResult> OnGetAfterAsync(string? id, string? of, string? edge) => Part(id, of, edge, before: false);

    private async Task<IActionResult> Part(string? id, string? of, string? edge, bool before)
    {
        if (!Prepare(id, of) || RecordId.Parse(edge) is not { } from)
            return NotFound();
        using var reading = Run.Attach(HttpContext.RequestAborted);
        try
        {
            var rows = await Rows(from, before, RowsMore);
            return Partial("_AroundRows", new AroundRows(rows, this, before, rows.Count == RowsMore));
        }
        catch (QueryRefusedException e)
        {
            return Partial("_Refused", e.Message);
        }
    }

    private bool Prepare(string? id, string? of)
    {
        var now = Instants.FromDateTime(clock.GetUtcNow());
        Address = SearchAddress.Parse(name => Request.Query[name], now, []) with { At = null };
        Zone = viewer.Zone(Address.Zone);
        if (RecordId.Parse(id) is not { } known)
            return false;
        // Everything that was collected may stand around a record; how far is up to who reads.
        var question = new Question(
            viewer.Name,
            ParseResult.Empty,
            new Window(0, now + (400 * Instants.Day)),
            now,
            Zone,
            Limits.Default
        );
        var all = runs.Shared(question);
        if (all.Find(known) is not { } record)
            return false;
        Record = record;
        Choices = [.. ChoicesOf(record)];
        Chosen = Choices.FirstOrDefault(c => c.Name == of) ?? Choices[0];
        Run = runs.Shared(question with { Parsed = ParseResult.Of(new Query(Chosen.Condition, Seq<Stage>.Empty)) });
        return true;
    }

    private static IEnumerable<Neighbours> ChoicesOf(LogRecord record)
    {
        Compare Same(string field, Value value) => new(new Field(field), CompareOp.Equal, Literals.For(value));
        if (!record.Resource.Host.IsMissing)
            yield return new("host", record.Resource.Host.ToText(), Same("host", record.Resource.Host));
        if (!record.Resource.Service.IsMissing)
            yield return new("service", record.Resource.Service.ToText(), Same("service", record.Resource.Service));
        yield return new("source", record.Source, Same("source", Value.Of(record.Source)));
        if (record.TraceId is { } trace)
            yield return new("trace", trace.Length > 8 ? trace[..8] + "…" : trace, Same("trace_id", Value.Of(trace)));
        yield return new("all", "everything", null);
    }

    /// <summary>The search's query, whose words are marked.</summary>
    public Query Marked =>
        QueryParser.Parse(Address.Query, sources.Sets.Names()) is { Ok: true } parsed ? parsed.Query : Run.Question.Parsed.Query;

    private RowMaker Maker() => new(Run, Address, Marked);

    private Func<LogRecord, bool> Meets()
    {
        var parsed = QueryParser.Parse(QueryEdits.RecordsOnly(Address.Query), sources.Sets.Names());
        if (Condition.Length == 0 || !parsed.Ok)
            return _ => false;
        return runs.Shared(
            Run.Question with
            {
                Parsed = parsed,
                Parameters = Address.Parameters.ToDictionary(p => p.Name, p => p.Value, StringComparer.Ordinal),
            }
        ).Meets;
    }

    /// <summary>Rows before or after one, the oldest first.</summary>
    private async Task<IReadOnlyList<RecordRow>> Rows(RecordId edge, bool before, int count)
    {
        var found = before
            ? (await Run.Records(edge, count)).Reverse().ToList()
            : [.. await Run.Above(edge, Run.Question.Window, count)];
        return Maker().Of(found, before ? null : edge, Meets());
    }
}

/// <summary>More rows around a record.</summary>
public sealed record AroundRows(IReadOnlyList<RecordRow> Rows, AroundModel Around, bool Before, bool More);
