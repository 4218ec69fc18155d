namespace Kumiko.Core.Searches;

/// <summary>What a kept address leads to.</summary>
public static class KeptKind
{
    public const string Search = "search";
    public const string Chart = "chart";

    /// <summary>The page that shows it.</summary>
    public static string Path(string kind) => kind == Chart ? "/charts" : "/search";
}

/// <summary>A search, or a chart, that somebody kept under a name.</summary>
public sealed class KeptSearch
{
    public const int LongestName = 120;
    public const int LongestNote = 2_000;
    public const int MostTags = 8;
    public const int LongestTag = 40;
    public const int LongestAddress = 40_000;

    public long Id { get; init; }

    /// <summary>One of <see cref="KeptKind"/>.</summary>
    public string Kind { get; init; } = KeptKind.Search;
    public string Name { get; init; } = "";
    public string Note { get; init; } = "";

    /// <summary>Separated by blanks, in small letters.</summary>
    public string Tags { get; init; } = "";

    /// <summary>The view as an address: query, columns, marks and the rest, with its time or without.</summary>
    public string Address { get; init; } = "";

    /// <summary>The query's text, for lists.</summary>
    public string Query { get; init; } = "";

    /// <summary>Whether everybody sees it; else only its author does.</summary>
    public bool Shared { get; init; }

    public long Author { get; init; }
    public string AuthorName { get; init; } = "";
    public long Created { get; init; }
    public long Changed { get; init; }

    public IReadOnlyList<string> TagList => Tags.Split(' ', StringSplitOptions.RemoveEmptyEntries);

    /// <summary>Why it cannot be kept so, in a sentence; null where it can.</summary>
    public string? Problem() =>
        this switch
        {
            { Name: "" } => "Give it a name.",
            { Name.Length: > LongestName } => $"The name can have {LongestName} characters. Shorten it.",
            { Note.Length: > LongestNote } => $"The note can have {LongestNote} characters. Shorten it.",
            { Address.Length: > LongestAddress } => "This search is too long to be kept.",
            _ when TagList.Count > MostTags => $"There can be {MostTags} tags. Take some away.",
            _ when TagList.Any(t => t.Length > LongestTag) => $"A tag can have {LongestTag} characters. Shorten it.",
            _ => null,
        };

    /// <summary>Tags as typed, as they are kept: in small letters, once each.</summary>
    public static string ReadTags(string? typed) =>
        string.Join(
            ' ',
            (typed ?? "")
                .ToLowerInvariant()
                .Split([' ', ',', ';'], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                .Select(t => t.TrimStart('#'))
                .Where(t => t.Length > 0)
                .Distinct(StringComparer.Ordinal)
        );
}

/// <summary>A question that somebody asked.</summary>
public sealed class AskedSearch
{
    public long Id { get; init; }
    public string Query { get; init; } = "";
    public string Address { get; init; } = "";
    public long Asked { get; init; }

    /// <summary>How often.</summary>
    public long Times { get; init; }
}

/// <summary>An answer as it was when somebody froze it.</summary>
public sealed class FrozenResult
{
    public string Id { get; init; } = "";
    public string Title { get; init; } = "";
    public string Address { get; init; } = "";

    /// <summary>One of <see cref="KeptKind"/>.</summary>
    public string Kind { get; init; } = KeptKind.Search;

    /// <summary>Which stretch of time it is of, and the like, in words.</summary>
    public string Words { get; init; } = "";

    public long Rows { get; init; }

    /// <summary>Whether the answer had more rows than were frozen.</summary>
    public bool More { get; init; }

    public long Author { get; init; }
    public string AuthorName { get; init; } = "";
    public long Created { get; init; }
}
