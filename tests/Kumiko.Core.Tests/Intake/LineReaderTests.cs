using System.Text;
using CsCheck;
using Kumiko.Core.Intake;

namespace Kumiko.Core.Tests.Intake;

public class LineReaderTests
{
    /// <summary>Gives a few bytes at a time, as a slow sender does.</summary>
    private sealed class Trickle(byte[] content, int[] sizes) : MemoryStream(content)
    {
        private int _reads;

        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            base.ReadAsync(buffer[..Math.Min(buffer.Length, sizes[_reads++ % sizes.Length])], cancellationToken);
    }

    private static List<string> Lines(Stream stream)
    {
        using var reader = new LineReader(stream);
        var lines = new List<string>();
        while (reader.Next(CancellationToken.None).AsTask().GetAwaiter().GetResult() is { } line)
            lines.Add(Encoding.UTF8.GetString(line.Span));
        Assert.Equal(lines.Count, reader.Line);
        return lines;
    }

    [Fact]
    public void However_bytes_arrive_the_lines_are_the_same() =>
        Gen.Select(Gen.String[Gen.OneOf('a', 'b', '\n', '\r', 'é'), 0, 80], Gen.Int[1, 9].Array[1, 5])
            .Sample(
                (text, sizes) =>
                {
                    var expected = text.Split('\n').Select(l => l.EndsWith('\r') ? l[..^1] : l).ToList();
                    if (text.Length == 0 || text.EndsWith('\n'))
                        expected.RemoveAt(expected.Count - 1);
                    Assert.Equal(expected, Lines(new Trickle(Encoding.UTF8.GetBytes(text), sizes)));
                },
                iter: Cases.Of(3_000)
            );

    [Fact]
    public void Blank_lines_that_are_skipped_leave_the_others_with_their_numbers() =>
        Gen.Select(Gen.String[Gen.OneOf('a', ' ', '\n', '\r', '\t'), 0, 80], Gen.Int[1, 9].Array[1, 5])
            .Sample(
                (text, sizes) =>
                {
                    var expected = text.Split('\n')
                        .Select((l, i) => (Number: i + 1L, Line: l.EndsWith('\r') ? l[..^1] : l))
                        .Where(l => l.Line.Trim(' ', '\r', '\t').Length > 0)
                        .ToList();
                    using var reader = new LineReader(new Trickle(Encoding.UTF8.GetBytes(text), sizes));
                    var lines = new List<(long, string)>();
                    while (true)
                    {
                        reader.SkipBlank();
                        if (reader.Next(CancellationToken.None).AsTask().GetAwaiter().GetResult() is not { } line)
                            break;
                        var read = Encoding.UTF8.GetString(line.Span);
                        if (read.Trim(' ', '\r', '\t').Length > 0)
                            lines.Add((reader.Line, read));
                    }
                    Assert.Equal(expected, lines);
                },
                iter: Cases.Of(3_000)
            );

    [Fact]
    public void A_line_without_end_is_passed_over_in_bounded_memory()
    {
        var content = new byte[12 << 20];
        Array.Fill(content, (byte)'x');
        content[^3] = (byte)'\n';
        var before = GC.GetAllocatedBytesForCurrentThread();
        var lines = Lines(new MemoryStream(content));
        Assert.Equal([LineReader.KeptHead, 2], lines.Select(l => l.Length));
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 40 << 20);
    }

    [Theory]
    [InlineData(LineReader.LongestLine, false)]
    [InlineData(LineReader.LongestLine + 1, true)]
    public async Task The_longest_line_is_exactly_4_MiB(int length, bool tooLong)
    {
        var content = new byte[length + 1];
        Array.Fill(content, (byte)'x');
        content[^1] = (byte)'\n';
        using var reader = new LineReader(new MemoryStream(content));
        var line = await reader.Next(CancellationToken.None);
        Assert.Equal(tooLong, reader.TooLong);
        Assert.Equal(tooLong ? LineReader.KeptHead : length, line!.Value.Length);
        Assert.Null(await reader.Next(CancellationToken.None));
    }
}
