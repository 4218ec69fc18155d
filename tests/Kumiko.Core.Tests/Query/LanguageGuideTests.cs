using System.Text;
using System.Text.RegularExpressions;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Intake;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Core.Tests.Storage;
using NodaTime;

namespace Kumiko.Core.Tests.Query;

/// <summary>Every example of docs/query-language.md, as it stands there.</summary>
public sealed partial class LanguageGuideTests : StoreTest
{
    private static readonly Window Hour = new(Sample.At("2026-11-23T17:00:00Z"), Sample.At("2026-11-23T18:00:00Z"));

    private static readonly QuerySources Sources = new(new RowSetBook([new Kumiko.Core.Patterns.PatternSet()]))
    {
        Lookup = (table, column) =>
            key => table == "berths" && column == "berth" && key.ToText() == "Tarnhead" ? Value.Of(4L) : Value.Missing,
    };

    private static string GuidePath()
    {
        var folder = AppContext.BaseDirectory;
        while (!System.IO.File.Exists(Path.Combine(folder, "Kumiko.slnx")))
            folder = Path.GetDirectoryName(folder)!;
        return Path.Combine(folder, "docs", "query-language.md");
    }

    private async Task<RecordStore> Filled(string guide)
    {
        var store = Open();
        var lines = NdjsonBlock().Match(guide).Groups[1].Value;
        await new LineIntake(store, Clock).Take(
            new MemoryStream(Encoding.UTF8.GetBytes(lines)),
            new LineWish("quay"),
            CancellationToken.None
        );
        Assert.Equal(7, store.Count);
        await store.Upkeep.SealAll();
        return store;
    }

    private static FrameStream Ask(RecordStore store, string text)
    {
        var parsed = QueryParser.Parse(text);
        Assert.True(parsed.Ok, text + "\n" + string.Join("\n", parsed.Errors.Select(e => e.Describe(text))));
        return new Run(
            new Core.Query.Question("test", parsed, Hour, Hour.To, DateTimeZone.Utc, Limits.Default),
            store.Current,
            Sources
        )
            .Stream()
            .GetAwaiter()
            .GetResult();
    }

    private static string Shown(Value value) =>
        value.Kind switch
        {
            ValueKind.Missing => "missing",
            ValueKind.Decimal => value.AsDouble.ToString("G15", System.Globalization.CultureInfo.InvariantCulture),
            ValueKind.Time => value.ToText() is var iso && iso.EndsWith(".000000000Z", StringComparison.Ordinal)
                ? iso[11..19]
                : value.ToText(),
            _ => value.ToText(),
        } + (value.Marks == ValueMarks.None ? "" : " (" + value.Marks.ToString().ToLowerInvariant() + ")");

    private static string Table(FrameStream answer)
    {
        var rows = answer
            .Rows()
            .Select(r => r.Select(Shown).ToArray())
            .Prepend([.. answer.Schema.Columns.Select(c => c.Name)])
            .ToList();
        var widths = rows[0].Select((_, i) => rows.Max(r => r[i].Length)).ToArray();
        return string.Join('\n', rows.Select(r => string.Join("  ", r.Select((cell, i) => cell.PadRight(widths[i]))).TrimEnd()));
    }

    [Fact]
    public async Task Every_query_has_the_answer_that_stands_below_it()
    {
        var guide = await System.IO.File.ReadAllTextAsync(GuidePath());
        using var store = await Filled(guide);
        var asked = 0;
        var written = QueryBlock()
            .Replace(guide, match =>
            {
                asked++;
                return $"```query\n{match.Groups[1].Value}\n```\n```answer\n{Table(Ask(store, match.Groups[1].Value))}\n```";
            });
        // To write the answers anew: KUMIKO_WRITE_GUIDE=1, then read them.
        if (Environment.GetEnvironmentVariable("KUMIKO_WRITE_GUIDE") == "1")
            await System.IO.File.WriteAllTextAsync(GuidePath(), written);
        else
            Assert.Equal(guide, written);
        Assert.True(asked >= 20);
        foreach (var stage in StageKinds.Words)
            Assert.Contains("| " + stage, guide);
    }

    [Fact]
    public async Task Every_condition_takes_as_many_records_as_it_says()
    {
        var guide = await System.IO.File.ReadAllTextAsync(GuidePath());
        using var store = await Filled(guide);
        foreach (var (condition, count) in Rows(guide, "| condition | records |"))
            Assert.Equal(
                (condition, count),
                (condition, Ask(store, condition).Rows().Count.ToString(System.Globalization.CultureInfo.InvariantCulture))
            );
    }

    [Fact]
    public async Task Every_function_gives_what_it_says()
    {
        var guide = await System.IO.File.ReadAllTextAsync(GuidePath());
        using var store = await Filled(guide);
        var scalars = Rows(guide[guide.IndexOf("## Functions of a row", StringComparison.Ordinal)..], "| call | gives |");
        foreach (var (call, gives) in scalars)
            Assert.Equal((call, gives), (call, One(Ask(store, $"\"seat already\" Tarnhead 812ms | select {call} as r"))));
        var aggregates = Rows(guide[guide.IndexOf("## Aggregates", StringComparison.Ordinal)..], "| call | gives |");
        foreach (var (call, gives) in aggregates)
            Assert.Equal((call, gives), (call, One(Ask(store, $"| group {call} as r"))));
        var examples = scalars.Concat(aggregates).Select(r => r.Call[..Math.Max(0, r.Call.IndexOf('('))]).ToHashSet();
        Assert.Equal([], Functions.List.Select(f => f.Name).Where(n => !examples.Contains(n)));
    }

    private static string One(FrameStream answer)
    {
        var value = Assert.Single(Assert.Single(answer.Rows()));
        return value.Kind == ValueKind.Time ? value.ToText() : Shown(value);
    }

    private static List<(string Call, string Gives)> Rows(string guide, string head)
    {
        var table = guide[guide.IndexOf(head, StringComparison.Ordinal)..];
        return
        [
            .. table
                .Split('\n')
                .Skip(2)
                .TakeWhile(l => l.StartsWith('|'))
                .Select(l => TableRow().Match(l))
                .Select(m => (m.Groups[1].Value, m.Groups[2].Value)),
        ];
    }

    [GeneratedRegex("```ndjson\n(.*?)```", RegexOptions.Singleline)]
    private static partial Regex NdjsonBlock();

    [GeneratedRegex("```query\n(.*?)\n```\n```answer\n(.*?)```", RegexOptions.Singleline)]
    private static partial Regex QueryBlock();

    [GeneratedRegex(@"^\| `(.*)` \| (.*) \|$")]
    private static partial Regex TableRow();
}
