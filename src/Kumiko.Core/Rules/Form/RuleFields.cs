using System.Globalization;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>What is typed and chosen in the form of a rule, by the names of its inputs.</summary>
public sealed class RuleFields
{
    private readonly Dictionary<string, string?> _values = new(StringComparer.Ordinal);

    /// <summary>What stands in every field at first, so that choosing another kind shows sensible values.</summary>
    public static RuleFields Blank()
    {
        var fields = new RuleFields
        {
            Quantity = "count",
            Condition = "above",
            Level = "warning",
        };
        foreach (var input in AllInputs)
            fields[input] = input.Default;
        return fields;
    }

    /// <summary>The inputs of all kinds, each once.</summary>
    public static IEnumerable<RuleInput> AllInputs =>
        QuantityKinds.All.SelectMany(k => k.Inputs).Concat(ConditionKinds.All.SelectMany(k => k.Inputs)).DistinctBy(i => i.Name);

    /// <summary>The names of all fields.</summary>
    public static IEnumerable<string> Names =>
        AllInputs
            .Select(i => i.Name)
            .Concat([nameof(Quantity), nameof(Condition), nameof(Warning), nameof(Critical), nameof(Level)]);

    public string? this[string name]
    {
        get => _values.GetValueOrDefault(name);
        set => _values[name] = value;
    }

    public string? this[RuleInput input]
    {
        get => this[input.Name];
        set => this[input.Name] = value;
    }

    /// <summary>The word of the kind of quantity.</summary>
    public string? Quantity
    {
        get => this[nameof(Quantity)];
        set => this[nameof(Quantity)] = value;
    }

    /// <summary>The choice of what is wrong with a figure.</summary>
    public string? Condition
    {
        get => this[nameof(Condition)];
        set => this[nameof(Condition)] = value;
    }

    public string? Warning
    {
        get => this[nameof(Warning)];
        set => this[nameof(Warning)] = value;
    }

    public string? Critical
    {
        get => this[nameof(Critical)];
        set => this[nameof(Critical)] = value;
    }

    /// <summary>How bad what has no limits is.</summary>
    public string? Level
    {
        get => this[nameof(Level)];
        set => this[nameof(Level)] = value;
    }

    public void Put(Quantity quantity)
    {
        Quantity = QuantityKinds.Of(quantity).Word;
        quantity.Fill(this);
    }

    /// <param name="unit">Of the figures of the rule.</param>
    public void Put(AlertCondition condition, string unit)
    {
        Condition = condition.Choice;
        condition.Fill(this, unit);
    }

    public void PutLimits(AlertCondition condition, string unit) =>
        (Warning, Critical) = (Typed(condition.Limits.Warning, unit), Typed(condition.Limits.Critical, unit));

    public void Put(AlertLevel level) => Level = Word(level);

    /// <summary>One of an enumeration as the form names it.</summary>
    public static string Word<T>(T value)
        where T : struct, Enum => value.ToString().ToLowerInvariant();

    public static string Number(long number) => number.ToString(CultureInfo.InvariantCulture);

    public static string Length(long nanoseconds) => Quantities.Duration(nanoseconds);

    public static string Percent(double share) =>
        ((double)((decimal)share * 100)).ToString("R", CultureInfo.InvariantCulture) + "%";

    /// <summary>A figure as it is typed: with its unit where it has one.</summary>
    public static string? Typed(double? figure, string unit) =>
        figure is not { } number
            ? null
            : unit switch
            {
                "1" when Math.Abs(number) < 1e12 => Percent(number),
                "s" when Math.Abs(number) < 1e9 && number > 0 => Length((long)Math.Round(number * Instants.Second)),
                _ => number.ToString("R", CultureInfo.InvariantCulture),
            };
}
