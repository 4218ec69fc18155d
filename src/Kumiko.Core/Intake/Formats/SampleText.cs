using System.Text;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Formats;

/// <summary>The first lines of a text, by which its format is told.</summary>
/// <param name="Lines">Those that are not blank, without their ends and colours.</param>
/// <param name="Now">When it is looked at.</param>
internal sealed record SampleText(IReadOnlyList<byte[]> Lines, long Now)
{
    public const int MostBytes = 256 * 1024;
    private const int MostLines = 1_000;
    private const int LongestLine = 32 * 1024;

    /// <param name="start">The beginning of a text, which may end anywhere.</param>
    /// <param name="isWhole">Whether it is all of it; else its last line is left out.</param>
    public static SampleText Of(ReadOnlySpan<byte> start, long now, bool isWhole = true)
    {
        var lines = new List<byte[]>();
        while (!start.IsEmpty && lines.Count < MostLines)
        {
            var end = start.IndexOf((byte)'\n');
            if (end < 0 && !isWhole && lines.Count > 0)
                break;
            var line = (end < 0 ? start : start[..end]).TrimEnd((byte)'\r');
            start = end < 0 ? default : start[(end + 1)..];
            var plain = Colours.Without(line[..Math.Min(line.Length, LongestLine)]);
            if (!plain.Trim(" \t"u8).IsEmpty)
                lines.Add(plain.ToArray());
        }
        return new SampleText(lines, now);
    }

    public static SampleText Of(string text, long now) => Of(Encoding.UTF8.GetBytes(text), now);

    /// <summary>The share of lines for which something holds; lines that go on with the one before do not count.</summary>
    public double Share(Func<byte[], bool> holds, bool indented = false)
    {
        var counted = indented ? Lines : [.. Lines.Where(l => l[0] is not ((byte)' ' or (byte)'\t'))];
        return counted.Count == 0 ? 0 : (double)counted.Count(holds) / counted.Count;
    }

    /// <summary>The share of lines that a reader takes.</summary>
    public double Taken(IRecordReader reader)
    {
        var into = new RecordBlockBuilder();
        return Share(
            line =>
            {
                var before = into.Count;
                return reader.Parse(line, Now, into) is null && into.Count > before;
            },
            indented: true
        );
    }
}
