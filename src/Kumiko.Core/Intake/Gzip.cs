using ICSharpCode.SharpZipLib;
using ICSharpCode.SharpZipLib.GZip;

namespace Kumiko.Core.Intake;

/// <summary>
/// Reads gzip, several members too. The framework's own stream ends quietly where compressed data is cut off;
/// this one says so, and checks each member's sum.
/// </summary>
public static class Gzip
{
    /// <summary>The decompressed bytes; reading waits on the inner stream with synchronous calls.</summary>
    public static Stream Open(Stream compressed) => new GZipInputStream(compressed, 64 * 1024) { IsStreamOwner = false };

    /// <summary>Whether an exception says that compressed data is damaged or cut off.</summary>
    public static bool IsDamage(Exception e) =>
        e is SharpZipBaseException or EndOfStreamException or InvalidDataException or IndexOutOfRangeException;
}
