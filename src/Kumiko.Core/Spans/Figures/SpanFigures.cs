using System.Collections.Concurrent;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Spans.Figures;

/// <summary>
/// Keeps per minute what many spans are: metrics of services, operations and hosts, and of calls between services. Each span
/// counts once, whatever is killed: how far they are counted is written in the transaction that writes the figures.
/// </summary>
public sealed class SpanFigures : IDisposable
{
    /// <summary>Figures are written a little after each full minute, when most of its spans have come.</summary>
    private const long Every = Instants.Minute;
    private const long Behind = 10 * Instants.Second;

    /// <summary>What waits in memory; with more, it is read from the store instead.</summary>
    private const long MostQueued = 64L << 20;
    private const long WokenAt = 2L << 20;
    private const int MostFigures = 200_000;

    /// <summary>So many spans are read from the store at once.</summary>
    private const int ReadAtOnce = 100_000;

    /// <summary>What is noted with each writing: the last sequence that is counted, how many writings there were, and when the last
    /// was.</summary>
    private const string Counted = "figures";
    private const string Writings = "figures_written";
    private const string Written = "figures_at";

    private readonly RecordStore _records;
    private readonly MetricStore _metrics;
    private readonly UpkeepLoop _loop;
    private readonly FigureTable _figures = new();
    private readonly FigureNames _names = new();
    private readonly FigureMetrics _writer;
    private readonly SpanReader _reader;
    private readonly CallTracer _calls;
    private readonly ConcurrentQueue<(RecordBlock Block, long Size)> _queue = new();
    private long _queued;
    private volatile bool _isBehind = true;

    /// <summary>Spans up to this sequence are in what is written or in <see cref="_figures"/>.</summary>
    private long _position = -1;
    private long _writings;
    private bool _isResumed;
    private long _written;

    public SpanFigures(
        RecordStore records,
        MetricStore metrics,
        FailureRules failures,
        TimeProvider clock,
        bool isBackground = true
    )
    {
        (_records, _metrics) = (records, metrics);
        (_writer, _calls) = (new FigureMetrics(_names), new CallTracer(_figures));
        _reader = new SpanReader(_names, new OperationNames(records, _names), failures);
        _loop = new UpkeepLoop(
            "Figures of spans could not be written, and it is tried again: ",
            records.Notice,
            records.Forget,
            RunOnce,
            clock
        );
        records.SpansCommitted += Take;
        if (isBackground)
            _loop.Start("span figures");
    }

    private void Take(string source, RecordBlock block)
    {
        if (_isBehind)
            return;
        var size = block.Size;
        if (Interlocked.Add(ref _queued, size) > MostQueued)
        {
            _isBehind = true;
            return;
        }
        _queue.Enqueue((block, size));
        if (Volatile.Read(ref _queued) > WokenAt)
            _loop.Wake();
    }

    /// <summary>Finds out how far spans are counted, and what still waits for its other side.</summary>
    private void Resume()
    {
        var counters = _records.Counters(Counted);
        _position = counters.GetValueOrDefault(Counted, -1);
        _writings = counters.GetValueOrDefault(Writings);
        _written = counters.GetValueOrDefault(Written);
        if (_position < 0)
            return;
        // Calls whose sides had both come are counted; those that waited wait again.
        _calls.IsReplay = true;
        for (var above = _position - (2 * CallTracer.MostWaiting); above < _position; above += ReadAtOnce)
            foreach (var (block, row, came) in Rows(above, Math.Min(above + ReadAtOnce, _position)))
                if (came > _written - CallTracer.Waits)
                    Add(block, row, Math.Min(came, _written), counts: false);
        _calls.Expire(_written);
        _calls.IsReplay = false;
    }

    private async Task RunOnce()
    {
        if (!_loop.MayTry)
            return;
        using var turn = await _loop.Turn();
        await Read();
        if (_loop.Now - Behind >= _written - (_written % Every) + Every)
            await Write();
        _loop.Healed();
    }

    /// <summary>Counts all spans that have come, and writes.</summary>
    public async Task Flush()
    {
        using var turn = await _loop.Turn();
        await Read();
        await Write();
    }

