using System.IO.Compression;
using Kumiko.Cli;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;

namespace Kumiko.Web.Tests;

/// <summary>The commands, on a folder of their own and on one that a server holds. They share the console, so one runs at a
/// time.</summary>
[Collection("console")]
public sealed class CommandLineTests : IDisposable
{
    private const string Lines =
        "{\"time\":\"2026-11-23T17:51:00Z\",\"body\":\"ticket refused\",\"reason\":\"void\"}\nnonsense\n{\"time\":\"2026-11-23T17:52:00Z\",\"body\":\"ticket admitted \\u001b[2J\"}\n";

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly TextWriter _out = Console.Out;
    private readonly TextWriter _error = Console.Error;

    public void Dispose()
    {
        Console.SetOut(_out);
        Console.SetError(_error);
        Directory.Delete(_folder, true);
    }

    private static async Task<(int Code, string Out, string Error)> Do(params string[] args)
    {
        var (output, error) = (new StringWriter(), new StringWriter());
        Console.SetOut(output);
        Console.SetError(error);
        var code = await Commands.Root().Parse(args).InvokeAsync();
        return (code, output.ToString(), error.ToString());
    }

    private string File(bool gzip)
    {
        var path = Path.Combine(_folder, gzip ? "lines.gz" : "lines.ndjson");
        using var to = System.IO.File.Create(path);
        using Stream packed = gzip ? new GZipStream(to, CompressionLevel.Fastest) : to;
        packed.Write(System.Text.Encoding.UTF8.GetBytes(Lines));
        return path;
    }

