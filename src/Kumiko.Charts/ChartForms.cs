using System.Collections.Immutable;

namespace Kumiko.Charts;

/// <summary>The forms, in the order in which they are offered: a new one is a line in the list.</summary>
public static class ChartForms
{
    public static readonly ChartForm Line = new LineForm();
    public static readonly ChartForm Step = new StepForm();
    public static readonly ChartForm Area = new AreaForm();
    public static readonly ChartForm StackedArea = new StackedAreaForm();
    public static readonly ChartForm Column = new ColumnForm();
    public static readonly ChartForm StackedColumn = new StackedColumnForm();
    public static readonly ChartForm HeatMap = new HeatMapForm();
    public static readonly ChartForm Bar = new BarForm();
    public static readonly ChartForm Ranking = new RankingForm();
    public static readonly ChartForm Single = new SingleValueForm();
    public static readonly ChartForm Gauge = new GaugeForm();
    public static readonly ChartForm Donut = new DonutForm();
    public static readonly ChartForm Histogram = new HistogramForm();
    public static readonly ChartForm Scatter = new ScatterForm();
    public static readonly ChartForm Table = new TableForm();

    private static ImmutableArray<ChartForm> _all =
    [
        Line,
        Step,
        Area,
        StackedArea,
        Column,
        StackedColumn,
        HeatMap,
        Bar,
        Ranking,
        Single,
        Gauge,
        Donut,
        Histogram,
        Scatter,
        Table,
    ];

    public static IReadOnlyList<ChartForm> All => _all;

    /// <summary>Those that draw steps of time.</summary>
    public static IEnumerable<ChartForm> OverTime => _all.Where(f => f.IsOverTime);

    /// <summary>Makes a form known.</summary>
    public static void Add(ChartForm form) =>
        ImmutableInterlocked.Update(ref _all, (all, added) => all.Any(f => f.Name == added.Name) ? all : all.Add(added), form);

    /// <summary>A form by its name, in any letters.</summary>
    public static ChartForm? Find(string? name) =>
        _all.FirstOrDefault(f => f.Name.Equals(name, StringComparison.OrdinalIgnoreCase));
}
