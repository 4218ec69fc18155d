using System.Globalization;
using System.Text;
using CsvHelper;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources.Imports;

/// <summary>Keeps refused lines of an import, so that they can be mended and tried again: as they were, and with their
/// reasons.</summary>
internal sealed class RefusedFile(string lines, string reasons) : IDisposable
{
    /// <summary>More than this is a file of another format, and no use.</summary>
    private const long MostBytes = 64L << 20;
    private const int ShownOfLine = 300;

    private FileStream? _lines;
    private CsvWriter? _reasons;
    private long _bytes;

    /// <summary>How many were not kept.</summary>
    public long Left { get; private set; }

    public void Add(string file, Refused refused, ReadOnlyMemory<byte> line)
    {
        if (_bytes + line.Length > MostBytes)
        {
            Left++;
            return;
        }
        Open();
        _bytes += line.Length + 1;
        _lines!.Write(line.Span);
        _lines.WriteByte((byte)'\n');
        _reasons!.WriteField(file);
        _reasons.WriteField(refused.Line.ToString(CultureInfo.InvariantCulture));
        _reasons.WriteField(refused.Column.ToString(CultureInfo.InvariantCulture));
        _reasons.WriteField(refused.Reason);
        _reasons.WriteField(Encoding.UTF8.GetString(line.Span[..Math.Min(line.Length, ShownOfLine)]));
        _reasons.EndRecord();
    }

    private void Open()
    {
        if (_lines is not null)
            return;
        OwnFiles.MakeFolder(Path.GetDirectoryName(lines)!);
        _lines = new FileStream(lines, OwnFiles.New(FileMode.Create));
        _reasons = CsvWriter.Create(
            new FileStream(reasons, OwnFiles.New(FileMode.Create)),
            new CsvWriterOptions { Injection = CsvInjection.Escape }
        );
        foreach (var name in new[] { "file", "line", "column", "reason", "text" })
            _reasons.WriteField(name);
        _reasons.EndRecord();
    }

    public void Dispose()
    {
        _lines?.Dispose();
        _reasons?.Dispose();
    }
}
