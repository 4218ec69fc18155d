using System.IO.Compression;
using System.Text;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Intake;

public sealed class LineIntakeTests : IDisposable
{
    private static readonly Window Ever = new(long.MinValue, long.MaxValue);
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private readonly RecordStore _store;
    private readonly LineIntake _intake;

    public LineIntakeTests()
    {
        _store = new RecordStore(Path.Combine(_folder, "records.db"), _clock);
        _intake = new LineIntake(_store, _clock);
    }

    public void Dispose()
    {
        _store.Dispose();
        Directory.Delete(_folder, true);
    }

    private Task<IntakeAnswer> Take(byte[] body, string? key = null) =>
        _intake.Take(
            new MemoryStream(body),
            new LineWish("quay") { Key = key, Limit = LineIntake.MostBytes },
            CancellationToken.None
        );

    private Task<IntakeAnswer> Take(string body, string? key = null) => Take(Encoding.UTF8.GetBytes(body), key);

    private List<LogRecord> Stored() => [.. _store.Current.OldestFirst(Ever, BatchTest.All, null, CancellationToken.None)];

    [Fact]
    public async Task Takes_records_in_the_usual_spellings()
    {
        var answer = await Take(
            """
            {"time":"2026-11-23T17:51:04.204Z","level":"error","service":"gate-control","host":"gate-t3","body":"refused","terminal":"Tarnhead","wait":"812ms"}
            {"timestamp":1795456264204,"severity":"WARNING","app":"booking-web","hostname":"booking-1","message":"slow","status":409}
            {"ts":1795456264.5,"lvl":"INFO","service.name":"tide-feed","host.name":"tide-1","msg":"1.42 m","attributes":{"height":1.42,"list":[1,"a",null],"deep":{"x":true}}}
            {"timeUnixNano":"1795456265000000001","severityNumber":18,"severityText":"ERROR2","body":{"k":1},"resource":{"attributes":{"service.name":"manifest","zone":"b"}},"traceId":"5be8f0a19c7740d2","spanId":"00f1"}

            """
        );
        Assert.Equal((4, 0), (answer.Taken, answer.RefusedTotal));
        var records = Stored();
        Assert.Equal("2026-11-23T17:51:04.204000000Z", Instants.Format(records[0].Time));
        Assert.Equal(["gate-control", "booking-web", "tide-feed", "manifest"], records.Select(r => r.Resource.Service.ToText()));
        Assert.Equal([Severity.Error, Severity.Warn, Severity.Info, 18], records.Select(r => r.SeverityNumber));
        Assert.Equal("Tarnhead", records[0].Attributes.Get("terminal").AsText);
        Assert.Equal(409, records[1].Attributes.Get("status").AsLong);
        Assert.Equal("WARNING", records[1].SeverityText);
        Assert.Equal(1.42, records[2].Attributes.Get("height").AsDouble);
        Assert.True(records[2].Attributes.Get("deep.x").IsTrue);
        Assert.Equal("""[1,"a",null]""", records[2].Attributes.Get("list").ToJson());
        Assert.Equal("""{"k":1}""", records[3].Body);
        Assert.Equal("b", records[3].Resource.Attributes.Get("zone").AsText);
        Assert.Equal(("5be8f0a19c7740d2", "00f1"), (records[3].TraceId, records[3].SpanId));
        Assert.Equal(1, records[3].Time % 100);
        Assert.All(records, r => Assert.Equal("quay", r.Source));
    }

    [Theory]
    [InlineData("""{"body":"cut of""", 16, "not JSON")]
    [InlineData("""[1,2]""", 1, "JSON object")]
    [InlineData("""{"body":"a"} {"body":"b"}""", 13, "Something follows")]
    [InlineData("""{}""", 1, "no body and no attributes")]
    [InlineData("""{"time":"soon","body":"a"}""", 9, "not written as a time. Send ISO 8601")]
    [InlineData("""{"time":"1500-01-01T00:00:00Z","body":"a"}""", 9, "outside the years 1678 to 2261")]
    [InlineData("""{"time":1e40,"body":"a"}""", 9, "outside the years 1678 to 2261")]
    [InlineData("""{"time":"04/05/2026 05:19:54","body":"a"}""", 9, "Which number is the month cannot be told")]
    [InlineData("""{"time":"2026-11-23 05:19:54 CST","body":"a"}""", 9, "Send its offset")]
    [InlineData("""{"time":"Nov 23 05:19:54","body":"a"}""", 9, "has no year")]
    [InlineData("""{"time":"05:19:54","body":"a"}""", 9, "has no day")]
    [InlineData("""{"time":"2026-02-30 05:19:54","body":"a"}""", 9, "not in the calendar")]
    [InlineData("""{"time":true,"body":"a"}""", 9, "A time is a text or a number")]
    [InlineData("""{"body":"\ud800"}""", 9, "not valid Unicode")]
    public async Task Refuses_a_bad_line_with_its_place_and_takes_the_rest(string line, int column, string reason)
    {
        var answer = await Take($"{{\"body\":\"before\"}}\n{line}\n{{\"body\":\"after\"}}");
        Assert.Equal(2, answer.Taken);
        var refused = Assert.Single(answer.Refused);
        Assert.Equal((2, column), (refused.Line, refused.Column));
        Assert.Contains(reason, refused.Reason);
        Assert.Equal(["before", "after"], Stored().Select(r => r.Body));
        var kept = Assert.Single(_store.Refusals(10));
        Assert.Equal(line, Encoding.UTF8.GetString(kept.Head));
    }

