using System.Collections.Concurrent;
using Kumiko.Core.Storage.Columns;
using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Kumiko.Core.Storage.Segments;

/// <summary>
/// Reads columns as spans on the raw handle, checks and unpacks them into pooled buffers. Each reader has a
/// connection of its own; none holds a transaction longer than one column.
/// </summary>
internal sealed class ColumnReader(Database database) : IDisposable
{
    private readonly ConcurrentBag<Reader> _free = [];
    private volatile bool _closed;

    private sealed class Reader(SqliteConnection connection) : IDisposable
    {
        private readonly sqlite3_stmt _statement = Prepare(connection);

        private static sqlite3_stmt Prepare(SqliteConnection connection)
        {
            Check(
                raw.sqlite3_prepare_v2(
                    connection.Handle,
                    "SELECT codec, raw_length, checksum, content FROM segment_column WHERE key = ?",
                    out var statement
                ),
                connection
            );
            return statement;
        }

        public ColumnBytes? Read(long key, int mostBytes)
        {
            try
            {
                raw.sqlite3_bind_int64(_statement, 1, key);
                var step = raw.sqlite3_step(_statement);
                if (step == raw.SQLITE_DONE)
                    return null;
                if (step != raw.SQLITE_ROW)
                    Check(step, connection);
                var content = raw.sqlite3_column_blob(_statement, 3);
                if (Checksum.Of(content, key) != raw.sqlite3_column_int64(_statement, 2))
                    throw new InvalidDataException("A column does not match its checksum.");
                var length = raw.sqlite3_column_int64(_statement, 1);
                if (length < 0 || length > mostBytes)
                    throw new InvalidDataException("A column's length cannot be right.");
                var buffer = Buffers<byte>.Take((int)length);
                Codecs.Unpack(content, (Codec)raw.sqlite3_column_int64(_statement, 0), buffer.AsSpan(0, (int)length));
                return new ColumnBytes(buffer, 0, (int)length);
            }
            finally
            {
                // A statement that is not reset holds the write-ahead log back.
                raw.sqlite3_reset(_statement);
            }
        }

        private static void Check(int code, SqliteConnection connection)
        {
            if (code is not (raw.SQLITE_OK or raw.SQLITE_ROW))
                throw new InvalidDataException("SQLite says: " + raw.sqlite3_errmsg(connection.Handle).utf8_to_string());
        }

        public void Dispose()
        {
            _statement.Dispose();
            connection.Dispose();
        }
    }

    /// <summary>The bytes of a column; null where the segment has none.</summary>
    /// <exception cref="InvalidDataException">They are damaged.</exception>
    public ColumnBytes? Read(long key)
    {
        ObjectDisposedException.ThrowIf(_closed, this);
        if (!_free.TryTake(out var reader))
            reader = new Reader(database.Read());
        try
        {
            return reader.Read(key, int.MaxValue - 64);
        }
        finally
        {
            if (_closed)
                reader.Dispose();
            else
                _free.Add(reader);
        }
    }

    public void Dispose()
    {
        _closed = true;
        while (_free.TryTake(out var reader))
            reader.Dispose();
    }
}

/// <summary>The columns of one segment: small ones out of its bundle, the others each by itself.</summary>
/// <param name="small">Its bundle, where that was read before.</param>
/// <param name="kept">Keeps narrow columns for the next question; null where what is read is not worth keeping.</param>
internal sealed class SegmentColumns(Segment segment, ColumnReader reader, SmallColumns? small = null, ColumnCache? kept = null)
    : IColumnSource
{
    private readonly Lock _lock = new();
    private SmallColumns? _small = small;

    public ColumnBytes Read(SegmentColumn column)
    {
        var key = Segment.KeyOf(segment.Id, column);
        if ((Small.Find(column) ?? kept?.Find(key)) is { } known)
            return known;
        var bytes = reader.Read(key) ?? ColumnBytes.None;
        kept?.Offer(key, bytes.Span, segment.Rows);
        return bytes;
    }

    public SmallColumns Small
    {
        get
        {
            if (_small is { } known)
                return known;
            lock (_lock)
            {
                if (_small is not null)
                    return _small;
                using var bytes = reader.Read(Segment.KeyOf(segment.Id, SegmentColumn.Bundle));
                return _small = SmallColumns.Read(bytes is null ? [] : bytes.Span);
            }
        }
    }
}

/// <summary>The columns of a segment that are so small that they lie in one.</summary>
internal sealed class SmallColumns
{
    private readonly Dictionary<SegmentColumn, ColumnBytes> _columns = [];

    /// <summary>Bytes that they take.</summary>
    public int Size { get; private set; }

    /// <exception cref="InvalidDataException">The bytes cannot be such a bundle.</exception>
    public static SmallColumns Read(ReadOnlySpan<byte> bundle)
    {
        var small = new SmallColumns();
        var from = new ByteReader(bundle);
        while (from.Left > 0)
        {
            var column = (SegmentColumn)from.Count(1 << Segment.ColumnBits);
            var bytes = from.Sized().ToArray();
            small._columns[column] = new ColumnBytes(bytes, 0, bytes.Length, owned: false);
            small.Size += bytes.Length + 96;
        }
        return small;
    }

    public ColumnBytes? Find(SegmentColumn column) => _columns.GetValueOrDefault(column);
}
