using System.Collections.Concurrent;
using System.Diagnostics;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage;

/// <summary>The disk has no room; nothing of the write was kept, and reading goes on.</summary>
public sealed class DiskFullException : IOException
{
    private const int Full = 13;
    private const int ReadOnly = 8;
    private const int InputOutput = 10;

    /// <summary>Making, growing and mapping the file beside a database that its readers share, and writing.</summary>
    private static readonly int[] NoRoom =
    [
        InputOutput | (3 << 8),
        InputOutput | (18 << 8),
        InputOutput | (19 << 8),
        InputOutput | (21 << 8),
    ];

    public DiskFullException(Exception cause)
        : base("The disk is full. Free some space; nothing of this was kept.", cause) { }

    public DiskFullException(string message)
        : base(message) { }

    /// <summary>Whether SQLite says that there is no room, or that the file was opened read only as there was none.</summary>
    public static bool IsFull(SqliteException e) =>
        e.SqliteErrorCode is Full or ReadOnly || (e.SqliteErrorCode == InputOutput && NoRoom.Contains(e.SqliteExtendedErrorCode));
}

/// <summary>
/// The one writer of a database: a thread with a queue. Waiting writes share a commit (at most 5 ms of waiting or 1 MB),
/// each in a savepoint of its own, and are answered only after it.
/// </summary>
public sealed class WriterThread : IDisposable
{
    private static readonly TimeSpan Gathering = TimeSpan.FromMilliseconds(5);
    private const int GatheredBytes = 1 << 20;
    private const long LongestLog = 96L << 20;

    private const int MostWaiting = 4_096;

    private readonly BlockingCollection<Work> _queue = [];
    private readonly SemaphoreSlim _room = new(MostWaiting);
    private readonly SqliteConnection _connection;
    private readonly Thread _thread;
    private readonly string _log;

    private abstract class Work
    {
        public int Bytes { get; init; }
        public bool IsAlone { get; init; }
        public abstract void Do(SqliteConnection connection);

        /// <summary>Answers whoever waits. What was committed stays so, whatever those who are told of it do.</summary>
        public abstract void Committed(Action<Exception> faulted);
        public abstract void Failed(Exception cause);
    }

    private sealed class Work<T>(Func<SqliteConnection, T> write, Action<T>? committed) : Work
    {
        private readonly TaskCompletionSource<T> _done = new(TaskCreationOptions.RunContinuationsAsynchronously);
        private T _result = default!;

        public Task<T> Task => _done.Task;

        public override void Do(SqliteConnection connection) => _result = write(connection);

        public override void Committed(Action<Exception> faulted)
        {
            try
            {
                committed?.Invoke(_result);
            }
            catch (Exception e)
            {
                faulted(e);
            }
            _done.SetResult(_result);
        }

        public override void Failed(Exception cause) =>
            _done.TrySetException(
                cause is SqliteException e && DiskFullException.IsFull(e) ? new DiskFullException(cause) : cause
            );
    }

    internal WriterThread(SqliteConnection connection, string path)
    {
        (_connection, _log) = (connection, path + "-wal");
        _thread = new Thread(Run) { IsBackground = true, Name = "writer of " + Path.GetFileName(path) };
        _thread.Start();
    }

    /// <summary>Told, on the writer thread, of what somebody threw who was told of a commit.</summary>
    public event Action<Exception>? Faulted;

    /// <summary>Runs a write in the next shared transaction. While too much waits, the caller does, and holds no
    /// thread.</summary>
    /// <param name="write">Runs on the writer thread, inside a transaction; an exception undoes this write alone.</param>
    /// <param name="committed">Runs on the writer thread after the commit and before the answer, in the order of commits.</param>
    /// <param name="bytes">How much it weighs in gathering.</param>
    /// <param name="cancel">Ends the wait for a place in the queue; what is queued is written.</param>
    public Task<T> Write<T>(
        Func<SqliteConnection, T> write,
        Action<T>? committed = null,
        int bytes = 0,
        CancellationToken cancel = default
    ) => Queue(new Work<T>(write, committed) { Bytes = bytes }, cancel);

    /// <summary>Runs something that cannot stand inside a transaction.</summary>
    public Task<T> Alone<T>(Func<SqliteConnection, T> work) =>
        Queue(new Work<T>(work, null) { IsAlone = true }, CancellationToken.None);

