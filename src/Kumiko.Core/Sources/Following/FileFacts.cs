using System.IO.Hashing;
using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Kumiko.Core.Sources.Following;

/// <summary>What tells a file from another of the same name.</summary>
/// <param name="Inode">Its number on its disk; 0 where the system has none.</param>
internal readonly record struct FileFacts(long Inode, long Length)
{
    /// <summary>Bytes at a file's beginning that tell it from others.</summary>
    public const int HeadBytes = 1_024;

    public static FileFacts Of(FileStream file) => new(Inodes.Of(file.SafeFileHandle), file.Length);

    /// <summary>A hash of the first bytes of a file.</summary>
    /// <returns>Null where it has not so many.</returns>
    public static long? HeadOf(FileStream file, long length)
    {
        var bytes = new byte[length];
        file.Position = 0;
        return file.ReadAtLeast(bytes, bytes.Length, throwOnEndOfStream: false) < length
            ? null
            : (long)XxHash3.HashToUInt64(bytes);
    }
}

/// <summary>Numbers of files on their disks, which .NET does not tell: by statx(2), whose structure is the same on all
/// machines.</summary>
internal static class Inodes
{
    private const int EmptyPath = 0x1000;
    private const int CurrentFolder = -100;
    private const uint TypeWanted = 0x1;
    private const uint InodeWanted = 0x100;
    private const int ModeAt = 28;
    private const int TypeBits = 0xF000;
    private const int RegularFile = 0x8000;
    private const int Size = 256;
    private const int InodeAt = 32;
    private const int MajorAt = 136;
    private const int MinorAt = 140;

    [DllImport("libc", EntryPoint = "statx", SetLastError = true)]
    private static extern int Statx(int folder, byte[] path, int flags, uint wanted, byte[] facts);

    /// <summary>Whether a path is a file and no pipe or device, which would hold whoever opens it; yes where nobody can
    /// tell.</summary>
    public static bool IsFile(string path)
    {
        var facts = new byte[Size];
        if (
            !OperatingSystem.IsLinux()
            || Statx(CurrentFolder, [.. System.Text.Encoding.UTF8.GetBytes(path), 0], 0, TypeWanted, facts) != 0
        )
            return true;
        return (BitConverter.ToUInt16(facts, ModeAt) & TypeBits) == RegularFile;
    }

    /// <summary>The number of an open file, mixed with that of its disk; 0 where the system has none.</summary>
    public static long Of(SafeFileHandle file)
    {
        if (!OperatingSystem.IsLinux())
            return 0;
        var facts = new byte[Size];
        if (Statx((int)file.DangerousGetHandle(), [0], EmptyPath, InodeWanted, facts) != 0)
            return 0;
        var inode = BitConverter.ToInt64(facts, InodeAt);
        var disk = ((long)BitConverter.ToUInt32(facts, MajorAt) << 20) + BitConverter.ToUInt32(facts, MinorAt);
        return inode ^ (disk << 40);
    }
}
