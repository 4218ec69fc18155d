using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>The constant text that records of one service share, with a gap for each variable.</summary>
public sealed class Template
{
    internal Template(long id, string service, byte[] key, long firstSeen)
    {
        (Id, Service, Key, FirstSeen, LastSeen) = (id, service, key, firstSeen, firstSeen);
        Gaps = key.Count(b => b == BodyTokens.Gap);
        Facts = new GapFacts[Gaps];
    }

    /// <summary>Identity over all segments; 0 for a body that has no template and is one variable.</summary>
    public long Id { get; }
    public string Service { get; }

    /// <summary>UTF-8 with a zero byte for each gap.</summary>
    internal byte[] Key { get; }
    public int Gaps { get; }

    /// <summary>The times of its earliest and its latest record.</summary>
    public long FirstSeen { get; internal set; }

    public long LastSeen { get; internal set; }

    /// <summary>What was seen in each gap.</summary>
    internal GapFacts[] Facts { get; set; }

    /// <summary>The more general template that took its place; null while it stands for itself.</summary>
    public Template? MergedInto { get; internal set; }

    /// <summary>Itself, or what it was merged into in the end.</summary>
    public Template Final
    {
        get
        {
            var last = this;
            while (last.MergedInto is { } next)
                last = next;
            return last;
        }
    }

    /// <summary>Which tokens are gaps.</summary>
    internal bool[] Wiped { get; set; } = [];

    /// <summary>Whether its last gap is all that follows a colon.</summary>
    internal bool IsTail { get; init; }

    /// <summary>Whether its key is cut otherwise than its bodies: such a template is compared with no other.</summary>
    internal bool IsOdd { get; set; }

    /// <summary>Whether records of its kind came before it was made, under a template of an earlier version that this process
    /// loaded.</summary>
    internal bool IsHeir { get; set; }

    /// <summary>How many records were looked at closely.</summary>
    internal int Looks { get; set; }

    /// <summary>Whether the table has not yet what is known.</summary>
    internal bool IsUnsaved { get; set; }
    internal int Revision { get; set; }

    public override string ToString() => System.Text.Encoding.UTF8.GetString(Key).Replace("\0", "{}", StringComparison.Ordinal);

    internal static Template Whole { get; } = new(0, "", [BodyTokens.Gap], 0);
}

/// <summary>A template as its table keeps it.</summary>
internal sealed class TemplateRow
{
    public long Id { get; init; }
    public string Service { get; init; } = "";
    public byte[] Key { get; init; } = [];
    public long? MergedInto { get; init; }
    public long FirstSeen { get; init; }
    public long LastSeen { get; init; }
    public byte[] Gaps { get; init; } = [];
    public long IsTail { get; init; }
    public int Revision { get; init; }
}
