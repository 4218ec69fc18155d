using System.Text.Json;

namespace Kumiko.Core.Storage;

/// <summary>Where a running server can be reached by commands on the same data folder.</summary>
/// <param name="Fingerprint">SHA-256 of its certificate, by which it is known whatever name that has; null without TLS.</param>
public sealed record ServerAddress(string Address, string Token, string? Fingerprint = null);

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

    /// <summary>Where files of imports lie while they are read, and what was refused of them.</summary>
    public string Imports => System.IO.Path.Combine(Path, "imports");
    public string Keys => System.IO.Path.Combine(Path, "keys");

    private string Server => ServerFile(Path);

    private static string ServerFile(string path) => System.IO.Path.Combine(path, "server.json");

    /// <summary>Takes the folder, making it where needed; null while another process holds it.</summary>
    public static DataFolder? TryOpen(string path)
    {
        OwnFiles.MakeFolder(path);
        try
        {
            var folder = new DataFolder(
                path,
                new FileStream(System.IO.Path.Combine(path, "lock"), OwnFiles.New(FileMode.OpenOrCreate))
            );
            // One that was there before and holds nothing of ours may be anybody's.
            if (
                File.Exists(folder.Records)
                || File.Exists(folder.Kept)
                || Directory.EnumerateFileSystemEntries(path).Count() == 1
            )
                OwnFiles.Close(path);
            return folder;
        }
        catch (IOException)
        {
            return null;
        }
    }

    /// <summary>The server that holds a folder, if it has said where it is.</summary>
    public static ServerAddress? FindServer(string path)
    {
        try
        {
            return JsonSerializer.Deserialize<ServerAddress>(File.ReadAllText(ServerFile(path)));
        }
        catch (Exception e) when (e is IOException or JsonException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    /// <summary>Gives up what is kept free for a full disk; false where nothing is.</summary>
    public bool GiveUpReserve()
    {
        var reserve = System.IO.Path.Combine(Path, "reserve");
        if (!File.Exists(reserve))
            return false;
        File.Delete(reserve);
        return true;
    }

    /// <summary>Says where this server is, to the owner of the folder alone.</summary>
    public void Announce(ServerAddress address)
    {
        File.Delete(Server);
        using var file = new FileStream(Server, OwnFiles.New(FileMode.CreateNew));
        JsonSerializer.Serialize(file, address);
    }

    public void Dispose()
    {
        File.Delete(Server);
        _lock.Dispose();
    }
}
