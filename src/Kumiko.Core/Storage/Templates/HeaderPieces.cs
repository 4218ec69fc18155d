using System.Runtime.CompilerServices;

namespace Kumiko.Core.Storage.Templates;

/// <summary>What a piece of a header is by its form.</summary>
internal enum HeaderPart : byte
{
    /// <summary>A name or number that counts by what follows it.</summary>
    Open,
    Level,

    /// <summary>Host, program and process, of which the host may be left out.</summary>
    Tag,

    /// <summary>With its brackets.</summary>
    Bracket,
    Piped,

    /// <summary>Process and thread.</summary>
    Serial,
    Logger,
}

/// <summary>Where a piece of a header stands in its line.</summary>
internal readonly record struct HeaderPiece(HeaderPart Part, int Start, int End);

/// <summary>The pieces of a header, which is never put together of more.</summary>
internal struct HeaderPieces
{
    private const int Most = 16;

    [InlineArray(Most)]
    private struct Places
    {
        private HeaderPiece _first;
    }

    private Places _places;

    public int Count { get; private set; }

    public readonly HeaderPiece this[int at] => _places[at];

    public void Add(HeaderPart part, int start, int end)
    {
        if (Count < Most)
            _places[Count++] = new HeaderPiece(part, start, end);
    }

    /// <summary>Leaves out what stands behind the end of the header.</summary>
    public void Cut(int end)
    {
        while (Count > 0 && _places[Count - 1].End > end)
            Count--;
    }
}
