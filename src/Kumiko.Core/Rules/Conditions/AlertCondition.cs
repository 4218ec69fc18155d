namespace Kumiko.Core.Rules;

/// <summary>What is wrong with a figure. Limits are null where there is no such level. What a kind of condition is stands in one
/// file: its inputs, its text, its words, and how it is judged.</summary>
public abstract record AlertCondition
{
    /// <summary>The choice of the form that it is.</summary>
    public virtual string Choice => ConditionKinds.Of(this).Word;

    /// <summary>The limits that can be moved.</summary>
    public virtual (double? Warning, double? Critical) Limits => (null, null);

    /// <summary>The same with other limits; itself where there is no limit that can be moved.</summary>
    public virtual AlertCondition With(double? warning, double? critical) => this;

    /// <summary>The unit of its limits.</summary>
    /// <param name="unit">Of the figures.</param>
    public virtual string LimitUnit(string unit) => unit;

    /// <summary>Whether figures are held against the limits themselves.</summary>
    public virtual bool LimitsAreFigures => false;

    /// <summary>Whether a lower limit is harder to reach.</summary>
    public virtual bool LimitsFall => false;

    /// <summary>Whether the lower a figure, the worse.</summary>
    public virtual bool IsLow => false;

    /// <summary>What figures are held against, in a word; null for limits alone.</summary>
    public virtual string? ComparedWith => null;

    /// <summary>What is said of a trial in which there was nothing to hold figures against.</summary>
    public virtual string? WithoutCompared => null;

    /// <summary>Whether it has to know what came before the first check.</summary>
    public virtual bool NeedsHistory => false;

    /// <summary>Whether it is about keys that were not there before.</summary>
    public virtual bool IsOfNewKeys => false;

    /// <summary>About how many windows each check asks for.</summary>
    public virtual int WindowsPerCheck => 1;

    /// <summary>Lengths that windows are cut by, beside that of the window; nanoseconds.</summary>
    public virtual IEnumerable<long> Lengths => [];

    /// <summary>Lines on the axis of the figures.</summary>
    public virtual IEnumerable<AxisLimit> OnAxis => [];

    /// <summary>For how long something that does not come any more is remembered; nanoseconds.</summary>
    public virtual long Memory(RuleDefinition definition) => Math.Max(Records.Instants.Day, definition.InTheLast);

    /// <summary>What a figure is held against.</summary>
    /// <param name="at">The ends of the windows.</param>
    public virtual Comparison Compare(RuleDefinition definition, long[] at, Storage.Snapshot snapshot) => Comparison.None;

    /// <summary>What one check finds wrong with one key.</summary>
    /// <param name="key">What is known of the key, with this check's sighting.</param>
    public abstract ConditionResult Judge(RuleDefinition definition, in Measurement measurement, KeyState key, long at);

    /// <summary>How far off a figure is; the higher, the worse.</summary>
    public virtual double Off(double value, double? compared) => value;

    /// <summary>Adds what is wrong with it, each as a sentence.</summary>
    public virtual void Check(RuleDefinition definition, ICollection<string> faults) { }

    /// <summary>Its line of a rule's text.</summary>
    public abstract string Print();

    /// <summary>Puts it into the fields of the form.</summary>
    /// <param name="unit">Of the figures.</param>
    public abstract void Fill(RuleFields fields, string unit);

    /// <summary>What is wrong, in words behind the quantity.</summary>
    public abstract string Words(RuleWording words, string unit);

    /// <summary>What was found, in words.</summary>
    public abstract string Found(RuleWording words, FoundValue found);

    protected static void CheckLevel(AlertLevel level, ICollection<string> faults)
    {
        if (level == AlertLevel.None)
            faults.Add("Say whether it is a warning or critical.");
    }

    /// <param name="below">Whether the lower limit is the harder one.</param>
    /// <param name="signed">Whether limits can be 0 and below.</param>
    protected void CheckLimits(bool below, bool signed, ICollection<string> faults)
    {
        var (warning, critical) = Limits;
        if (warning is null && critical is null)
            faults.Add("Set a limit for warning, for critical, or both.");
        if (warning is { } w && !double.IsFinite(w) || critical is { } c && !double.IsFinite(c))
            faults.Add("A limit is a number.");
        else if (!signed && (warning <= 0 || critical <= 0))
            faults.Add("The limit is more than 0.");
        if (below ? warning <= critical : warning >= critical)
            faults.Add($"The limit for critical must be {(below ? "below" : "above")} the one for warning.");
    }
}

/// <summary>A line on the axis of a rule's figures.</summary>
/// <param name="Words">With the limit in its unit behind them.</param>
/// <param name="Handle">What moves with it: warning, critical, or the limit itself.</param>
public sealed record AxisLimit(double Value, string Words, string Handle);

/// <summary>What a check found wrong.</summary>
/// <param name="Window">The window, in words: <c> in 5 min</c>, or empty.</param>
public sealed record FoundValue(
    RuleDefinition Definition,
    AlertLevel Level,
    double? Value,
    double? Compared,
    string Unit,
    string Window
);

/// <summary>A kind of condition: how it is chosen, read from the form and from text.</summary>
/// <param name="Word">In kept rules.</param>
/// <param name="Type">The record that it makes.</param>
/// <param name="Read">Makes it of the form's fields.</param>
public sealed record ConditionKind(string Word, Type Type, Func<RuleFieldReader, AlertCondition> Read)
{
    /// <summary>What can be chosen, with its words; empty where nobody chooses it.</summary>
    public IReadOnlyList<(string Value, string Words)> Choices { get; init; } = [];

    public IReadOnlyList<RuleInput> Inputs { get; init; } = [];

    /// <summary>Whether it has limits for warning and critical; else one level.</summary>
    public bool HasLimits { get; init; }

    /// <summary>A word before each limit.</summary>
    public string LimitWord { get; init; } = "";

    /// <summary>What limits are, for who writes them.</summary>
    public string LimitHint { get; init; } = "";

    /// <summary>Makes it of a line of text; null where that says something else.</summary>
    /// <exception cref="FormatException">A part of it cannot be read.</exception>
    public required Func<string, AlertCondition?> ReadText { get; init; }
}
