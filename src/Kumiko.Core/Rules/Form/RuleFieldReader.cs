using System.Globalization;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Reads the fields of a rule's form, with a sentence for everything that cannot be read.</summary>
public sealed class RuleFieldReader(RuleFields fields)
{
    private const string ThinSpace = "\u2009";
    private const string Warning = "the limit for warning";
    private const string Critical = "the limit for critical";
    private readonly List<string> _faults = [];

    public IReadOnlyList<string> Faults => _faults;

    public RuleFields Fields => fields;

    public void Fault(string sentence) => _faults.Add(sentence);

    public Quantity Quantity() => (QuantityKinds.Find(fields.Quantity) ?? QuantityKinds.All[0]).Read(this);

    /// <summary>What is wrong with a quantity.</summary>
    public AlertCondition Condition(Quantity of) =>
        of.IsFigure ? (ConditionKinds.Chosen(fields.Condition) ?? ConditionKinds.All[0]).Read(this) : new Occurs(Level());

    public string Query(RuleInput input) => (fields[input] ?? "").ReplaceLineEndings("\n").Trim();

    public string Text(RuleInput input) => (fields[input] ?? "").Trim();

    public bool Is(RuleInput input, string value) => fields[input] == value;

    public Direction Side() =>
        fields[RuleInputs.Side] switch
        {
            "low" => Direction.Low,
            "either" => Direction.Either,
            _ => Direction.High,
        };

    public AlertLevel Level() => fields.Level == "critical" ? AlertLevel.Critical : AlertLevel.Warning;

    /// <summary>The limits for warning and critical.</summary>
    public (double? Warning, double? Critical) Limits() => (Figure(fields.Warning, Warning), Figure(fields.Critical, Critical));

    /// <summary>Limits of which fifty means fifty percent.</summary>
    public (double? Warning, double? Critical) PercentLimits() =>
        (PercentOf(fields.Warning, Warning), PercentOf(fields.Critical, Critical));

    /// <summary>Limits that are lengths of time, in seconds.</summary>
    public (double? Warning, double? Critical) SecondLimits(string warning, string critical) =>
        (Seconds(fields.Warning, warning), Seconds(fields.Critical, critical));

    public double? Figure(RuleInput input) => Figure(fields[input], input.Named);

    public long Whole(RuleInput input) => Whole(fields[input], input.Named);

    public long Length(RuleInput input) => Length(fields[input], input.Named);

    /// <summary>The id of what was chosen.</summary>
    public long Chosen(RuleInput input)
    {
        if (long.TryParse(fields[input], NumberStyles.None, CultureInfo.InvariantCulture, out var id))
            return id;
        Fault($"Choose {input.Named}.");
        return 0;
    }

    /// <returns>Null where nothing is typed, or nothing that is a number.</returns>
    public double? Figure(string? text, string name)
    {
        var typed = (text ?? "").Replace(ThinSpace, "").Replace(" ", "");
        if (typed.Length == 0)
            return null;
        if (
            typed.EndsWith('%') && double.TryParse(typed[..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out var percent)
        )
            return (double)((decimal)Math.Clamp(percent, -1e15, 1e15) / 100);
        if (double.TryParse(typed, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) && double.IsFinite(number))
            return number;
        if (Quantities.TryParseDuration(typed, out var length))
            return length / (double)Instants.Second;
        if (Quantities.TryParseSize(typed, out var size))
            return size;
        Fault($"Write {name} as a number, such as 40, 5%, 400ms or 2GB.");
        return null;
    }

    public long Whole(string? text, string name)
    {
        if (
            long.TryParse(
                (text ?? "").Replace(ThinSpace, "").Trim(),
                NumberStyles.None,
                CultureInfo.InvariantCulture,
                out var number
            ) && number is >= 1 and <= 1_000_000
        )
            return number;
        Fault($"The {name} is a whole number from 1 on.");
        return 1;
    }

    /// <returns>Nanoseconds.</returns>
    public long Length(string? text, string name)
    {
        if (Quantities.TryParseDuration((text ?? "").Replace(" ", "").Replace("min", "m"), out var length))
            return length;
        Fault($"Write {name} as a length of time, such as 5m.");
        return Instants.Minute;
    }

    private double? PercentOf(string? text, string name) => Figure(text, name) / (text?.Contains('%') == true ? 1 : 100);

    private double? Seconds(string? text, string name) =>
        string.IsNullOrWhiteSpace(text) ? null : Length(text, name) / (double)Instants.Second;
}
