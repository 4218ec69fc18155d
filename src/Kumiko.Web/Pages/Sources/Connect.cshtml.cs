using System.Globalization;
using Kumiko.Core.Accounts;
using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Web.Hosting;
using Kumiko.Web.Receivers.Syslog;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages.Sources;

/// <summary>What came first from a sender that was just connected.</summary>
/// <param name="Words">What it is: a record, samples, a span, a change.</param>
/// <param name="Text">Its content in one line.</param>
public sealed record FirstThing(string Words, string Text, long Time);

/// <summary>What the waiting part of the page shows.</summary>
/// <param name="First">Null while nothing came.</param>
/// <param name="Refused">What was refused meanwhile, of this sender or of nobody known.</param>
public sealed record Waiting(
    string Name,
    long Since,
    FirstThing? First,
    SourceState? State,
    Refused? Refused,
    NodaTime.DateTimeZone Zone
);

/// <summary>Connects a sender step by step: what it is, its settings and token, and its first record.</summary>
public sealed class ConnectModel(
    TokenStore tokens,
    ScrapeStore targets,
    SourceBook book,
    RecordStore records,
    MetricStore metrics,
    SpanStore signals,
    ChangeStore changes,
    ServerState state,
    ServerOptions options,
    RunRegistry runs,
    StripBuilder strips,
    Viewer viewer,
    TimeProvider clock
) : StripPage(runs, strips, viewer, clock)
{
    public ConnectGuide? Guide { get; private set; }
    public string Name { get; private set; } = "";
    public string Rate { get; private set; } = "";
    public string MoreSources { get; private set; } = "";
    public string Addresses { get; private set; } = "";
    public string Every { get; private set; } = "15s";

    /// <summary>The format of the sender's lines; empty where it is told from them.</summary>
    public string LineFormat { get; private set; } = "";
    public string? Problem { get; private set; }

    /// <summary>The token's text, shown this once; empty where the sender needs none.</summary>
    public string Token { get; private set; } = "";

    /// <summary>Set once the sender is connected.</summary>
    public Waiting? Waiting { get; private set; }

    /// <summary>Whether others than this machine can reach the receivers.</summary>
    public bool IsLocal => System.Net.IPAddress.IsLoopback(options.Listen);

    public Reach Reach => new($"{Request.Scheme}://{Request.Host}", Request.Host.Host, state.GrpcPort, state.SyslogPort);

    public Task<IActionResult> OnGetAsync(string? by, string? when)
    {
        Guide = ConnectGuide.Find(by);
        return Show(Guide is null ? "/sources/connect" : "/sources/connect/" + Guide.Id, when);
    }

    public async Task<IActionResult> OnPostAsync(
        string? by,
        string? name,
        string? rate,
        string? sources,
        string? addresses,
        string? every,
        string? format
    )
    {
        if (!MayRun)
            return StatusCode(403);
        if (ConnectGuide.Find(by) is not { } guide)
            return NotFound();
        (Guide, Name, Rate, MoreSources, Addresses, Every) = (
            guide,
            (name ?? "").Trim(),
            (rate ?? "").Trim(),
            (sources ?? "").Trim(),
            (addresses ?? "").Trim(),
            (every ?? "").Trim()
        );
        LineFormat = Core.Intake.Formats.FormatList.Find(format ?? "")?.Name ?? "";
        Begin();
        Problem = guide.IsScrape ? await AddTargets() : await MakeToken(guide);
        if (Problem is null)
            Waiting = await Progress(Name, Now);
        return await Show("/sources/connect/" + guide.Id, null);
    }

    private async Task<string?> MakeToken(ConnectGuide guide)
    {
        long? perSecond = null;
        if (Rate.Length > 0)
        {
            if (!long.TryParse(Rate, NumberStyles.None, CultureInfo.InvariantCulture, out var number))
                return "A rate is a number of records a second, or empty for any.";
            perSecond = number;
        }
        if (TokenWish.ReadAddresses(Addresses, out var problem) is not { } known)
            return problem;
        var wish = new TokenWish(Name, TokenPurpose.Intake)
        {
            Protocol = guide.Name,
            Rate = perSecond,
            Sources = [.. MoreSources.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)],
            Addresses = known,
            Author = Viewer.Name,
            Format = LineFormat,
        };
        if (wish.Problem() is { } wrong)
            return wrong;
        Token = await tokens.Create(wish);
        return null;
    }

    private async Task<string?> AddTargets()
    {
        if (!Quantities.TryParseDuration(Every, out var interval))
            return $"“{Every}” is no interval. Write it as 15s or 1m.";
        var wanted = Addresses
            .Split(['\n', ' ', ','], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Distinct()
            .Select(a => new ScrapeTarget(0, Name, a, interval, Viewer.Name))
            .ToList();
        if (wanted.Count == 0)
            return "List at least one address.";
        if (wanted.Select(t => t.Problem()).FirstOrDefault(p => p is not null) is { } problem)
            return problem;
        foreach (var target in wanted)
            await targets.Add(target);
        return null;
    }

    public async Task<IActionResult> OnGetWaitingAsync(string? name, long since)
    {
        if (!MayRun)
            return StatusCode(403);
        Begin();
        return Partial("_Waiting", await Progress(name ?? "", since));
    }

    private async Task<Waiting> Progress(string name, long since)
    {
        var source = book.Find(name);
        var refused = records
            .Refusals(20)
            .FirstOrDefault(r => r.At >= since && (r.Source == name || r.Source == SyslogSenders.NobodyKnown));
        return new Waiting(
            name,
            since,
            source is not null && source.LastSeen >= since && source.Items > 0 ? await First(name, since) : null,
            source,
            refused,
            Zone
        );
    }

    /// <summary>The first thing that came after a moment.</summary>
    private async Task<FirstThing> First(string name, long since)
    {
        const int Looked = 500;
        // Of its own records the first by when it came: what it says of its time may be long ago.
        var ofSource = new Compare(new Field("source"), CompareOp.Equal, Literals.For(Value.Of(name)));
        var query = ParseResult.Of(Core.Language.Query.All.And(ofSource));
        using var run = new Run(
            new Question(Viewer.Name, query, new Window(long.MinValue / 4, long.MaxValue / 4), Now, Zone, Limits.Default),
            records.Current
        );
        var record = (await run.Records(null, Looked))
            .Select(f => f.Record)
            .Where(r => r.Observed >= since)
            .MinBy(r => r.Sequence);
        if (record is not null)
            return new("a record", record.Body, record.Time);
        if (changes.Latest(50).LastOrDefault(c => c.Source == name) is { } change)
            return new("a change", change.InWords, change.At);
        if (metrics.Latest(name, 20) is { Count: > 0 } samples)
            return new("metrics", string.Join(", ", samples.Select(m => m.Series.Name).Distinct().Take(6)), samples[0].Time);
        return signals.Latest(name, 20) switch
        {
            { Count: > 0 } spans => new("spans", string.Join(", ", spans.Select(s => s.Name).Distinct().Take(6)), spans[0].Start),
            _ => new("something", "What it sent lies further back in time than the latest records.", since),
        };
    }
}
