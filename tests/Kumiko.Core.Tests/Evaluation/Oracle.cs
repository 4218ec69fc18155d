using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Tests.Evaluation;

/// <summary>The row evaluator over records in memory: what every other way of answering must agree with.</summary>
internal sealed class Oracle(Func<Func<Pipeline, IEnumerable<Row>>, Pipeline> build, Window window)
{
    public static Oracle Of(
        string text,
        Window window,
        EvaluationContext? context = null,
        Limits? limits = null,
        IReadOnlyDictionary<string, string>? parameters = null,
        Func<LogRecord, Value>? pattern = null
    )
    {
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok, string.Join("\n", parsed.Errors.Select(e => e.Describe(text))));
        return Of(parsed.Query, window, context, limits, parameters, pattern);
    }

    public static Oracle Of(
        Core.Language.Query query,
        Window window,
        EvaluationContext? context = null,
        Limits? limits = null,
        IReadOnlyDictionary<string, string>? parameters = null,
        Func<LogRecord, Value>? pattern = null
    )
    {
        var (bound, missing) = Parameters.Bind(query, parameters ?? new Dictionary<string, string>());
        Assert.Empty(missing);
        return new Oracle(
            answer =>
                PipelineBuilder.Build(
                    bound,
                    new PipelineContext(
                        context ?? new EvaluationContext(window.To, DateTimeZone.Utc),
                        limits ?? Limits.Default,
                        window,
                        (_, _) => null,
                        answer
                    )
                    {
                        Fields = new FieldRefs(pattern),
                    }
                ),
            window
        );
    }

    public Window Window => window;

    public Pipeline Build(IEnumerable<LogRecord> records) => build(pipeline => Rows(pipeline, [.. records]));

    private static IEnumerable<Row> Passing(Pipeline pipeline, IReadOnlyList<LogRecord> records) =>
        records
            .Where(r => pipeline.Reads.Contains(r.Time))
            .OrderByDescending(r => r.Id)
            .Select(pipeline.RowOf)
            .Where(pipeline.Passes);

    private static IEnumerable<Row> Rows(Pipeline pipeline, IReadOnlyList<LogRecord> records) =>
        pipeline.Answer(Passing(pipeline, records));

    /// <summary>The answer, which must be made of records.</summary>
    public IEnumerable<LogRecord> Records(IEnumerable<LogRecord> records) =>
        Rows(Build(records), [.. records]).Select(r => r.Record!);

    /// <summary>The answer, which must have columns.</summary>
    public Frame Collect(IEnumerable<LogRecord> records)
    {
        var pipeline = Build(records);
        return pipeline.Collect(Rows(pipeline, [.. records]));
    }

    /// <summary>Any answer as lines of text, to be compared.</summary>
    public static IEnumerable<string> Lines(Pipeline pipeline, IEnumerable<Row> rows)
    {
        var reader = pipeline.Scope is RecordScope scope ? RecordColumns.Reader(scope) : row => row.Slots;
        return rows.Select(row => string.Join(" | ", reader(row).Select(Shown)));
    }

    public IEnumerable<string> Lines(IEnumerable<LogRecord> records)
    {
        var pipeline = Build(records);
        return Lines(pipeline, Rows(pipeline, [.. records]));
    }

    // Sums of decimals may differ in their last digits with the order of adding.
    internal static string Shown(Value value) =>
        value.Kind switch
        {
            ValueKind.Decimal => value.AsDouble.ToString("G9", System.Globalization.CultureInfo.InvariantCulture),
            ValueKind.Missing => "missing",
            ValueKind.Duration => $"Duration {Math.Round(value.AsLong / 1e3)}",
            _ => $"{value.Kind} {value.ToText()}",
        } + (value.Marks == ValueMarks.None ? "" : " " + value.Marks);
}
