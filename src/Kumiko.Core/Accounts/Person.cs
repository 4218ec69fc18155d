namespace Kumiko.Core.Accounts;

/// <summary>What a person may do: look; search and keep; and run Kumiko.</summary>
public enum Role
{
    Viewer,
    Analyst,
    Administrator,
}

/// <summary>Somebody with an account.</summary>
public sealed record Person
{
    public long Id { get; init; }
    public string Name { get; init; } = "";
    public string Email { get; init; } = "";
    public Role Role { get; init; }

    /// <summary>A salted hash; null where the account has no password of its own.</summary>
    public string? Password { get; init; }

    /// <summary>The time zone they chose; null for the browser's.</summary>
    public string? Zone { get; init; }

    /// <summary><c>paper</c> or <c>lacquer</c>; null for the browser's.</summary>
    public string? Theme { get; init; }

    /// <summary>When they were switched off, and removed, UTC nanoseconds; null where they were not.</summary>
    public long? Off { get; init; }
    public long? Removed { get; init; }

    /// <summary>Wrong passwords since they last signed in, and when and from where the last came.</summary>
    public FailedTries Wrong { get; init; } = FailedTries.None;

    /// <summary>Whether they may be here at all.</summary>
    public bool IsActive => Off is null && Removed is null;
}

/// <summary>Wrong passwords that were tried for an account.</summary>
/// <param name="At">When the last was, UTC nanoseconds; null where there was none.</param>
public sealed record FailedTries(long Count, long? At, string? From)
{
    public static readonly FailedTries None = new(0, null, null);
}

/// <summary>What a one-time link is for.</summary>
public enum LinkKind
{
    /// <summary>The first administrator.</summary>
    First,
    Invited,

    /// <summary>A new password for somebody who has an account.</summary>
    Reset,
}

/// <summary>A one-time link that still works.</summary>
/// <param name="Person">Whose password it sets; null where it makes an account.</param>
/// <param name="Email">The address it was made for; empty for any.</param>
public sealed record OneTimeLink(LinkKind Kind, Role Role, long? Person, string Email, string Author, long Created, long Expires)
{
    /// <summary>Tells it from others in lists; no secret.</summary>
    public string Hash { get; init; } = "";
}
