using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Segments;
using Kumiko.Core.Storage.Templates;
using Kumiko.Core.Storage.Upkeep;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage;

/// <summary>Something that was not taken: where, why, and how it began.</summary>
/// <param name="Line">Its place in what was sent, from 1; 0 where there are no places.</param>
/// <param name="Column">Bytes from 1; 0 where it is not known.</param>
public sealed record Refused(long Line, int Column, string Reason, byte[] Head)
{
    /// <summary>When, UTC nanoseconds, and from where; set on what was kept.</summary>
    public long At { get; init; }
    public string Source { get; init; } = "";
}

/// <summary>Names a part of a batch, so that a sender may repeat it without harm.</summary>
/// <param name="Content">A hash of what was sent, by which a repetition is known from something else under the same name.</param>
public sealed record BatchKey(string Key, int Part, long Content);

/// <summary>A batch came under a name that another has.</summary>
public sealed class BatchKeyUsedException()
    : Exception("This key came before with other content. Nothing of this part was taken: send it under a key of its own.");

/// <param name="Retention">What goes when.</param>
/// <param name="Background">Whether sealing, merging and retention run by themselves; else when they are called.</param>
/// <param name="ReserveBytes">Kept free on the disk, so that retention can work when the disk is full.</param>
public sealed record RecordStoreOptions(Retention Retention, bool Background = true, long ReserveBytes = 0)
{
    /// <summary>For a full disk: nothing is taken in, and nothing is put in order.</summary>
    public bool IsReadOnly { get; init; }

    public static readonly RecordStoreOptions Default = new(Retention.None);
}

/// <summary>
/// The records: committed to <c>records.db</c> before they are acknowledged, held in memory as columns until they are
/// sealed into segments. A query sees both as one.
/// </summary>
public sealed class RecordStore : IDisposable
{
    /// <summary>
    /// With more waiting to be sealed, of all or of a source that fills segments by itself, senders wait: enough for
    /// both processors to have work while a seal is committed, and no more, so that memory stays flat.
    /// </summary>
    internal const long MostRecentBytes = 512L << 20;
    internal const long MostOfSource = 32L << 20;

    private const int BatchRows = 16_384;

    /// <summary>A batch of so many is no small one, and moving it costs more than it saves.</summary>
    private const int LargeRows = BatchRows / 4;
    private const int MostRefused = 10_000;

    private Database _database;
    private readonly TimeProvider _clock;
    private readonly SnapshotPins _pins = new();
    private readonly List<(Segment Segment, string Reason)> _damaged = [];
    private SegmentCache _cache;
    private readonly NoticeList _notices = new();
    private readonly StoreUpkeep _upkeep;
    private List<SegmentBatch> _segments = [];
    private readonly List<RecentBatch>[] _recentBatches =
    [
        [],
        [],
    ];
    private long _next;

    private sealed class RecentRow
    {
        public long FirstSequence { get; init; }
        public long Received { get; init; }
        public string Source { get; init; } = "";
        public long? Checksum { get; init; }
        public long? Import { get; init; }
        public long Signal { get; init; }
        public byte[] Content { get; init; } = [];
    }

    public RecordStore(string path, TimeProvider clock, RecordStoreOptions? options = null)
    {
        _clock = clock;
        var isReadOnly = options?.IsReadOnly == true;
        _database = isReadOnly ? new Database(path, "records", isReadOnly) : RecordRescue.Open(path, clock, _notices);
        if (isReadOnly)
            _notices.Add(
                "The disk is full, so Kumiko started read only: nothing is taken in, and nothing can be changed. Free some space and start it again."
            );
        _cache = new SegmentCache(_database, clock, SetAside);
        try
        {
            LoadOrRescue(path);
            _database.Writer.Faulted += e => Faulted?.Invoke(e);
            _upkeep = new StoreUpkeep(this, options ?? RecordStoreOptions.Default, path, clock);
        }
        catch
        {
            _cache.Dispose();
            _database.Dispose();
            throw;
        }
    }

    /// <summary>What went wrong and was lived with: damaged parts that were set aside, upkeep that could not be done.</summary>
    public IReadOnlyList<string> Notices => _notices.All;

