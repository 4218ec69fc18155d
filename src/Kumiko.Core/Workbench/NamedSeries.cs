namespace Kumiko.Core.Workbench;

/// <summary>A quantity over time under a name: a query, a formula over others, or one of a kind beside its peers, or a series as
/// it was earlier.</summary>
/// <param name="Name">By which formulas call it: letters, digits and _.</param>
/// <param name="Text">A query with steps of time, or a formula; empty for peers and earlier copies.</param>
public sealed record NamedSeries(string Name, string Text = "")
{
    public PeersOf? Peers { get; init; }
    public EarlierOf? Earlier { get; init; }
}

/// <param name="Of">The name of a series that has several values of the key.</param>
/// <param name="Key">What tells one from the others.</param>
/// <param name="Own">The one that is compared.</param>
/// <param name="Median">Whether the middle of the others is their median rather than their mean.</param>
public sealed record PeersOf(string Of, string Key, string Own, bool Median = false);

/// <param name="Of">The name of a series.</param>
/// <param name="By">How much earlier, as the language spells lengths: <c>7d</c>.</param>
/// <param name="Copies">How often: with 4 and <c>7d</c>, the last four weeks.</param>
public sealed record EarlierOf(string Of, string By, int Copies = 1)
{
    public const int MostCopies = 8;
}

/// <summary>What became of a named series.</summary>
/// <param name="Frame">Time, keys, figures: the first figure has the series' name. Null where there is a problem.</param>
/// <param name="Problem">Why there is no answer, in a sentence; null where there is one.</param>
public sealed record SeriesAnswer(NamedSeries Series, Frames.Frame? Frame, string? Problem)
{
    /// <summary>What a person must know of it: what found no partner.</summary>
    public IReadOnlyList<string> Notes { get; init; } = [];

    /// <summary>The formula, where it is one.</summary>
    public SeriesFormula? Formula { get; init; }

    /// <summary>The query's text as it was asked, where it is one.</summary>
    public string? Query { get; init; }
}
