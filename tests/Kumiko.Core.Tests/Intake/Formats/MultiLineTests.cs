using System.Text;
using CsCheck;
using Kumiko.Core.Intake.Formats;

namespace Kumiko.Core.Tests.Intake.Formats;

/// <summary>Lines that go on with a record join it, however they are cut.</summary>
public class MultiLineTests
{
    private const string At = "2026-11-23 17:51:04 ERROR ";

    public static readonly TheoryData<string, string> Traces = new()
    {
        {
            "Java",
            """
                ferry.manifest.LedgerException: row locked
                	at ferry.manifest.Ledger.hold(Ledger.java:42)
                	at ferry.manifest.Checkin.board(Checkin.java:7)
                	Suppressed: java.io.IOException: closed
                		at ferry.manifest.Wire.close(Wire.java:3)
                Caused by: java.net.SocketTimeoutException: time-out
                	at ferry.manifest.Wire.read(Wire.java:9)
                	... 3 more
                """
        },
        {
            ".NET",
            """
                Unhandled exception. Ferry.LedgerException: row locked
                 ---> System.IO.IOException: time-out
                   at Ferry.Wire.Read(Byte[] buffer) in /src/Wire.cs:line 9
                   --- End of inner exception stack trace ---
                   at Ferry.Ledger.Hold(Int32 seat) in /src/Ledger.cs:line 42
                """
        },
        {
            "Python",
            """
                Traceback (most recent call last):
                  File "/srv/ledger.py", line 42, in hold
                    seat.lock()
                OSError: time-out

                During handling of the above exception, another exception occurred:

                Traceback (most recent call last):
                  File "/srv/checkin.py", line 7, in board
                    hold(seat)
                ferry.LedgerError: row locked
                """
        },
        {
            "Go",
            """
                panic: row locked

                goroutine 17 [running]:
                main.hold(0x199, 0xc000012345)
                	/srv/ledger.go:42 +0x1d
                main.main()
                	/srv/main.go:7 +0x2a
                exit status 2
                """
        },
        {
            "JavaScript",
            """
                TypeError: seat is undefined
                    at hold (/srv/ledger.js:42:7)
                    at async board (/srv/checkin.js:7:3)
                """
        },
        {
            "PHP",
            """
                PHP Fatal error:  Uncaught LedgerException: row locked in /srv/ledger.php:42
                Stack trace:
                #0 /srv/checkin.php(7): hold(409)
                #1 {main}
                  thrown in /srv/ledger.php on line 42
                """
        },
        {
            "Ruby",
            """
                ledger.rb:42:in 'hold': row locked (LedgerError)
                	from checkin.rb:7:in 'board'
                	from main.rb:3:in '<main>'
                """
        },
    };

    [Theory]
    [MemberData(nameof(Traces))]
    public void A_trace_behind_a_line_with_a_time_is_one_record(string of, string trace)
    {
        var text = $"{At}gave up ({of})\n{trace}\n{At}again\n{trace}\n2026-11-23 17:51:05 INFO done\n";
        var read = Reading.Of(text);
        Assert.Equal(3, read.Records.Count);
        Assert.Equal($"gave up ({of})\n{trace}", read.Records[0].Body);
        Assert.Equal("done", read.Records[2].Body);
    }

    [Theory]
    [MemberData(nameof(Traces))]
    public void A_trace_without_any_time_is_one_record_too(string of, string trace)
    {
        var read = Reading.Of($"the tide turns\n{trace}\nthe boats go out to {of}\n");
        // Python's says in its first line that it goes on with what was said before it.
        string[] first = of == "Python" ? [$"the tide turns\n{trace}"] : ["the tide turns", trace];
        Assert.Equal([.. first, $"the boats go out to {of}"], read.Records.Select(r => r.Body));
    }

    [Theory]
    [MemberData(nameof(Traces))]
    public void However_it_is_cut_it_is_the_same(string of, string trace)
    {
        var bytes = Encoding.UTF8.GetBytes($"{At}gave up ({of})\n{trace}\n\n{At}again\n{trace}\n");
        var whole = Reading.Of(bytes);
        Gen.Int[1, 60]
            .Sample(chunk =>
                Reading
                    .Of(bytes, whole.Guess, chunk)
                    .Records.Select(r => (r.Time, r.Body))
                    .SequenceEqual(whole.Records.Select(r => (r.Time, r.Body)))
            );
    }

