using System.Diagnostics;
using DuckDB.NET.Data;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using NodaTime;

namespace Kumiko.Bench.Store;

/// <summary>A day gathered by pattern with its baseline; a whole answer written out in each format, the Parquet file read back by
/// DuckDB and compared row by row.</summary>
internal static class Exports
{
    private const int Repeats = 9;

    /// <summary>So many records come in a second, which makes five million a day.</summary>
    private const int RecordsPerSecond = 58;

    /// <param name="records">Of two days together.</param>
    /// <param name="exported">How many of them are written out.</param>
    public static async Task Measure(long records, long exported)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        try
        {
            using var store = new RecordStore(
                Path.Combine(folder, "records.db"),
                TimeProvider.System,
                RecordStoreOptions.Default
            );
            await StoreBench.Feed(store, new FerryLog(400_000), records, _ => { }, RecordsPerSecond);
            await store.Upkeep.SealAll();
            while (await store.Upkeep.Merge()) { }
            using var snapshot = store.Current;
            var (from, to) = (snapshot.Batches.Min(b => b.MinTime), snapshot.Batches.Max(b => b.MaxTime) + 1);
            await Gathered(store, new Window(from + ((to - from) / 2), to));
            await Written(store, folder, new Window(from, from + (long)((to - from) * (exported / (double)records))));
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    private static Run Ask(RecordStore store, Window window, string text = "") =>
        new(
            new Question("bench", QueryParser.Parse(text), window, window.To, DateTimeZone.Utc, Limits.Default),
            store.Current,
            new QuerySources(new RowSetBook([]))
        );

    private static async Task Gathered(RecordStore store, Window day)
    {
        Console.WriteLine("| gathered by pattern, hot | records | with its baseline | median ms |\n|---|---|---|---|");
        foreach (var text in new[] { "", "level >= warn", "service = gate-control" })
        {
            var (times, count, then) = (new List<double>(), 0L, 0.0);
            string? name = null;
            for (var i = 0; i <= Repeats; i++)
            {
                using var run = Ask(store, day, text);
                var baseline = run.BaselineOf(BaselineChoice.Before, new BaselineFinder(_ => 0));
                var begun = Stopwatch.GetTimestamp();
                var gathered = await run.Gather(baseline);
                if (i > 0)
                    times.Add(Stopwatch.GetElapsedTime(begun).TotalMilliseconds);
                (count, then) = (gathered.Records, gathered.Patterns.Sum(p => p.Shift?.Usual ?? 0));
                name = gathered.Patterns[0].Pattern?.Name;
            }
            Console.WriteLine($"| {(text.Length == 0 ? "everything" : text)} | {count} | {count + then:0} | {Median(times):0} |");
            var gaps = new List<double>();
            for (var i = 0; i <= Repeats; i++)
            {
                using var run = Ask(store, day, text);
                var begun = Stopwatch.GetTimestamp();
                await run.Gaps(name!);
                if (i > 0)
                    gaps.Add(Stopwatch.GetElapsedTime(begun).TotalMilliseconds);
            }
            Console.WriteLine($"| the gaps of its most frequent pattern | | | {Median(gaps):0} |");
        }
        Console.WriteLine();
    }

    private static double Median(List<double> times) => times.Order().ElementAt(times.Count / 2);

    private static async Task Written(RecordStore store, string folder, Window window)
    {
        Console.WriteLine("| written out | rows | rows/s | MB | ratio to reading alone |\n|---|---|---|---|---|");
        var (rows, reading) = (0L, 0.0);
        using (var run = Ask(store, window))
        {
            var begun = Stopwatch.GetTimestamp();
            await using var answer = await run.Stream();
            await foreach (var chunk in answer.Chunks())
                rows += chunk.Count;
            reading = Stopwatch.GetElapsedTime(begun).TotalSeconds;
        }
        Console.WriteLine($"| read and put together, not written | {rows} | {rows / reading:0} | | 1 |");
        foreach (var format in ExportFormats.All)
        {
            var path = Path.Combine(folder, "answer." + format.Name);
            var begun = Stopwatch.GetTimestamp();
            await using (var to = File.Create(path, 1 << 20))
            {
                using var run = Ask(store, window);
                await using var answer = await run.Stream();
                await format.Write(answer, to, null, CancellationToken.None);
            }
            var took = Stopwatch.GetElapsedTime(begun).TotalSeconds;
            Console.WriteLine(
                $"| {format.Title} | {rows} | {rows / took:0} | {new FileInfo(path).Length / 1e6:0} | {took / reading:0.0} |"
            );
        }
        Console.WriteLine();
        await Compare(store, Path.Combine(folder, "answer.parquet"), window);
    }

    private static async Task Compare(RecordStore store, string path, Window window)
    {
        using var connection = new DuckDBConnection("Data Source=:memory:");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText =
            $"SELECT time_unix_nano, level, service, host, body, array_to_string(map_keys(attributes), '\u0001'), array_to_string(map_values(attributes), '\u0001'), trace_id, span_id, source, epoch_us(time) FROM read_parquet('{path}')";
        using var theirs = command.ExecuteReader();
        using var run = Ask(store, window);
        await using var answer = await run.Stream();
        var (rows, different) = (0L, 0L);
        await foreach (var chunk in answer.Chunks())
        foreach (var row in chunk)
        {
            rows++;
            if (!theirs.Read() || !Same(row, theirs))
                different++;
        }
        Console.WriteLine(
            $"Read back by DuckDB: {rows} rows, {different} different, {(theirs.Read() ? "and more of them" : "and no more of them")}."
        );
    }

    private static bool Same(Value[] row, DuckDBDataReader theirs)
    {
        string? Text(int i) => theirs.IsDBNull(i) ? null : theirs.GetString(i);
        string? Mine(Value value) => value.IsMissing ? null : value.ToText();
        var attributes = row[5].Kind == ValueKind.Object ? row[5].AsObject : Attributes.Empty;
        return theirs.GetInt64(0) == row[0].AsLong
            && theirs.GetInt64(10) == row[0].AsLong / 1_000
            && Enumerable.Range(1, 4).All(i => Text(i) == Mine(row[i]))
            && (Text(5) ?? "") == string.Join('\u0001', attributes.Names.ToArray())
            && (Text(6) ?? "") == string.Join('\u0001', attributes.Values.ToArray().Select(v => v.ToText()))
            && Enumerable.Range(6, 3).All(i => Text(i + 1) == Mine(row[i]));
    }
}
