using Kumiko.Worlds.Flow;

namespace Kumiko.Worlds.Signals;

/// <summary>
/// Which traces are kept: one in 2^n, by the randomness of their ids, all spans of a trace alike, and each says how many it
/// stands for: OpenTelemetry's consistent probability sampling.
/// </summary>
/// <param name="halvings">How often the number is halved: 2 for one in four.</param>
public sealed class Sampler(int halvings)
{
    private readonly ulong _threshold = (1UL << 56) - (1UL << (56 - halvings));

    public bool Keeps(Trace trace) => trace.Randomness >= _threshold;

    /// <summary>What a kept span stands for.</summary>
    public double Weight => 1L << halvings;

    /// <summary>As it stands in the trace state; empty where all are kept.</summary>
    public string TraceState { get; } =
        halvings == 0
            ? ""
            : "ot=th:"
                + ((1UL << 56) - (1UL << (56 - halvings)))
                    .ToString("x14", System.Globalization.CultureInfo.InvariantCulture)
                    .TrimEnd('0');
}
