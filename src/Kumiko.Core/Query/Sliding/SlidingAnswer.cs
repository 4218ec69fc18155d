using Kumiko.Core.Records;

namespace Kumiko.Core.Query.Sliding;

/// <summary>A figure of every key over many windows of one length.</summary>
/// <param name="Ends">Where the windows end, rising.</param>
/// <param name="Lines">One for each key, in the order of their names; exactly one where the question has no keys.</param>
/// <param name="Nothing">What the figure is where there is nothing: 0 for counts, not a number for all else.</param>
public sealed record SlidingAnswer(IReadOnlyList<long> Ends, IReadOnlyList<SlidingLine> Lines, double Nothing)
{
    /// <summary>The unit of the figure as UCUM spells it; empty where none is known.</summary>
    public string Unit { get; init; } = "";

    /// <summary>The kind that most of the figures have; durations are given in seconds.</summary>
    public ValueKind Kind { get; init; } = ValueKind.Decimal;
}

/// <param name="Name">The canonical text of its keys together.</param>
/// <param name="Keys">In the order of the question.</param>
/// <param name="Values">Not a number where there is none.</param>
/// <param name="Seen">Where the window has a row of this key.</param>
public sealed record SlidingLine(string Name, IReadOnlyList<string> Keys, double[] Values, bool[] Seen);
