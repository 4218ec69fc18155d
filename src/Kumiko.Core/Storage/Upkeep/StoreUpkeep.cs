using Dapper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Spans;

namespace Kumiko.Core.Storage.Upkeep;

/// <summary>
/// What keeps the store in shape, on a thread of its own or when called: one thing at a time, each a transaction of
/// its own, so that a killed process goes on where it was.
/// </summary>
public sealed class StoreUpkeep : IDisposable
{
    private static readonly long RetainEvery = Instants.Minute;
    private static readonly long KeysKept = 7 * Instants.Day;

    /// <summary>Free pages stay in the file for the next batches, up to a share of all; what is beyond goes back to the
    /// disk.</summary>
    private const int FreeShare = 32;
    private const int FewestFree = 64;
    private const int MostFree = 1_024;
    private const int VacuumPages = 512;

    /// <summary>Batches of before are moved while less than this waits to be sealed.</summary>
    private const long MostMoved = 4 * SegmentWriter.SealedBytes;

    private readonly RecordStore _store;
    private readonly Retention _retention;
    private readonly UpkeepLoop _loop;
    private readonly SegmentWriter[] _writers;
    private readonly DiskReserve _reserve;
    private readonly Lock _goneLock = new();
    private readonly List<(long Id, long Version)> _gone = [];
    private long? _retained;

    internal StoreUpkeep(RecordStore store, RecordStoreOptions options, string path, TimeProvider clock)
    {
        (_store, _retention) = (store, options.Retention);
        _loop = new UpkeepLoop(
            "Older records could not be put in order, and it is tried again: ",
            store.Notice,
            store.Forget,
            RunOnce,
            clock
        );
        _writers = [new SegmentWriter(store.Templates), new SegmentWriter(store.Templates)];
        _reserve = new DiskReserve(Path.Combine(Path.GetDirectoryName(Path.GetFullPath(path))!, "reserve"), options.ReserveBytes);
        _reserve.Take();
        Former = FormerSpans.Load(store, options.IsReadOnly);
        using (var connection = store.Database.Read())
            _gone.AddRange(SegmentTable.Gone(connection).Select(id => (id, 0L)));
        if (options.Background)
            _loop.Start("upkeep");
    }

    /// <summary>Why the last sealing failed; null while all is well.</summary>
    internal IOException? Problem => _loop.Problem;

    /// <summary>Spans that are still to be moved into segments.</summary>
    internal FormerSpans Former { get; }

    internal bool IsRunning => _loop.IsRunning;

    private long Now => _loop.Now;

    internal void Wake() => _loop.Wake();

    /// <summary>A segment left the list; its blobs go when no older snapshot is read.</summary>
    internal void Leave(long id, long version)
    {
        lock (_goneLock)
            _gone.Add((id, version));
    }

    internal void Removed(long id)
    {
        lock (_goneLock)
            _gone.RemoveAll(g => g.Id == id);
    }

    private async Task RunOnce()
    {
        while (!_loop.Stopping.IsCancellationRequested)
        {
            var (grown, moved) = (false, false);
            if (_loop.MayTry)
            {
                moved = await MoveFormer();
                while (await SealNext(all: false))
                    grown = true;
            }
            if (grown || _retained is not { } last || Now - last >= RetainEvery || Now < last)
            {
                _retained = Now;
                await Retain();
            }
            await Sweep();
            // One merge at a time: sealing has first call.
            if (!_loop.MayTry || (!moved && !await Merge()))
                return;
        }
    }

    /// <summary>Moves batches of before, as many as make some segments.</summary>
    /// <returns>Whether some were moved.</returns>
    public async Task<bool> MoveFormer()
    {
        using var turn = await _loop.Turn();
        var moved = false;
        while (_store.Recent.Bytes < MostMoved && await Former.MoveNext())
            moved = true;
        return moved;
    }

    /// <summary>Seals everything that waits, whether or not it is full or old.</summary>
    public async Task SealAll()
    {
        while (await SealNext(all: true)) { }
    }

    /// <summary>Seals what is full or old; false when nothing is.</summary>
    public Task<bool> Seal() => SealNext(all: false);

    private async Task<bool> SealNext(bool all)
    {
        using var turn = await _loop.Turn();
        if (Sealer.Choose(_store.Recent, _retention, Now, all) is not { } chosen)
            return false;
        var segments = Encode(
            [.. chosen.Entries.Select(e => e.Block)],
            SegmentWriter.SealedRows,
            SegmentWriter.SealedBytes,
            chosen.Source,
            merges: 0,
            chosen.Import,
            // Records say themselves when they were observed; spans do not.
            chosen.Entries[0].Block.Signal == Signal.Spans
                ? chosen.Entries.Max(e => e.Received)
                : null
        );
        await WithRoom(() => _store.Commit(new SegmentChange(segments, [], chosen.Entries)));
        _loop.Healed();
        return true;
    }

    /// <summary>Encodes segments on two workers.</summary>
    private EncodedSegment[] Encode(
        RecordBlock[] blocks,
        int mostRows,
        long mostBytes,
        string? source,
        int merges,
        long? import,
        long? received
    )
    {
        var parts = Sealer.Cut(blocks, mostRows, mostBytes).ToArray();
        var encoded = new EncodedSegment[parts.Length];
        var next = -1;
        Parallel.For(0, Math.Min(_writers.Length, parts.Length), worker =>
        {
            for (var i = Interlocked.Increment(ref next); i < parts.Length; i = Interlocked.Increment(ref next))
                encoded[i] = _writers[worker].Write(BlockGather.Of(blocks, parts[i]), source, merges, import, received);
        });
        return encoded;
    }

