using System.Text;
using CsCheck;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Intake.Formats;

/// <summary>Each format is known from its first lines, and says what its lines say.</summary>
public class FormatTests
{
    public static TheoryData<string, int> Samples()
    {
        var data = new TheoryData<string, int>();
        foreach (var format in FormatList.All)
            for (var i = 0; i < format.Samples.Count; i++)
                data.Add(format.Name, i);
        return data;
    }

    private static string Sample(string format, int at) => FormatList.Find(format)!.Samples[at];

    [Theory]
    [MemberData(nameof(Samples))]
    public void A_sample_is_known_as_its_format_and_read_whole(string format, int at)
    {
        var read = Reading.Of(Sample(format, at));
        Assert.Equal((format, true), (read.Guess.Settings.Format, read.Guess.Fit > 0));
        Assert.Empty(read.Refused);
        Assert.NotEmpty(read.Records);
        Assert.All(read.Records, r => Assert.NotEmpty(r.Body));
    }

    [Theory]
    [MemberData(nameof(Samples))]
    public void Where_the_bytes_are_cut_does_not_matter(string format, int at)
    {
        var bytes = Encoding.UTF8.GetBytes(Sample(format, at));
        var whole = Reading.Of(bytes);
        for (var chunk = 1; chunk < 40; chunk += 3)
            Assert.Equal(whole.Records.Select(Told), Reading.Of(bytes, whole.Guess, chunk).Records.Select(Told));
    }

    private static string Told(LogRecord record) =>
        $"{record.Time} {record.SeverityText} {record.Body} {Value.Of(record.Attributes).ToJson()} {Value.Of(record.Resource.Attributes).ToJson()}";

    private static string Field(LogRecord record, string name) => record.Attributes.Get(name).ToText();

    private static string Host(LogRecord record) => record.Resource.Host.ToText();

    private static string Service(LogRecord record) => record.Resource.Service.ToText();

    private static string Time(LogRecord record) => Instants.Format(record.Time)[..23];

    [Fact]
    public void An_access_log_says_who_asked_what_and_how_it_went()
    {
        var records = Reading.Of(Sample("access", 1)).Records;
        Assert.Equal(
            ("2026-11-23T16:51:04.000", "POST /v2/booking 201", 0),
            (Time(records[0]), records[0].Body, records[0].SeverityNumber)
        );
        Assert.Equal(
            ("10.20.4.17", "ines", "POST", "/v2/booking", "1.1", "201", "312", "https://skerry.example/", "Kiosk/7.3", "184ms"),
            (
                Field(records[0], "client.address"),
                Field(records[0], "user.name"),
                Field(records[0], "http.request.method"),
                Field(records[0], "url.path"),
                Field(records[0], "network.protocol.version"),
                Field(records[0], "http.response.status_code"),
                Field(records[0], "http.response.body.size"),
                Field(records[0], "http.request.header.referer"),
                Field(records[0], "user_agent.original"),
                Field(records[0], "duration")
            )
        );
        // Bytes of TLS are no request, and stay as they are.
        Assert.Equal(
            (@"\x16\x03\x01", "", "400"),
            (
                Field(records[1], "http.request.line"),
                Field(records[1], "url.path"),
                Field(records[1], "http.response.status_code")
            )
        );
    }

    [Fact]
    public void A_virtual_host_in_front_and_a_duration_at_the_end_are_known()
    {
        var record = Reading.Of(Sample("access", 2)).One;
        Assert.Equal(
            ("booking.example", "443", "2001:db8::17", "1.204s"),
            (
                Field(record, "server.address"),
                Field(record, "server.port"),
                Field(record, "client.address"),
                Field(record, "duration")
            )
        );
    }

    [Fact]
    public void What_is_no_access_line_is_refused_with_its_place()
    {
        var read = Reading.Of(
            Sample("access", 0)
                + "\nthe tide turns\n"
                + Sample("access", 0)
                + "\n10.1.1.1 - - [yesterday morning] \"GET / HTTP/1.1\" 200 1\n"
                + Sample("access", 0),
            new FormatSettings("access"),
            isDecided: true
        );
        Assert.Equal(3, read.Records.Count);
        Assert.Equal([2L, 4L], read.Refused.Select(r => r.Line));
        Assert.Contains("no time in brackets", read.Refused[0].Refusal.Reason, StringComparison.Ordinal);
    }