    private Task<T> Queue<T>(Work<T> work, CancellationToken cancel)
    {
        // Nearly always there is room, and then nothing is waited for.
        if (!_room.Wait(0, CancellationToken.None))
            return QueueLater(work, cancel);
        Add(work);
        return work.Task;
    }

    private async Task<T> QueueLater<T>(Work<T> work, CancellationToken cancel)
    {
        await _room.WaitAsync(cancel);
        Add(work);
        return await work.Task;
    }

    private void Add(Work work)
    {
        try
        {
            _queue.Add(work, CancellationToken.None);
        }
        catch (InvalidOperationException)
        {
            throw new ObjectDisposedException(nameof(WriterThread));
        }
    }

    private void Run()
    {
        foreach (var first in _queue.GetConsumingEnumerable())
        {
            _room.Release();
            if (first.IsAlone)
            {
                DoAlone(first);
                continue;
            }
            Work? alone = null;
            var batch = new List<Work> { first };
            var bytes = first.Bytes;
            var started = Stopwatch.GetTimestamp();
            // Whoever waits already shares the commit; nobody waits for those who may still come.
            while (bytes < GatheredBytes && Stopwatch.GetElapsedTime(started) < Gathering && _queue.TryTake(out var next))
            {
                _room.Release();
                if (next.IsAlone)
                {
                    alone = next;
                    break;
                }
                batch.Add(next);
                bytes += next.Bytes;
            }
            Commit(batch);
            if (alone is not null)
                DoAlone(alone);
            KeepLogShort();
        }
        _connection.Dispose();
    }

    private void DoAlone(Work work)
    {
        try
        {
            work.Do(_connection);
        }
        catch (Exception e)
        {
            work.Failed(e);
            return;
        }
        work.Committed(Tell);
    }

    private void Tell(Exception e)
    {
        try
        {
            Faulted?.Invoke(e);
        }
        catch (Exception)
        { /* whoever writes the log down may be what fails */
        }
    }

    /// <summary>
    /// SQLite's own checkpoints pass over what a reader still needs, so under steady reading the log would grow without
    /// end. This one waits for the readers, none of which takes long.
    /// </summary>
    private void KeepLogShort()
    {
        if (!File.Exists(_log) || new FileInfo(_log).Length < LongestLog)
            return;
        try
        {
            Execute("PRAGMA wal_checkpoint(RESTART)");
        }
        catch (SqliteException)
        { /* the next commit tries again */
        }
    }

    private void Commit(List<Work> batch)
    {
        for (var first = 0; first < batch.Count; )
            first = CommitFrom(batch, first);
    }

    /// <summary>Does what there is from a place on in one transaction.</summary>
    /// <returns>Where to go on: a full disk undoes the whole transaction by itself, and what stands behind the work that met it
    /// gets one of its own.</returns>
    private int CommitFrom(List<Work> batch, int first)
    {
        var done = new List<Work>(batch.Count - first);
        var at = first;
        try
        {
            Execute("BEGIN IMMEDIATE");
            for (; at < batch.Count; at++)
            {
                Execute("SAVEPOINT one");
                try
                {
                    batch[at].Do(_connection);
                    Execute("RELEASE one");
                    done.Add(batch[at]);
                }
                catch (Exception e)
                {
                    batch[at].Failed(e);
                    if (IsUndone)
                    {
                        done.ForEach(work => work.Failed(e));
                        return at + 1;
                    }
                    Execute("ROLLBACK TO one");
                    Execute("RELEASE one");
                }
            }
            Execute("COMMIT");
        }
        catch (Exception e)
        {
            try
            {
                if (!IsUndone)
                    Execute("ROLLBACK");
            }
            catch (SqliteException)
            { /* the disk is gone; who waits is told why all the same */
            }
            for (var i = first; i < batch.Count; i++)
                batch[i].Failed(e);
            return batch.Count;
        }
        done.ForEach(work => work.Committed(Tell));
        return batch.Count;
    }

    private bool IsUndone => SQLitePCL.raw.sqlite3_get_autocommit(_connection.Handle) != 0;

    private void Execute(string sql)
    {
        using var command = _connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    /// <summary>Finishes what is queued, then stops.</summary>
    public void Dispose()
    {
        if (_queue.IsAddingCompleted)
            return;
        _queue.CompleteAdding();
        _thread.Join();
        _queue.Dispose();
    }
}
