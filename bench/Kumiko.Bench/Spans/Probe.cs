using System.Diagnostics;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Spans;
using NodaTime;

namespace Kumiko.Bench.Spans;

internal static class Probe
{
    public static async Task Run(long n)
    {
        var folder = Directory.CreateTempSubdirectory("kumiko-probe-").FullName;
        var from = Instants.FromDateTime(new DateTimeOffset(2026, 10, 5, 0, 0, 0, TimeSpan.Zero));
        var all = new FerrySpans(n, from, 7 * Instants.Day);
        using var store = new RecordStore(Path.Combine(folder, "records.db"), TimeProvider.System, RecordStoreOptions.Default with { Background = false });
        var spans = new SpanStore(store);
        foreach (var batch in all.Batches())
        {
            await spans.Append(batch, "otlp");
            while (await store.Upkeep.Seal()) { }
        }
        await store.Upkeep.SealAll();
        var sources = new QuerySources(new RowSetBook([new SpanSet()]));
        var id = FerrySpans.TraceId(n / 8 / 2);
        var parsed = QueryParser.Parse($"from spans trace_id = {id}", sources.Sets.Names());
        for (var i = 0; i < 8; i++)
        {
            var t0 = Stopwatch.GetTimestamp();
            using var run = new Run(new Question("b", parsed, all.Window, all.Window.To, DateTimeZone.Utc, Limits.Default), store.Current, sources);
            var t1 = Stopwatch.GetTimestamp();
            var p = run.Plan();
            var t2 = Stopwatch.GetTimestamp();
            var rows = (await run.Frame()).Rows.Count;
            var t3 = Stopwatch.GetTimestamp();
            Console.WriteLine($"{Stopwatch.GetElapsedTime(t0, t1).TotalMilliseconds:0.00} plan {Stopwatch.GetElapsedTime(t1, t2).TotalMilliseconds:0.00} frame {Stopwatch.GetElapsedTime(t2, t3).TotalMilliseconds:0.00} rows {rows} read {run.Meter.Segments} segs {run.Meter.Rows} rows {run.Meter.Bytes} bytes skipped {run.Meter.Skipped}");
            if (i == 0) foreach (var l in p) Console.WriteLine(l);
        }
        Directory.Delete(folder, true);
    }
}
