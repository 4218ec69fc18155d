using Kumiko.Charts;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Extension.Tests;

/// <summary>A new form of a chart is a file and a line in a list: these are found where forms are offered, suggested, kept and
/// drawn, without a change in the house.</summary>
public sealed class FormExtensionTests
{
    private static readonly ChartView View = new(300, 200, DateTimeZone.Utc, 0);
    private static readonly Ladder Rungs = new();
    private static readonly Dots Points = new();

    static FormExtensionTests()
    {
        // The lines in the list.
        ChartForms.Add(Rungs);
        ChartForms.Add(Points);
    }

    private static Frame Rising(string key) =>
        new(
            new Schema(
                [new Column(key, ColumnRole.Key), new Column("height", ColumnRole.Value)],
                null,
                new Window(0, Instants.Hour)
            ),
            [.. Enumerable.Range(1, 4).Select(i => new[] { Value.Of("rung " + i), Value.Of(i * 10.0) })]
        );

    private static Frame OverTime() =>
        new(
            new Schema(
                [new Column("time", ColumnRole.Time, ValueKind.Time), new Column("height", ColumnRole.Value)],
                Instants.Minute,
                new Window(0, 20 * Instants.Minute)
            ),
            [.. Enumerable.Range(0, 20).Select(i => new[] { Value.Time(i * Instants.Minute), Value.Of(i % 5.0) })]
        );

    [Fact]
    public void It_is_offered_where_it_takes_the_shape()
    {
        Assert.Contains(Rungs, ChartForms.All.Where(f => f.Takes(new FrameShape(Rising("pier")))));
        Assert.DoesNotContain(Rungs, ChartForms.All.Where(f => f.Takes(new FrameShape(OverTime()))));
        Assert.Contains(Points, ChartForms.OverTime);
    }

    [Fact]
    public void It_is_suggested_with_its_reason()
    {
        Assert.Equal((Rungs, "Figures by rung are a ladder."), Chart.Suggest(Rising("rung")));
        Assert.Equal(ChartForms.Bar, Chart.Suggest(Rising("pier")).Form);
    }

    [Fact]
    public void It_is_kept_by_its_name()
    {
        var board = new ChartBoard
        {
            Form = Rungs,
            Series = [new BoardSeries("tide", "| group count() per auto") { Form = Points }],
        };
        Assert.Contains("\"form\":\"tide-ladder\"", board.ToJson());
        var read = ChartBoard.FromJson(board.ToJson(), out _)!;
        Assert.Equal((Rungs, Points), (read.Form, read.Series[0].Form));
        Assert.Null(ChartBoard.FromJson(board.ToJson().Replace("tide-ladder", "tide-tree"), out var problem));
        Assert.Contains("no form of a chart", problem);
    }

    [Fact]
    public void It_is_drawn_alone_and_beside_others()
    {
        Assert.Equal(4, Chart.Draw(Rising("pier"), new ChartSpec { Form = Rungs }, View)!.Marks.Count);
        var spec = new ChartSpec { Form = ChartForms.Line, Layers = [new LayerSpec("height", Points)] };
        Assert.Equal(
            20,
            Chart.Draw([OverTime()], spec, View)!.Marks.Count(m => m.Style.StartsWith("tide ", StringComparison.Ordinal))
        );
    }
}
