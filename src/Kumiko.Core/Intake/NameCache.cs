using System.IO.Hashing;
using System.Runtime.CompilerServices;
using System.Text;
using Kumiko.Core.Records;

namespace Kumiko.Core.Intake;

/// <summary>Names of fields that were met before: one object each, with what they stand for. Not for several threads.</summary>
internal sealed class NameCache
{
    private const int Slots = 4_096;
    private const int LongestKept = 64;

    private readonly (string Name, FieldPart Part)[] _names = new (string, FieldPart)[Slots];
    private readonly string[]?[] _lists = new string[]?[Slots];

    public (string Name, FieldPart Part) Find(ReadOnlySpan<byte> utf8)
    {
        ref var slot = ref _names[XxHash3.HashToUInt64(utf8) & (Slots - 1)];
        if (slot.Name is not null && Ascii.Equals(utf8, slot.Name))
            return slot;
        var found = Find(Encoding.UTF8.GetString(utf8));
        if (utf8.Length <= LongestKept)
            slot = found;
        return found;
    }

    public (string Name, FieldPart Part) Find(string name) => (NamePool.Shared.One(name), FieldNames.Find(name));

    /// <summary>An array of these names, the same one for the same names as long as they come again and again.</summary>
    public string[] Shared(ReadOnlySpan<string> names)
    {
        var hash = names.Length;
        foreach (var name in names)
            hash = (hash * 31) + RuntimeHelpers.GetHashCode(name);
        ref var slot = ref _lists[hash & (Slots - 1)];
        if (slot is null || !IsSame(slot, names))
            slot = names.ToArray();
        return slot;
    }

    private static bool IsSame(string[] a, ReadOnlySpan<string> b)
    {
        if (a.Length != b.Length)
            return false;
        for (var i = 0; i < a.Length; i++)
            if (!ReferenceEquals(a[i], b[i]))
                return false;
        return true;
    }
}
