using Kumiko.Core.Changes;
using Kumiko.Core.Entities;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Storage.Spans;
using Kumiko.Core.Tests.Storage;

namespace Kumiko.Core.Tests.Entities;

/// <summary>What runs here, and when it began and ended.</summary>
public sealed class InstanceTests : StoreTest
{
    private static readonly long Noon = Sample.At("2026-11-20T12:00:00Z");

    private sealed class Kept : IDisposable
    {
        private readonly AppDatabase _database;

        public Kept(InstanceTests test)
        {
            Records = test.Open();
            Metrics = new MetricStore(Records, test.Clock, MetricOptions.Default with { Background = false });
            _database = new AppDatabase(Path.Combine(test.Folder, "kumiko.db"));
            Changes = new ChangeStore(_database);
            Book = new InstanceBook(Records, Metrics, new InstanceStore(_database), Changes, test.Clock, isBackground: false);
        }

        public RecordStore Records { get; }
        public MetricStore Metrics { get; }
        public ChangeStore Changes { get; }
        public InstanceBook Book { get; }

        /// <summary>A line for each run.</summary>
        public string Runs =>
            string.Join(
                "\n",
                Book.In(Ever)
                    .Select(r =>
                        $"{r.Instance} {r.Kind} {r.Service} {(r.Started - Noon) / Instants.Second}..{(r.Ended is { } e ? $"{(e - Noon) / Instants.Second}" : "")} {r.Noticed}{(r.Reason.Length > 0 ? ", " + r.Reason : "")}"
                    )
            );

        public void Dispose()
        {
            Book.Dispose();
            Metrics.Dispose();
            Records.Dispose();
            _database.Dispose();
        }
    }

    private static Resource Of(params (string Name, string Value)[] fields) =>
        new(new Attributes([.. fields.Select(f => f.Name)], [.. fields.Select(f => Value.Of(f.Value))]));

    private static LogRecord Line(long second, string body, Resource resource, params (string Name, string Value)[] fields) =>
        new()
        {
            Time = Noon + (second * Instants.Second),
            Observed = Noon + (second * Instants.Second),
            Body = body,
            Resource = resource,
            Attributes = new Attributes([.. fields.Select(f => f.Name)], [.. fields.Select(f => Value.Of(f.Value))]),
            Source = "quay",
        };

    private static Metric Counter(long second, double value, Resource resource, string name = "process.cpu.time") =>
        new(
            name,
            "s",
            "",
            MetricKind.Sum,
            resource,
            InstrumentationScope.None,
            [new Core.Records.Sample { Time = Noon + (second * Instants.Second), Value = Value.Of(value) }]
        )
        {
            IsMonotonic = true,
            Temporality = Temporality.Cumulative,
        };

    [Theory]
    [InlineData("container.id=4f1a service.name=berth-planner", "4f1a container")]
    [InlineData("container.id=4f1a service.instance.id=planner-1", "planner-1 container")]
    [InlineData("k8s.pod.name=planner-7d9 container.id=4f1a", "4f1a container")]
    [InlineData("k8s.pod.name=planner-7d9", "planner-7d9 pod")]
    [InlineData("service.instance.id=planner-1", "planner-1 instance")]
    [InlineData("process.pid=412 host.name=kettle-2", "kettle-2:412 process")]
    [InlineData("service.name=berth-planner host.name=kettle-2", "")]
    [InlineData("", "")]
    public void An_instance_is_told_by_what_it_calls_itself(string fields, string expected)
    {
        var pairs = fields.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(f => f.Split('=')).Select(f => (f[0], f[1]));
        var identity = InstanceIdentity.Of(Of([.. pairs]));
        Assert.Equal(expected, identity is null ? "" : $"{identity.Id} {identity.Kind}");
    }

