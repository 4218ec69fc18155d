using System.Globalization;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;

namespace Kumiko.Demo.World;

/// <summary>Draws values for one record: its time, its host, and what goes on in the world then.</summary>
public sealed class Draw(Random random, DateTimeOffset time, string host, IReadOnlyList<Play> plays)
{
    public Random Random => random;
    public DateTimeOffset Time => time;
    public string Host => host;
    public IReadOnlyList<Play> Plays => plays;

    /// <summary>What it is a record of; null for what hangs on no request.</summary>
    public Visit? Visit { get; init; }

    /// <summary>The operation of that visit.</summary>
    public string Operation { get; init; } = "";

    /// <summary>What runs of the service.</summary>
    public string Release { get; init; } = "";

    public string Of(params string[] items) => items[random.Next(items.Length)];

    public int Int(int from, int to) => random.Next(from, to + 1);

    public double Between(double from, double to) => from + (random.NextDouble() * (to - from));

    public string Hex(int digits)
    {
        Span<byte> bytes = stackalloc byte[(digits + 1) / 2];
        random.NextBytes(bytes);
        return Convert.ToHexStringLower(bytes)[..digits];
    }

    /// <summary>How long it took: what it really took where it is of a request, else around a middle.</summary>
    public int Milliseconds(double middle) => Visit is { } visit ? Math.Max(1, (int)Math.Round(visit.Milliseconds)) : Ms(middle);

    /// <summary>Milliseconds around a middle, with a long tail.</summary>
    public int Ms(double middle) =>
        Math.Max(
            1,
            (int)(
                middle
                * Math.Exp(0.5 * Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble()))
            )
        );

    /// <summary>How strongly a disturbance acts at this time, 0 to 1.</summary>
    public double Strength(int disturbance) => plays.Strength(disturbance, time);

    public static string Took(int ms) =>
        ms < 1000 ? Text(ms) + "ms" : (ms / 1000.0).ToString("0.00", CultureInfo.InvariantCulture) + "s";

    public static string Text(long number) => number.ToString(CultureInfo.InvariantCulture);
}
