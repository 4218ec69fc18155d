using System.Text;
using CsCheck;
using Kumiko.Core.Intake.Syslog;

namespace Kumiko.Core.Tests.Intake.Syslog;

/// <summary>Messages out of a stream, whichever way they are framed and wherever it is cut.</summary>
public class SyslogFramingTests
{
    /// <summary>Reads a stream in pieces of given lengths, the last again and again.</summary>
    private static List<string> Read(byte[] stream, params int[] pieces)
    {
        var framing = new SyslogFraming();
        var messages = new List<string>();
        var at = 0;
        for (var piece = 0; at < stream.Length; piece++)
        {
            var space = framing.Space();
            var length = Math.Min(
                Math.Min(
                    pieces.Length == 0 ? stream.Length : Math.Max(1, pieces[Math.Min(piece, pieces.Length - 1)]),
                    stream.Length - at
                ),
                space.Length
            );
            stream.AsSpan(at, length).CopyTo(space.Span);
            framing.Filled(length);
            at += length;
            Take();
        }
        framing.End();
        Take();
        return messages;

        void Take()
        {
            while (framing.TryNext(out var message, out var problem))
                messages.Add(problem is null ? Encoding.Latin1.GetString(message) : $"! {problem} {message.Length}");
        }
    }

    private static List<string> Read(string stream) => Read(Encoding.Latin1.GetBytes(stream));

    [Theory]
    [InlineData("<13>one\n<13>two\n", "<13>one|<13>two")]
    [InlineData("<13>one\r\n<13>two", "<13>one|<13>two")]
    [InlineData("<13>one\0<13>two\0", "<13>one|<13>two")]
    [InlineData("7 <13>one8 <13>\ntwo", "<13>one|<13>\ntwo")]
    [InlineData("8 <13>one\n7 <13>two", "<13>one|<13>two")]
    [InlineData("7 <13>one\n7 <13>two\n", "<13>one|<13>two")]
    [InlineData("7 <13>one3 two", "<13>one|two")]
    [InlineData("<13>one\n7 <13>two<13>three\n", "<13>one|<13>two|<13>three")]
    [InlineData("2026 was a year\n12 boats\n", "2026 was a year|12 boats")]
    [InlineData("17", "17")]
    [InlineData("17 ", "17 ")]
    [InlineData("0 <13>x\n", "0 <13>x")]
    [InlineData("\n\n\r\n", "")]
    [InlineData("9999999999 <13>x\n", "9999999999 <13>x")]
    public void Framing_is_told_by_how_a_message_begins(string stream, string messages) =>
        Assert.Equal(messages, string.Join('|', Read(stream)));

    [Fact]
    public void What_is_broken_off_or_too_long_is_told_and_the_rest_read_on()
    {
        Assert.Equal(["<13>one", "! The message was broken off after 5 of 20 bytes. 5"], Read("7 <13>one20 <13>t"));
        var endless = new string('x', SyslogFraming.LongestMessage + 1);
        Assert.Equal(
            [$"! The message has more than {SyslogFraming.LongestMessage} bytes. 4096", "<13>next"],
            Read("<13>" + endless + "\n<13>next\n")
        );
        Assert.Equal(
            [$"! The message has {endless.Length + 4} bytes; {SyslogFraming.LongestMessage} are taken. 4096", "<13>next"],
            Read($"{endless.Length + 4} <13>{endless}8 <13>next")
        );
    }

    [Fact]
    public void Where_the_stream_is_cut_changes_nothing()
    {
        var text = Gen.OneOf(
            Gen.OneOf("<13>one", "<13>1 - - - - - - x", "text", "17 boats", "", "a\nb", new string('y', 5_000)),
            Gen.String[Gen.Char['0', 'z'], 0, 40]
        );
        var message = Gen.Select(text, Gen.Int[0, 3])
            .Select(
                (t, how) =>
                    how switch
                    {
                        0 => $"{t.Length + 4} <13>{t}",
                        1 => $"{t.Length + 5} <13>{t}\n",
                        2 => t + "\n",
                        _ => t + "\r\n",
                    }
            );
        Gen.Select(message.Array[0, 8], Gen.Int[1, 40].Array[1, 60])
            .Sample(
                (messages, pieces) =>
                {
                    var stream = Encoding.Latin1.GetBytes(string.Concat(messages));
                    return Read(stream, pieces).SequenceEqual(Read(stream)) && Read(stream, 1).SequenceEqual(Read(stream));
                },
                iter: Cases.Of(2_000)
            );
    }

    [Fact]
    public void Any_bytes_keep_memory_bounded_and_come_to_an_end() =>
        Gen.OneOf(
                Gen.Byte.Array[0, 200],
                Gen.OneOf("7 ", "999999999 <", "262145 <13>", "<13>", "\n", "1")
                    .Array[0, 30]
                    .Select(p => Encoding.Latin1.GetBytes(string.Concat(p)))
            )
            .Sample(
                bytes => Read(bytes, 7).Sum(m => (long)m.Length) <= bytes.Length + 100L * bytes.Length,
                iter: Cases.Of(3_000)
            );
}
