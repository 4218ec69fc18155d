namespace Kumiko.Core.Records;

/// <summary>
/// Named values in their order of arrival. Few enough per record that a linear look beats a hash;
/// names are interned when decoded, so the look is mostly a comparison of references.
/// </summary>
public sealed class Attributes : IEquatable<Attributes>
{
    public static readonly Attributes Empty = new([], []);

    private readonly string[] _names;
    private readonly Value[] _values;

    public Attributes(string[] names, Value[] values)
    {
        if (names.Length != values.Length)
            throw new ArgumentException("Each name needs one value.", nameof(values));
        _names = names;
        _values = values;
    }

    public int Count => _names.Length;
    public ReadOnlySpan<string> Names => _names;
    public ReadOnlySpan<Value> Values => _values;

    /// <summary>Those whose names are not left out.</summary>
    public Attributes Without(Func<string, bool> leaves)
    {
        var kept = Enumerable.Range(0, _names.Length).Where(i => !leaves(_names[i])).ToArray();
        return kept.Length == _names.Length
            ? this
            : new Attributes(Array.ConvertAll(kept, i => _names[i]), Array.ConvertAll(kept, i => _values[i]));
    }

    /// <summary>The value of an exact name, then of a path through nested objects; missing when there is none.</summary>
    public Value Get(string name)
    {
        for (var i = 0; i < _names.Length; i++)
            if (ReferenceEquals(_names[i], name) || string.Equals(_names[i], name, StringComparison.Ordinal))
                return _values[i];
        return name.Contains('.') ? GetPath(name) : Value.Missing;
    }

    private Value GetPath(string name)
    {
        for (var dot = name.IndexOf('.'); dot > 0; dot = name.IndexOf('.', dot + 1))
        {
            var head = name.AsSpan(0, dot);
            for (var i = 0; i < _names.Length; i++)
                if (_values[i].Kind == ValueKind.Object && head.SequenceEqual(_names[i]))
                {
                    var found = _values[i].AsObject.Get(name[(dot + 1)..]);
                    if (!found.IsMissing)
                        return found;
                }
        }
        return Value.Missing;
    }

    public bool Equals(Attributes? other) =>
        other is not null && _names.AsSpan().SequenceEqual(other._names) && _values.AsSpan().SequenceEqual(other._values);

    public override bool Equals(object? obj) => Equals(obj as Attributes);

    public override int GetHashCode()
    {
        // The first values tell most apart.
        const int Looked = 4;
        var hash = _names.Length;
        for (var i = 0; i < Math.Min(Looked, _values.Length); i++)
            hash = (hash * 31) + _values[i].GetHashCode();
        return hash;
    }
}