    /// <summary>Sentences on records of a stretch that are damaged, so that answers over it lack them.</summary>
    public IReadOnlyList<string> DamageIn(Window window)
    {
        lock (_damaged)
            return
            [
                .. _damaged
                    .Where(d => window.Overlaps(d.Segment.MinTime, d.Segment.MaxTime))
                    .Select(d => DamageText(d.Segment, d.Reason)),
            ];
    }

    private void NoteDamage(Segment segment, string reason)
    {
        lock (_damaged)
            _damaged.Add((segment, reason));
        _notices.Add(DamageText(segment, reason));
    }

    /// <summary>All records committed so far, to be disposed after reading.</summary>
    public Snapshot Current => _pins.Take().With(Patterns);

    /// <summary>Told on the writer thread of the source and records of each batch that was committed.</summary>
    public event Action<string, RecordBlock>? Committed;

    /// <summary>The same of spans.</summary>
    public event Action<string, RecordBlock>? SpansCommitted;

    /// <summary>Told of the source of refused things and their number, kept or not.</summary>
    public event Action<string, long>? Kept;

    /// <summary>Told of what somebody threw who was told of a commit; what was committed stays so.</summary>
    public event Action<Exception>? Faulted;

    /// <summary>Number of records.</summary>
    public long Count => _pins.CountOf(Signal.Logs);

    /// <summary>Number of spans.</summary>
    public long Spans => _pins.CountOf(Signal.Spans);

    /// <summary>Sealing, merging, retention: they run by themselves, or when called.</summary>
    public StoreUpkeep Upkeep => _upkeep;

    internal RecentTier Recent { get; private set; } = new();
    internal TemplateMiner Templates { get; private set; } = new();

    /// <summary>What the field pattern holds.</summary>
    public PatternBook Patterns { get; private set; } = new(new TemplateMiner(), []);
    internal Dictionary<FieldKey, long> FieldsSeen { get; private set; } = [];
    internal Database Database => _database;

    /// <summary>Makes the disk as good as full: for tests.</summary>
    internal Task<int> LimitPages(long pages) =>
        _database.Writer.Alone(c =>
        {
            c.ExecuteScalar<long>($"PRAGMA max_page_count = {pages}");
            return 0;
        });

    /// <summary>When a field of this name was first seen, whatever was dropped since; null where it never was.</summary>
    public long? FirstSeen(string field)
    {
        lock (FieldsSeen)
            return FieldsSeen.Where(f => f.Key.Name == field).Select(f => (long?)f.Value).Min();
    }

    private void LoadOrRescue(string path)
    {
        try
        {
            Load();
        }
        catch (SqliteException e) when (RecordRescue.IsDamage(e))
        {
            // Damage that the first look did not meet.
            _cache.Dispose();
            _database.Dispose();
            _database = RecordRescue.Replace(path, _clock, _notices);
            _cache = new SegmentCache(_database, _clock, SetAside);
            (Recent, Templates) = (new RecentTier(), new TemplateMiner());
            foreach (var batches in _recentBatches)
                batches.Clear();
            Load();
        }
    }

    private void Load()
    {
        using var connection = _database.Read();
        Templates.Load(SegmentTable.Templates(connection));
        Patterns = new PatternBook(Templates, SegmentTable.PatternNames(connection));
        FieldsSeen = SegmentTable.Fields(connection);
        foreach (var segment in SegmentTable.Unsure(connection))
        {
            try
            {
                _database
                    .Writer.Write(c =>
                        SegmentTable.MarkDamaged(c, segment.Id, "Its row of the catalogue does not match its checksum.")
                    )
                    .GetAwaiter()
                    .GetResult();
            }
            catch (DiskFullException)
            { /* it is left out of the living ones all the same, and noted at the next start */
            }
        }
        foreach (var (segment, damage) in SegmentTable.Damaged(connection))
            NoteDamage(segment, damage);
        foreach (var stray in SegmentTable.Strays(connection))
            _notices.Add(
                $"A segment of records is damaged: the catalogue lost its row. Restore it from a backup if there is one. (Segment {stray})"
            );
        _segments = [.. SegmentTable.Live(connection).Select(s => new SegmentBatch(s, _cache))];
        var strings = new StringCache();
        var batches = 0L;
        _next = connection.ExecuteScalar<long>(
            "SELECT MAX((SELECT value FROM counter WHERE name = 'sequence'), (SELECT COALESCE(MAX(first_sequence + records), 0) FROM recent), (SELECT COALESCE(MAX(max_sequence + 1), 0) FROM segment))"
        );
        foreach (
            var row in connection.Query<RecentRow>(
                "SELECT first_sequence AS FirstSequence, received AS Received, source AS Source, checksum AS Checksum, import AS Import, signal AS Signal, content AS Content FROM recent ORDER BY first_sequence",
                buffered: false
            )
        )
        {
            try
            {
                if (row.Checksum is { } sum && sum != Checksum.Of(row.Content, row.FirstSequence))
                    throw new InvalidDataException("It does not match its checksum.");
                var block = BatchCodec.Decode(row.Content, row.FirstSequence, strings, (Signal)row.Signal);
                Recent.Add(new RecentEntry(row.FirstSequence, block, row.Source, row.Received, row.Import));
                AddBatches(block);
            }
            catch (InvalidDataException e)
            {
                _notices.Add($"Batch {row.FirstSequence} from {row.Source} is damaged and was set aside: {e.Message}");
            }
            batches++;
        }
        if (
            connection.ExecuteScalar<long?>("SELECT value FROM counter WHERE name = 'batches'") is { } expected
            && expected != batches
        )
            _notices.Add(
                $"{expected} batches of the newest records should be there, and {batches} are. Restore the others from a backup if there is one."
            );
        Publish();
    }

