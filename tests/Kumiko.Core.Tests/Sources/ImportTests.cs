using System.IO.Compression;
using System.Text;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Upkeep;
using Kumiko.Core.Tests.Storage;

namespace Kumiko.Core.Tests.Sources;

/// <summary>Files taken in together, apart from all else, and taken out again.</summary>
public sealed class ImportTests : StoreTest
{
    private const string Line = "2026-11-23 17:51:04 INFO gate opened\n";

    private long Now => Instants.FromDateTime(Clock.GetUtcNow());

    private sealed class Place : IDisposable
    {
        public Place(ImportTests test)
        {
            Store = test.Open();
            Database = new AppDatabase(Path.Combine(test.Folder, "kumiko.db"), test.Clock);
            Imports = new ImportStore(Database, test.Clock);
            Runs = new ImportRuns(
                Store,
                Imports,
                new LineIntake(Store, test.Clock),
                test.Clock,
                Path.Combine(test.Folder, "imports")
            );
        }

        public RecordStore Store { get; }
        public AppDatabase Database { get; }
        public ImportStore Imports { get; }
        public ImportRuns Runs { get; }

        public async Task<Import> Run(FormatSettings settings, params string[] paths)
        {
            var id = await Imports.Create("gates", [.. paths.Select(p => ImportPlan.FileOf(p))], settings, "Ines Halloran");
            await Runs.Start(Imports.Find(id)!);
            return Imports.Find(id)!;
        }

        public void Dispose()
        {
            Runs.Dispose();
            Database.Dispose();
            Store.Dispose();
        }
    }

    private string Write(string name, byte[] content)
    {
        var path = Path.Combine(Folder, name);
        System.IO.File.WriteAllBytes(path, content);
        return path;
    }

    private string Write(string name, string content) => Write(name, Encoding.UTF8.GetBytes(content));