    private async Task Read()
    {
        if (!_isResumed)
            Resume();
        _isResumed = true;
        _calls.Expire(_loop.Now);
        while (true)
        {
            if (_isBehind)
            {
                Interlocked.Exchange(ref _queued, 0);
                _queue.Clear();
                // From now on they are handed over again; what comes twice is told by its sequence.
                _isBehind = false;
                while (ReadStored())
                    await WriteWhereMany();
            }
            if (!_queue.TryDequeue(out var next))
                return;
            Interlocked.Add(ref _queued, -next.Size);
            for (var row = 0; row < next.Block.Count; row++)
                if (next.Block.SequenceOf[row] > _position)
                    Add(next.Block, row, _loop.Now, counts: true);
            _position = Math.Max(_position, next.Block.LastSequence);
            await WriteWhereMany();
        }
    }

    private RecordBlock? _begun;

    private void Add(RecordBlock block, int row, long came, bool counts)
    {
        if (_begun != block)
            _reader.Begin(_begun = block);
        var span = _reader.Read(row);
        if (counts)
            _figures.Add(span);
        _calls.Add(span, came);
    }

    private Task WriteWhereMany() => _figures.Count >= MostFigures ? Write() : Task.CompletedTask;

    /// <summary>Counts the next spans of the store; false where there are none.</summary>
    private bool ReadStored()
    {
        long first;
        long last;
        using (var snapshot = _records.Current)
        {
            var left = snapshot.Of(Signal.Spans).Batches.Where(b => b.MaxSequence > _position).ToList();
            if (left.Count == 0)
                return false;
            first = left.Min(b => Math.Max(FirstOf(b), _position + 1));
            // What is committed meanwhile has higher sequences.
            last = Math.Min(first + ReadAtOnce - 1, left.Max(b => b.MaxSequence));
        }
        foreach (var (block, row, _) in Rows(first - 1, last))
            Add(block, row, _loop.Now, counts: true);
        _position = last;
        return true;
    }

    /// <summary>Spans with sequences above one and up to another, in their order, and when each came, or a little later. The
    /// batches that they lie in are held.</summary>
    private IEnumerable<(RecordBlock Block, int Row, long Came)> Rows(long above, long upTo)
    {
        using var snapshot = _records.Current;
        var received = _records.Recent.Entries.Select(e => (e.First, e.Received)).ToArray();
        var (held, came) = (new List<RecordBlock>(), new List<long?>());
        foreach (var batch in snapshot.Of(Signal.Spans).Batches.Where(b => b.MaxSequence > above && FirstOf(b) <= upTo))
        {
            if (BlockOf(batch) is not { } block)
                continue;
            held.Add(block);
            came.Add((batch as SegmentBatch)?.Segment.MaxObserved);
        }
        foreach (var row in BlockGather.Rows(held).Where(r => Sequence(r) > above && Sequence(r) <= upTo).OrderBy(Sequence))
            yield return (held[row.Block], row.Row, came[row.Block] ?? Received(Sequence(row)));

        long Sequence(RowRef row) => held[row.Block].SequenceOf[row.Row];

        long Received(long sequence)
        {
            var at = Array.BinarySearch(
                received,
                (sequence, long.MaxValue),
                Comparer<(long First, long Received)>.Create((a, b) => a.First.CompareTo(b.First))
            );
            at = at < 0 ? ~at - 1 : at;
            return at < 0 ? long.MinValue : received[at].Received;
        }
    }

    private static long FirstOf(RecordBatch batch) =>
        batch is SegmentBatch segment ? segment.Segment.MinSequence : ((RecentBatch)batch).MinSequence;

    private static RecordBlock? BlockOf(RecordBatch batch)
    {
        if (batch is RecentBatch recent)
            return recent.Block;
        var builder = BuilderPool.Rent();
        try
        {
            var block = ((SegmentBatch)batch).Scan(null, scan => SegmentUnpacking.Read(scan, builder));
            BuilderPool.Return(builder);
            return block;
        }
        // The store has set it aside and said so; the rest goes on.
        catch (DamagedSegmentException)
        {
            return null;
        }
    }

    private async Task Write()
    {
        var now = _loop.Now;
        _calls.Expire(now);
        var writing = _writings + 1;
        var batches = _writer.Of(_figures, writing % Instants.Second).ToList();
        var refused = await _metrics.AppendDerived(
            batches,
            new Dictionary<string, long>
            {
                [Counted] = _position,
                [Writings] = writing,
                [Written] = now,
            }
        );
        if (refused is not null)
            _records.Notice($"Some figures of spans could not be kept: {refused}");
        (_writings, _written) = (writing, now);
        _figures.Clear();
    }

    public void Dispose()
    {
        _records.SpansCommitted -= Take;
        _loop.Dispose();
    }
}
