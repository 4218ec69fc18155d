namespace Kumiko.Core.Searches;

/// <summary>Where the values of a field lead outside: a runbook, a ticket, a timetable.</summary>
public sealed class FieldLink
{
    public const int LongestField = 200;
    public const int LongestTitle = 60;
    public const int LongestAddress = 500;

    /// <summary>What stands for the value in an address.</summary>
    public const string Slot = "{value}";

    private const int LongestValue = 1_000;

    public long Id { get; init; }
    public string Field { get; init; } = "";
    public string Title { get; init; } = "";

    /// <summary>An https address with <see cref="Slot"/> behind its host.</summary>
    public string Address { get; init; } = "";

    /// <summary>Whether everybody sees it; else only its author does.</summary>
    public bool Shared { get; init; }
    public long Author { get; init; }
    public string AuthorName { get; init; } = "";

    /// <summary>Why it cannot be kept so, in a sentence; null where it can.</summary>
    public string? Problem() =>
        this switch
        {
            { Field: "" } => "Name the field whose values lead there.",
            { Field.Length: > LongestField } => $"A field's name can have {LongestField} characters.",
            { Title: "" } => "Say in a word or two where it leads.",
            { Title.Length: > LongestTitle } => $"The words can have {LongestTitle} characters. Shorten them.",
            { Address.Length: > LongestAddress } => $"The address can have {LongestAddress} characters. Shorten it.",
            _ when !Address.Contains(Slot, StringComparison.Ordinal) => $"Write {Slot} where the value belongs.",
            _ => AddressProblem(),
        };

    private string? AddressProblem()
    {
        // Whatever the value is, it may not choose whom one is led to.
        var (one, other) = (Made("a"), Made("b"));
        if (one is null || other is null || one.Scheme != Uri.UriSchemeHttps)
            return "Write an address that begins with https://.";
        return one.Authority == other.Authority && one.UserInfo.Length == 0
            ? null
            : $"{Slot} can stand in the path or behind it, and not in the host.";
    }

    private Uri? Made(string value) =>
        Uri.TryCreate(Address.Replace(Slot, value, StringComparison.Ordinal), UriKind.Absolute, out var uri) ? uri : null;

    /// <summary>The address for a value, which is encoded; null for one that is too long.</summary>
    public string? To(string value) =>
        value.Length is > 0 and <= LongestValue
            ? Address.Replace(Slot, Uri.EscapeDataString(value.Replace('\uFFFD', '?')), StringComparison.Ordinal)
            : null;
}
