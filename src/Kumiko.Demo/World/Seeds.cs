namespace Kumiko.Demo.World;

/// <summary>
/// Seeds of random sources, mixed from what they are for: the same in every process, which <see cref="HashCode"/> is not.
/// </summary>
internal static class Seeds
{
    public static int Of(int seed, long of)
    {
        var mixed = ((ulong)(uint)seed * 0x9E3779B97F4A7C15) ^ ((ulong)of * 0xC2B2AE3D27D4EB4F);
        mixed ^= mixed >> 29;
        mixed *= 0xBF58476D1CE4E5B9;
        return (int)(mixed >> 32);
    }

    public static int Of(int seed, string name, long of)
    {
        foreach (var c in name)
            seed = Of(seed, c);
        return Of(seed, of);
    }
}