    [Fact]
    public async Task A_new_start_time_is_a_new_run_and_runs_outlive_the_process()
    {
        Resource At(string start) =>
            Of(("service.name", "berth-planner"), ("service.instance.id", "planner-1"), ("process.creation.time", start));
        using (var kept = new Kept(this))
        {
            await kept.Records.Append([Line(60, "reads tides", At("2026-11-20T11:59:00Z"))], "quay");
            await kept.Records.Append([Line(90, "reads tides", At("2026-11-20T11:59:01Z"))], "quay");
            await kept.Book.Save();
        }
        using (var kept = new Kept(this))
        {
            await kept.Records.Append([Line(200, "reads tides", At("2026-11-20T12:03:00Z"))], "quay");
            const string Expected = """
                planner-1 instance berth-planner -60..90 its start time
                planner-1 instance berth-planner 180.. its start time
                """;
            Assert.Equal(Expected, kept.Runs);
            await kept.Book.Save();
            Assert.Equal(Expected, kept.Runs);
            Assert.Equal(
                (EntityKind.Service, EntityKind.Instance),
                (kept.Book.KindOf("berth-planner"), kept.Book.KindOf("planner-1"))
            );
        }
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_first_line_of_an_instance_that_its_writer_does_not_name_is_no_run_of_its_own(bool lineFirst)
    {
        using var kept = new Kept(this);
        var nameless = Of(("service.name", "tide-feed"), ("host.name", "mast-1"));
        var named = Of(
            ("service.name", "tide-feed"),
            ("host.name", "mast-1"),
            ("service.instance.id", "mast-1-a"),
            ("process.creation.time", "2026-11-20T12:00:04Z")
        );
        LogRecord[] lines = [Line(5, "Started tide-feed 4.1", nameless), Line(60, "reads tides", named)];
        foreach (var line in lineFirst ? lines : lines.Reverse())
            await kept.Records.Append([line], "quay");
        // One that began at another time is another.
        await kept.Records.Append([Line(4_000, "Started tide-feed 4.1", nameless)], "quay");
        await kept.Book.Save();
        Assert.Equal(
            """
            mast-1-a instance tide-feed 4.. its start time
            tide-feed@mast-1 process tide-feed 4000.. its first line
            """,
            kept.Runs
        );
    }

    [Fact]
    public async Task What_is_seen_of_an_instance_is_only_what_is_its_own()
    {
        using var kept = new Kept(this);
        Resource Named(string id) => Of(("service.instance.id", id), ("process.creation.time", "2026-11-20T11:00:00Z"));
        await kept.Records.Append([Line(10, "reads", Named("a")), Line(900, "reads", Named("b"))], "quay");
        Assert.Equal([10, 900], kept.Book.In(Ever).Select(r => (r.Seen - Noon) / Instants.Second));
    }

    [Fact]
    public async Task A_start_time_that_is_told_late_replaces_the_first_sight()
    {
        using var kept = new Kept(this);
        await kept.Records.Append([Line(60, "reads", Of(("service.instance.id", "p")))], "quay");
        await kept.Book.Save();
        await new SpanStore(kept.Records).Append(
            [
                new Span
                {
                    TraceId = new string('a', 32),
                    SpanId = new string('b', 16),
                    Name = "read",
                    Start = Noon + (70 * Instants.Second),
                    End = Noon + (71 * Instants.Second),
                    Resource = Of(("service.instance.id", "p"), ("process.creation.time", "2026-11-20T11:50:00Z")),
                },
            ],
            "quay"
        );
        Assert.Equal("p instance  -600.. its start time", kept.Runs);
        await kept.Book.Save();
        Assert.Equal("p instance  -600.. its start time", kept.Runs);
    }

    [Fact]
    public async Task A_counter_that_falls_is_a_restart_and_limits_are_kept()
    {
        using var kept = new Kept(this);
        var resource = Of(("service.name", "berth-planner"), ("container.id", "4f1a"));
        await kept.Metrics.Append([Counter(0, 40, resource), Counter(0, 9, resource, "process.io")], "hosts");
        await kept.Metrics.Append([Counter(60, 45, resource), Counter(60, 2, resource, "process.io")], "hosts");
        await kept.Metrics.Append(
            [
                new Metric(
                    "k8s.container.memory_limit",
                    "By",
                    "",
                    MetricKind.Gauge,
                    resource,
                    InstrumentationScope.None,
                    [new Core.Records.Sample { Time = Noon + (61 * Instants.Second), Value = Value.Of(536_870_912L) }]
                ),
            ],
            "hosts"
        );
        await kept.Metrics.Append([Counter(120, 1, resource)], "hosts");
        Assert.Equal(
            """
            4f1a container berth-planner 0..61 first seen
            4f1a container berth-planner 120.. a counter that fell
            """,
            kept.Runs
        );
        Assert.All(kept.Book.In(Ever), r => Assert.Equal(536_870_912, r.MemoryLimit));
    }

    [Fact]
    public async Task An_end_has_its_reason_and_what_comes_behind_it_is_another_run()
    {
        using var kept = new Kept(this);
        var resource = Of(("service.name", "berth-planner"), ("k8s.pod.name", "planner-7d9"));
        await kept.Records.Append([Line(0, "reads", resource)], "quay");
        await kept.Records.Append(
            [
                Line(
                    50,
                    "Back-off",
                    Of(("service.name", "cluster")),
                    ("k8s.event.reason", "Pulled"),
                    ("k8s.pod.name", "planner-7d9")
                ),
                Line(
                    60,
                    "killed",
                    Of(("service.name", "cluster")),
                    ("k8s.event.reason", "OOMKilled"),
                    ("k8s.pod.name", "planner-7d9")
                ),
            ],
            "cluster"
        );
        await kept.Records.Append([Line(70, "reads", resource)], "quay");
        Assert.Equal(
            """
            planner-7d9 pod berth-planner 0..60 first seen, OOMKilled
            planner-7d9 pod berth-planner 70.. first seen
            """,
            kept.Runs
        );
    }

    [Fact]
    public async Task A_flood_of_instances_and_endless_names_are_held_within_bounds()
    {
        using var kept = new Kept(this);
        for (var batch = 0; batch < 12; batch++)
            await kept.Records.Append(
                [.. Enumerable.Range(0, 5_000).Select(i => Line(batch, "x", Of(("service.instance.id", $"{batch}-{i}"))))],
                "quay"
            );
        await kept.Records.Append(
            [Line(99, "x", Of(("service.instance.id", new string('x', 100_000)), ("service.name", new string('y', 100_000))))],
            "quay"
        );
        Assert.InRange(kept.Book.In(Ever).Count, 40_000, 60_000);
        Assert.Empty(kept.Book.Services);
        Assert.Equal((EntityKind.Instance, (EntityKind?)null), (kept.Book.KindOf("11-4999"), kept.Book.KindOf("0-0")));
    }

    [Fact]
    public async Task First_lines_tell_of_a_start_unless_they_come_often()
    {
        using var kept = new Kept(this);
        var resource = Of(("service.name", "tide-feed"), ("host.name", "mast-1"));
        await kept.Records.Append([Line(0, "reads tide 4", resource), Line(5, "Now listening on 8080", resource)], "quay");
        await kept.Records.Append([Line(6, "started reading", resource)], "quay");
        await kept.Records.Append([Line(3_000, "Started in 4 s", resource)], "quay");
        Assert.Equal(
            """
            tide-feed@mast-1 process tide-feed 5..5 its first line
            tide-feed@mast-1 process tide-feed 3000.. its first line
            """,
            kept.Runs
        );
        var often = Of(("service.name", "jobs"), ("host.name", "mast-1"));
        for (var i = 0; i < 40; i++)
            await kept.Records.Append([Line(i * 1_200, $"started job {i}", often)], "quay");
        Assert.InRange(kept.Book.In(Ever).Count(r => r.Service == "jobs"), 1, 5);
    }

    [Fact]
    public async Task Changes_of_before_are_filled_from_their_text_once_it_is_known_what_runs()
    {
        using var kept = new Kept(this);
        await kept.Changes.Add(new Change("1", Noon, "firmware", "kettle-2, Tarnhead and berth-planner", "", "", ""));
        await kept.Changes.Add(new Change("2", Noon + 1, "timetable", "the whole line", "", "", ""));
        await kept.Changes.Add(new Change("3", Noon + 2, "release", "berth-planner and kettle-2", "", "", ""));
        await kept.Book.Save();
        Assert.All(kept.Changes.Latest(5), c => Assert.Null(c.Scope));
        await kept.Records.Append([Line(0, "reads", Of(("service.name", "berth-planner"), ("host.name", "kettle-2")))], "quay");
        await kept.Book.Save();
        Assert.Equal(
            ["berth-planner | kettle-2 | ", " |  | the whole line", "berth-planner | kettle-2 | Tarnhead"],
            kept.Changes.Latest(5).Select(c => Told(c.Scope!))
        );
    }

    private static string Told(ChangeScope scope) =>
        $"{string.Join(',', scope.Services)} | {string.Join(',', scope.Hosts)} | {string.Join(',', scope.Places)}";
}
