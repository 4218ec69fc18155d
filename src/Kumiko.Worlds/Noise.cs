namespace Kumiko.Worlds;

/// <summary>
/// Noise with a memory that can be asked at any minute: a sum of smooth curves through random points that lie minutes, an hour
/// and hours apart, the slower the stronger. Its variance is about 1.
/// </summary>
public static class Noise
{
    private static readonly (double Apart, double Strength)[] Curves = [(4, 0.39), (17, 0.48), (71, 0.65), (487, 0.74)];

    public static double At(Chance of, double minutes)
    {
        var sum = 0.0;
        for (var i = 0; i < Curves.Length; i++)
        {
            var (apart, strength) = Curves[i];
            var place = minutes / apart;
            var before = (long)Math.Floor(place);
            var part = place - before;
            var smooth = part * part * (3 - (2 * part));
            var curve = of.Of(i);
            sum += strength * ((Point(curve, before) * (1 - smooth)) + (Point(curve, before + 1) * smooth));
        }
        return sum;
    }

    /// <summary>Uniform with variance 1.</summary>
    private static double Point(Chance curve, long place) => (curve.Of(place).Unit(0) - 0.5) * 3.464;
}
