using System.Diagnostics;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;
using Kumiko.Core.Storage.Upkeep;

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
            var reader = new Lines();
            var blocks = new List<RecordBlock>();
            Time("parse", () => blocks.AddRange(batches.Select(b => reader.Read(b.Lines))));
            Time("batch codec", () =>
            {
                foreach (var block in blocks)
                    BatchCodec.Encode(block);
            });
            var sequence = 0L;
            foreach (var block in blocks)
            {
                block.Number(sequence);
                sequence += block.Count;
            }
            var miner = new TemplateMiner();
            var gaps = new List<Kumiko.Core.Storage.Columns.Slice>();
            Time("templates alone", () =>
            {
                foreach (var block in blocks)
                    for (var row = 0; row < block.Count; row++)
                    {
                        gaps.Clear();
                        miner.Find(
                            block.ServiceOf(row),
                            block.TextOf(row, TextPart.Body)!.Value.Of(block.Bytes),
                            block.TimeOf[row],
                            gaps
                        );
                    }
            });
            using var writer = new SegmentWriter(miner);
            Time("gathering", () =>
            {
                foreach (var rows in Cut(SegmentWriter.SealedRows, SegmentWriter.SealedBytes))
                    BlockGather.Of(blocks, rows);
            });
            Time("gathering and segments", () =>
            {
                foreach (var rows in Cut(SegmentWriter.SealedRows, SegmentWriter.SealedBytes))
                    writer.Write(BlockGather.Of(blocks, rows), "quay", 0);
            });
            Time("the same, Zstandard", () =>
            {
                foreach (var rows in Cut(SegmentWriter.MergedRows, SegmentWriter.MergedBytes))
                    writer.Write(BlockGather.Of(blocks, rows), "quay", 1);
            });
            Time("records of it", () =>
            {
                foreach (var block in blocks)
                    _ = block.Records.Count;
            });

            IEnumerable<RowRef[]> Cut(int rows, long bytes) => Sealer.Cut(blocks, rows, bytes);
        }

        void Time(string name, Action work)
        {
            var started = Stopwatch.GetTimestamp();
            work();
            Console.WriteLine($"| {name} | {Stopwatch.GetElapsedTime(started).TotalMicroseconds / 400_000:0.00} |");
        }
    }
}