    private static byte[] Gzipped(byte[] content)
    {
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest))
            gzip.Write(content);
        return packed.ToArray();
    }

    private static byte[] Zipped(params (string Name, byte[] Content)[] files)
    {
        using var packed = new MemoryStream();
        using (var zip = new ZipArchive(packed, ZipArchiveMode.Create))
            foreach (var (name, content) in files)
            {
                using var entry = zip.CreateEntry(name).Open();
                entry.Write(content);
            }
        return packed.ToArray();
    }

    private static byte[] Zstd(byte[] content)
    {
        using var packer = new ZstdSharp.Compressor();
        return packer.Wrap(content).ToArray();
    }

    private static readonly FormatSettings AsText = new("text") { Start = RecordStart.Time };

    [Fact]
    public async Task Files_are_taken_in_however_they_are_packed()
    {
        using var place = new Place(this);
        var bytes = Encoding.UTF8.GetBytes(Line);
        var utf16 = Encoding.Unicode.GetBytes(Line);
        var import = await place.Run(
            AsText,
            Write("plain.log", bytes),
            Write("a.gz", Gzipped(bytes)),
            Write("b.zst", Zstd(bytes)),
            Write("c.zip", Zipped(("one.log", bytes), ("../../up.log", bytes), ("in.gz", Gzipped(bytes)))),
            Write("wide.log", utf16),
            Write("marked.log", [0xff, 0xfe, .. utf16]),
            Write("bom.log", [0xef, 0xbb, 0xbf, .. bytes])
        );
        Assert.Equal((ImportState.Done, 9L, 0L, null), (import.State, import.Taken, import.Refused, import.Problem));
        Assert.All(All(place.Store), r => Assert.Equal(("gate opened", "gates"), (r.Body, r.Source)));
        Assert.False(System.IO.File.Exists(Path.Combine(Folder, "..", "up.log")));
    }

    [Fact]
    public async Task An_import_shares_no_segment_and_can_be_taken_out_whole()
    {
        using var place = new Place(this);
        await place.Store.Append([Sample.Random(1, Now)], "gates");
        var first = await place.Run(AsText, Write("one.log", string.Concat(Enumerable.Repeat(Line, 30))));
        await place.Store.Upkeep.SealAll();
        var second = await place.Run(AsText, Write("two.log", string.Concat(Enumerable.Repeat(Line, 20))));
        await place.Store.Append([Sample.Random(2, Now)], "gates");
        // One lies in a segment, the other still waits.
        Assert.Equal((30L, 20L, 52L), (place.Store.CountOf(first.Id), place.Store.CountOf(second.Id), place.Store.Count));
        while (await place.Store.Upkeep.Merge()) { }
        Assert.Equal(30, await place.Runs.TakeOut(first));
        Assert.Equal(20, await place.Runs.TakeOut(second));
        Assert.Equal((2L, 0L), (place.Store.Count, place.Store.CountOf(first.Id)));
        Assert.Equal(ImportState.TakenOut, place.Imports.Find(first.Id)!.State);
        await place.Store.Upkeep.SealAll();
        Assert.Equal(2, All(place.Store).Count);
    }

    [Fact]
    public async Task What_was_taken_out_stays_out_after_a_restart_and_the_rest_stays_apart()
    {
        long kept;
        using (var place = new Place(this))
        {
            var gone = await place.Run(AsText, Write("one.log", Line + Line));
            kept = (await place.Run(AsText, Write("two.log", Line + Line + Line))).Id;
            await place.Store.Upkeep.SealAll();
            await place.Runs.TakeOut(gone);
            await place.Run(AsText, Write("three.log", Line));
        }
        using var store = Open();
        Assert.Equal((4L, 3L, 0), (store.Count, store.CountOf(kept), store.Notices.Count));
    }

    [Fact]
    public async Task First_sights_outlive_an_import()
    {
        using var place = new Place(this);
        var import = await place.Run(AsText, Write("one.log", "2026-11-23 17:51:04 INFO [checkin-3] ferry.Gate - opened\n"));
        await place.Store.Upkeep.SealAll();
        var seen = place.Store.FirstSeen("logger");
        Assert.NotNull(seen);
        await place.Runs.TakeOut(import);
        Assert.Equal((0L, seen), (place.Store.Count, place.Store.FirstSeen("logger")));
    }

    [Fact]
    public async Task Refused_lines_are_kept_with_their_reasons_to_be_tried_again()
    {
        using var place = new Place(this);
        var access = """10.20.4.17 - - [23/Nov/2026:17:51:04 +0100] "GET /fares HTTP/1.1" 200 18""";
        var import = await place.Run(
            new FormatSettings("access"),
            Write("access.log", $"{access}\n=the tide\n{access}\nturns\n")
        );
        Assert.Equal((2L, 2L), (import.Taken, import.Refused));
        Assert.Equal("=the tide\nturns\n", await System.IO.File.ReadAllTextAsync(place.Runs.RefusedLines(import.Id)));
        var reasons = await System.IO.File.ReadAllTextAsync(place.Runs.RefusedReasons(import.Id));
        Assert.Contains("no time in brackets", reasons, StringComparison.Ordinal);
        // A spreadsheet must not run it.
        Assert.DoesNotContain(",=the", reasons, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_same_file_twice_is_noticed_until_it_is_taken_out()
    {
        using var place = new Place(this);
        var path = Write("one.log", Line);
        var first = await place.Run(AsText, path);
        var mark = ImportPlan.FileOf(Write("renamed.log", Line)).Mark;
        Assert.Equal([first.Id], place.Imports.WithFile(mark, 0).Select(i => i.Id));
        Assert.Empty(place.Imports.WithFile(ImportPlan.FileOf(Write("other.log", Line + Line)).Mark, 0));
        await place.Runs.TakeOut(first);
        Assert.Empty(place.Imports.WithFile(mark, 0));
    }

    [Fact]
    public async Task What_is_no_text_is_left_out_and_the_other_files_are_taken()
    {
        using var place = new Place(this);
        var import = await place.Run(
            AsText,
            Write("binary", [1, 2, 0, 3, 0, 0, 0, 7, 9, 0, 1, 1, 1]),
            Write("broken.gz", Gzipped(Encoding.UTF8.GetBytes(Line))[..^6]),
            Write("broken.zip", [(byte)'P', (byte)'K', 3, 4, 1, 2, 3]),
            Write("good.log", Line)
        );
        Assert.Equal(ImportState.Done, import.State);
        Assert.Contains("binary: This is no text", import.Problem, StringComparison.Ordinal);
        Assert.Contains("broken.zip", import.Problem, StringComparison.Ordinal);
        Assert.Contains(
            "good",
            All(place.Store)[^1].Body.Replace("gate", "good", StringComparison.Ordinal),
            StringComparison.Ordinal
        );
        Assert.Equal(place.Store.Count, import.Taken);
    }

    [Fact]
    public async Task A_bomb_is_stopped_and_what_came_before_is_in()
    {
        using var place = new Place(this);
        var bomb = new MemoryStream();
        await using (var gzip = new GZipStream(bomb, CompressionLevel.SmallestSize, leaveOpen: true))
        {
            gzip.Write(Encoding.UTF8.GetBytes(Line));
            var blank = new byte[1 << 20];
            blank.AsSpan().Fill((byte)'\n');
            for (var i = 0; i < 300; i++)
                gzip.Write(blank);
        }
        var import = await place.Run(AsText, Write("bomb.gz", bomb.ToArray()));
        Assert.Contains("unpacks to more than", import.Problem, StringComparison.Ordinal);
        Assert.Equal((1L, 1L), (import.Taken, place.Store.Count));
    }

    [Fact]
    public async Task One_that_is_stopped_says_exactly_what_is_in()
    {
        using var place = new Place(this);
        var path = Write("large.log", string.Concat(Enumerable.Repeat(Line, 1_500_000)));
        var id = await place.Imports.Create("gates", [ImportPlan.FileOf(path)], AsText, "Ines Halloran");
        var run = place.Runs.Start(place.Imports.Find(id)!);
        while (place.Store.CountOf(id) == 0 && !run.IsCompleted)
            await Task.Yield();
        place.Runs.Stop(id);
        await run;
        var import = place.Imports.Find(id)!;
        Assert.Equal(ImportState.Stopped, import.State);
        Assert.Equal(place.Store.CountOf(id), import.Taken);
        Assert.InRange(import.Taken, 1, 1_499_999);
    }

    [Fact]
    public async Task One_that_the_server_did_not_survive_says_so_at_the_next_start()
    {
        using var place = new Place(this);
        var done = await place.Run(AsText, Write("one.log", Line + Line));
        await place.Imports.Save(done with { State = ImportState.Running, Taken = 0 });
        await place.Runs.Recover();
        var import = place.Imports.Find(done.Id)!;
        Assert.Equal((ImportState.Broken, 2L), (import.State, import.Taken));
        Assert.Contains("server stopped", import.Problem, StringComparison.Ordinal);
    }

    [Fact]
    public async Task On_a_full_disk_it_ends_and_says_what_is_in()
    {
        using var place = new Place(this);
        var store = place.Store;
        await store.LimitPages(60);
        var noise = new StringBuilder();
        var random = new Random(3);
        for (var i = 0; i < 60_000; i++)
            noise.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"2026-11-23 17:51:04 INFO {random.NextInt64():x}{random.NextInt64():x}{random.NextInt64():x}\n"
            );
        var import = await place.Run(AsText, Write("large.log", noise.ToString()));
        Assert.Equal(ImportState.Broken, import.State);
        Assert.Contains("disk is full", import.Problem, StringComparison.Ordinal);
        Assert.Equal(store.CountOf(import.Id), import.Taken);
    }

    [Fact]
    public async Task A_backup_keeps_imports_apart()
    {
        using var place = new Place(this);
        var import = await place.Run(AsText, Write("one.log", Line + Line));
        await place.Store.Append([Sample.Random(2, Now)], "gates");
        var to = Path.Combine(Folder, "copy");
        await StoreBackup.Run(place.Store, place.Database, to, null, CancellationToken.None);
        using var copy = Open(path: Path.Combine(to, "records.db"));
        Assert.Equal((3L, 2L), (copy.Count, copy.CountOf(import.Id)));
    }
}
