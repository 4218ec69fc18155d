using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage;

/// <summary>How far a followed file was read.</summary>
/// <param name="Id">0 for one that is not kept yet.</param>
/// <param name="Follow">The wish to follow it.</param>
/// <param name="Inode">Its number on its disk; 0 where the system has none.</param>
/// <param name="Head">A hash of its first <paramref name="HeadLength"/> bytes.</param>
/// <param name="Offset">Bytes that were taken in or refused.</param>
/// <param name="Line">Lines of these.</param>
/// <param name="State">What the format needs from earlier lines.</param>
/// <param name="ReadAt">UTC nanoseconds.</param>
/// <param name="Ended">When nothing more could come of it, UTC nanoseconds; null while it may.</param>
public sealed record FollowedPlace(
    long Id,
    long Follow,
    string Path,
    long Inode,
    long Head,
    long HeadLength,
    long Offset,
    long Line,
    string State,
    long Taken,
    long Refused,
    long ReadAt,
    long? Ended
);

/// <summary>Places in followed files: the SQL, and nothing else. Writes run on the writer thread.</summary>
internal static class FollowedTable
{
    public static List<FollowedPlace> All(SqliteConnection connection) =>
        [
            .. connection
                .Query<Row>(
                    """
                    SELECT id, follow, path, inode, head, head_length AS HeadLength, offset, line, state, taken, refused,
                      read_at AS ReadAt, ended
                    FROM followed_file ORDER BY id
                    """
                )
                .Select(r => r.Place),
        ];

    /// <summary>Writes a place down.</summary>
    /// <returns>Its id.</returns>
    public static long Save(SqliteConnection connection, FollowedPlace place) =>
        connection.ExecuteScalar<long>(
            """
            INSERT INTO followed_file (id, follow, path, inode, head, head_length, offset, line, state, taken, refused, read_at, ended)
            VALUES (NULLIF(@Id, 0), @Follow, @Path, @Inode, @Head, @HeadLength, @Offset, @Line, @State, @Taken, @Refused, @ReadAt,
              @Ended)
            ON CONFLICT (id) DO UPDATE SET path = excluded.path, inode = excluded.inode, head = excluded.head,
              head_length = excluded.head_length, offset = excluded.offset, line = excluded.line, state = excluded.state,
              taken = excluded.taken, refused = excluded.refused, read_at = excluded.read_at, ended = excluded.ended
            RETURNING id
            """,
            place
        );

    public static int Forget(SqliteConnection connection, long follow) =>
        connection.Execute("DELETE FROM followed_file WHERE follow = @follow", new { follow });

    private sealed class Row
    {
        public long Id { get; init; }
        public long Follow { get; init; }
        public string Path { get; init; } = "";
        public long Inode { get; init; }
        public long Head { get; init; }
        public long HeadLength { get; init; }
        public long Offset { get; init; }
        public long Line { get; init; }
        public string State { get; init; } = "";
        public long Taken { get; init; }
        public long Refused { get; init; }
        public long ReadAt { get; init; }
        public long? Ended { get; init; }

        public FollowedPlace Place =>
            new(Id, Follow, Path, Inode, Head, HeadLength, Offset, Line, State, Taken, Refused, ReadAt, Ended);
    }
}

/// <summary>What else is written in the commit of a batch.</summary>
/// <param name="Import">The import it belongs to, which shares no segment with anything else.</param>
/// <param name="Place">How far the file was read that it comes from.</param>
public sealed record BatchOrigin(long? Import = null, FollowedPlace? Place = null);