    [Fact]
    public void Raw_bytes_in_a_request_are_no_trouble()
    {
        byte[] line =
        [
            .. "10.20.4.17 - - [23/Nov/2026:17:51:04 +0000] \""u8,
            0x16,
            0x03,
            (byte)'"',
            0xff,
            .. "\" 400 226 \"-\" \"-\"\n"u8,
        ];
        var record = Reading.Of(line, new FormatSettings("access"), isDecided: true).One;
        Assert.Equal(
            ("400", "\u0016\u0003\"ÿ"),
            (Field(record, "http.response.status_code"), Field(record, "http.request.line"))
        );
    }

    [Fact]
    public void Error_logs_of_web_servers_say_process_level_and_client()
    {
        var bracketed = Reading.Of(Sample("web-error", 0)).One;
        Assert.Equal(
            ("2026-11-23T17:51:04.204", "no such file: /srv/book", "error", "4711", "139", "10.20.4.17", "51000", "core"),
            (
                Time(bracketed),
                bracketed.Body,
                bracketed.SeverityText,
                Field(bracketed, "process.pid"),
                Field(bracketed, "thread.id"),
                Field(bracketed, "client.address"),
                Field(bracketed, "client.port"),
                Field(bracketed, "logger")
            )
        );
        var numbered = Reading.Of(Sample("web-error", 1)).One;
        Assert.Equal(
            ("error", "4711", "10.20.4.17", "GET", "/v2/fares", "skerry.example", "booking"),
            (
                numbered.SeverityText,
                Field(numbered, "process.pid"),
                Field(numbered, "client.address"),
                Field(numbered, "http.request.method"),
                Field(numbered, "url.path"),
                Field(numbered, "url.domain"),
                Field(numbered, "server.address")
            )
        );
        Assert.StartsWith("*42 no answer from upstream", numbered.Body, StringComparison.Ordinal);
    }

    [Fact]
    public void Syslog_files_say_host_program_and_process()
    {
        var records = Reading.Of(Sample("syslog", 0)).Records;
        Assert.Equal(
            ("2026-11-23T17:51:04.000", "quay-2", "radiod", "4711", "link to Orra lost"),
            (Time(records[0]), Host(records[0]), Service(records[0]), Field(records[0], "process.pid"), records[0].Body)
        );
        Assert.Equal(("kernel", "eth0: link is down"), (Service(records[1]), records[1].Body));
        var precise = Reading.Of(Sample("syslog", 1)).Records[0];
        Assert.Equal(("2026-11-23T16:51:04.204", "quay-2", "radiod"), (Time(precise), Host(precise), Service(precise)));
        var versioned = Reading.Of(Sample("syslog", 2)).One;
        Assert.Equal(
            ("quay-2", "radiod", "link to Orra lost", "7"),
            (Host(versioned), Service(versioned), versioned.Body, Field(versioned, "radio.channel"))
        );
    }

    [Fact]
    public void A_syslog_line_without_a_priority_has_no_level_made_up() =>
        Assert.Equal(0, Reading.Of(Sample("syslog", 0)).Records[0].SeverityNumber);

    [Fact]
    public void Columns_are_named_by_their_directive_until_another()
    {
        var read = Reading.Of(Sample("w3c", 0) + "\n#Fields: time c-ip\n17:52:00 10.20.4.19\n17:52:01 10.20.4.19 more\n");
        Assert.Equal(
            ("2026-11-23T17:51:04.000", "GET /v2/fares 200", "184ms", "Kiosk/7.3 (quay)"),
            (
                Time(read.Records[0]),
                read.Records[0].Body,
                Field(read.Records[0], "duration"),
                Field(read.Records[0], "user_agent.original")
            )
        );
        Assert.Equal("503", Field(read.Records[1], "http.response.status_code"));
        Assert.Equal("10.20.4.19", Field(read.Records[2], "client.address"));
        Assert.Contains("3 values; #Fields: names 2", Assert.Single(read.Refused).Refusal.Reason, StringComparison.Ordinal);
    }

    [Fact]
    public void Logfmt_has_typed_values_and_true_for_a_name_alone()
    {
        var records = Reading.Of(Sample("logfmt", 0)).Records;
        Assert.Equal(("shift begins", "info", "crew-roster"), (records[0].Body, records[0].SeverityText, Service(records[0])));
        Assert.Equal(Value.Of(7), records[0].Attributes.Get("crew"));
        Assert.Equal(Value.True, records[0].Attributes.Get("relief"));
        Assert.Equal(("a \"double\" shift", Value.Of(11.5)), (records[1].Body, records[1].Attributes.Get("hours")));
    }

