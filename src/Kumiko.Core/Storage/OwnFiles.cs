namespace Kumiko.Core.Storage;

/// <summary>Folders and files that nobody but their owner may read: they hold records, tokens and keys.</summary>
internal static class OwnFiles
{
    private const UnixFileMode Folder = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
    private const UnixFileMode File = UnixFileMode.UserRead | UnixFileMode.UserWrite;

    /// <summary>Makes a folder where it is missing. One that is there already keeps its mode: it may be shared with
    /// others.</summary>
    public static void MakeFolder(string path)
    {
        if (OperatingSystem.IsWindows())
            Directory.CreateDirectory(path);
        else if (!Directory.Exists(path))
            Directory.CreateDirectory(path, Folder);
    }

    /// <summary>Makes an empty file where it is missing, before anybody else writes into it.</summary>
    public static void MakeFile(string path)
    {
        if (System.IO.File.Exists(path))
            return;
        using var _ = new FileStream(path, New(FileMode.OpenOrCreate));
    }

    /// <summary>How a file is opened that is made where it is missing.</summary>
    public static FileStreamOptions New(FileMode mode)
    {
        var options = new FileStreamOptions
        {
            Mode = mode,
            Access = FileAccess.ReadWrite,
            Share = FileShare.None,
        };
        if (!OperatingSystem.IsWindows())
            options.UnixCreateMode = File;
        return options;
    }

    /// <summary>Closes a folder of ours with all in it, as it may be from before.</summary>
    public static void Close(string folder)
    {
        if (OperatingSystem.IsWindows())
            return;
        System.IO.File.SetUnixFileMode(folder, Folder);
        foreach (var file in Directory.EnumerateFiles(folder))
            System.IO.File.SetUnixFileMode(file, File);
        foreach (var inner in Directory.EnumerateDirectories(folder))
            System.IO.File.SetUnixFileMode(inner, Folder);
    }

    /// <summary>Copies a folder with its files, where it is there; not the folders in it.</summary>
    public static void CopyFolder(string from, string to)
    {
        if (!Directory.Exists(from))
            return;
        MakeFolder(to);
        foreach (var file in Directory.EnumerateFiles(from))
            Copy(file, Path.Combine(to, Path.GetFileName(file)));
    }

    public static void Copy(string from, string to)
    {
        System.IO.File.Copy(from, to);
        if (!OperatingSystem.IsWindows())
            System.IO.File.SetUnixFileMode(to, File);
    }
}
