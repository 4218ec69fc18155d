namespace Kumiko.Core.Storage.Upkeep;

/// <summary>A file of real bytes that is given up when the disk is full, so that old records can be removed: removing needs room
/// too.</summary>
internal sealed class DiskReserve(string path, long bytes)
{
    private readonly string _path = path;

    /// <summary>Smaller ones would help nobody.</summary>
    private const long Least = 1 << 20;

    private bool IsThere => File.Exists(_path) && new FileInfo(_path).Length >= Math.Min(bytes, Least);

    /// <summary>Writes it where it is missing; on a small disk it takes a quarter of what is free.</summary>
    public void Take()
    {
        if (bytes <= 0 || IsThere)
            return;
        try
        {
            var drive = new DriveInfo(Path.GetDirectoryName(Path.GetFullPath(_path))!);
            var size = Math.Min(bytes, drive.AvailableFreeSpace / 4);
            if (size < Math.Min(bytes, Least))
                return;
            using var file = new FileStream(_path, OwnFiles.New(FileMode.Create));
            // Holes would take no room, so every byte is written.
            var zeros = new byte[1 << 20];
            for (var left = size; left > 0; left -= zeros.Length)
                file.Write(zeros, 0, (int)Math.Min(left, zeros.Length));
        }
        catch (IOException)
        {
            GiveUp();
        }
    }

    public void GiveUp() => File.Delete(_path);
}
