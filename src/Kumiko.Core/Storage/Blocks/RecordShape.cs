using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Blocks;

/// <summary>Names and kinds of a record's attributes, in order. Records of one line of code have the same.</summary>
internal sealed class RecordShape : IEquatable<RecordShape>
{
    private const int NumberSize = 8;

    private readonly int _hash;

    public RecordShape(string[] names, ValueKind[] kinds)
    {
        (Names, Kinds) = (names, kinds);
        var hash = new HashCode();
        for (var i = 0; i < names.Length; i++)
        {
            hash.Add(names[i], StringComparer.Ordinal);
            hash.Add(kinds[i]);
            Size += names[i].Length + (IsText(kinds[i]) ? 0 : NumberSize);
        }
        _hash = hash.ToHashCode();
    }

    public string[] Names { get; }
    public ValueKind[] Kinds { get; }

    /// <summary>About how many bytes the names and numbers of a record take as a sender writes them.</summary>
    public int Size { get; }

    /// <summary>Whether cells of this kind are slices of the block's bytes, and not numbers.</summary>
    public static bool IsText(ValueKind kind) => kind is ValueKind.Text or ValueKind.List or ValueKind.Object;

    public bool Equals(RecordShape? other) =>
        ReferenceEquals(this, other)
        || (
            other is not null
            && _hash == other._hash
            && Names.AsSpan().SequenceEqual(other.Names)
            && Kinds.AsSpan().SequenceEqual(other.Kinds)
        );

    public override bool Equals(object? obj) => Equals(obj as RecordShape);

    public override int GetHashCode() => _hash;
}
