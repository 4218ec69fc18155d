using Kumiko.Core.Frames;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;

namespace Kumiko.Extension.Tests;

/// <summary>A new quantity and a new condition are a file each and a line in a list: these are found in the form, in text, in
/// kept rules, in words and at checks, without a change in the house.</summary>
public sealed class RuleExtensionTests : IDisposable
{
    private static readonly long Now = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    private static readonly RuleDefinition Rule = new()
    {
        Quantity = new LargestOf("queue", "cars"),
        Condition = new Uneven(4),
        Keys = ["quay"],
    };

    private const string Text = """
        largest cars of
            queue
        for each quay
        in the last 5m, checked every 1m
        is no multiple of 4

        """;

    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    private readonly RecordStore _store;

    static RuleExtensionTests()
    {
        // The lines in the lists.
        QuantityKinds.Add(LargestOf.Kind);
        ConditionKinds.Add(Uneven.Kind);
    }

    public RuleExtensionTests() => _store = new RecordStore(Path.Combine(_folder, "records.db"), TimeProvider.System);

    public void Dispose()
    {
        _store.Dispose();
        Directory.Delete(_folder, true);
    }

    [Fact]
    public void Both_are_printed_and_read_back()
    {
        Assert.Equal(Text.ReplaceLineEndings("\n"), RuleText.Print(Rule));
        Assert.Equal((Rule, null), RuleTextReader.Read(Text));
    }

    [Fact]
    public void Who_writes_something_else_is_told_of_them() =>
        Assert.Contains("or largest … of.", RuleTextReader.Read("smallest cars of\n    queue").Problem);

    [Fact]
    public void Both_are_kept()
    {
        var json = Rule.ToJson();
        Assert.Contains("""{"kind":"largest","query":"queue","largest":"cars"}""", json);
        Assert.Contains("""{"kind":"uneven","step":4}""", json);
        Assert.Equal(Rule, RuleDefinition.FromJson(json));
    }

    [Fact]
    public void The_form_asks_for_them()
    {
        var fields = RuleFields.Blank();
        fields.Put(Rule.Quantity);
        fields.Put(Rule.Condition, "");
        Assert.Equal(
            ("largest", "uneven", "cars", "4"),
            (fields.Quantity, fields.Condition, fields["Largest"], fields["Uneven"])
        );
        var reader = new RuleFieldReader(fields);
        var quantity = reader.Quantity();
        Assert.Equal((Rule.Quantity, Rule.Condition), (quantity, reader.Condition(quantity)));
        Assert.Contains("Uneven", RuleFields.Names);
    }

    [Fact]
    public void What_is_wrong_with_one_is_said() =>
        Assert.Equal(
            ["Say of which field the largest value counts."],
            (Rule with { Quantity = new LargestOf("queue", "") }).Faults()
        );

    [Fact]
    public async Task They_are_judged_at_each_check()
    {
        LogRecord[] records =
        [
            .. new[] { (1, "Orra", 8L), (2, "Tarnhead", 9L), (3, "Orra", 3L), (9, "Orra", 12L) }.Select(q => new LogRecord
            {
                Time = Now - Instants.Hour + (q.Item1 * Instants.Minute),
                Observed = Now,
                Body = "queue",
                Source = "quay",
                Attributes = new Attributes(["quay", "cars"], [Value.Of(q.Item2), Value.Of(q.Item3)]),
            }),
        ];
        await _store.Append(records, "quay");
        var sources = new QuerySources(new RowSetBook([]));
        var reader = new RuleReader(new RuleValueReader(sources, _ => null));
        var trials = new RuleTrial(reader, sources, _ => null, new NoDisturbances());
        using var snapshot = _store.Current;
        var trial = await trials.Of(Rule, new Window(Now - Instants.Hour, Now), snapshot);
        Assert.Equal(
            ["Tarnhead 9 for 300", "Orra 3 for 120"],
            trial.Episodes.Select(e => $"{e.Of} {e.Worst} for {(e.To - e.From) / Instants.Second}")
        );
    }
}
