namespace Kumiko.Core.Rules;

/// <summary>What is typed or chosen in an input of a rule's form.</summary>
public enum RuleInputKind
{
    /// <summary>A query, of several lines.</summary>
    Query,

    /// <summary>A name or another short text.</summary>
    Text,

    /// <summary>A number or a length of time.</summary>
    Figure,

    /// <summary>One of the options.</summary>
    Choice,

    /// <summary>One of the objectives, by its id.</summary>
    Objective,

    /// <summary>Another rule, by its id.</summary>
    Rule,

    /// <summary>Yes or no.</summary>
    Check,
}

/// <summary>Where an input stands in its clause.</summary>
public enum RuleInputPlace
{
    /// <summary>In the sentence that begins with the choice of the kind.</summary>
    Sentence,

    /// <summary>In a sentence behind it.</summary>
    Behind,
}

/// <summary>An input of a rule's form. Kinds that ask for the same share it, so that what was typed stays when another is
/// chosen.</summary>
/// <param name="Name">Of the field in the form.</param>
/// <param name="Label">What it is called where it is not seen.</param>
public sealed record RuleInput(string Name, RuleInputKind Kind, string Label)
{
    /// <summary>Words around it in the sentence.</summary>
    public string Before { get; init; } = "";
    public string After { get; init; } = "";

    /// <summary>What it is called in the sentence that tells what is wrong with it.</summary>
    public string Named { get; init; } = "";
    public string Placeholder { get; init; } = "";

    /// <summary>What stands in it at first.</summary>
    public string Default { get; init; } = "";
    public RuleInputPlace Place { get; init; } = RuleInputPlace.Sentence;
    public IReadOnlyList<(string Value, string Words)> Options { get; init; } = [];

    /// <summary>The lines of a query.</summary>
    public int Lines { get; init; } = 2;
}

/// <summary>Inputs that several kinds share.</summary>
public static class RuleInputs
{
    public static readonly RuleInput Query = new("Query", RuleInputKind.Query, "Query")
    {
        Placeholder = "all records",
        Lines = 3,
    };

    public static readonly RuleInput Least = new("Least", RuleInputKind.Figure, "Least number of cases")
    {
        Before = "judged with at least",
        After = "of them",
        Named = "least number",
        Default = "20",
        Place = RuleInputPlace.Behind,
    };

    public static readonly RuleInput Objective = new("Objective", RuleInputKind.Objective, "Objective")
    {
        Named = "an objective",
    };

    public static readonly RuleInput Side = new("Side", RuleInputKind.Choice, "Which way")
    {
        Default = "high",
        Options = [("high", "higher"), ("low", "lower"), ("either", "either way")],
    };
}
