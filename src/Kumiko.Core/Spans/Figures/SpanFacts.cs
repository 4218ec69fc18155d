using Kumiko.Core.Records;

namespace Kumiko.Core.Spans.Figures;

/// <summary>What figures need of a span.</summary>
/// <param name="Id">A hash of trace and span id.</param>
/// <param name="Parent">The same of the span it was begun by; 0 for none.</param>
/// <param name="Peer">Whom it says that it calls, or the queue; 0 where it says nothing.</param>
internal readonly record struct SpanFacts(
    ulong Id,
    ulong Parent,
    int Source,
    int Service,
    int Host,
    int Operation,
    SpanKind Kind,
    bool Failed,
    long Start,
    long Duration,
    double Weight,
    int Peer,
    CalleeKind PeerKind
)
{
    /// <summary>Whether it calls or sends, so that another side is to be expected.</summary>
    public bool Calls => Kind is SpanKind.Client or SpanKind.Producer;

    /// <summary>Whether a service begins with it what another asked for.</summary>
    public bool IsEntry => Kind is SpanKind.Server or SpanKind.Consumer;
}
