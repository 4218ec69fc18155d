using System.Globalization;
using System.Text;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Demo.World;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Kumiko.Demo.StandIns;

/// <summary>
/// Writes the history of the world, the newest hours before the first page is there and older ones while people
/// work. How far it came is kept, so that a stopped demonstration goes on where it was.
/// </summary>
public sealed class HistoryFiller(
    DemoOptions options,
    Simulator simulator,
    Truth truth,
    LineIntake intake,
    RecordStore store,
    MetricStore metrics,
    DataFolder folder,
    LineZone zone,
    ILogger<HistoryFiller> log
) : BackgroundService
{
    private readonly Measurements _measurements = new(simulator);

    private static readonly TimeSpan SmallestGap = TimeSpan.FromSeconds(30);

    /// <summary>Records of about this much time go in at once, which keeps memory flat.</summary>
    private TimeSpan Piece =>
        TimeSpan.FromMinutes(
            options.Scale switch
            {
                > 4 => 30,
                > 1 => 60,
                _ => 240,
            }
        );

    private readonly TaskCompletionSource _complete = new(TaskCreationOptions.RunContinuationsAsynchronously);

    /// <summary>Done when all of the history is there.</summary>
    public Task Complete => _complete.Task;

    private static readonly TimeSpan HostsPiece = TimeSpan.FromHours(7);

    /// <summary>Says until when the newest hours lack what hosts measured; not there once they have it.</summary>
    private string HostsPath => Path.Combine(folder.Path, "hosts.txt");

    private string StatePath => Path.Combine(folder.Path, "history.txt");

    /// <summary>Writes what has to be there at once: the newest hours of history, or what happened since the last stop.</summary>
    public async Task Begin()
    {
        var now = zone.Now;
        options.LiveFrom = now;
        if (Filled() is not null)
        {
            var newest = store
                .Current.NewestFirst(
                    new Core.Frames.Window(0, Core.Records.Instants.FromDateTime(now)),
                    BatchTest.All,
                    null,
                    CancellationToken.None
                )
                .FirstOrDefault();
            var since = newest is null ? now : zone.At(Core.Records.Instants.ToDateTime(newest.Time).AddMilliseconds(1));
            if (since < now - options.History)
                since = now - options.History;
            if (now - since < SmallestGap)
                options.LiveFrom = since;
            else
                for (var at = since; at < now; at += Piece)
                {
                    var until = at + Piece < now ? at + Piece : now;
                    var (made, spans) = Made(at, until);
                    foreach (var (source, lines) in made)
                        await intake.Take(
                            lines,
                            new LineWish(source) { Settings = FileSender.FormatOf(source) },
                            CancellationToken.None
                        );
                    await store.Append(SpanRows.Block(spans, Senders.Spans), Senders.Spans);
                    await metrics.Append(_measurements.Between(at, until, truth.Plays), Senders.Metrics);
                }
            return;
        }
        PlaceHistory(now);
        Keep(now);
        File.WriteAllText(HostsPath, now.ToString("O", CultureInfo.InvariantCulture));
        await Back(AheadFrom(now), CancellationToken.None, withHosts: false);
    }

    private DateTimeOffset AheadFrom(DateTimeOffset now) =>
        Simulator.Floor(now - (options.Ahead < options.History ? options.Ahead : options.History));

    /// <summary>What hosts measured in the newest hours: most of all samples, and nothing that the first page shows.</summary>
    private async Task FillHosts(CancellationToken cancel)
    {
        if (!File.Exists(HostsPath))
            return;
        var until = zone.At(DateTimeOffset.Parse(await File.ReadAllTextAsync(HostsPath, cancel), CultureInfo.InvariantCulture));
        var oldest = AheadFrom(until);
        for (var at = until; at > oldest; at -= HostsPiece)
        {
            var from = at - HostsPiece > oldest ? at - HostsPiece : oldest;
            await metrics.Append(_measurements.OfHosts(from, at, truth.Plays), Senders.Metrics, cancel);
        }
        File.Delete(HostsPath);
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        await Task.Yield();
        try
        {
            await FillHosts(stoppingToken);
            await Back(Simulator.Floor(zone.Now - options.History), stoppingToken);
            log.LogInformation("History is complete");
            _complete.TrySetResult();
        }
        catch (OperationCanceledException)
        { /* goes on at the next start */
        }
        catch (IOException e)
        {
            log.LogWarning("History stopped, it goes on at the next start: {Reason}", e.Message);
        }
    }

    /// <summary>Writes history backwards, from where it is filled to.</summary>
    private async Task Back(DateTimeOffset oldest, CancellationToken cancel, bool withHosts = true)
    {
        Task? taking = null;
        for (var until = zone.At(Filled() ?? oldest); until > oldest; )
        {
            cancel.ThrowIfCancellationRequested();
            // Whole pieces of a day, so that a piece that was cut off is the same when it is made again.
            var from = zone.At(new DateTimeOffset((until.UtcTicks - 1) / Piece.Ticks * Piece.Ticks, TimeSpan.Zero));
            if (from < oldest)
                from = oldest;
            var (lines, spans) = Made(from, until);
            // While one piece is taken in, the next is made.
            if (taking is not null)
                await taking;
            var measured = withHosts
                ? _measurements.Between(from, until, truth.Plays)
                : _measurements.OfServices(from, until, truth.Plays);
            taking = Take(lines, spans, measured, from, "history " + from.ToString("O", CultureInfo.InvariantCulture), cancel);
            until = from;
        }
        if (taking is not null)
            await taking;
    }

    private async Task Take(
        IReadOnlyDictionary<string, MemoryStream> made,
        IReadOnlyList<Core.Records.Span> spans,
        IReadOnlyList<Core.Records.Metric> measured,
        DateTimeOffset from,
        string key,
        CancellationToken cancel
    )
    {
        foreach (var (source, lines) in made)
            await intake.Take(lines, new LineWish(source) { Key = key, Settings = FileSender.FormatOf(source) }, cancel);
        await store.Append(
            SpanRows.Block(spans, Senders.Spans),
            Senders.Spans,
            new BatchKey(key + " spans", 0, spans.Count),
            null,
            cancel
        );
        // Made again it is the same, and samples of one time count once.
        await metrics.Append(measured, Senders.Metrics, cancel);
        Keep(from);
    }

    /// <summary>The lines of a stretch by the source that sends them live.</summary>
    private (Dictionary<string, MemoryStream> Lines, List<Core.Records.Span> Spans) Made(
        DateTimeOffset from,
        DateTimeOffset until
    )
    {
        var (made, writers, spans) = (
            new Dictionary<string, MemoryStream>(),
            new Dictionary<string, LineWriter>(),
            new List<Core.Records.Span>()
        );
        var requests = AccessLog.Between(simulator, from, until, truth.Plays);
        foreach (var record in simulator.Between(from, until, truth.Plays, spans).Concat(requests))
        {
            var source = Senders.SourceOf(record);
            if (source == FileSender.Requests)
            {
                if (!made.TryGetValue(source, out var text))
                    made[source] = text = new MemoryStream();
                text.Write(Encoding.UTF8.GetBytes(AccessLog.LineOf(record) + "\n"));
                continue;
            }
            if (!writers.TryGetValue(source, out var writer))
                writers.Add(source, writer = new LineWriter(made[source] = new MemoryStream()));
            writer.Write(record);
        }
        foreach (var writer in writers.Values)
            writer.Dispose();
        foreach (var lines in made.Values)
            lines.Position = 0;
        return (made, spans);
    }

    private DateTimeOffset? Filled() =>
        File.Exists(StatePath) && DateTimeOffset.TryParse(File.ReadAllText(StatePath), CultureInfo.InvariantCulture, out var at)
            ? at
            : null;

    private void Keep(DateTimeOffset filled) => File.WriteAllText(StatePath, filled.ToString("O", CultureInfo.InvariantCulture));

    /// <summary>Places each disturbance once in the days before, and one soon after.</summary>
    private void PlaceHistory(DateTimeOffset now)
    {
        var today = new DateTimeOffset(now.Date, now.Offset);
        foreach (var disturbance in Disturbances.All)
        {
            var (days, at, lasts, intensity) = disturbance.InHistory;
            var start = disturbance.Number == 1 ? FirmwareStart(now) : today.AddDays(-days).Add(at);
            if (start is { } begins && begins > now - options.History)
                truth.Begin(disturbance.Number, begins, begins + lasts, intensity);
        }
        if (options.PlaysByItself)
            truth.Begin(2, now.AddMinutes(4), now.AddMinutes(24), 0.6);
    }

    /// <summary>
    /// In yesterday's evening peak, or in the morning's where the evening lies too near the clock time that today is compared
    /// with.
    /// </summary>
    private static DateTimeOffset? FirmwareStart(DateTimeOffset now)
    {
        var today = new DateTimeOffset(now.Date, now.Offset);
        DateTimeOffset[] starts = [today.Add(new TimeSpan(6, 48, 0)), today.AddDays(-1).Add(new TimeSpan(17, 51, 0))];
        return starts.Cast<DateTimeOffset?>().FirstOrDefault(s => (now - s!.Value).TotalHours is >= 6 and <= 22);
    }
}
