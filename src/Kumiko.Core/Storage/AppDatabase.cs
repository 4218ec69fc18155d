using Kumiko.Core.Storage.Upkeep;

namespace Kumiko.Core.Storage;

/// <summary><c>kumiko.db</c>: people, tokens, rules, alerts, and what waits to be sent.</summary>
public sealed class AppDatabase : IDisposable
{
    private readonly NoticeList _notices = new();

    public AppDatabase(string path, TimeProvider? clock = null, bool isReadOnly = false)
    {
        Path = path;
        Database = isReadOnly
            ? new Database(path, "kumiko", isReadOnly)
            : AppDatabaseRescue.Open(path, clock ?? TimeProvider.System, _notices);
    }

    public string Path { get; }
    public Database Database { get; }

    /// <summary>What went wrong with the file and was lived with.</summary>
    public IReadOnlyList<string> Notices => _notices.All;

    public void Dispose() => Database.Dispose();
}
