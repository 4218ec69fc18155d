using System.IO.Compression;
using System.Text;
using CsCheck;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Sources;
using Kumiko.Core.Sources.Following;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;

namespace Kumiko.Core.Tests.Sources;

/// <summary>Files that grow, are renamed, copied away and cut short: each line once.</summary>
public sealed class FollowerTests : StoreTest
{
    private readonly string _logs;

    public FollowerTests() => Directory.CreateDirectory(_logs = Path.Combine(Folder, "logs"));

    private sealed class Place : IDisposable
    {
        private readonly FollowerTests _test;

        public Place(FollowerTests test)
        {
            _test = test;
            Store = test.Open();
            Database = new AppDatabase(Path.Combine(test.Folder, "kumiko.db"), test.Clock);
            Wishes = new FollowStore(Database, test.Clock);
            Follower = new Follower(Store, Wishes, new PathGate(test._logs), test.Clock);
        }

        public RecordStore Store { get; }
        public AppDatabase Database { get; }
        public FollowStore Wishes { get; }
        public Follower Follower { get; }

        /// <summary>Looks until there is nothing more, and once more after a while, so that last records are whole.</summary>
        public async Task Settle()
        {
            await Look();
            _test.Clock.Advance(TimeSpan.FromSeconds(3));
            await Look();
        }

        public async Task Look()
        {
            while (await Follower.Pass(CancellationToken.None)) { }
        }

        public IEnumerable<string> Bodies => All(Store).OrderBy(r => r.Sequence).Select(r => r.Body);

        public void Dispose()
        {
            Database.Dispose();
            Store.Dispose();
        }
    }

    private static readonly FormatSettings EachLine = new("text") { Start = RecordStart.EachLine };

    private static FollowWish Wish(string path, FormatSettings? settings = null) =>
        new(0, path, "gates", settings ?? EachLine, "Mirek Dane", 0);

    private string Log(string name) => Path.Combine(_logs, name);

    private void Add(string name, params string[] lines) => System.IO.File.AppendAllLines(Log(name), lines);

