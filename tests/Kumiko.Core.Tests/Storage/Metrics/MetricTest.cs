using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Metrics;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using NodaTime;
using Run = Kumiko.Core.Query.Run;

namespace Kumiko.Core.Tests.Storage.Metrics;

/// <summary>A store of metrics in a folder, whose upkeep runs when it is called, and questions to it.</summary>
public abstract class MetricTest : StoreTest
{
    /// <summary>Midnight, UTC, eighteen hours before the clock.</summary>
    protected static readonly long Today = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 0, 0, 0, TimeSpan.Zero));

    internal MetricStore Metrics(RecordStore records, MetricOptions? options = null) =>
        new(records, Clock, (options ?? MetricOptions.Default) with { Background = false });

    internal static Metric Of(
        string name,
        IEnumerable<(long Time, double Value)> samples,
        string? host = null,
        MetricKind kind = MetricKind.Gauge,
        Temporality temporality = Temporality.Unspecified,
        long start = 0,
        string unit = ""
    ) =>
        new(
            name,
            unit,
            "",
            kind,
            new Resource(new Attributes(["service.name"], [Value.Of("seat-ledger")])),
            InstrumentationScope.None,
            [
                .. samples.Select(s => new Core.Records.Sample
                {
                    Time = s.Time,
                    Start = start,
                    Value = double.IsNaN(s.Value) ? Value.Missing : Value.Of(s.Value),
                    Attributes = host is null ? Attributes.Empty : new Attributes(["host"], [Value.Of(host)]),
                }),
            ]
        )
        {
            Temporality = temporality,
            IsMonotonic = kind == MetricKind.Sum,
        };

    internal Frame Ask(
        RecordStore records,
        MetricStore metrics,
        string query,
        Window window,
        DateTimeZone? zone = null,
        Limits? limits = null
    )
    {
        var parsed = QueryParser.Parse(query);
        Assert.True(parsed.Ok, parsed.Ok ? "" : parsed.Errors[0].Message);
        using var run = new Run(
            new Question(
                "Ines",
                parsed,
                window,
                Instants.FromDateTime(Clock.GetUtcNow()),
                zone ?? DateTimeZone.Utc,
                limits ?? Limits.Default
            ),
            records.Current,
            new QuerySources(new RowSetBook([new MetricSet(metrics), new ExemplarSet(metrics)]))
        );
        return run.Frame().GetAwaiter().GetResult();
    }

    /// <summary>Rows as text: times in minutes since midnight, numbers in nine digits.</summary>
    internal static string Told(Frame frame) =>
        string.Join(
            "; ",
            frame.Rows.Select(row =>
                string.Join(
                    ' ',
                    row.Select(v =>
                    {
                        if (v.Kind == ValueKind.Time)
                            return FormattableString.Invariant($"{(v.AsLong - Today) / (double)Instants.Minute}m");
                        if (v.IsMissing)
                            return "–";
                        if (v.IsQuantity)
                            return FormattableString.Invariant($"{v.AsDouble:G9}");
                        return v.ToText();
                    })
                )
            )
        );
}
