using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using NodaTime;

namespace Kumiko.Core.Query;

/// <summary>What a run answers: who asks what, about which stretch of time, resolved once.</summary>
/// <param name="Person">Whose run it is; others cannot read it.</param>
/// <param name="Parsed">A query without errors.</param>
/// <param name="Window">The focus.</param>
/// <param name="Now">The instant of the run.</param>
/// <param name="Zone">In which days and hours are cut.</param>
public sealed record Question(string Person, ParseResult Parsed, Window Window, long Now, DateTimeZone Zone, Limits Limits)
{
    /// <summary>What may be read.</summary>
    public Access Access { get; init; } = Access.All;

    /// <summary>Values of the query's parameters, as typed.</summary>
    public IReadOnlyDictionary<string, string> Parameters { get; init; } =
        System.Collections.Immutable.ImmutableDictionary<string, string>.Empty;

    /// <summary>Whether the answer to another one is the answer to this, at the same moment: all that it hangs on is the
    /// same.</summary>
    public bool Asks(Question other) =>
        Parsed.Text == other.Parsed.Text
        && Window == other.Window
        && Zone.Id == other.Zone.Id
        && Limits == other.Limits
        && Access == other.Access
        && Parameters.Count == other.Parameters.Count
        && Parameters.All(p => other.Parameters.TryGetValue(p.Key, out var value) && value == p.Value);
}
