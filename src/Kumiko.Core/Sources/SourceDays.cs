using Kumiko.Core.Changes;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Metrics;
using NodaTime;

namespace Kumiko.Core.Sources;

/// <summary>What each source wrote on each of the latest days: records, spans and changes by when they happened, samples by
/// when they came.</summary>
public sealed class SourceDays(RunRegistry runs, MetricStore metrics, ChangeStore changes)
{
    public const int Days = 14;
    private static readonly string[] Asked = ["", "from spans "];
    private const string Counted = "| group count() as n by source per 1d";

    private readonly Lock _lock = new();
    private (long Minute, string Zone, Task<IReadOnlyDictionary<string, long[]>> Counts)? _latest;

    /// <summary>Counts by source, the oldest day first and today last. They may be a minute old.</summary>
    public Task<IReadOnlyDictionary<string, long[]>> Of(string person, long now, DateTimeZone zone)
    {
        lock (_lock)
        {
            var minute = now / Instants.Minute;
            if (
                _latest is { } latest
                && latest.Minute == minute
                && latest.Zone == zone.Id
                && !latest.Counts.IsFaulted
                && !latest.Counts.IsCanceled
            )
                return latest.Counts;
            var counts = Task.Run(() => Count(person, now, zone));
            _latest = (minute, zone.Id, counts);
            return counts;
        }
    }

    private async Task<IReadOnlyDictionary<string, long[]>> Count(string person, long now, DateTimeZone zone)
    {
        var starts = Starts(now, zone);
        var window = new Window(starts[0], now);
        var counts = new Dictionary<string, long[]>(StringComparer.Ordinal);
        foreach (var set in Asked)
        {
            var query = QueryParser.Parse(set + Counted, runs.Sources.Sets.Names());
            var run = runs.Open(new Question(person, query, window, now, zone, Limits.Default));
            using var reading = run.Attach(CancellationToken.None);
            var frame = await run.Frame();
            var (time, source, count) = (0, frame.Schema.IndexOf("source"), frame.Schema.IndexOf("n"));
            foreach (var row in frame.Rows)
                Add(row[source].ToText(), row[time].AsLong, row[count].AsLong);
        }
        foreach (var (name, received, items) in metrics.Daily(window, starts))
            Add(name, received, items);
        foreach (var change in changes.In(window))
            Add(change.Source, change.At, 1);
        return counts;

        void Add(string name, long at, long items)
        {
            var day = starts.FindLastIndex(s => s <= at);
            if (day < 0)
                return;
            if (!counts.TryGetValue(name, out var days))
                counts.Add(name, days = new long[Days]);
            days[day] += items;
        }
    }

    private static List<long> Starts(long now, DateTimeZone zone)
    {
        var today = Instant.FromUnixTimeTicks(now / 100).InZone(zone).Date;
        return
        [
            .. Enumerable
                .Range(1 - Days, Days)
                .Select(d => zone.AtStartOfDay(today.PlusDays(d)).ToInstant().ToUnixTimeTicks() * 100),
        ];
    }
}
