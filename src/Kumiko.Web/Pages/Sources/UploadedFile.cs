using Kumiko.Core.Sources.Imports;

namespace Kumiko.Web.Pages.Sources;

/// <summary>Writes an uploaded file down; nothing is left of one that did not arrive whole.</summary>
internal static class UploadedFile
{
    private const long LookEvery = 64L << 20;

    /// <param name="into">The folder of its import.</param>
    /// <param name="data">The folder whose disk is looked at.</param>
    /// <exception cref="IOException">There is no room, or it was too large; the message says which.</exception>
    public static async Task<ImportFile> Take(Stream body, string into, string name, string data, CancellationToken cancel)
    {
        Directory.CreateDirectory(into);
        var path = Path.Combine(into, "file-" + Guid.NewGuid().ToString("N"));
        try
        {
            await using (
                var file = new FileStream(path, FileMode.CreateNew, FileAccess.Write, FileShare.None, 1 << 16, useAsync: true)
            )
                await Copy(body, file, data, cancel);
            return ImportPlan.FileOf(path, isOurs: true, name);
        }
        catch
        {
            File.Delete(path);
            throw;
        }
    }

    private static async Task Copy(Stream from, FileStream to, string data, CancellationToken cancel)
    {
        var bytes = new byte[1 << 16];
        var (written, looked) = (0L, 0L);
        while (await from.ReadAsync(bytes, cancel) is > 0 and var read)
        {
            written += read;
            if (written > FilesModel.MostBytes)
                throw new IOException($"A file can have {Charts.Format.Size(FilesModel.MostBytes)}.");
            if (written - looked > LookEvery)
            {
                looked = written;
                if (Disk.Problem(data, 0) is { } problem)
                    throw new IOException(problem);
            }
            await to.WriteAsync(bytes.AsMemory(0, read), cancel);
        }
    }
}

/// <summary>Room on the disk.</summary>
internal static class Disk
{
    /// <summary>Left for everything else.</summary>
    private const long Kept = 256L << 20;

    /// <summary>A sentence where so many bytes would leave too little; null where there is room.</summary>
    public static string? Problem(string folder, long bytes)
    {
        var free = new DriveInfo(Path.GetFullPath(folder)).AvailableFreeSpace;
        return free - bytes >= Kept
            ? null
            : $"The disk has {Charts.Format.Size(free)} free; this needs {Charts.Format.Size(bytes)}, "
                + $"and {Charts.Format.Size(Kept)} are kept. Free some space.";
    }
}