    [Fact]
    public async Task A_packed_file_that_is_cut_off_goes_in_up_to_there_also_through_a_server()
    {
        var whole = new MemoryStream();
        await using (var packed = new GZipStream(whole, CompressionLevel.Fastest, leaveOpen: true))
            for (var i = 0; i < 50_000; i++)
                await packed.WriteAsync(
                    System.Text.Encoding.UTF8.GetBytes($"{{\"body\":\"ticket {i * 7919 % 104729} refused\"}}\n")
                );
        var path = Path.Combine(_folder, "cut.gz");
        await System.IO.File.WriteAllBytesAsync(path, whole.ToArray()[..(int)(whole.Length / 2)]);
        await using var server = await RunningServer.Start();
        var imported = await Do("import", path, "--source", "old logs", "--data", server.Path);
        Assert.Equal(1, imported.Code);
        Assert.Contains("The compressed data is damaged", imported.Error);
        Assert.InRange(server.Get<RecordStore>().Count, 1_000, 49_000);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task Import_and_query_work_on_a_folder_alone(bool gzip)
    {
        var data = Path.Combine(_folder, "data");
        var imported = await Do("import", File(gzip), "--source", "old logs", "--data", data);
        Assert.Equal(1, imported.Code);
        Assert.Contains("2 records taken, 1 line refused", imported.Out);
        Assert.Contains("line 2, column 2: This is not JSON", imported.Error);
        Assert.Contains("100%", imported.Error);
        var table = await Do("query", "ticket", "--from", "2026-11-23T17:00:00Z", "--to", "2026-11-23T18:00:00Z", "--data", data);
        Assert.Equal(0, table.Code);
        Assert.Contains("ticket refused", table.Out);
        Assert.DoesNotContain("\u001b", table.Out);
        var wrong = await Do("query", "level >=", "--data", data);
        Assert.Equal(1, wrong.Code);
        Assert.Contains("Line 1, column 7", wrong.Error);
    }

    private string Write(string name, string text)
    {
        var path = Path.Combine(_folder, name);
        System.IO.File.WriteAllText(path, text);
        return path;
    }

    [Fact]
    public async Task A_log_of_another_format_is_told_and_read()
    {
        var data = Path.Combine(_folder, "data");
        var line = """10.20.4.17 - - [23/Nov/2026:17:51:04 +0100] "GET /v2/fares HTTP/1.1" 503 18""";
        var path = Write("access.log", $"{line}\n{line}\n{line}\nthe tide turns\n");
        var imported = await Do("import", path, "--source", "booking-web", "--service", "booking-web", "--data", data);
        Assert.Contains("Access log (Common or Combined); times as 23/Nov/2026:17:51:04 +0100", imported.Error);
        Assert.Contains("3 records taken, 1 line refused (import 1)", imported.Out);
        var found = await Do(
            "query",
            "http.response.status_code = 503 and service = booking-web | group count()",
            "--from",
            "2026-11-23T16:00:00Z",
            "--to",
            "2026-11-23T17:00:00Z",
            "--data",
            data
        );
        Assert.Contains("3", found.Out);
        var again = await Do("import", path, "--source", "booking-web", "--data", data);
        Assert.Contains("was imported before: import 1", again.Error);
    }

    [Fact]
    public async Task An_order_of_days_that_cannot_be_told_is_asked()
    {
        var data = Path.Combine(_folder, "data");
        var path = Write("gate.log", "04/05/2026 17:51:04 gate opened\n04/05/2026 17:51:05 gate closed\n");
        var asked = await Do("import", path, "--source", "gates", "--data", data);
        Assert.Equal(1, asked.Code);
        Assert.Contains("Which number of 04/05/2026 17:51:04 is the day cannot be told", asked.Error);
        var told = await Do("import", path, "--source", "gates", "--day-order", "dmy", "--zone", "Europe/Lisbon", "--data", data);
        Assert.Contains("2 records taken, 0 lines refused", told.Out);
        foreach (
            var wrong in new[] { ("--zone", "Nowhere"), ("--format", "smoke"), ("--day-order", "md"), ("--record-start", "(") }
        )
            Assert.Equal(1, (await Do("import", path, "--source", "gates", wrong.Item1, wrong.Item2, "--data", data)).Code);
    }

    [Fact]
    public async Task Commands_on_a_held_folder_go_through_the_server()
    {
        await using var server = await RunningServer.Start();
        var imported = await Do("import", File(true), "--source", "old logs", "--data", server.Path);
        Assert.Contains("2 records taken, 1 line refused", imported.Out);
        Assert.Equal(2, server.Get<RecordStore>().Current.Count);
        Assert.Equal(
            "old logs",
            server
                .Get<RecordStore>()
                .Current.NewestFirst(new(0, long.MaxValue), BatchTest.All, null, CancellationToken.None)
                .First()
                .Source
        );
        var table = await Do(
            "query",
            "refused | group count() by reason",
            "--from",
            "2026-11-23T17:00:00Z",
            "--to",
            "2026-11-23T18:00:00Z",
            "--data",
            server.Path
        );
        Assert.Equal("reason  count()\nvoid    1\n", table.Out.ReplaceLineEndings("\n"));
        var token = await Do("token", "quay", "--for", "intake", "--data", server.Path);
        Assert.Equal("quay", server.Get<TokenStore>().Find(token.Out.Trim(), TokenPurpose.Intake)?.Name);
    }

    [Fact]
    public async Task A_token_is_printed_once_and_kept_as_a_hash()
    {
        var data = Path.Combine(_folder, "data");
        var token = (await Do("token", "quay", "--for", "query", "--data", data)).Out.Trim();
        using var folder = DataFolder.TryOpen(data)!;
        using (var database = new AppDatabase(folder.Kept))
            Assert.Equal("quay", new TokenStore(database, TimeProvider.System).Find(token, TokenPurpose.Query)?.Name);
        foreach (var file in Directory.GetFiles(data, "kumiko.db*"))
            Assert.DoesNotContain(token, System.Text.Encoding.Latin1.GetString(System.IO.File.ReadAllBytes(file)));
    }

    [Fact]
    public async Task A_missing_file_stops_before_anything_is_taken()
    {
        var answer = await Do(
            "import",
            Path.Combine(_folder, "nowhere"),
            "--source",
            "x",
            "--data",
            Path.Combine(_folder, "data")
        );
        Assert.Equal(1, answer.Code);
        Assert.Contains("There is no file", answer.Error);
    }

    [Fact]
    public async Task Check_backup_and_restore_work_on_a_folder_alone()
    {
        var (data, copy, restored) = (
            Path.Combine(_folder, "data"),
            Path.Combine(_folder, "copy"),
            Path.Combine(_folder, "restored")
        );
        Assert.Equal(1, (await Do("check", "--data", data)).Code);
        await Do("import", File(false), "--source", "old logs", "--data", data);
        var check = await Do("check", "--data", data);
        Assert.Equal(
            (0, true),
            (
                check.Code,
                check.Out.Contains("2 records", StringComparison.Ordinal)
                    && check.Out.Contains("all sound", StringComparison.Ordinal)
            )
        );
        var backup = await Do("backup", copy, "--data", data);
        Assert.Equal(0, backup.Code);
        Assert.Contains("2 records copied", backup.Out);
        var again = await Do("backup", copy, "--data", data);
        Assert.Equal(1, again.Code);
        Assert.Contains("is not empty", again.Error);
        Assert.Contains("2 records restored", (await Do("restore", copy, "--data", restored)).Out);
        Assert.Contains("is not empty", (await Do("restore", copy, "--data", restored)).Error);
        Assert.Contains(
            "ticket refused",
            (
                await Do("query", "ticket", "--from", "2026-11-23T17:00:00Z", "--to", "2026-11-23T18:00:00Z", "--data", restored)
            ).Out
        );
        using (var file = new FileStream(Path.Combine(data, "records.db"), FileMode.Open))
            file.SetLength(file.Length / 2);
        var damaged = await Do("check", "--data", data);
        Assert.Equal(1, damaged.Code);
        Assert.Contains("problem", damaged.Out);
    }

    [Fact]
    public async Task Check_and_backup_go_through_a_server_that_holds_the_folder()
    {
        await using var server = await RunningServer.Start();
        await Do("import", File(false), "--source", "old logs", "--data", server.Path);
        await server.Get<RecordStore>().Upkeep.SealAll();
        Assert.Contains("2 records in 1 segment and 0 batches: all sound", (await Do("check", "--data", server.Path)).Out);
        var copy = Path.Combine(_folder, "copy");
        Assert.Contains("2 records copied", (await Do("backup", copy, "--data", server.Path)).Out);
        Assert.Contains("is not empty", (await Do("backup", copy, "--data", server.Path)).Error);
        Assert.Contains("Another Kumiko works", (await Do("restore", copy, "--data", server.Path)).Error);
        using var stranger = server.Stranger();
        Assert.Equal(System.Net.HttpStatusCode.Unauthorized, (await stranger.PostAsync("/control/check", null)).StatusCode);
        Assert.Equal(System.Net.HttpStatusCode.Unauthorized, (await stranger.PostAsync("/control/backup?to=x", null)).StatusCode);
    }

    [Theory]
    [InlineData("--keep", "soon", "is no time to keep records")]
    [InlineData("--keep-size", "much", "is no size")]
    public async Task A_retention_that_cannot_be_read_is_told(string option, string value, string told)
    {
        var run = await Do(
            "run",
            "--port",
            "0",
            "--grpc-port",
            "0",
            "--syslog-port",
            "0",
            "--data",
            Path.Combine(_folder, "data"),
            option,
            value
        );
        Assert.Equal(1, run.Code);
        Assert.Contains(told, run.Error);
    }
}