    private static string DamageText(Segment segment, string damage) =>
        FormattableString.Invariant(
            $"{segment.Rows} {(segment.Signal == Signal.Logs ? "records" : "spans")} from {Instants.ToDateTime(segment.MinTime):yyyy-MM-dd HH:mm:ss} to {Instants.ToDateTime(segment.MaxTime):yyyy-MM-dd HH:mm:ss} UTC are damaged and were set aside. Restore them from a backup if there is one. (Segment {segment.Id}: {damage})"
        );

    /// <summary>Commits records as one batch; they can be read when the task is done, and have their sequences.</summary>
    /// <inheritdoc cref="Append(RecordBlock, string, BatchKey?, BatchOrigin?, CancellationToken)"/>
    public async Task<bool> Append(
        IReadOnlyList<LogRecord> records,
        string source,
        BatchKey? key = null,
        CancellationToken cancel = default
    )
    {
        var block = RecordBlock.Of(records);
        var taken = await Append(block, source, key, null, cancel);
        for (var i = 0; taken && i < records.Count; i++)
            records[i].Sequence = block.SequenceOf[i];
        return taken;
    }

    /// <summary>Commits records as one batch; they can be read when the task is done.</summary>
    /// <param name="records">In the sender's order, which is the order of their sequence.</param>
    /// <param name="source">The place they come from.</param>
    /// <param name="key">Taken at most once, where given.</param>
    /// <param name="cancel">Ends the wait for room; what is being committed is committed.</param>
    /// <param name="origin">What else is written in the same commit.</param>
    /// <returns>True; false where a batch of this key was taken before, which is as good.</returns>
    /// <exception cref="IOException">The disk is full, or more waits to be sealed than can be held.</exception>
    /// <exception cref="BatchKeyUsedException">A batch of this key was taken before, and it was another.</exception>
    public async Task<bool> Append(
        RecordBlock records,
        string source,
        BatchKey? key = null,
        BatchOrigin? origin = null,
        CancellationToken cancel = default
    )
    {
        if (records.Count == 0)
            return true;
        var group = RecentEntry.GroupOf(source, origin?.Import, records.Signal);
        await Room(group, cancel);
        var content = BatchCodec.Encode(records);
        var now = Instants.FromDateTime(_clock.GetUtcNow());
        try
        {
            return await _database.Writer.Write(
                connection => Insert(connection, records, content, source, now, key, origin),
                taken =>
                {
                    if (!taken)
                        return;
                    Recent.Add(new RecentEntry(records.SequenceOf[0], records, source, now, origin?.Import));
                    AddBatches(records);
                    Publish();
                    // What is old is seen to every few seconds; what is full, at once.
                    if (Recent.IsFull(group) || Recent.Bytes > Sealer.MostUnsealedBytes)
                        _upkeep.Wake();
                    TellCommitted(source, records);
                },
                content.Length,
                cancel
            );
        }
        catch (DiskFullException)
        {
            _upkeep.Wake();
            throw;
        }
    }

