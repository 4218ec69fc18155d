using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

public enum JoinKind
{
    Inner,
    All,
    Nearest,
}

/// <summary>Puts rows of another set beside these.</summary>
/// <param name="Right">A name bound by <c>with</c>, or a known set.</param>
/// <param name="Within">How far apart partners may be in time, for <see cref="JoinKind.Nearest"/>, as spelled.</param>
/// <param name="On">Columns that both sides have.</param>
public sealed record Join(string Right, JoinKind Kind, string? Within, Seq<Field> On) : PipelineStage
{
    public static readonly StageKind StageKind = new("join", "join set on field", "puts rows of another set beside these", Read)
    {
        Keywords = ["all", "on", "nearest", "within"],
        TakesSet = true,
        TakesExpressions = false,
    };

    public TextSpan RightSpan { get; init; }

    private static Join? Read(QueryParser parser)
    {
        var start = parser.Position;
        var all = parser.TakeKeyword("all") && parser.NextWord is { } next && next is not ("on" or "nearest");
        if (!all)
            parser.Position = start;
        if (parser.SetName("join") is not { } right)
            return null;
        var (kind, within) = (all ? JoinKind.All : JoinKind.Inner, (string?)null);
        if (!all && parser.TakeKeyword("nearest"))
        {
            kind = JoinKind.Nearest;
            if (!parser.TakeKeyword("time") || (within = parser.Length("within")) is null)
                return parser.Wrong<Join>("Write nearest time within 5m, then on and the columns both sides have.");
            if (!parser.TakeKeyword("on"))
                return new Join(right.Name, kind, within, Seq<Field>.Empty) { RightSpan = right.Span };
        }
        else if (!parser.TakeKeyword("on"))
            return parser.Wrong<Join>("After join comes a name, on, and the columns that both sides have.");
        if (parser.FieldList() is not { } fields)
            return null;
        return new Join(right.Name, kind, within, fields) { RightSpan = right.Span };
    }

    public override string Print() =>
        $"join {(Kind == JoinKind.All ? "all " : "")}{Keywords.Name(Right, match: false)}"
        + (Kind == JoinKind.Nearest ? " nearest time within " + Within : "")
        + (On.Count > 0 ? " on " + QueryPrinter.Names(On) : "");

    public override void Check(StageChecks checks)
    {
        if (!checks.IsGrouped && On.Count == 0 && Kind != JoinKind.Nearest)
            checks.Error(Span, "After on come the columns that both sides have.");
    }

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next)
    {
        var right = builder.Other(Right);
        var onTime = On.Any(f => f.Name == "time");
        if (onTime && builder.Schema.Step is { } step && right.Schema.Step is { } other && step != other)
            throw new QueryRefusedException(
                $"The two sides of join {Right} have steps of {Quantities.Duration(step)} and {Quantities.Duration(other)}. Give both the same step."
            );
        var counts = new JoinCounts();
        // The right side is read once, when the first row asks for it.
        var joiner = new Lazy<Joiner>(() => new Joiner(this, builder.FrameOf(right), counts));
        // Names must be known now; those of records are what their fields turn out to be.
        var names = right.IsRecords
            ? [.. joiner.Value.Names]
            : right.Schema.Columns.Select(c => c.Name).Where(n => On.All(f => f.Name != n)).ToList();
        var keys = On.Select(f => builder.Scope.Bind(f.Name)).ToArray();
        var time = builder.Scope.Bind("time");
        if (builder.Scope is RecordScope records)
        {
            var first = builder.NewSlots(names.Count);
            for (var i = 0; i < names.Count; i++)
                records = records.With($"{Right}.{names[i]}", first + i);
            builder.Scope = records;
            var slots = first;
            builder.Step(rows => joiner.Value.Join(rows, keys, time, (row, values) =>
                    {
                        var all = row.Slots.ToArray();
                        for (var i = 0; i < names.Count; i++)
                            all[slots + i] = values is null ? Value.Missing : values[i];
                        return row with { Slots = all };
                    }), join: counts);
            return;
        }
        var columns = ((ColumnScope)builder.Scope).Columns;
        var roles = right.Schema.Columns.ToDictionary(c => c.Name, c => c, StringComparer.Ordinal);
        builder.Scope = new ColumnScope([
            .. columns,
            .. names.Select(n =>
                roles.TryGetValue(n, out var c) && c.Role != ColumnRole.Time
                    ? c with
                    {
                        Name = $"{Right}.{n}",
                    }
                    : (c ?? new Column(n, ColumnRole.Detail)) with
                    {
                        Name = $"{Right}.{n}",
                        Role = ColumnRole.Detail,
                    }
            ),
        ]);
        builder.Step(rows => joiner.Value.Join(rows, keys, time, (row, values) =>
                {
                    var all = new Value[columns.Count + names.Count];
                    row.Slots.CopyTo(all, 0);
                    for (var i = 0; i < names.Count; i++)
                        all[columns.Count + i] = values is null ? Value.Missing : values[i];
                    return row with { Slots = all };
                }), join: counts);
    }
}
