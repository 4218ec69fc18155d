using Kumiko.Core.Query.Sliding;

namespace Kumiko.Core.Rules;

/// <summary>What a rule looks at: one figure for each key at each check, or something that happens. What a kind of quantity is
/// stands in one file: its inputs, its text, its words, and how it is found.</summary>
public abstract record Quantity
{
    /// <summary>Whether it is a figure at every check; else it happens at its own times.</summary>
    public virtual bool IsFigure => true;

    /// <summary>Whether it is a number of things that come by chance.</summary>
    public virtual bool IsCount => false;

    /// <summary>Whether it is of the window that a check looks at.</summary>
    public virtual bool HasWindow => IsFigure;

    /// <summary>Of its figures, as far as that is known without asking.</summary>
    public virtual string Unit => "";

    /// <summary>The queries that somebody wrote for it.</summary>
    public virtual IEnumerable<RuleQuery> Queries => [];

    /// <summary>Whether its windows can be put together of slices, so that many are as cheap as one.</summary>
    public bool IsQuick => Queries.All(query => query.IsQuick);

    /// <summary>The query for what is looked at, without its figure; null where it has none.</summary>
    public virtual string? Rows => null;

    /// <summary>Names of the keys that its query makes; null where the rule names its keys.</summary>
    public virtual IReadOnlyList<string>? OwnKeys => null;

    /// <summary>The service that it is of; empty for all.</summary>
    public virtual string OnlyService => "";

    /// <summary>The objective that it is of.</summary>
    public virtual long? ObjectiveId => null;

    /// <summary>What it stands for where windows of a history are asked.</summary>
    public virtual Quantity InHistory => this;

    /// <summary>Lengths that windows are cut by, beside that of the window; nanoseconds.</summary>
    public virtual IEnumerable<long> Lengths => [];

    /// <summary>Adds what is wrong with it, each as a sentence.</summary>
    public virtual void Check(RuleDefinition definition, ICollection<string> faults) { }

    /// <summary>Its lines of a rule's text.</summary>
    public abstract string Print();

    /// <summary>Puts it into the fields of the form.</summary>
    public abstract void Fill(RuleFields fields);

    /// <summary>What is looked at, without its window.</summary>
    /// <param name="each">The keys: <c> for each host</c>, or empty.</param>
    public abstract string Words(RuleWording words, string each);

    /// <summary>Its window in the sentence.</summary>
    public virtual string WindowWords(RuleWording words, long inTheLast) =>
        HasWindow ? $" in the last {words.Duration(inTheLast)}" : "";

    /// <summary>What it is made of where that is not records.</summary>
    public virtual string WordsOfRows => Rows is { } query ? RuleWording.KindOfRows(query) : "other rows";

    /// <summary>Its figures at the ends of windows.</summary>
    /// <exception cref="Evaluation.QueryRefusedException">A query cannot be answered.</exception>
    public virtual Task<SlidingAnswer> Values(ValueRequest request) =>
        throw new InvalidOperationException("What happens at its own times is no figure.");
}

/// <summary>A kind of quantity: how it is chosen, read from the form and from text.</summary>
/// <param name="Word">In the form, and in kept rules.</param>
/// <param name="Type">The record that it makes.</param>
/// <param name="Title">What it is called where it is chosen.</param>
/// <param name="Read">Makes it of the form's fields.</param>
public sealed record QuantityKind(string Word, Type Type, string Title, Func<RuleFieldReader, Quantity> Read)
{
    public IReadOnlyList<RuleInput> Inputs { get; init; } = [];

    /// <summary>Whether alerts can be told apart by fields of the rule's choice.</summary>
    public bool TakesKeys { get; init; } = true;

    /// <summary>How its text begins, for a sentence.</summary>
    public required string Begins { get; init; }

    /// <summary>Makes it of the first line of a text; null where that begins otherwise.</summary>
    /// <exception cref="FormatException">What stands behind cannot be read.</exception>
    public required Func<RuleTextReader, string, Quantity?> ReadText { get; init; }

    public bool IsFigure => !typeof(Happening).IsAssignableFrom(Type);
}
