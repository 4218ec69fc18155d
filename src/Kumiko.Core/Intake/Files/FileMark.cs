using System.Globalization;
using System.IO.Hashing;

namespace Kumiko.Core.Intake.Files;

/// <summary>Tells a file's content from others' without reading all of it: its length, its first and its last megabyte.</summary>
public static class FileMark
{
    private const int Looked = 1 << 20;

    /// <param name="file">Can be sought in; its place is its beginning afterwards.</param>
    public static string Of(Stream file)
    {
        var hash = new XxHash128();
        var bytes = new byte[Looked];
        file.Position = 0;
        hash.Append(bytes.AsSpan(0, file.ReadAtLeast(bytes, Looked, throwOnEndOfStream: false)));
        file.Position = Math.Max(0, file.Length - Looked);
        hash.Append(bytes.AsSpan(0, file.ReadAtLeast(bytes, Looked, throwOnEndOfStream: false)));
        file.Position = 0;
        return string.Create(CultureInfo.InvariantCulture, $"{file.Length}-{Convert.ToHexStringLower(hash.GetCurrentHash())}");
    }
}
