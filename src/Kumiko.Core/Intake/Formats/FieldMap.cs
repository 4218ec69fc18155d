namespace Kumiko.Core.Intake.Formats;

/// <summary>What a person said of fields by their names.</summary>
internal sealed class FieldMap
{
    private readonly Dictionary<string, FieldWish> _wishes;

    private FieldMap(IEnumerable<FieldWish> wishes) =>
        _wishes = wishes
            .GroupBy(w => w.Name, StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => g.Last(), StringComparer.Ordinal);

    /// <summary>Null where nothing was said.</summary>
    public static FieldMap? Of(FormatSettings settings) => settings.Fields.Count == 0 ? null : new FieldMap(settings.Fields);

    /// <summary>What a field is called; null where it is left out.</summary>
    public string? Name(string found, out FieldType type)
    {
        if (!_wishes.TryGetValue(found, out var wish))
        {
            type = FieldType.AsWritten;
            return found;
        }
        type = wish.Type;
        return wish.As.Length == 0 ? null : wish.As;
    }
}
