using System.Globalization;

namespace Kumiko.Core.Records;

/// <summary>A record's id and its place in the order of reading: time, then sequence.</summary>
public readonly record struct RecordId(long Time, long Sequence) : IComparable<RecordId>
{
    public int CompareTo(RecordId other)
    {
        var byTime = Time.CompareTo(other.Time);
        return byTime != 0 ? byTime : Sequence.CompareTo(other.Sequence);
    }

    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Time}.{Sequence}");

    public static RecordId? Parse(string? text)
    {
        if (text is null)
            return null;
        var dot = text.IndexOf('.');
        return
            dot > 0
            && long.TryParse(text.AsSpan(0, dot), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var time)
            && long.TryParse(text.AsSpan(dot + 1), NumberStyles.None, CultureInfo.InvariantCulture, out var sequence)
            ? new RecordId(time, sequence)
            : null;
    }

    public static bool operator <(RecordId a, RecordId b) => a.CompareTo(b) < 0;

    public static bool operator >(RecordId a, RecordId b) => a.CompareTo(b) > 0;

    public static bool operator <=(RecordId a, RecordId b) => a.CompareTo(b) <= 0;

    public static bool operator >=(RecordId a, RecordId b) => a.CompareTo(b) >= 0;
}
