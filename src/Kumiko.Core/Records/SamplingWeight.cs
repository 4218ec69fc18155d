using System.Globalization;

namespace Kumiko.Core.Records;

/// <summary>
/// How many spans one stands for that a sender sampled: from the rejection threshold in its trace state, as OpenTelemetry's
/// "TraceState: Probability Sampling" has it, <c>ot=th:c</c> for one in four.
/// </summary>
public static class SamplingWeight
{
    private const string Section = "ot=";
    private const string Threshold = "th:";

    /// <summary>A threshold has 56 bits; zeros at its end are left out.</summary>
    private const int Digits = 14;
    private const ulong All = 1UL << 56;

    /// <summary>1 where nothing is said of sampling, or nothing that can be read.</summary>
    public static double Of(string traceState)
    {
        if (traceState.Length == 0)
            return 1;
        foreach (var member in traceState.AsSpan().Split(','))
        {
            var text = traceState.AsSpan(member).Trim();
            if (!text.StartsWith(Section, StringComparison.Ordinal))
                continue;
            text = text[Section.Length..];
            foreach (var part in text.Split(';'))
                if (text[part].StartsWith(Threshold, StringComparison.Ordinal))
                    return OfThreshold(text[part][Threshold.Length..]);
        }
        return 1;
    }

    /// <summary>How many spans a weight stands for, as a whole number.</summary>
    public static long Times(double weight) => (long)Math.Round(Math.Clamp(weight, 1, Most));

    /// <summary>More than this is no sample of anything.</summary>
    private const double Most = 1e9;

    private static double OfThreshold(ReadOnlySpan<char> hex)
    {
        if (
            hex.Length is 0 or > Digits
            || !ulong.TryParse(hex, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var rejected)
        )
            return 1;
        var of = rejected << (4 * (Digits - hex.Length));
        var weight = (double)All / (All - of);
        return weight > Most ? 1 : weight;
    }
}
