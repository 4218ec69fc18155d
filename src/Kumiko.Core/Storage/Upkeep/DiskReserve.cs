namespace Kumiko.Core.Storage.Upkeep;

/// <summary>A file of real bytes that is given up when the disk is full, so that old records can be removed: removing needs room too.</summary>
internal sealed class DiskReserve(string path, long bytes)
{
    private readonly string _path = path;

    public bool IsThere => File.Exists(_path);

    /// <summary>Writes it where it is missing and the disk has room for it twice.</summary>
    public void Take()
    {
        if (bytes <= 0 || IsThere) return;
        try
        {
            var drive = new DriveInfo(Path.GetDirectoryName(Path.GetFullPath(_path))!);
            if (drive.AvailableFreeSpace < bytes * 2) return;
            using var file = File.Create(_path);
            // Holes would take no room, so every byte is written.
            var zeros = new byte[1 << 20];
            for (var left = bytes; left > 0; left -= zeros.Length) file.Write(zeros, 0, (int)Math.Min(left, zeros.Length));
        }
        catch (IOException) { GiveUp(); }
    }

    public bool GiveUp()
    {
        if (!IsThere) return false;
        File.Delete(_path);
        return true;
    }
}
