using System.Globalization;
using Dapper;
using Kumiko.Core.Storage.Migrations;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage;

/// <summary>One SQLite file: its settings, its migrations, its one writer and its readers.</summary>
public sealed class Database : IDisposable
{
    private readonly string _address;

    /// <param name="path">The file; it is made where it does not exist.</param>
    /// <param name="migrations">The prefix of its migration files: <c>records</c> or <c>kumiko</c>.</param>
    /// <param name="isReadOnly">For a full disk: nothing is written, not even what SQLite writes to read; all writes fail as on a
    /// full disk.</param>
    /// <exception cref="DiskFullException">There is a log that cannot be read without room.</exception>
    public Database(string path, string migrations, bool isReadOnly = false)
    {
        if (isReadOnly)
        {
            if (new FileInfo(path + "-wal") is { Exists: true, Length: > 0 })
                throw new DiskFullException(
                    $"The disk is full, and what came last lies in {Path.GetFileName(path)}-wal, which needs room to be read. Free some space and start again."
                );
            _address = new SqliteConnectionStringBuilder
            {
                DataSource =
                    "file:"
                    + Uri.EscapeDataString(Path.GetFullPath(path)).Replace("%2F", "/", StringComparison.Ordinal)
                    + "?immutable=1&mode=ro",
                Pooling = true,
                DefaultTimeout = 30,
            }.ToString();
            Writer = new WriterThread(Open(), path);
            return;
        }
        OwnFiles.MakeFile(path);
        _address = new SqliteConnectionStringBuilder
        {
            DataSource = path,
            Pooling = true,
            DefaultTimeout = 30,
        }.ToString();
        // Not from the pool: readers there are set to read only.
        var connection = new SqliteConnection(new SqliteConnectionStringBuilder(_address) { Pooling = false }.ToString());
        connection.Open();
        try
        {
            // Neither can be changed once there is a table.
            connection.Execute("PRAGMA page_size = 16384; PRAGMA auto_vacuum = INCREMENTAL; PRAGMA journal_mode = WAL;");
            Configure(connection);
            Migrate(connection, migrations);
        }
        catch
        {
            connection.Dispose();
            throw;
        }
        Writer = new WriterThread(connection, path);
    }

    public WriterThread Writer { get; }

    /// <summary>A connection for reading, given back by disposing it. It must not hold a transaction for long.</summary>
    public SqliteConnection Read()
    {
        var connection = Open();
        connection.Execute("PRAGMA query_only = 1");
        return connection;
    }

    private SqliteConnection Open()
    {
        var connection = new SqliteConnection(_address);
        connection.Open();
        return connection;
    }

    /// <summary>Tests, in whose folders nothing must outlive a power cut, turn it off.</summary>
    private static readonly string Synchronous = AppContext.GetData("Kumiko.Storage.Synchronous") as string ?? "FULL";

    private static void Configure(SqliteConnection connection) =>
        connection.Execute(
            $"PRAGMA synchronous = {Synchronous}; PRAGMA journal_size_limit = 67108864; PRAGMA foreign_keys = ON; PRAGMA busy_timeout = 30000; PRAGMA mmap_size = 0;"
        );

    private static void Migrate(SqliteConnection connection, string prefix)
    {
        var assembly = typeof(Database).Assembly;
        const string Folder = ".Migrations.";
        var files = assembly
            .GetManifestResourceNames()
            .Where(n => n.Contains($"{Folder}{prefix}-", StringComparison.Ordinal))
            .ToDictionary(n =>
                Path.GetFileNameWithoutExtension(n[(n.IndexOf(Folder, StringComparison.Ordinal) + Folder.Length)..])
            );
        var steps = Migration.All.Where(m => m.Name.StartsWith(prefix + "-", StringComparison.Ordinal)).ToDictionary(m => m.Name);
        string[] names = [.. files.Keys.Concat(steps.Keys).Order(StringComparer.Ordinal)];
        var done = connection.ExecuteScalar<long>("PRAGMA user_version");
        if (done > names.Length)
            throw new InvalidOperationException(
                $"This data was written by a newer Kumiko (version {done} of {prefix}, {names.Length} is known). Start that version."
            );
        for (var i = (int)done; i < names.Length; i++)
        {
            using var transaction = connection.BeginTransaction();
            if (steps.TryGetValue(names[i], out var step))
                step.Run(connection, transaction);
            else
            {
                using var reader = new StreamReader(assembly.GetManifestResourceStream(files[names[i]])!);
                connection.Execute(reader.ReadToEnd(), transaction: transaction);
            }
            connection.Execute(
                "PRAGMA user_version = " + (i + 1).ToString(CultureInfo.InvariantCulture),
                transaction: transaction
            );
            transaction.Commit();
        }
    }

    /// <summary>Brings everything from the write-ahead log into the file, and empties the log.</summary>
    internal Task<int> Checkpoint() => Writer.Alone(connection => connection.Execute("PRAGMA wal_checkpoint(TRUNCATE)"));

    public void Dispose()
    {
        Writer.Dispose();
        // The last connection to close brings the write-ahead log into the file.
        using var connection = new SqliteConnection(_address);
        SqliteConnection.ClearPool(connection);
    }
}