    private void TellCommitted(string source, RecordBlock records)
    {
        // One that fails keeps it from none of the others.
        var tellers = records.Signal == Signal.Logs ? Committed : SpansCommitted;
        foreach (var told in tellers?.GetInvocationList().Cast<Action<string, RecordBlock>>() ?? [])
        {
            try
            {
                told(source, records);
            }
            catch (Exception e)
            {
                Faulted?.Invoke(e);
            }
        }
    }

    /// <summary>Waits until sealing has caught up.</summary>
    private async Task Room(string group, CancellationToken cancel)
    {
        while (IsBehind(group) && _upkeep.IsRunning)
        {
            var shrunk = Recent.Shrunk;
            // While sealing fails, memory is the limit; a source alone may go on.
            if (_upkeep.Problem is { } problem)
            {
                if (Recent.Bytes > MostRecentBytes)
                    throw problem;
                return;
            }
            _upkeep.Wake();
            if (IsBehind(group))
                await shrunk.WaitAsync(cancel);
        }
    }

    private bool IsBehind(string group) => Recent.Bytes > MostRecentBytes || Recent.BytesOf(group) > MostOfSource;

    private bool Insert(
        SqliteConnection connection,
        RecordBlock records,
        byte[] content,
        string source,
        long now,
        BatchKey? key,
        BatchOrigin? origin
    )
    {
        if (key is not null && !TakeKey(connection, source, key, now))
            return false;
        if (origin?.Place is { } place)
            FollowedTable.Save(connection, place);
        records.Number(_next);
        Insert(connection, new RecentEntry(_next, records, source, now, origin?.Import), content);
        _next += records.Count;
        return true;
    }

    private static void Insert(SqliteConnection connection, RecentEntry entry, byte[] content)
    {
        var (records, first) = (entry.Block, entry.First);
        connection.Execute(
            "INSERT INTO recent (first_sequence, records, min_time, max_time, received, source, content, checksum, import, signal) VALUES (@first, @Count, @min, @max, @Received, @Source, @content, @checksum, @Import, @signal)",
            new
            {
                first,
                records.Count,
                min = records.TimeOf.Min(),
                max = records.TimeOf.Max(),
                entry.Received,
                entry.Source,
                content,
                checksum = Checksum.Of(content, first),
                entry.Import,
                signal = (int)records.Signal,
            }
        );
        connection.Execute("UPDATE counter SET value = value + 1 WHERE name = 'batches'");
    }

    /// <summary>What was noted under names that begin so.</summary>
    internal Dictionary<string, long> Counters(string prefix)
    {
        using var connection = _database.Read();
        return connection
            .Query<(string Name, long Value)>(
                "SELECT name, value FROM counter WHERE substr(name, 1, length(@prefix)) = @prefix",
                new { prefix }
            )
            .ToDictionary(c => c.Name, c => c.Value, StringComparer.Ordinal);
    }

    /// <summary>Makes batches readable that lie elsewhere, before anything is taken in.</summary>
    internal void Offer(IEnumerable<RecentBatch> batches)
    {
        foreach (var batch in batches)
            _recentBatches[(int)batch.Signal].Add(batch);
        Publish();
    }

    /// <summary>Takes a batch over that was read from elsewhere, in the transaction that removes it there; its rows have their
    /// sequences from then on.</summary>
    internal async Task Take(RecordBlock block, string source, long received, RecentBatch before, Action<SqliteConnection> remove)
    {
        var content = BatchCodec.Encode(block);
        await _database.Writer.Write(
            connection =>
            {
                remove(connection);
                block.Number(_next);
                var entry = new RecentEntry(_next, block, source, received);
                Insert(connection, entry, content);
                _next += block.Count;
                connection.Execute("UPDATE counter SET value = MAX(value, @_next) WHERE name = 'sequence'", new { _next });
                return entry;
            },
            entry =>
            {
                before.Hold(block);
                Recent.Add(entry);
                Replace(before, RecentBatch.Of(block));
            },
            content.Length
        );
    }

    /// <summary>Leaves a batch out that cannot be read.</summary>
    internal Task Forget(RecentBatch batch) => _database.Writer.Write(_ => 0, _ => Replace(batch, null));

    private void Replace(RecentBatch before, RecentBatch? after)
    {
        var batches = _recentBatches[(int)before.Signal];
        batches.Remove(before);
        if (after is not null)
            batches.Insert(0, after);
        Publish();
    }