    /// <summary>Merges some small segments into a larger one; false when there are none to merge.</summary>
    public async Task<bool> Merge()
    {
        using var turn = await _loop.Turn();
        try
        {
            using var snapshot = _store.Current;
            if (Merger.Choose(snapshot.AllSegments, Now) is not { } chosen)
                return false;
            var builder = BuilderPool.Rent();
            var blocks = chosen.Select(batch => batch.Scan(null, scan => SegmentUnpacking.Read(scan, builder))).ToArray();
            BuilderPool.Return(builder);
            var merges = chosen.Max(c => c.Segment.Merges) + 1;
            var of = chosen[0].Segment;
            var merged = Encode(
                blocks,
                SegmentWriter.MergedRows,
                SegmentWriter.MergedBytes,
                of.Source,
                merges,
                of.Import,
                of.Signal == Signal.Spans ? chosen.Max(c => c.Segment.MaxObserved) : null
            );
            await WithRoom(() => _store.Commit(new SegmentChange(merged, [.. chosen.Select(c => c.Segment)], [])));
            return true;
        }
        catch (DamagedSegmentException)
        {
            return false;
        }
    }

    /// <summary>Takes the records of an import out, all of them or none.</summary>
    /// <returns>How many records there were.</returns>
    public async Task<long> TakeOut(long import)
    {
        using var turn = await _loop.Turn();
        var removed = 0L;
        await WithRoom(async () => removed = await _store.TakeOut(import));
        return removed;
    }

    /// <summary>Drops segments that are too old or too much, and forgets the keys of old batches.</summary>
    /// <returns>How many were dropped.</returns>
    public async Task<int> Retain()
    {
        using var turn = await _loop.Turn();
        var dropped = 0;
        await WithRoom(async () => dropped = await Drop());
        await _store.Database.Writer.Write(c =>
            c.Execute("DELETE FROM batch_key WHERE at < @before", new { before = Now - KeysKept })
        );
        return dropped;
    }

    private async Task<int> Drop()
    {
        using var snapshot = _store.Current;
        var oldestFirst = snapshot.AllSegments.Select(s => s.Segment).OrderBy(s => s.Age).ToList();
        var now = Now;
        var old = oldestFirst.Where(s => _retention.AgeOf(s.Source) is { } age && s.Age < now - age).ToHashSet();
        // Metrics count too, and go by their age; they leave records and spans at least half of the room.
        var metrics = _retention.Bytes is { } room ? Math.Min(MetricBytes(), room / 2) : 0;
        var left = oldestFirst.Where(s => !old.Contains(s)).Sum(s => s.Bytes) + metrics;
        foreach (var segment in oldestFirst.Where(s => !old.Contains(s)))
        {
            if (_retention.Bytes is not { } most || left <= most)
                break;
            old.Add(segment);
            left -= segment.Bytes;
        }
        if (old.Count == 0)
            return 0;
        await _store.Commit(new SegmentChange([], [.. old], []));
        return old.Count;
    }

    private long MetricBytes()
    {
        using var connection = _store.Database.Read();
        return connection.ExecuteScalar<long>("SELECT COALESCE(SUM(bytes), 0) FROM metric_segment WHERE gone = 0");
    }

    /// <summary>Removes the blobs of segments that nobody reads any more, and gives free pages back to the disk.</summary>
    public async Task<int> Sweep()
    {
        using var turn = await _loop.Turn();
        var removed = await RemoveGone();
        await GiveBack();
        _reserve.Take();
        return removed;
    }

    private Task<int> RemoveGone()
    {
        List<(long, long)> gone;
        lock (_goneLock)
            gone = [.. _gone];
        return gone.Count == 0 ? Task.FromResult(0) : _store.Remove(gone);
    }

    private async Task GiveBack()
    {
        // In slices, so that intake is not held up.
        while (
            await _store.Database.Writer.Write(c =>
            {
                var free = c.ExecuteScalar<long>("PRAGMA freelist_count");
                var kept = Math.Clamp(c.ExecuteScalar<long>("PRAGMA page_count") / FreeShare, FewestFree, MostFree);
                if (free > kept)
                    foreach (var _ in c.Query<long>($"PRAGMA incremental_vacuum({Math.Min(VacuumPages, free - kept)})")) { }
                return free > kept + VacuumPages;
            })
        ) { }
    }

    /// <summary>Does it again after making room where the disk is full.</summary>
    private async Task WithRoom(Func<Task> work)
    {
        try
        {
            await work();
        }
        catch (DiskFullException)
        {
            await MakeRoom();
            await work();
        }
    }

    /// <summary>Gives up the reserve, shortens the log, and drops what retention may drop. Each step may itself find no
    /// room.</summary>
    private async Task MakeRoom()
    {
        _reserve.GiveUp();
        foreach (
            var step in new Func<Task>[] { _store.Database.Checkpoint, Drop, RemoveGone, GiveBack, _store.Database.Checkpoint }
        )
        {
            try
            {
                await step();
            }
            catch (DiskFullException)
            { /* the next step may make the room */
            }
        }
    }

    public void Dispose()
    {
        _loop.Dispose();
        foreach (var writer in _writers)
            writer.Dispose();
    }
}
