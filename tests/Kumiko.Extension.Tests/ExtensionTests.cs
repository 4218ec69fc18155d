using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Workbench;
using NodaTime;

namespace Kumiko.Extension.Tests;

/// <summary>A new stage, a new aggregate and a new set of rows are a file each and a line in a list: these here are found wherever the house's own
/// are, without a change in it and without a look behind its doors.</summary>
public sealed class ExtensionTests : IDisposable
{
    private static readonly long Now = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private static readonly Window Hour = new(Now - Instants.Hour, Now);

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly RecordStore _store;
    private readonly RowSetBook _sets = new([new Tides()]);

    static ExtensionTests()
    {
        // The lines in the lists.
        StageKinds.Add(EveryNth.Kind);
        RowSetNames.Add("tides");
        AggregateKinds.Add(new Spread { Choice = "spread" });
    }

    public ExtensionTests() => _store = new RecordStore(Path.Combine(_folder, "records.db"), TimeProvider.System);

    public void Dispose()
    {
        _store.Dispose();
        Directory.Delete(_folder, true);
    }

    private Run Ask(string text)
    {
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok, parsed.Ok ? "" : parsed.Errors[0].Message);
        var question = new Question("Ines", parsed, Hour, Now, DateTimeZone.Utc, Limits.Default);
        return new Run(question, _store.Current, new QuerySources(_sets));
    }

    [Theory]
    [InlineData("from tides quay = Orra\n| nth 3", "from tides quay = Orra | nth   3 rows")]
    [InlineData("with t = (from tides | nth 2)\nfrom t\n| limit 1", "with t = (from tides | nth 2) from t | limit 1")]
    public void A_stage_and_a_set_are_read_and_printed(string printed, string text) =>
        Assert.Equal(printed, QueryPrinter.Print(QueryParser.Parse(text).Query));

    [Theory]
    [InlineData("| nth", "After nth comes a whole number, such as 3.")]
    [InlineData("| nth 1", "nth leaves rows out from 2 on.")]
    [InlineData("| nths 3", "There is no stage “nths”. Did you mean nth?")]
    [InlineData("| sparkle", ", join, union, nth.")]
    public void What_is_wrong_with_a_stage_is_said(string text, string says) =>
        Assert.Contains(says, QueryParser.Parse(text).Errors[0].Message);

    [Fact]
    public async Task They_are_done_with_all_that_stands_around_them()
    {
        using var run = Ask("from tides | where height > 0 | nth 5 | group count() as n, max(height) as top by quay");
        var frame = await run.Frame();
        Assert.Equal(10, frame.Rows.Sum(r => r[1].AsLong));
        Assert.Equal("m", frame.Schema.Columns[2].Unit);
        Assert.Equal("60 51 10 2", string.Join(' ', (await run.Counts()).Left));
        var quay = (await run.Fields(null)).Single(f => f.Name == "quay");
        Assert.Equal(51, quay.Top.Sum(v => v.Count));
    }

    private async Task Send(params (int Minute, string Quay, long Cars)[] ferries)
    {
        await _store.Append(
            [
                .. ferries.Select(f => new LogRecord
                {
                    Time = Hour.From + (f.Minute * Instants.Minute),
                    Observed = Now,
                    Body = "ramp closed",
                    Source = "quay",
                    Attributes = new Attributes(["quay", "cars"], [Value.Of(f.Quay), Value.Of(f.Cars)]),
                }),
            ],
            "quay"
        );
    }

    [Theory]
    [InlineData("| group spread(cars) as s by quay | order by quay", "Orra 7; Tarnhead 40")]
    [InlineData("| group spread(cars) as s by quay | highest 1 quay by s", "Tarnhead 40")]
    [InlineData("| group spread(cars) as s by quay per 30m | order by time, quay", "Orra 7; Tarnhead 0; Orra ; Tarnhead 0")]
    [InlineData("from tides | group spread(height) as s by quay | order by quay", "Orra 3; Tarnhead 3")]
    public async Task An_aggregate_gathers_columns_and_rows(string query, string expected)
    {
        await Send((1, "Tarnhead", 12), (2, "Orra", 5), (3, "Orra", 12), (40, "Tarnhead", 52));
        for (var sealing = 0; sealing < 2; sealing++)
        {
            using var run = Ask(query);
            var rows = (await run.Frame()).Rows.Select(r => $"{r[^2].ToText()} {r[^1].ToText()}");
            Assert.Equal(expected, string.Join("; ", rows));
            await _store.Upkeep.SealAll();
        }
    }

    [Fact]
    public async Task An_aggregate_is_made_from_samples_as_they_are_kept()
    {
        using var metrics = new MetricStore(_store, TimeProvider.System);
        await metrics.Append(
            [
                new Metric(
                    "depth",
                    "m",
                    "",
                    MetricKind.Gauge,
                    Resource.Unknown,
                    InstrumentationScope.None,
                    [
                        .. new[] { 4.0, 9.5, 6.0 }.Select(
                            (v, i) => new Sample { Time = Hour.From + (i * Instants.Minute), Value = Value.Of(v) }
                        ),
                    ]
                ),
            ],
            "quay"
        );
        var question = new Question(
            "Ines",
            QueryParser.Parse("from metrics name = depth | group spread(value) as s"),
            Hour,
            Now,
            DateTimeZone.Utc,
            Limits.Default
        );
        using var run = new Run(question, _store.Current, new QuerySources(new RowSetBook([new MetricSet(metrics)])));
        var frame = await run.Frame();
        Assert.Equal((5.5, "m"), (frame.Rows.Single()[0].AsDouble, frame.Schema.Columns[0].Unit));
    }

    [Fact]
    public void An_aggregate_can_be_chosen_where_series_are_built()
    {
        Assert.Contains(("spread", "spread", true), SeriesBuilder.Functions);
        Assert.Equal("spread", SeriesBuilder.Read("| group spread(cars) by quay per auto")?.Function);
    }

    [Theory]
    [InlineData("| group spread()", "spread")]
    [InlineData("| where spread(cars) > 3", "spread( ) is an aggregate. Use it right after group")]
    public void What_is_wrong_with_an_aggregate_is_said(string text, string says) =>
        Assert.Contains(says, QueryParser.Parse(text).Errors[0].Message);

    [Fact]
    public void Help_tells_of_an_aggregate_and_a_stage()
    {
        Assert.Equal("spread(field)", WordHelp.For("spread")?.Title);
        Assert.Equal("keeps each nth row", WordHelp.For("nth")?.Text);
        Assert.Contains(WordHelp.Stages, s => s.Word == "nth");
    }

    [Theory]
    [InlineData("| nt¦", "nth")]
    [InlineData("| nth 3 ro¦", "rows")]
    [InlineData("| group spre¦", "spread")]
    [InlineData("from ti¦", "tides")]
    [InlineData("from tides hei¦", "height")]
    [InlineData("from tides quay = Ta¦", "Tarnhead")]
    [InlineData("from tides | nth 2 | where qu¦", "quay")]
    public async Task Both_are_completed(string marked, string expected)
    {
        var (text, caret) = (marked.Replace("¦", ""), marked.IndexOf('¦'));
        using var run = Ask("");
        var found = await Completions.At(CompletionPlace.At(text, caret), run, _sets, text[..caret]);
        Assert.Equal(expected, found[0].Label);
    }
}