    /// <summary>Notes a key; false where it came before with the same content.</summary>
    private static bool TakeKey(SqliteConnection connection, string source, BatchKey key, long now)
    {
        var isNew =
            connection.Execute(
                "INSERT OR IGNORE INTO batch_key (source, key, part, at, content) VALUES (@source, @Key, @Part, @now, @Content)",
                new
                {
                    source,
                    key.Key,
                    key.Part,
                    now,
                    key.Content,
                }
            ) > 0;
        if (isNew)
            return true;
        var before = connection.ExecuteScalar<long?>(
            "SELECT content FROM batch_key WHERE source = @source AND key = @Key AND part = @Part",
            new
            {
                source,
                key.Key,
                key.Part,
            }
        );
        return before is null || before == key.Content ? false : throw new BatchKeyUsedException();
    }

    /// <summary>Adds committed records to what can be read after the next <see cref="Publish"/>.</summary>
    private void AddBatches(RecordBlock records)
    {
        var batches = _recentBatches[(int)records.Signal];
        batches.AddRange(RecentBatch.Of(records, BatchRows));
        // Small neighbours are merged so that a trickle does not make thousands of batches; each record moves a few times only.
        while (
            batches.Count > 1
            && batches[^1].Count < LargeRows
            && batches[^2].Count <= batches[^1].Count * 2
            && batches[^2].Count + batches[^1].Count <= BatchRows
            && !batches[^2].IsLater
        )
        {
            var merged = RecentBatch.Merge(batches[^2], batches[^1]);
            batches.RemoveRange(batches.Count - 2, 2);
            batches.Add(merged);
        }
    }

    /// <summary>Makes the lists readable and answers with their version: runs on the writer thread, or while loading.</summary>
    private long Publish() => _pins.Replace([.. _segments, .. _recentBatches.SelectMany(b => b)]);

    /// <summary>Segments that come and go, and batches that were sealed into them, in one transaction.</summary>
    internal async Task Commit(SegmentChange change)
    {
        List<TemplateRow> templates;
        lock (Templates)
            templates = Templates.Unsaved();
        var names = Patterns.Unsaved();
        var fields = NewFields(change.Added);
        var added = await _database.Writer.Write(
            connection =>
            {
                var inserted = change.Added.Select(e => SegmentTable.Insert(connection, e)).ToList();
                SegmentTable.MarkGone(connection, change.Gone.Select(s => s.Id));
                connection.Execute(
                    "DELETE FROM recent WHERE first_sequence = @First",
                    change.Sealed.Select(e => new { e.First })
                );
                SegmentTable.SaveTemplates(connection, templates);
                SegmentTable.SavePatternNames(connection, names);
                SegmentTable.SaveFields(connection, fields);
                connection.Execute(
                    "UPDATE counter SET value = value - @Count WHERE name = 'batches'",
                    new { change.Sealed.Count }
                );
                connection.Execute("UPDATE counter SET value = MAX(value, @_next) WHERE name = 'sequence'", new { _next });
                return inserted;
            },
            inserted => Apply(change, inserted),
            change.Added.Sum(e => (int)e.Catalogue.Bytes)
        );
        lock (Templates)
            Templates.MarkSaved(templates);
        Patterns.MarkSaved(names);
        lock (FieldsSeen)
            foreach (var (field, time) in fields)
                FieldsSeen[field] = time;
    }

    /// <summary>How far each followed file was read.</summary>
    public IReadOnlyList<FollowedPlace> FollowedPlaces()
    {
        using var connection = _database.Read();
        return FollowedTable.All(connection);
    }

    /// <summary>Writes down how far a file was read of which there is nothing to take in.</summary>
    /// <returns>The id of the place.</returns>
    public Task<long> Save(FollowedPlace place) => _database.Writer.Write(c => FollowedTable.Save(c, place));

    /// <summary>Forgets the places of files that are not to be followed any more.</summary>
    public Task ForgetFollowed(long follow) => _database.Writer.Write(c => FollowedTable.Forget(c, follow));

    /// <summary>How many records of an import there are.</summary>
    public long CountOf(long import)
    {
        using var snapshot = Current;
        return snapshot.Segments.Where(s => s.Segment.Import == import).Sum(s => (long)s.Segment.Rows)
            + Recent.Entries.Where(e => e.Import == import).Sum(e => (long)e.Block.Count);
    }

