using System.Net;
using System.Text;
using CsCheck;
using Kumiko.Core.Intake.Syslog;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Intake.Syslog;

/// <summary>Syslog messages to records: the two RFCs, and what senders really write.</summary>
public class SyslogParserTests
{
    private static readonly long Now = At(2026, 11, 23, 18, 0, 0);

    private static long At(int year, int month, int day, int hour, int minute, int second) =>
        Instants.FromDateTime(new DateTimeOffset(year, month, day, hour, minute, second, TimeSpan.Zero));

    private static LogRecord Parse(string message, IPAddress? peer = null, long? now = null) =>
        new SyslogParser().Parse(Encoding.UTF8.GetBytes(message), "quay", now ?? Now, peer);

    private static string Field(LogRecord record, string name) => record.Attributes.Get(name).ToText();

    private static string Told(LogRecord r) => $"{r.Resource.Host}|{r.Resource.Service}|{r.Body}";

    [Fact]
    public void Every_part_of_rfc_5424_has_its_place()
    {
        var record = Parse(
            """<165>1 2026-11-23T17:59:58.123456+01:00 radio-hollin link-watch 8710 ID47 [exampleSDID@32473 iut="3" eventSource="App \"7\" \\ \] \n"][examplePriority@32473 class="high"][flag] link lost"""
        );
        Assert.Equal("radio-hollin|link-watch|link lost", Told(record));
        Assert.Equal(At(2026, 11, 23, 16, 59, 58) + 123_456_000, record.Time);
        Assert.Equal((Now, 10, "notice", "quay"), (record.Observed, record.SeverityNumber, record.SeverityText, record.Source));
        Assert.Equal(
            ("local4", "8710", "ID47", "3", """App "7" \ ] \n""", "high", "true", ""),
            (
                Field(record, "syslog.facility"),
                Field(record, "process.pid"),
                Field(record, "syslog.msgid"),
                Field(record, "exampleSDID.iut"),
                Field(record, "exampleSDID.eventSource"),
                Field(record, "examplePriority.class"),
                Field(record, "flag"),
                Field(record, "syslog.inferred")
            )
        );
    }

    [Theory]
    [InlineData("<14>1 - - - - - -", "missing|missing|", "time of arrival")]
    [InlineData("<14>1 2026-11-23T18:00:00Z radio - - - -", "radio|missing|", "")]
    [InlineData("<14>1 2026-11-23T18:00:00Z radio app - - - \uFEFFwith a mark", "radio|app|with a mark", "")]
    [InlineData("<14>1 2026-11-23T18:00:00Z radio app - - -  leading blank", "radio|app|leading blank", "")]
    [InlineData("<14>1 2026-11-23T18:00:00Z radio app - - [a b=\"1\"]    indented", "radio|app|   indented", "")]
    [InlineData(
        "<14>1 2026-11-23T18:00:00Z radio app - - [a b=\"1] broken",
        "radio|app|[a b=\"1] broken",
        "structured data not read"
    )]
    [InlineData(
        "<14>1 2026-11-23T18:00:00Z radio app - - [a b=\"1\"]no blank",
        "radio|app|[a b=\"1\"]no blank",
        "structured data not read"
    )]
    public void Parts_of_rfc_5424_may_be_missing_or_broken(string message, string told, string inferred)
    {
        var record = Parse(message);
        Assert.Equal((told, inferred), (Told(record), Field(record, "syslog.inferred")));
    }

    [Fact]
    public void A_blank_before_every_message_is_the_relays_and_others_are_the_texts_own()
    {
        string[] Bodies(params string[] texts)
        {
            var parser = new SyslogParser();
            return
            [
                .. texts.Select(t =>
                    parser
                        .Parse(Encoding.UTF8.GetBytes("<14>1 2026-11-23T18:00:00Z radio app - - - " + t), "quay", Now, null)
                        .Body
                ),
            ];
        }
        Assert.Equal(["up", " at Link.Up", "  indented"], Bodies("up", " at Link.Up", "  indented"));
        Assert.Equal(["one", "two", "three", " at Link.Up"], Bodies(" one", " two", " three", "  at Link.Up"));
        Assert.Equal(["   at Link.Up"], Bodies("   at Link.Up"));
    }

