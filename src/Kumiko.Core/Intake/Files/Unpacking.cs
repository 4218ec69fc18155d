using System.IO.Compression;
using ZstdSharp;

namespace Kumiko.Core.Intake.Files;

/// <summary>How a file is packed, told by its first bytes.</summary>
public enum Packing
{
    None,
    Gzip,
    Zstd,
    Zip,
}

/// <summary>A text in a file: the file itself, or one of several in an archive.</summary>
/// <param name="Name">Only ever shown.</param>
public sealed record PackedText(string Name, Func<Stream> Open);

/// <summary>Packed data gives out more than any log does: it was made to fill a disk.</summary>
public sealed class UnpackedTooFarException(long bytes)
    : IOException(
        $"The file unpacks to more than {bytes >> 20} MB, {BoundedStream.MostTimes} times its size. "
            + "What came before that was taken."
    );

/// <summary>Opens files as texts: gzip, zstd, zip with several, or as they are.</summary>
public static class Unpacking
{
    /// <summary>Bytes that tell how a file is packed.</summary>
    public const int Told = 4;

    public static Packing Find(ReadOnlySpan<byte> start) =>
        start switch
        {
            [0x1f, 0x8b, ..] => Packing.Gzip,
            [0x28, 0xb5, 0x2f, 0xfd, ..] => Packing.Zstd,
            [(byte)'P', (byte)'K', 3, 4, ..] or [(byte)'P', (byte)'K', 5, 6, ..] => Packing.Zip,
            _ => Packing.None,
        };

    /// <summary>How the file at a stream's place is packed; the place stays.</summary>
    public static Packing Find(Stream seekable)
    {
        Span<byte> start = stackalloc byte[Told];
        var before = seekable.Position;
        var read = seekable.ReadAtLeast(start, Told, throwOnEndOfStream: false);
        seekable.Position = before;
        return Find(start[..read]);
    }

    /// <summary>The texts of a file. Each is read to its end, or let go, before the next is opened.</summary>
    /// <param name="file">Read from its beginning, and closed by the caller. It can be sought in.</param>
    /// <param name="read">Told how many bytes of the file were read, where it is read from front to back.</param>
    /// <exception cref="InvalidDataException">An archive without its list of files.</exception>
    public static IReadOnlyList<PackedText> Open(Stream file, string name, Action<long>? read = null)
    {
        var packing = Find(file);
        if (packing != Packing.Zip)
            return [new PackedText(name, () => Unpack(new CountedStream(file, read ?? (_ => { })), packing))];
        var archive = new ZipArchive(file, ZipArchiveMode.Read, leaveOpen: true);
        return
        [
            .. archive
                .Entries.Where(e => e.Length > 0)
                // Names of entries are never paths here: wherever they climb to, nothing is written there.
                .Select(e => new PackedText($"{name}: {e.FullName}", () => Entry(e))),
        ];
    }

    private static Stream Entry(ZipArchiveEntry entry) => Nested(new BoundedStream(entry.Open(), () => entry.CompressedLength));

    /// <summary>A packed file in an archive is unpacked too.</summary>
    private static Stream Nested(Stream text)
    {
        var head = new HeadStream(text);
        var packing = Find(head.Head(Told));
        return packing is Packing.Gzip or Packing.Zstd ? Unpack(new CountedStream(head, _ => { }), packing) : head;
    }

    private static Stream Unpack(CountedStream file, Packing packing) =>
        packing switch
        {
            Packing.Gzip => new BoundedStream(Gzip.Open(file), () => file.BytesRead),
            Packing.Zstd => new BoundedStream(new DecompressionStream(file, leaveOpen: true), () => file.BytesRead),
            _ => file,
        };

    /// <summary>Whether an exception says that packed data is damaged or cut off.</summary>
    public static bool IsDamage(Exception e) => e is ZstdException || Gzip.IsDamage(e);
}
