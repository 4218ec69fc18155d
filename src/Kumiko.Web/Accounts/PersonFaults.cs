namespace Kumiko.Web.Accounts;

/// <summary>What is wrong with what people say of themselves.</summary>
public static class PersonFaults
{
    public const int LongestName = 100;

    /// <summary>Null for a good name.</summary>
    public static string? OfName(string? name) =>
        string.IsNullOrWhiteSpace(name) || name.Length > LongestName || name.Any(char.IsControl)
            ? $"Write your name, in up to {LongestName} characters."
            : null;
}
