using System.Text.Json;

namespace Kumiko.Core.Storage;

/// <summary>Where a running server can be reached by commands on the same data folder.</summary>
public sealed record ServerAddress(string Address, string Token);

/// <summary>The folder that holds everything, and its lock.</summary>
public sealed class DataFolder : IDisposable
{
    private readonly FileStream _lock;

    private DataFolder(string path, FileStream fileLock) => (Path, _lock) = (path, fileLock);

    public string Path { get; }
    public string Records => System.IO.Path.Combine(Path, "records.db");
    public string Kept => System.IO.Path.Combine(Path, "kumiko.db");

    /// <summary>Where look-up tables lie, as CSV files.</summary>
    public string Tables => System.IO.Path.Combine(Path, "tables");
    public string Keys => System.IO.Path.Combine(Path, "keys");

    private string Server => ServerFile(Path);

    private static string ServerFile(string path) => System.IO.Path.Combine(path, "server.json");

    /// <summary>Takes the folder, making it where needed; null while another process holds it.</summary>
    public static DataFolder? TryOpen(string path)
    {
        Directory.CreateDirectory(path);
        try
        {
            return new DataFolder(path, new FileStream(System.IO.Path.Combine(path, "lock"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None));
        }
        catch (IOException) { return null; }
    }

    /// <summary>The server that holds a folder, if it has said where it is.</summary>
    public static ServerAddress? FindServer(string path)
    {
        try { return JsonSerializer.Deserialize<ServerAddress>(File.ReadAllText(ServerFile(path))); }
        catch (Exception e) when (e is IOException or JsonException or UnauthorizedAccessException) { return null; }
    }

    /// <summary>Says where this server is, to the owner of the folder alone.</summary>
    public void Announce(ServerAddress address)
    {
        File.Delete(Server);
        var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows()) options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        using var file = new FileStream(Server, options);
        JsonSerializer.Serialize(file, address);
    }

    public void Dispose()
    {
        File.Delete(Server);
        _lock.Dispose();
    }
}