    [Theory]
    [InlineData("<34>Nov 23 17:59:58 radio-hollin su: refused for ines", "radio-hollin|su|refused for ines", "")]
    [InlineData("<34>Nov  3 07:01:02 radio-hollin relay[230]: retry 3", "radio-hollin|relay|retry 3", "230")]
    [InlineData("<34>Nov 23 17:59:58 radio-hollin quay/link[77]: up", "radio-hollin|quay/link|up", "77")]
    [InlineData("<34>Nov 23 17:59:58 radio-hollin web[eu][9]:up", "radio-hollin|web[eu]|up", "9")]
    [InlineData("<34>Nov 23 17:59:58 radio-hollin unit(link)[12]:  two blanks", "radio-hollin|unit(link)| two blanks", "12")]
    [InlineData("<34>Nov 23 17:59:58 fe80::1 relay: from an address", "fe80::1|relay|from an address", "")]
    [InlineData("<34>Nov 23 17:59:58 relay[4]: no host", "10.20.0.7|relay|no host", "4")]
    [InlineData(
        "<34>Nov 23 17:59:58 radio-hollin last message repeated 3 times",
        "radio-hollin|missing|last message repeated 3 times",
        ""
    )]
    [InlineData("<34>Nov 23 17:59:58.250 radio-hollin relay: parts of a second", "radio-hollin|relay|parts of a second", "")]
    [InlineData("<34>Nov 23 2026 17:59:58 radio-hollin relay: with its year", "radio-hollin|relay|with its year", "")]
    [InlineData("<34>2026-11-23T17:59:58.25+00:00 radio-hollin relay[x-1]: ISO time", "radio-hollin|relay|ISO time", "")]
    [InlineData("<34>Nov 23 17:59:58 radio-hollin   indented text", "radio-hollin|missing|  indented text", "")]
    [InlineData("<34>  just text, indented", "10.20.0.7|missing|  just text, indented", "")]
    [InlineData("<34>just text: without a time", "10.20.0.7|missing|just text: without a time", "")]
    public void Rfc_3164_is_read_as_senders_write_it(string message, string told, string process)
    {
        var record = Parse(message, IPAddress.Parse("10.20.0.7"));
        Assert.Equal(
            (told, process, 18, "auth"),
            (Told(record), Field(record, "process.pid"), record.SeverityNumber, Field(record, "syslog.facility"))
        );
    }

    [Fact]
    public void Without_a_priority_all_is_text_and_that_is_said()
    {
        var record = Parse("no priority here", IPAddress.Parse("10.20.0.7"));
        Assert.Equal(
            ("10.20.0.7|missing|no priority here", 10, "user", "priority, time of arrival, host from the address", Now),
            (Told(record), record.SeverityNumber, Field(record, "syslog.facility"), Field(record, "syslog.inferred"), record.Time)
        );
        Assert.Equal("<999>x", Parse("<999>x").Body);
        Assert.Equal("<>x", Parse("<>x").Body);
    }

    [Theory]
    [InlineData("Dec 31 23:59:58", 2027, 1, 1, 0, 0, 1, "2026-12-31T23:59:58Z", "year 2026, zone +00:00")]
    [InlineData("Jan  1 00:00:03", 2026, 12, 31, 23, 59, 59, "2027-01-01T00:00:03Z", "year 2027, zone +00:00")]
    [InlineData("Feb 29 12:00:00", 2028, 2, 29, 12, 0, 1, "2028-02-29T12:00:00Z", "year 2028, zone +00:00")]
    [InlineData("Nov 23 19:00:01", 2026, 11, 23, 18, 0, 0, "2026-11-23T18:00:01Z", "year 2026, zone +01:00")]
    [InlineData("Nov 23 12:29:59", 2026, 11, 23, 18, 0, 0, "2026-11-23T17:59:59Z", "year 2026, zone -05:30")]
    [InlineData("Nov 23 23:45:00", 2026, 11, 23, 18, 0, 0, "2026-11-23T18:00:00Z", "year 2026, zone +05:45")]
    [InlineData("Nov 21 18:00:00", 2026, 11, 23, 18, 0, 0, "2026-11-21T18:00:00Z", "year 2026, zone +00:00")]
    public void Year_and_zone_are_inferred_from_the_arrival_and_said(
        string stamp,
        int year,
        int month,
        int day,
        int hour,
        int minute,
        int second,
        string time,
        string inferred
    )
    {
        var record = Parse($"<13>{stamp} radio-hollin relay: x", now: At(year, month, day, hour, minute, second));
        Assert.Equal(
            (time, inferred),
            (Instants.Format(record.Time).Replace(".000000000", "", StringComparison.Ordinal), Field(record, "syslog.inferred"))
        );
    }

    [Fact]
    public void One_late_message_does_not_move_a_host_to_another_zone_but_many_in_a_row_do()
    {
        var parser = new SyslogParser();
        string Zone(string clock) =>
            Field(
                parser.Parse(Encoding.UTF8.GetBytes($"<13>Nov 23 {clock} radio-hollin relay: x"), "quay", Now, null),
                "syslog.inferred"
            )[^6..];
        Assert.Equal("+01:00", Zone("19:00:00"));
        Assert.Equal("+01:00", Zone("18:00:00"));
        Assert.Equal("+01:00", Zone("19:00:00"));
        var zones = Enumerable.Range(0, 9).Select(_ => Zone("18:00:00")).ToList();
        Assert.Equal(("+01:00", "+00:00"), (zones[6], zones[8]));
    }

