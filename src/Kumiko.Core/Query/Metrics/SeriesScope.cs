using Kumiko.Core.Evaluation;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Query.Metrics;

/// <summary>A series as a row: what it has stands for all its samples.</summary>
internal sealed class SeriesRow(MetricSeries series) : RowSource
{
    public MetricSeries Series => series;

    public override Value Field(FieldRef field, int place) => series.Field(field.Name);

    public override RecordId Id(int place) => new(0, series.Id);

    public override LogRecord? Record(int place) => null;

    public static Row Of(MetricSeries series) => new(new SeriesRow(series), 0, []);
}

/// <summary>Names of what series have.</summary>
internal sealed class SeriesScope : Scope
{
    /// <summary>Names of what single samples have.</summary>
    public static readonly string[] OfSamples = ["time", "value", "count", "sum", "start"];

    public override Func<Row, Value> Bind(string name) => row => ((SeriesRow)row.Source).Series.Field(name);

    public override bool Knows(string name) => true;

    public override Func<Row, bool> Term(TermMatcher matcher) =>
        row =>
        {
            var series = ((SeriesRow)row.Source).Series;
            if (matcher.Matches(Value.Of(series.Name)))
                return true;
            foreach (var value in series.Attributes.Values)
                if (matcher.Matches(value))
                    return true;
            foreach (var value in series.Resource.Attributes.Values)
                if (matcher.Matches(value))
                    return true;
            return false;
        };
}