    [Fact]
    public void A_table_has_its_columns_as_fields()
    {
        var records = Reading.Of(Sample("csv", 0)).Records;
        Assert.Equal(
            (2, "2026-11-23T17:51:00.000", Value.Of(3.21), "Orra, north"),
            (records.Count, Time(records[0]), records[0].Attributes.Get("height_m"), Field(records[1], "terminal"))
        );
        Assert.Equal("terminal=Hollin height_m=3.21 quality=good", records[0].Body);
        var parted = Reading.Of(Sample("csv", 1)).One;
        Assert.Equal(
            ("2026-11-23T17:51:04.000", "the tide\nturns", "Hollin"),
            (Time(parted), parted.Body, Field(parted, "terminal"))
        );
    }

    [Fact]
    public void A_table_whose_columns_change_half_way_is_told_or_followed()
    {
        var read = Reading.Of(
            "time,terminal,height_m\n2026-11-23T17:51:00Z,Hollin,3.2\n2026-11-23T17:52:00Z,Orra\ntime,vessel,host,wind\n2026-11-23T17:53:00Z,Dunlin,quay-2,12\n"
        );
        Assert.Equal(2, read.Records.Count);
        Assert.Equal(("quay-2", "Dunlin"), (Host(read.Records[1]), Field(read.Records[1], "vessel")));
        Assert.Equal(
            (3L, "This row has 2 cells; there are names for 3."),
            (read.Refused[0].Line, read.Refused[0].Refusal.Reason)
        );
    }

    [Fact]
    public void Logs_of_databases_keep_statements_whole()
    {
        var records = Reading.Of(Sample("database", 0)).Records;
        Assert.Equal(3, records.Count);
        Assert.Equal(
            ("2026-11-23T16:51:04.204", "deadlock detected", "ERROR", 17, "4711", "ledger", "seats"),
            (
                Time(records[0]),
                records[0].Body,
                records[0].SeverityText,
                records[0].SeverityNumber,
                Field(records[0], "process.pid"),
                Field(records[0], "user.name"),
                Field(records[0], "db.namespace")
            )
        );
        Assert.EndsWith("WHERE id = 409", records[2].Body, StringComparison.Ordinal);
        var bracketed = Reading.Of(Sample("database", 1)).Records;
        Assert.Equal(
            (2, "Warning", "42", "row 409 is locked"),
            (bracketed.Count, bracketed[0].SeverityText, Field(bracketed[0], "process.pid"), bracketed[0].Body)
        );
        var slow = Reading.Of(Sample("database", 2)).One;
        Assert.Equal(
            ("2026-11-23T16:51:04.204", "ledger", "10.20.4.30", "3.204512s", "409000"),
            (
                Time(slow),
                Field(slow, "user.name"),
                Field(slow, "client.address"),
                Field(slow, "duration"),
                Field(slow, "db.rows_examined")
            )
        );
    }

    [Fact]
    public void Package_logs_say_what_was_done_to_which()
    {
        var records = Reading.Of(Sample("packages", 0)).Records;
        Assert.Equal(
            ("2026-11-23T17:51:04.000", "upgrade", "tide-reader:amd64"),
            (Time(records[0]), Field(records[0], "package.action"), Field(records[0], "package.name"))
        );
        var stanzas = Reading.Of(Sample("packages", 1)).Records;
        Assert.Equal(
            (2, "2026-11-24T06:12:40.000", "quay-probe:amd64 (1.4-2)"),
            (stanzas.Count, Time(stanzas[1]), Field(stanzas[1], "package.remove"))
        );
    }

    [Fact]
    public void Boot_logs_have_a_mark_or_seconds_in_front()
    {
        var marks = Reading.Of(Sample("boot", 0)).Records;
        Assert.Equal(("Started tide reader.", 9, 17), (marks[0].Body, marks[0].SeverityNumber, marks[1].SeverityNumber));
        var seconds = Reading.Of(Sample("boot", 1)).Records;
        Assert.Equal(("eth0: link is up", "12.204512s"), (seconds[1].Body, Field(seconds[1], "system.uptime")));
    }

    [Fact]
    public void Json_has_the_usual_names_nested_too()
    {
        var records = Reading.Of(Sample("json", 0)).Records;
        Assert.Equal(("row locked", "warn", "seat-ledger"), (records[0].Body, records[0].SeverityText, Service(records[0])));
        Assert.Equal(
            ("gave up", "error", 17, "ledger-2"),
            (records[1].Body, records[1].SeverityText, records[1].SeverityNumber, Host(records[1]))
        );
        var tens = Reading.Of("""{"level":50,"time":1795456264204,"msg":"gave up","pid":12}""" + "\n").One;
        Assert.Equal((17, "2026-11-23T17:51:04.204", "gave up"), (tens.SeverityNumber, Time(tens), tens.Body));
        var wrapped = Reading.Of("""{"log":"the tide turns\n","stream":"stderr","time":"2026-11-23T17:51:04.204Z"}""" + "\n").One;
        Assert.Equal("the tide turns", wrapped.Body);
        var dated = Reading.Of("""{"t":{"$date":"2026-11-23T17:51:04.204Z"},"s":"E","c":"NETWORK","msg":"gave up"}""" + "\n").One;
        Assert.Equal(("2026-11-23T17:51:04.204", 17), (Time(dated), dated.SeverityNumber));
    }

