using System.Collections;

namespace Kumiko.Core.Language;

/// <summary>A list that equals another with equal items, for syntax trees.</summary>
public sealed class Seq<T>(IEnumerable<T> items) : IReadOnlyList<T>, IEquatable<Seq<T>>
{
    private readonly T[] _items = [.. items];

    public static readonly Seq<T> Empty = new([]);

    public int Count => _items.Length;
    public T this[int index] => _items[index];

    public bool Equals(Seq<T>? other) => other is not null && _items.SequenceEqual(other._items);

    public override bool Equals(object? obj) => Equals(obj as Seq<T>);

    public override int GetHashCode() => _items.Aggregate(17, (hash, item) => HashCode.Combine(hash, item));

    public IEnumerator<T> GetEnumerator() => ((IEnumerable<T>)_items).GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => _items.GetEnumerator();
}