    [Fact]
    public async Task Lines_that_are_not_utf8_come_in_as_latin1_and_say_so()
    {
        var answer = await Take([.. "{\"body\":\"quai "u8, 0xe9, .. "\"}\n{\"body\":\"fine\"}"u8]);
        Assert.Equal((2, 0), (answer.Taken, answer.RefusedTotal));
        var records = Stored();
        Assert.Equal(["quai é", "fine"], records.Select(r => r.Body));
        Assert.Equal("encoding Latin-1", records[0].Attributes.Get("line.inferred").AsText);
        Assert.True(records[1].Attributes.Get("line.inferred").IsMissing);
    }

    [Theory]
    [InlineData("2026-11-23 05:21:40.078 UTC", "2026-11-23T05:21:40.078000000Z")]
    [InlineData("2026-11-23 05:21:40 +0000", "2026-11-23T05:21:40.000000000Z")]
    [InlineData("2026-11-23T05:21:40+0130", "2026-11-23T03:51:40.000000000Z")]
    [InlineData("2026-11-23 05:21:40,5 +01:00", "2026-11-23T04:21:40.500000000Z")]
    [InlineData("23/Nov/2026:05:19:54 +0000", "2026-11-23T05:19:54.000000000Z")]
    [InlineData("Mon, 23 Nov 2026 05:19:54 GMT", "2026-11-23T05:19:54.000000000Z")]
    [InlineData("Mon Nov 23 05:19:54.123456 2026", "2026-11-23T05:19:54.123456000Z")]
    [InlineData("2026-11-23T05:21:40.1234567891Z", "2026-11-23T05:21:40.123456789Z")]
    [InlineData("2026/11/23 05:21:40", "2026-11-23T05:21:40.000000000Z")]
    [InlineData("23.11.2026 05:21", "2026-11-23T05:21:00.000000000Z")]
    [InlineData("11/23/2026 5:21:40 PM", "2026-11-23T17:21:40.000000000Z")]
    [InlineData("20261123T052140Z", "2026-11-23T05:21:40.000000000Z")]
    [InlineData("2026-11-23", "2026-11-23T00:00:00.000000000Z")]
    [InlineData("2026-11-23T23:59:60Z", "2026-11-23T23:59:59.000000000Z")]
    [InlineData("1795411300.25", "2026-11-23T05:21:40.250000000Z")]
    [InlineData("1795411300250", "2026-11-23T05:21:40.250000000Z")]
    public async Task Times_are_read_as_programs_write_them(string text, string time)
    {
        await Take($$"""{"time":"{{text}}","body":"a"}""");
        Assert.Equal(time, Instants.Format(Assert.Single(Stored()).Time));
    }

    [Theory]
    [InlineData("error_severity", "ERROR", 17)]
    [InlineData("error_severity", "LOG", 9)]
    [InlineData("levelname", "WARNING", 13)]
    public async Task Levels_have_the_names_that_programs_give_them(string name, string level, int number)
    {
        await Take($$"""{"{{name}}":"{{level}}","body":"a"}""");
        Assert.Equal((number, level), Stored().Select(r => (r.SeverityNumber, r.SeverityText)).Single());
    }

    [Fact]
    public async Task A_missing_time_is_the_time_of_arrival_and_far_years_are_kept()
    {
        await Take(
            """
            {"body":"now"}
            {"time":"1970-01-01T00:00:00Z","body":"old"}
            {"time":"2200-06-01T12:00:00Z","body":"far"}
            """
        );
        Assert.Equal(["old", "now", "far"], Stored().Select(r => r.Body));
        Assert.Equal(_clock.GetUtcNow(), Instants.ToDateTime(Stored()[1].Time));
    }

    [Fact]
    public async Task A_line_over_4_MiB_is_refused_and_its_beginning_kept()
    {
        var answer = await Take("{\"body\":\"a\"}\n{\"body\":\"" + new string('x', 5 << 20) + "\"}\n{\"body\":\"b\"}");
        Assert.Equal(2, answer.Taken);
        Assert.Contains("4 MiB", Assert.Single(answer.Refused).Reason);
        Assert.Equal(4096, _store.Refusals(1)[0].Head.Length);
        Assert.Equal(["a", "b"], Stored().Select(r => r.Body));
    }