    [Fact]
    public async Task A_file_is_read_as_it_grows_and_a_line_once_it_has_ended()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log")));
        await place.Look();
        Add("gate.log", "one", "two");
        System.IO.File.AppendAllText(Log("gate.log"), "thr");
        await place.Settle();
        Assert.Equal(["one", "two"], place.Bodies);
        System.IO.File.AppendAllText(Log("gate.log"), "ee\n");
        await place.Settle();
        Assert.Equal(["one", "two", "three"], place.Bodies);
        var file = Assert.Single(place.Follower.Files());
        Assert.Equal(
            (3L, 0L, "three", 3L, null),
            (file.Place!.Taken, file.Backlog, file.LastLine, file.Place.Line, file.Problem)
        );
    }

    [Fact]
    public async Task A_rename_loses_nothing_and_repeats_nothing()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log")));
        Add("gate.log", "one");
        await place.Look();
        Add("gate.log", "two");
        System.IO.File.Move(Log("gate.log"), Log("gate.log.1"));
        Add("gate.log.1", "three");
        Add("gate.log", "four");
        await place.Settle();
        Assert.Equal(["four", "one", "three", "two"], place.Bodies.Order());
        // Late words of whoever still has it open.
        Add("gate.log.1", "late");
        await place.Settle();
        Assert.Equal(5, place.Store.Count);
        Clock.Advance(TimeSpan.FromMinutes(2));
        await place.Settle();
        Assert.Equal((5L, 1), (place.Store.Count, place.Store.FollowedPlaces().Count(p => p.Ended is null)));
    }

    [Fact]
    public async Task A_renamed_file_that_the_path_matches_goes_on()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log*")));
        Add("gate.log", "one", "two");
        await place.Settle();
        System.IO.File.Move(Log("gate.log"), Log("gate.log.1"));
        Add("gate.log.1", "three");
        Add("gate.log", "four");
        await place.Settle();
        Assert.Equal(["four", "one", "three", "two"], place.Bodies.Order());
    }

    [Theory]
    [InlineData("gate.log")]
    [InlineData("gate.log*")]
    public async Task Copied_away_and_cut_short_it_is_read_on_in_the_copy(string path)
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log(path)));
        Add("gate.log", "one", "two");
        await place.Look();
        Add("gate.log", "three");
        System.IO.File.Copy(Log("gate.log"), Log("gate.log.1"));
        System.IO.File.WriteAllText(Log("gate.log"), "");
        Add("gate.log", "four");
        await place.Settle();
        Assert.Equal(["four", "one", "three", "two"], place.Bodies.Order());
        Add("gate.log", "five", "six", "seven");
        await place.Settle();
        Assert.Equal(7, place.Store.Count);
    }

    [Fact]
    public async Task Written_anew_and_grown_beyond_what_it_was_it_is_read_from_its_beginning()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log")));
        Add("gate.log", "one");
        await place.Settle();
        System.IO.File.WriteAllText(Log("gate.log"), "another and longer\nthan before\n");
        await place.Settle();
        Assert.Equal(["one", "another and longer", "than before"], place.Bodies);
    }

    [Fact]
    public async Task After_a_restart_it_goes_on_where_it_was_also_in_a_renamed_file()
    {
        using (var place = new Place(this))
        {
            await place.Wishes.Add(Wish(Log("gate.log")));
            Add("gate.log", "one", "two");
            await place.Settle();
        }
        Add("gate.log", "three");
        System.IO.File.Move(Log("gate.log"), Log("gate.log-20261123"));
        Add("gate.log", "four");
        using var again = new Place(this);
        await again.Settle();
        Assert.Equal(["four", "one", "three", "two"], again.Bodies.Order());
    }

    [Fact]
    public async Task New_files_of_a_pattern_are_found_in_any_folder_of_it()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Path.Combine(_logs, "*", "*.log")));
        await place.Look();
        foreach (var terminal in new[] { "hollin", "orra" })
        {
            Directory.CreateDirectory(Log(terminal));
            Add(Path.Combine(terminal, "gate.log"), terminal);
            Add(Path.Combine(terminal, "other.txt"), "not asked for");
        }
        await place.Settle();
        Assert.Equal(["hollin", "orra"], place.Bodies.Order());
    }

    [Fact]
    public async Task A_stack_trace_joins_once_nothing_more_comes_and_not_before()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log"), new FormatSettings("text") { Start = RecordStart.Time }));
        Add("gate.log", "2026-11-23 17:51:04 ERROR gave up", "\tat Gate.open(Gate.java:3)");
        await place.Look();
        Assert.Empty(place.Bodies);
        Add("gate.log", "\tat Gate.main(Gate.java:1)");
        await place.Settle();
        Assert.Equal(["gave up\n\tat Gate.open(Gate.java:3)\n\tat Gate.main(Gate.java:1)"], place.Bodies);
    }

    [Fact]
    public async Task The_names_of_columns_are_known_after_a_restart()
    {
        var csv = new FormatSettings("csv") { Delimiter = ',' };
        using (var place = new Place(this))
        {
            await place.Wishes.Add(Wish(Log("tide.csv"), csv));
            Add("tide.csv", "time,terminal,height_m", "2026-11-23T17:51:00Z,Hollin,3.2");
            await place.Settle();
        }
        Add("tide.csv", "2026-11-23T17:52:00Z,Orra,3.1");
        using var again = new Place(this);
        await again.Settle();
        Assert.Equal(["3.2", "3.1"], All(again.Store).Select(r => r.Attributes.Get("height_m").ToText()));
    }

    [Fact]
    public async Task Its_format_is_told_from_its_first_lines_and_kept_and_corrected()
    {
        using var place = new Place(this);
        var id = await place.Wishes.Add(new FollowWish(0, Log("gate.log"), "gates", null, "Mirek Dane", 0));
        Add("gate.log", "ts=2026-11-23T17:51:04Z level=warn msg=opened", "ts=2026-11-23T17:51:05Z level=info msg=closed");
        await place.Settle();
        await place.Settle();
        Assert.Equal(("logfmt", 2L), (place.Wishes.Find(id)!.Settings!.Format, place.Store.Count));
        await place.Wishes.Save(id, EachLine with { IsCorrected = true });
        place.Follower.Reread(id);
        Add("gate.log", "ts=2026-11-23T17:51:06Z level=info msg=again");
        await place.Settle();
        Assert.StartsWith("ts=", place.Bodies.Last(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Refused_lines_move_on_and_are_told()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log"), new FormatSettings("logfmt")));
        Add("gate.log", "a=1 b=2", "\"no", "c=3 d=4");
        await place.Settle();
        var kept = Assert.Single(place.Follower.Files()).Place!;
        Assert.Equal((2L, 1L, 3L), (kept.Taken, kept.Refused, kept.Line));
        Assert.Equal(2, Assert.Single(place.Store.Refusals(10)).Line);
    }

    [Fact]
    public async Task Packed_and_binary_files_are_not_followed_and_say_so()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("*")));
        await using (var file = System.IO.File.Create(Log("gate.log.1.gz")))
        await using (var gzip = new GZipStream(file, CompressionLevel.Fastest))
            gzip.Write("one\n"u8);
        System.IO.File.WriteAllBytes(Log("core"), [1, 0, 2, 0, 3, 10, 4, 10]);
        Add("gate.log", "one");
        await place.Settle();
        Assert.Equal(["one"], place.Bodies);
        Assert.Equal(2, place.Follower.Files().Count(f => f.Problem is not null));
    }

    [Fact]
    public async Task A_pipe_holds_nobody()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("*")));
        using (var make = System.Diagnostics.Process.Start("mkfifo", [Log("a.pipe")]))
            await make.WaitForExitAsync();
        Add("gate.log", "one");
        await place.Settle();
        Assert.Equal(["one"], place.Bodies);
        Assert.Contains("pipe", place.Follower.Files().Single(f => f.Problem is not null).Problem, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_line_that_is_too_long_is_passed_over_once_wherever_looks_end()
    {
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log")));
        Add("gate.log", "one");
        var piece = new string('x', 6 << 20);
        for (var i = 0; i < 4; i++)
        {
            System.IO.File.AppendAllText(Log("gate.log"), piece);
            await place.Look();
        }
        System.IO.File.AppendAllText(Log("gate.log"), "\ntwo\n");
        await place.Settle();
        Assert.Equal(["one", "two"], place.Bodies);
        Assert.Equal(1, Assert.Single(place.Follower.Files()).Place!.Refused);
    }

    [Theory]
    [InlineData(RecordStart.EachLine)]
    [InlineData(RecordStart.Time)]
    public async Task A_large_one_that_got_another_name_is_read_in_several_looks(RecordStart start)
    {
        const int Lines = 300_000;
        using var place = new Place(this);
        await place.Wishes.Add(Wish(Log("gate.log"), new FormatSettings("text") { Start = start }));
        Add("gate.log", "2026-11-23 17:51:04 first", "2026-11-23 17:51:04 second");
        await place.Settle();
        System.IO.File.AppendAllLines(
            Log("gate.log"),
            Enumerable.Range(0, Lines).Select(i => $"2026-11-23 17:51:04 gate opened for ticket {i} of many that were sold")
        );
        System.IO.File.Move(Log("gate.log"), Log("gate.log.1"));
        Clock.Advance(TimeSpan.FromMinutes(2));
        await place.Settle();
        Assert.Equal(Lines + 2, place.Store.Count);
    }

    [Fact]
    public async Task One_that_is_removed_and_added_again_goes_on()
    {
        using var place = new Place(this);
        var id = await place.Wishes.Add(Wish(Log("gate.log")));
        Add("gate.log", "one");
        await place.Settle();
        await place.Wishes.Remove(id);
        Add("gate.log", "two");
        await place.Settle();
        Assert.Equal(["one"], place.Bodies);
        Assert.Equal(id, await place.Wishes.Add(Wish(Log("gate.log"))));
        await place.Settle();
        Assert.Equal(["one", "two"], place.Bodies);
        Assert.Equal(0, await place.Wishes.Add(Wish(Log("gate.log"))));
    }

    /// <summary>What may happen to a file between two looks.</summary>
    private enum Step
    {
        Write,
        Half,
        Look,
        Rename,
        Restart,
        Wait,
    }

    [Fact]
    public async Task In_any_order_of_writing_renaming_and_restarting_every_line_is_there_once()
    {
        var steps = Gen.Int[0, 5].Select(i => (Step)i).Array[1, 30];
        var round = 0;
        await steps.SampleAsync(
            async all =>
            {
                var folder = Path.Combine(_logs, (round++).ToString(System.Globalization.CultureInfo.InvariantCulture));
                Directory.CreateDirectory(folder);
                var log = Path.Combine(folder, "gate.log");
                var (written, renamed, open) = (0, 0, false);
                var place = new Place(this);
                var wish = await place.Wishes.Add(Wish(log));
                var before = place.Store.Count;
                foreach (var step in all)
                {
                    switch (step)
                    {
                        case Step.Write:
                            System.IO.File.AppendAllText(log, open ? " end\n" : $"line {++written}\n");
                            open = false;
                            break;
                        case Step.Half when !open:
                            System.IO.File.AppendAllText(log, $"line {++written}");
                            open = true;
                            break;
                        case Step.Look:
                            await place.Look();
                            break;
                        case Step.Rename when System.IO.File.Exists(log) && !open:
                            // Whoever rotates waits longer than two looks.
                            await place.Look();
                            System.IO.File.Move(log, $"{log}.{++renamed}");
                            break;
                        case Step.Restart:
                            place.Dispose();
                            place = new Place(this);
                            break;
                        case Step.Wait:
                            Clock.Advance(TimeSpan.FromSeconds(5));
                            break;
                    }
                }
                if (open)
                    System.IO.File.AppendAllText(log, " end\n");
                await place.Settle();
                var lines = place.Bodies.Skip((int)before).Select(b => b.Replace(" end", "", StringComparison.Ordinal)).ToList();
                var expected = Enumerable.Range(1, written).Select(i => $"line {i}");
                Assert.Equal(expected.Order(StringComparer.Ordinal), lines.Order(StringComparer.Ordinal));
                await place.Wishes.Remove(wish);
                place.Dispose();
            },
            threads: 1,
            iter: 25
        );
    }
}
