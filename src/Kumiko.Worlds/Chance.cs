namespace Kumiko.Worlds;

/// <summary>
/// Random numbers by name: what is drawn hangs on the key and the place alone, never on what was drawn before. So what a
/// disturbance does not touch is drawn alike with it and without, in whatever pieces a world is made and on any machine.
/// </summary>
public readonly struct Chance(ulong key)
{
    private const ulong Golden = 0x9E3779B97F4A7C15;

    public static Chance Of(int seed, string name) => new Chance(Mixed((ulong)(uint)seed + 1)).Of(name);

    /// <summary>Another source, the same for the same branch.</summary>
    public Chance Of(long branch) => new(Mixed(key ^ Mixed((ulong)branch + Golden)));

    public Chance Of(string name)
    {
        var mixed = key;
        foreach (var c in name)
            mixed = Mixed(mixed ^ c);
        return new Chance(Mixed(mixed + (ulong)name.Length));
    }

    public ulong Bits(int place) => Mixed(key + (Golden * (ulong)(place + 1)));

    /// <summary>From 0 to just below 1.</summary>
    public double Unit(int place) => (Bits(place) >> 11) * (1.0 / (1UL << 53));

    /// <summary>Standard normal, by Box and Muller (1958).</summary>
    public double Normal(int place) =>
        Math.Sqrt(-2 * Math.Log(1 - Unit(2 * place))) * Math.Cos(2 * Math.PI * Unit((2 * place) + 1));

    /// <summary>A count of a Poisson distribution: the quantile of one number, so that a higher mean never gives a lower
    /// count.</summary>
    public int Count(int place, double mean)
    {
        if (mean <= 0)
            return 0;
        var at = Unit(place);
        if (mean > 200)
            return Math.Max(
                0,
                (int)
                    Math.Round(mean + (Math.Sqrt(mean) * MathNet.Numerics.Distributions.Normal.InvCDF(0, 1, Math.Max(1e-12, at))))
            );
        var (count, share) = (0, Math.Exp(-mean));
        for (var sum = share; sum <= at && count < 1_000; sum += share)
            share *= mean / ++count;
        return count;
    }

    /// <summary>The finalizer of SplitMix64 (Steele, Lea and Flood 2014).</summary>
    private static ulong Mixed(ulong z)
    {
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EB;
        return z ^ (z >> 31);
    }
}