    [Fact]
    public async Task A_line_of_just_under_4_MiB_is_taken_whole()
    {
        var body = new string('y', (4 << 20) - 20);
        Assert.Equal(1, (await Take("{\"body\":\"" + body + "\"}\n")).Taken);
        Assert.Equal(body.Length, Stored()[0].Body.Length);
    }

    [Fact]
    public async Task Markup_and_terminal_codes_are_kept_as_they_are()
    {
        await Take("""{"body":"<script>alert(1)</script> \u001b[31mred\u0000 \u202e"}""");
        Assert.Equal("<script>alert(1)</script> \u001b[31mred\0 \u202e", Stored()[0].Body);
    }

    [Fact]
    public async Task A_gzip_bomb_stops_at_the_limit_with_what_was_taken()
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest, leaveOpen: true))
        {
            gzip.Write("{\"body\":\"first\"}\n"u8);
            var zeros = new byte[1 << 20];
            for (var i = 0; i < 300; i++)
                gzip.Write(zeros);
        }
        packed.Position = 0;
        var answer = await _intake.Take(
            Gzip.Open(packed),
            new LineWish("quay") { Limit = LineIntake.MostBytes },
            CancellationToken.None
        );
        Assert.Equal(IntakeStop.TooLarge, answer.Stopped);
        Assert.Equal(1, answer.Taken);
        Assert.Contains("256 MB", answer.Problem);
    }

    [Fact]
    public async Task Several_members_are_one_body()
    {
        var body = new MemoryStream();
        foreach (var line in new[] { "{\"body\":\"first\"}\n", "{\"body\":\"second\"}\n" })
            using (var gzip = new GZipStream(body, CompressionLevel.Fastest, leaveOpen: true))
                gzip.Write(Encoding.UTF8.GetBytes(line));
        body.Position = 0;
        var answer = await _intake.Take(
            Gzip.Open(body),
            new LineWish("quay") { Limit = LineIntake.MostBytes },
            CancellationToken.None
        );
        Assert.Equal((2, IntakeStop.None), (answer.Taken, answer.Stopped));
    }

    [Theory]
    [InlineData("wrong sum")]
    [InlineData("cut off")]
    public async Task Damaged_compression_is_told_with_its_line(string how)
    {
        var body = new MemoryStream();
        using (var gzip = new GZipStream(body, CompressionLevel.Fastest, leaveOpen: true))
            for (var i = 0; i < 100_000; i++)
                gzip.Write(Encoding.UTF8.GetBytes($"{{\"body\":\"line {i * 7919 % 100_003}\"}}\n"));
        var bytes = body.ToArray();
        if (how == "cut off")
            bytes = bytes[..(bytes.Length / 2)];
        else
            bytes[^6] ^= 0xff;
        var answer = await _intake.Take(
            Gzip.Open(new MemoryStream(bytes)),
            new LineWish("quay") { Limit = LineIntake.MostBytes },
            CancellationToken.None
        );
        Assert.Equal(IntakeStop.Damaged, answer.Stopped);
        Assert.Contains("damaged", answer.Problem);
    }

    [Fact]
    public async Task A_repeated_batch_with_the_same_key_is_taken_once()
    {
        Assert.Equal(1, (await Take("{\"body\":\"once\"}", "k1")).Taken);
        Assert.Equal(1, (await Take("{\"body\":\"once\"}", "k1")).Taken);
        Assert.Equal(1, (await Take("{\"body\":\"twice\"}", "k2")).Taken);
        Assert.Equal(["once", "twice"], Stored().Select(r => r.Body));
    }

    [Fact]
    public async Task A_full_disk_takes_nothing_and_says_so()
    {
        using var small = new RecordStore(Path.Combine(_folder, "small.db"), _clock);
        await small.LimitPages(1);
        var intake = new LineIntake(small, _clock);
        var answer = await intake.Take(
            new MemoryStream(
                System.Text.Encoding.UTF8.GetBytes(
                    string.Join(
                        '\n',
                        Enumerable
                            .Range(0, 400)
                            .Select(i =>
                                $"{{\"body\":\"{Convert.ToHexString(System.Security.Cryptography.RandomNumberGenerator.GetBytes(500))}\"}}"
                            )
                    )
                )
            ),
            new LineWish("quay") { Limit = LineIntake.MostBytes },
            CancellationToken.None
        );
        Assert.Equal((IntakeStop.NoRoom, 0), (answer.Stopped, answer.Taken));
        Assert.Contains("disk is full", answer.Problem);
        Assert.Equal(0, small.Count);
    }

    [Fact]
    public async Task Many_names_in_one_record_do_no_harm()
    {
        var fields = string.Join(',', Enumerable.Range(0, 5_000).Select(i => $"\"f{i}\":{i}"));
        Assert.Equal(1, (await Take("{\"body\":\"wide\"," + fields + ",\"f7\":\"last wins\"}")).Taken);
        Assert.Equal("last wins", Stored()[0].Attributes.Get("f7").AsText);
        Assert.Equal(5_000, Stored()[0].Attributes.Count);
    }
}
