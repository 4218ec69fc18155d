using System.Net;

namespace Kumiko.Core.Accounts;

/// <summary>What a token opens.</summary>
public enum TokenPurpose
{
    Intake,
    Query,
}

/// <summary>What a token may do, and what became of it. Its text is known to its holder alone.</summary>
/// <param name="Name">Who uses it; for intake, the source that its records come from.</param>
/// <param name="Rate">The most records a second; null for any number.</param>
/// <param name="Sources">Other sources it may name; <c>*</c> for any.</param>
/// <param name="Addresses">Where its holder sends from, by which senders are known that cannot show a token.</param>
/// <param name="Protocol">What it was made for, in the words of the pages.</param>
/// <param name="Used">When it was last good for something, UTC nanoseconds.</param>
public sealed record Token(
    long Id,
    string Name,
    TokenPurpose Purpose,
    string Protocol,
    long? Rate,
    IReadOnlyList<string> Sources,
    IReadOnlyList<IPNetwork> Addresses,
    string Author,
    long Created,
    long? Used,
    long? Revoked
)
{
    /// <summary>How its lines are read; empty where that is told from them.</summary>
    public string Format { get; init; } = "";

    /// <summary>Whether it may send as this source.</summary>
    public bool MayName(string source) => source == Name || Sources.Contains(source) || Sources.Contains("*");
}

/// <summary>What a new token is to be.</summary>
public sealed record TokenWish(string Name, TokenPurpose Purpose)
{
    public const int LongestName = 100;

    public string Protocol { get; init; } = "";
    public long? Rate { get; init; }
    public IReadOnlyList<string> Sources { get; init; } = [];
    public IReadOnlyList<IPNetwork> Addresses { get; init; } = [];
    public string Author { get; init; } = "";

    /// <summary>The name of the format of its lines; empty where that is told from them.</summary>
    public string Format { get; init; } = "";

    /// <summary>What a person has to change about it; null when it is good.</summary>
    public string? Problem()
    {
        if (Name.Trim().Length == 0)
            return "Give the sender a name.";
        if (Name.Length > LongestName || Sources.Any(s => s.Length > LongestName))
            return $"A name can have {LongestName} characters.";
        if (Name.Concat(Sources.SelectMany(s => s)).Any(char.IsControl))
            return "A name cannot have control characters.";
        return Rate is <= 0 ? "A rate is a number of records a second, 1 or more." : null;
    }

    /// <summary>Addresses and ranges as people type them: <c>10.20.0.7, 10.21.0.0/16</c>.</summary>
    /// <param name="problem">Set where the answer is null.</param>
    public static IReadOnlyList<IPNetwork>? ReadAddresses(string text, out string? problem)
    {
        problem = null;
        var networks = new List<IPNetwork>();
        foreach (var part in text.Split([' ', ',', ';', '\n', '\r', '\t'], StringSplitOptions.RemoveEmptyEntries))
        {
            if (IPAddress.TryParse(part, out var one))
                networks.Add(new IPNetwork(one, one.AddressFamily == System.Net.Sockets.AddressFamily.InterNetwork ? 32 : 128));
            else if (IPNetwork.TryParse(part, out var range))
                networks.Add(range);
            else
            {
                problem = $"“{part}” is no address. Write 10.20.0.7, or a range such as 10.20.0.0/16.";
                return null;
            }
        }
        return networks;
    }
}