    [Fact]
    public void Indented_lines_join_and_blank_ones_between_records_go()
    {
        var read = Reading.Of("the tide turns\n  at noon\n\tor later\n\nthe boats go out\n\n\n  not of it\n");
        Assert.Equal(
            ["the tide turns\n  at noon\n\tor later", "the boats go out", "  not of it"],
            read.Records.Select(r => r.Body)
        );
    }

    [Fact]
    public void Blank_lines_inside_a_timed_record_stay() =>
        Assert.Equal(
            "statement\n\nSELECT seat\n\nFROM ledger",
            Reading.Of($"{At}statement\n\nSELECT seat\n\nFROM ledger\n\n{At}done\n{At}done\n").Records[0].Body
        );

    [Fact]
    public void A_line_that_speaks_of_a_time_is_not_the_beginning_of_a_record()
    {
        var read = Reading.Of($"{At}held\nsince the one of 2026-11-22 10:00:00\n{At}done\n{At}done\n");
        Assert.Equal(["held\nsince the one of 2026-11-22 10:00:00", "done", "done"], read.Records.Select(r => r.Body));
    }

    [Theory]
    [InlineData(RecordStart.EachLine, null, 4)]
    [InlineData(RecordStart.Indentation, null, 3)]
    [InlineData(RecordStart.BlankLine, null, 2)]
    [InlineData(RecordStart.Pattern, "^b", 2)]
    public void A_person_says_where_a_record_begins(RecordStart start, string? pattern, int expected)
    {
        var settings = new FormatSettings("text") { Start = start, StartPattern = pattern };
        Assert.Equal(expected, Reading.Of("a one\n  two\na three\n\nb four\n", settings, isDecided: true).Records.Count);
    }

    [Fact]
    public void A_pattern_that_cannot_be_used_is_told()
    {
        Assert.NotNull(RecordBounds.Problem(new FormatSettings("text") { Start = RecordStart.Pattern, StartPattern = "(" }));
        Assert.NotNull(RecordBounds.Problem(new FormatSettings("text") { Start = RecordStart.Pattern, StartPattern = "" }));
        Assert.Null(RecordBounds.Problem(new FormatSettings("text") { Start = RecordStart.Pattern, StartPattern = @"^\d" }));
    }

    [Fact]
    public void A_record_grows_to_the_longest_line_and_no_further()
    {
        var line = new string('x', 1 << 20);
        var text = new StringBuilder(At).Append("big\n");
        for (var i = 0; i < 6; i++)
            text.Append(' ').Append(line).Append('\n');
        var read = Reading.Of(text.Append($"{At}done\n{At}done\n").ToString());
        Assert.All(read.Records, r => Assert.True(r.Body.Length <= 4 << 20));
        Assert.Equal(
            6 * ((1 << 20) + 1),
            read.Records.Sum(r => r.Body.Count(c => c is 'x')) + read.Records.Sum(r => r.Body.Count(c => c is ' '))
        );
    }

    [Theory]
    [InlineData("csv", "time,text\n2026-11-23T17:51:04Z,\"never closed\n")]
    [InlineData("text", "goroutine 1 [running]:\n")]
    public void A_record_without_end_is_cut_and_the_rest_goes_on(string format, string beginning)
    {
        var lines = string.Concat(Enumerable.Repeat("main.hold(0x199)\n", 600_000));
        var settings = new FormatSettings(format) { Start = format == "text" ? RecordStart.Indentation : RecordStart.ByFormat };
        var read = Reading.Of(beginning + lines, settings, isDecided: true);
        // The first took as many as a record can have; behind it nothing says any more that they belong together.
        Assert.InRange(read.Records.Count + read.Refused.Count, 300_000, 400_000);
    }

    [Fact]
    public void A_line_that_is_too_long_is_passed_over_and_said()
    {
        var read = Reading.Of($"{At}one\n{new string('y', 5 << 20)}\n{At}two\n{At}three\n");
        Assert.Equal(["one", "two", "three"], read.Records.Select(r => r.Body).Where(b => b.Length < 100));
    }
}
