using System.Diagnostics;
using Kumiko.Core.Intake;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Bench.Store;

/// <summary>Where the time of taking records in goes, part by part on one thread.</summary>
internal static class Parts
{
    public static void Measure()
    {
        var log = new FerryLog(400_000);
        Console.WriteLine("| part, one thread | µs a record |\n|---|---|");
        for (var round = 0; round < 3; round++)
        {
            var batches = log.Batches(400_000).ToList();
            var parser = new JsonRecordParser("quay");
            var records = new List<List<LogRecord>>();
            Time("parse", () =>
            {
                foreach (var (lines, count) in batches)
                {
                    var list = new List<LogRecord>(count);
                    for (var at = 0; at < lines.Length;)
                    {
                        var end = lines.AsSpan(at).IndexOf((byte)'\n');
                        list.Add(parser.Parse(lines.AsSpan(at, end), 1, out _)!);
                        at += end + 1;
                    }
                    records.Add(list);
                }
            });
            Time("batch codec", () => { foreach (var list in records) BatchCodec.Encode(list); });
            var bytes = 0L;
            Time("size", () => { foreach (var list in records) bytes += list.Sum(RecordSize.Of); });
            var sequence = 0L;
            foreach (var record in records.SelectMany(r => r)) record.Sequence = sequence++;
            var miner = new TemplateMiner();
            var gaps = new List<Kumiko.Core.Storage.Columns.Slice>();
            Time("templates alone", () =>
            {
                var utf8 = new byte[4096];
                foreach (var list in records)
                    foreach (var record in list)
                    {
                        gaps.Clear();
                        miner.Find(record.Resource.Service.AsText, utf8.AsSpan(0, System.Text.Encoding.UTF8.GetBytes(record.Body, utf8)), record.Time, gaps);
                    }
            });
            using var writer = new SegmentWriter(miner);
            Time("segments", () => { foreach (var chunk in records.SelectMany(r => r).Chunk(SegmentWriter.SealedRows)) writer.Write(chunk, "quay", 0); });
            Time("segments, Zstandard", () => { foreach (var chunk in records.SelectMany(r => r).Chunk(SegmentWriter.MergedRows)) writer.Write(chunk, "quay", 1); });
        }

        void Time(string name, Action work)
        {
            var started = Stopwatch.GetTimestamp();
            work();
            Console.WriteLine($"| {name} | {Stopwatch.GetElapsedTime(started).TotalMicroseconds / 400_000:0.00} |");
        }
    }
}
