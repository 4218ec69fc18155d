using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using NodaTime;

namespace Kumiko.Core.Spans;

/// <summary>Which spans count as failed: those that a service's condition takes, else those whose status is error. One place for
/// figures, queries and all that follows.</summary>
public sealed class FailureRules
{
    private readonly FailureStore _store;
    private volatile Compiled _compiled;

    private sealed record Compiled(Dictionary<string, Func<Row, bool>> ByService);

    public FailureRules(FailureStore store)
    {
        _store = store;
        _compiled = Compile();
    }

    /// <summary>The conditions of the services that have one.</summary>
    public IReadOnlyList<FailureRule> All => _store.All();

    /// <summary>Sets what counts as failed for a service.</summary>
    /// <param name="condition">As in <c>from spans</c>; empty for the status.</param>
    /// <returns>What is wrong with the condition; null where it was set.</returns>
    public async Task<string?> Set(string service, string condition, string author)
    {
        if (condition.Trim().Length > 0 && Read(condition, out _) is { } wrong)
            return wrong;
        await _store.Set(service, condition.Trim(), author);
        _compiled = Compile();
        return null;
    }

    private static string? Read(string condition, out Func<Row, bool> test)
    {
        test = _ => false;
        var text = "from spans " + condition;
        var parsed = QueryParser.Parse(text);
        if (!parsed.Ok)
            return parsed.Errors[0].Describe(text);
        if (parsed.Query.Stages.Count > 0 || parsed.Query.With.Count > 0 || parsed.Query.Match is not { } match)
            return "Write one condition, such as status = error and exception.type != SailingUnknown.";
        if (QueryChecker.Mentions(match, "failed"))
            return "What counts as failed cannot be told by failed. Name status, kind or attributes.";
        test = new Compiler(new EvaluationContext(0, DateTimeZone.Utc), new RecordScope(new FieldRefs(), Signal.Spans)).Condition(
            match
        );
        return null;
    }

    private Compiled Compile()
    {
        var byService = new Dictionary<string, Func<Row, bool>>(StringComparer.Ordinal);
        foreach (var rule in _store.All())
            if (Read(rule.Condition, out var test) is null)
                byService[rule.Service] = test;
        return new Compiled(byService);
    }

    /// <summary>Whether a row of spans is of a failed one.</summary>
    public bool HasFailed(Row row)
    {
        if (
            _compiled.ByService is { Count: > 0 } rules
            && Text(row, Service) is { } service
            && rules.TryGetValue(service, out var test)
        )
            return test(row);
        return Text(row, Status) == "error";
    }

    private static readonly FieldRef Service = new("service", 0, RecordFields.Bind("service"));
    private static readonly FieldRef Status = new(SpanFields.Status, 1, RecordFields.Bind(SpanFields.Status));

    private static string? Text(Row row, FieldRef field) =>
        row.Source.Field(field, row.Place) is { IsText: true } value ? value.AsText : null;

    /// <summary>The same of a row in a block, of which a record is made only where a condition needs it.</summary>
    internal bool HasFailed(RecordBlock block, int row) =>
        _compiled.ByService is { Count: > 0 } rules && rules.TryGetValue(block.ServiceOf(row), out var test)
            ? test(new Row(RowSource.Of(block[row]), 0, []))
            : SpanFields.StatusOf(block.SeverityOf[row]) == SpanStatus.Error;
}
