using System.Runtime.InteropServices;
using Kumiko.Core.Records;

namespace Kumiko.Core.Spans.Figures;

/// <summary>What was called.</summary>
internal enum CalleeKind : byte
{
    /// <summary>A service whose own spans were seen.</summary>
    Service,

    /// <summary>A service that takes what was put into a queue.</summary>
    Queue,

    /// <summary>A database, which sends no spans.</summary>
    Database,

    /// <summary>A party that only its caller has seen.</summary>
    Outside,
}

/// <summary>Spans that are counted together. Names are numbers of <see cref="FigureNames"/>; a minute is its start.</summary>
internal readonly record struct SpanKey(long Minute, int Source, int Service, int Host, int Operation, SpanKind Kind);

/// <summary>Calls that are counted together.</summary>
/// <param name="Operation">Of the caller, within which it called; 0 where it is not known.</param>
/// <param name="Through">The queue; 0 for none.</param>
internal readonly record struct CallKey(
    long Minute,
    int Source,
    int Service,
    int Operation,
    int Callee,
    int CalleeHost,
    CalleeKind Kind,
    int Through
);

/// <summary>Figures of some minutes that are not written yet.</summary>
internal sealed class FigureTable
{
    public Dictionary<SpanKey, Figure> Spans { get; } = [];
    public Dictionary<CallKey, Figure> Calls { get; } = [];

    /// <summary>Weights of spans whose other side never came, by minute, source and service.</summary>
    public Dictionary<(long Minute, int Source, int Service), double> Unmatched { get; } = [];

    public int Count => Spans.Count + Calls.Count;

    public void Add(in SpanFacts span) =>
        Of(Spans, new SpanKey(MinuteOf(span.Start), span.Source, span.Service, span.Host, span.Operation, span.Kind))
            .Add(span.Duration, span.Failed, span.Weight);

    public void Add(CallKey call, long duration, bool failed, double weight) => Of(Calls, call).Add(duration, failed, weight);

    public void AddUnmatched(long start, int source, int service, double weight) =>
        CollectionsMarshal.GetValueRefOrAddDefault(Unmatched, (MinuteOf(start), source, service), out _) += weight;

    private static Figure Of<TKey>(Dictionary<TKey, Figure> figures, TKey key)
        where TKey : notnull
    {
        ref var figure = ref CollectionsMarshal.GetValueRefOrAddDefault(figures, key, out _);
        return figure ??= new Figure();
    }

    public static long MinuteOf(long time)
    {
        var rest = time % Instants.Minute;
        return time - (rest < 0 ? rest + Instants.Minute : rest);
    }

    public void Clear()
    {
        Spans.Clear();
        Calls.Clear();
        Unmatched.Clear();
    }
}