    /// <summary>The times that an import's records are of; null where there are none.</summary>
    public Window? StretchOf(long import)
    {
        using var snapshot = Current;
        List<(long From, long To)> parts =
        [
            .. snapshot.Segments.Where(s => s.Segment.Import == import).Select(s => (s.MinTime, s.MaxTime)),
            .. Recent.Entries.Where(e => e.Import == import).Select(e => (e.Block.TimeOf.Min(), e.Block.TimeOf.Max())),
        ];
        return parts.Count == 0 ? null : new Window(parts.Min(p => p.From), parts.Max(p => p.To) + 1);
    }

    /// <summary>Removes all records of an import in one transaction. Nothing may be sealed meanwhile.</summary>
    internal async Task<long> TakeOut(long import)
    {
        var removed = 0L;
        await _database.Writer.Write(
            connection =>
            {
                var segments = _segments.Where(s => s.Segment.Import == import).Select(s => s.Segment).ToList();
                var waiting = Recent.Entries.Where(e => e.Import == import).ToList();
                SegmentTable.MarkGone(connection, segments.Select(s => s.Id));
                var batches = connection.Execute("DELETE FROM recent WHERE import = @import", new { import });
                connection.Execute("UPDATE counter SET value = value - @batches WHERE name = 'batches'", new { batches });
                connection.Execute("UPDATE counter SET value = MAX(value, @_next) WHERE name = 'sequence'", new { _next });
                removed = segments.Sum(s => (long)s.Rows) + waiting.Sum(e => (long)e.Block.Count);
                return new SegmentChange([], segments, waiting);
            },
            change => Apply(change, [])
        );
        return removed;
    }

    private void Apply(SegmentChange change, List<Segment> inserted)
    {
        var gone = change.Gone.Select(s => s.Id).ToHashSet();
        if (gone.Count > 0)
            _segments = [.. _segments.Where(s => !gone.Contains(s.Segment.Id))];
        _segments.AddRange(inserted.Select(s => new SegmentBatch(s, _cache)));
        if (change.Sealed.Count > 0)
        {
            var done = change.Sealed.ToHashSet();
            var ranges = done.OrderBy(e => e.First).Select(e => (e.First, End: e.First + e.Block.Count)).ToArray();
            var batches = _recentBatches[(int)change.Sealed[0].Block.Signal];
            List<RecentBatch> left =
            [
                .. batches
                    .Select(b =>
                        b.MaxSequence < ranges[0].First || b.MinSequence >= ranges[^1].End ? b : b.Without(s => IsIn(ranges, s))
                    )
                    .OfType<RecentBatch>(),
            ];
            batches.Clear();
            batches.AddRange(left);
            Recent.Remove(done);
        }
        var version = Publish();
        foreach (var id in gone)
            _upkeep.Leave(id, version);
    }

    /// <summary>The name of a span with what differs from one to the next folded, as the templates have it that keep it.</summary>
    /// <param name="name">UTF-8.</param>
    internal string FoldedName(string service, ReadOnlySpan<byte> name, long time)
    {
        lock (Templates)
        {
            var template = Templates.Find(TemplateMiner.Spans + service, name, time, []);
            return template.Id == 0
                ? System.Text.Encoding.UTF8.GetString(name)
                : template.ToString().Replace("{}", "{id}", StringComparison.Ordinal);
        }
    }

    private static bool IsIn((long First, long End)[] ranges, long sequence)
    {
        var (low, high) = (0, ranges.Length);
        while (low < high)
        {
            var middle = (low + high) >>> 1;
            if (ranges[middle].End <= sequence)
                low = middle + 1;
            else
                high = middle;
        }
        return low < ranges.Length && ranges[low].First <= sequence;
    }

    private List<KeyValuePair<FieldKey, long>> NewFields(IReadOnlyList<EncodedSegment> added)
    {
        const int MostFields = 100_000;
        var changed = new Dictionary<FieldKey, long>();
        lock (FieldsSeen)
            foreach (var (field, time) in added.SelectMany(e => e.FirstSeen).Where(f => !SpanFields.IsOwn(f.Key.Name)))
                if (FieldsSeen.TryGetValue(field, out var before) ? time < before : FieldsSeen.Count + changed.Count < MostFields)
                    changed[field] = Math.Min(time, changed.GetValueOrDefault(field, time));
        return [.. changed];
    }