    [Theory]
    [InlineData(
        "2026-11-23 17:51:04,204 WARN [checkin-3] ferry.manifest.Ledger - row locked",
        "row locked",
        "WARN",
        "checkin-3",
        "ferry.manifest.Ledger",
        ""
    )]
    [InlineData("2026-11-23 17:51:04.204 4711 INFO ferry.Gate [-] opened", "opened", "INFO", "", "ferry.Gate", "4711")]
    [InlineData("[2026-11-23 17:51:04] production.ERROR: gave up", "production.ERROR: gave up", null, "", "", "")]
    [InlineData("11-23 17:51:04.204  1702  2395 D GateLock: opened twice", "opened twice", "D", "", "GateLock", "1702")]
    [InlineData("INFO 2026-11-23 17:51:04,204 gate opened", "gate opened", "INFO", "", "", "")]
    [InlineData("[ERROR] 2026-11-23 17:51:04 gate stuck", "gate stuck", "ERROR", "", "", "")]
    [InlineData("I1123 17:51:04.204512  4711 gate.go:42] opened", "opened", "I", "", "", "4711")]
    public void What_a_prefix_says_becomes_fields(
        string line,
        string body,
        string? level,
        string thread,
        string logger,
        string process
    )
    {
        var record = Reading.Of(line + "\n" + line + "\n").Records[0];
        Assert.Equal("2026-11-23T17:51:04", Instants.Format(record.Time)[..19]);
        Assert.Equal(
            (body, level, thread, logger, process),
            (
                record.Body,
                record.SeverityText,
                Field(record, "thread.name"),
                Field(record, "logger"),
                Field(record, "process.pid")
            )
        );
    }

    [Fact]
    public void Colours_leave_the_body_and_stay_in_the_line()
    {
        var record = Reading
            .Of("2026-11-23 17:51:04 \u001b[31mERROR\u001b[0m gate \u001b[1mstuck\u001b[0m\n2026-11-23 17:51:05 INFO open\n")
            .Records[0];
        Assert.Equal(("gate stuck", "ERROR"), (record.Body, record.SeverityText));
        Assert.Contains("\u001b[31m", Field(record, "log.record.original"), StringComparison.Ordinal);
    }

    [Fact]
    public void A_person_names_types_and_leaves_out_fields()
    {
        var settings = new FormatSettings("logfmt")
        {
            Fields = [new("crew", "people", FieldType.Text), new("vessel", ""), new("hours", "service")],
            Host = "roster-1",
        };
        var record = Reading
            .Of("ts=2026-11-23T17:51:04Z msg=begins crew=7 vessel=Dunlin hours=late\n", settings, isDecided: true)
            .One;
        Assert.Equal(
            (Value.Of("7"), "", "late", "roster-1"),
            (record.Attributes.Get("people"), Field(record, "vessel"), Service(record), Host(record))
        );
    }

    [Fact]
    public void Any_bytes_are_read_as_something_and_nothing_fails() =>
        Gen.OneOf(
                Gen.Byte.Array[0, 400],
                Gen.String[Gen.Char["aZ09 :[]{}\"=,;|-+/\\\n\t.#<>@"], 0, 400].Select(Encoding.UTF8.GetBytes)
            )
            .Sample(bytes =>
            {
                foreach (var format in FormatList.All)
                    Reading.Of(bytes, new FormatSettings(format.Name), isDecided: true);
                Reading.Of(bytes);
            });

    [Fact]
    public void Settings_are_kept_and_read_back()
    {
        var settings = new FormatSettings("csv")
        {
            Zone = "Europe/Berlin",
            Order = DayOrder.DayFirst,
            Delimiter = ';',
            Columns = ["time", "what"],
            Fields = [new("what", "body")],
        };
        var back = FormatSettings.FromJson(settings.ToJson())!;
        Assert.Equal(settings.ToJson(), back.ToJson());
        Assert.Null(FormatSettings.FromJson("{"));
    }
}
