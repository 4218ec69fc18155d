using Kumiko.Core.Language;

namespace Kumiko.Core.Query.Baselines;

/// <summary>What a focus is compared with, as an address says it.</summary>
public abstract record BaselineChoice
{
    public static readonly BaselineChoice LikeDays = new LikeDays();
    public static readonly BaselineChoice Before = new StretchBefore();
    public static readonly BaselineChoice None = new NoBaseline();

    /// <summary>Reads what <see cref="ToString"/> writes; empty means like days. Null where it is none.</summary>
    public static BaselineChoice? Parse(string? text)
    {
        switch (text)
        {
            case null or "":
                return LikeDays;
            case "before":
                return Before;
            case "none":
                return None;
        }
        if (text.StartsWith(ConditionSet.Prefix, StringComparison.Ordinal))
        {
            var condition = text[ConditionSet.Prefix.Length..].Trim();
            var parsed = QueryParser.Parse(condition);
            return parsed is { Ok: true, Query: { Match: not null, Stages.Count: 0, From: null } }
                ? new ConditionSet(condition)
                : null;
        }
        var ends = text.Split('/');
        return
            ends.Length == 2
            && Moment.Parse(ends[0]) is { } from
            && Moment.Parse(ends[1]) is { } to
            && (from.Relative != to.Relative || from.Nanoseconds < to.Nanoseconds)
            ? new DrawnStretch(new TimeRange(from, to))
            : null;
    }
}

/// <summary>The same clock time on several like days; the default.</summary>
public sealed record LikeDays : BaselineChoice
{
    public override string ToString() => "";
}

/// <summary>The stretch of the same length that ends where the focus begins.</summary>
public sealed record StretchBefore : BaselineChoice
{
    public override string ToString() => "before";
}

/// <summary>A stretch that somebody drew or typed.</summary>
public sealed record DrawnStretch(TimeRange Range) : BaselineChoice
{
    public override string ToString() => $"{Range.From}/{Range.To}";
}

/// <summary>Other records of the same time: those that meet a condition.</summary>
public sealed record ConditionSet(string Condition) : BaselineChoice
{
    public const string Prefix = "set:";

    public override string ToString() => Prefix + Condition;
}

public sealed record NoBaseline : BaselineChoice
{
    public override string ToString() => "none";
}
