using Kumiko.Core.Accounts;
using Kumiko.Core.Records;

namespace Kumiko.Core.Sources;

/// <summary>A place that metrics are fetched from.</summary>
/// <param name="Source">What its metrics are a source of.</param>
/// <param name="Interval">Nanoseconds between two times.</param>
public sealed record ScrapeTarget(long Id, string Source, string Address, long Interval, string Author)
{
    public const long Shortest = Instants.Second;
    public const long Longest = Instants.Day;
    private const int LongestAddress = 1_000;

    /// <summary>What a person has to change about it; null when it is good.</summary>
    public string? Problem()
    {
        if (new TokenWish(Source, TokenPurpose.Intake).Problem() is { } name)
            return name;
        if (
            Address.Length > LongestAddress
            || !Uri.TryCreate(Address, UriKind.Absolute, out var uri)
            || uri.Scheme is not ("http" or "https")
        )
            return "Write the address as http://host:port/path.";
        if (uri.UserInfo.Length > 0)
            return "Leave the password out of the address.";
        return Interval is < Shortest or > Longest ? "An interval lies between 1s and 1d." : null;
    }
}

/// <summary>How fetching from a target went last.</summary>
/// <param name="Problem">Null where it went well.</param>
public sealed record ScrapeState(long At, long Duration, int Samples, string? Problem);