    /// <summary>Takes a damaged segment out of the list and says so; nothing of it is deleted.</summary>
    private void SetAside(DamagedSegmentException damage) =>
        _database
            .Writer.Write(
                connection => SegmentTable.MarkDamaged(connection, damage.Segment.Id, damage.Reason) > 0,
                marked =>
                {
                    // A segment that is gone already was not damaged but removed under a reader that did not hold it.
                    if (!marked)
                        return;
                    NoteDamage(damage.Segment, damage.Reason);
                    _segments = [.. _segments.Where(s => s.Segment.Id != damage.Segment.Id)];
                    Publish();
                }
            )
            .ContinueWith(
                t =>
                    _notices.Add(
                        $"Segment {damage.Segment.Id} is damaged and could not be set aside: {t.Exception?.InnerException?.Message}"
                    ),
                TaskContinuationOptions.OnlyOnFaulted
            );

    /// <summary>Removes the blobs of segments that left the list, where nobody reads them any more.</summary>
    internal async Task<int> Remove(IReadOnlyList<(long Id, long Version)> gone)
    {
        var removed = 0;
        foreach (var (id, _) in gone.Where(g => !_pins.IsReadBefore(g.Version)))
        {
            await _database.Writer.Write(connection => SegmentTable.Remove(connection, id));
            _cache.Forget(id);
            _upkeep.Removed(id);
            removed++;
        }
        return removed;
    }

    internal void Notice(string sentence) => _notices.Add(sentence);

    /// <summary>Takes back a notice of what is well again.</summary>
    internal void Forget(string sentence) => _notices.Remove(sentence);

    /// <summary>
    /// Keeps what was refused, the newest ten thousand. On a full disk it is only counted: what is good of the same request
    /// was acknowledged, and that a reason could not be kept takes nothing back.
    /// </summary>
    /// <param name="total">How many were refused, where not all of them are given.</param>
    public async Task Keep(IReadOnlyList<Refused> refused, string source, long? total = null)
    {
        Kept?.Invoke(source, total ?? refused.Count);
        if (refused.Count == 0)
            return;
        try
        {
            await _database.Writer.Write(connection => Insert(connection, refused, source));
        }
        catch (DiskFullException)
        {
            _upkeep.Wake();
        }
    }

    private int Insert(SqliteConnection connection, IReadOnlyList<Refused> refused, string source)
    {
        var at = Instants.FromDateTime(_clock.GetUtcNow());
        connection.Execute(
            "INSERT INTO refused (at, source, line, col, reason, head) VALUES (@at, @source, @Line, @Column, @Reason, @Head)",
            refused.Select(r => new
            {
                at,
                source,
                r.Line,
                r.Column,
                r.Reason,
                r.Head,
            })
        );
        return connection.Execute(
            "DELETE FROM refused WHERE id <= (SELECT MAX(id) FROM refused) - @MostRefused",
            new { MostRefused }
        );
    }

    /// <summary>What was refused and is kept, the latest first.</summary>
    /// <param name="source">Of one source; null for all.</param>
    public IReadOnlyList<Refused> Refusals(int most, string? source = null)
    {
        using var connection = _database.Read();
        return
        [
            .. connection
                .Query<RefusedRow>(
                    "SELECT at AS At, source AS Source, line AS Line, col AS Col, reason AS Reason, head AS Head FROM refused WHERE @source IS NULL OR source = @source ORDER BY id DESC LIMIT @most",
                    new { most, source }
                )
                .Select(r => new Refused(r.Line, (int)r.Col, r.Reason, r.Head) { At = r.At, Source = r.Source }),
        ];
    }

    private sealed class RefusedRow
    {
        public long At { get; init; }
        public string Source { get; init; } = "";
        public long Line { get; init; }
        public long Col { get; init; }
        public string Reason { get; init; } = "";
        public byte[] Head { get; init; } = [];
    }

    public void Dispose()
    {
        _upkeep.Dispose();
        _cache.Dispose();
        _database.Dispose();
    }
}

/// <summary>What one transaction does to the list of segments.</summary>
internal sealed record SegmentChange(
    IReadOnlyList<EncodedSegment> Added,
    IReadOnlyList<Segment> Gone,
    IReadOnlyList<RecentEntry> Sealed
);