    [Fact]
    public void Text_that_is_not_utf8_is_kept_as_latin1_and_said()
    {
        var record = new SyslogParser().Parse([.. "<13>Nov 23 18:00:00 radio relay: K"u8, 0xE4, .. "se"u8], "quay", Now, null);
        Assert.Equal("Käse", record.Body);
        Assert.EndsWith("encoding Latin-1", Field(record, "syslog.inferred"));
    }

    [Fact]
    public void A_token_is_found_and_is_no_field()
    {
        var message = "<13>1 2026-11-23T18:00:00Z radio relay - - [kumiko@32473 token=\"kumiko_abc\"][link quality=\"4\"] up";
        Assert.Equal("kumiko_abc", SyslogParser.FindToken(Encoding.UTF8.GetBytes(message)));
        var record = Parse(message);
        Assert.DoesNotContain(record.Attributes.Names.ToArray(), n => n.Contains("token", StringComparison.Ordinal));
        Assert.Equal(("4", "up"), (Field(record, "link.quality"), record.Body));
        Assert.Null(SyslogParser.FindToken("<13>1 - - - - - [kumiko@32473 token=\""u8));
    }

    [Theory]
    [InlineData("<13>1 - - - - - [kumiko@32473 token=\"kumiko_abc\"][broken up", "[broken up")]
    [InlineData("<13>Nov 23 18:00:00 radio relay: [kumiko@32473 token=\"kumiko_abc\"] up", " up")]
    [InlineData("<13>Nov 23 18:00:00 radio relay: up [kumiko@32473 token=\"kumiko_abc", "up ")]
    public void A_token_is_never_text(string message, string body) => Assert.Equal(body, Parse(message).Body);

    [Fact]
    public void A_parameter_given_twice_is_there_twice_and_names_of_two_elements_do_not_meet()
    {
        var record = Parse(
            "<13>1 - - - - - [origin ip=\"10.0.0.1\" ip=\"10.0.0.2\"][link@1 quality=\"4\"][link@2 quality=\"5\\]\"][calm][calm@7] up"
        );
        Assert.Equal(
            [
                "syslog.facility=user",
                "origin.ip=10.0.0.1",
                "origin.ip=10.0.0.2",
                "link.quality=4",
                "link@2.quality=5]",
                "calm=true",
                "calm@7=true",
                "syslog.inferred=time of arrival",
            ],
            record.Attributes.Names.ToArray().Select((n, i) => $"{n}={record.Attributes.Values[i]}")
        );
    }

    [Fact]
    public void Names_and_values_that_are_not_utf8_are_kept_as_latin1_however_long()
    {
        var name = new string('n', 60) + "\u00e4";
        var message = Encoding.Latin1.GetBytes(
            $"<13>1 - r\u00e4dio rel\u00e4y - - [b\u00f6je@1 {name}=\"K\u00e4se \\\"x\\\"\"] up"
        );
        var record = new SyslogParser().Parse(message, "quay", Now, null);
        Assert.Equal(
            ("Käse \"x\"", "rädio", "reläy", "up"),
            (Field(record, "böje." + name), record.Resource.Host.AsText, record.Resource.Service.AsText, record.Body)
        );
    }

    [Fact]
    public void Structured_data_without_end_stays_text()
    {
        var data = "[a" + string.Concat(Enumerable.Range(0, 20_000).Select(i => $" p{i}=\"1\"")) + "]";
        var record = Parse($"<13>1 - - - - - {data} up");
        Assert.Equal(
            (data + " up", "time of arrival, structured data not read", 2),
            (record.Body, Field(record, "syslog.inferred"), record.Attributes.Count)
        );
    }

    [Fact]
    public void Any_bytes_give_a_record()
    {
        var parser = new SyslogParser();
        var pieces = new[]
        {
            "<34>",
            "<13>1 ",
            "1 ",
            "- ",
            "[a b=\"",
            "\"]",
            "\\",
            "]",
            "Nov 23 18:00:00 ",
            "2026-11-23T18:00:00Z ",
            "host ",
            "tag[1]: ",
            ":",
            "<",
            "Feb 30 25:61:99 ",
            "\u00e9",
        };
        Gen.OneOf(Gen.OneOf(pieces).Select(Encoding.UTF8.GetBytes), Gen.Byte.Array[0, 6])
            .Array[0, 12]
            .Select(parts => parts.SelectMany(p => p).ToArray())
            .Sample(
                bytes =>
                    new SyslogParser().Parse(bytes, "quay", Now, IPAddress.Loopback).Observed == Now
                    && SyslogParser.FindToken(bytes) is null or { Length: > 0 },
                iter: Cases.Of(5_000)
            );
        Assert.Equal("", parser.Parse([], "quay", Now, null).Body);
    }
}
