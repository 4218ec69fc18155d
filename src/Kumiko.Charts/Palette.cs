using System.Globalization;
using System.Text;

namespace Kumiko.Charts;

public enum Theme
{
    Paper,
    Lacquer,
}

/// <summary>The colours of charts by the names that the sheet gives them, and which series has which.</summary>
public static class Palette
{
    public const int Slots = 10;

    /// <summary>Names of the sheet's variables with their colours, light and dark. A test holds both to the sheet.</summary>
    public static readonly IReadOnlyDictionary<string, (string Paper, string Lacquer)> Colours = new Dictionary<
        string,
        (string, string)
    >
    {
        ["sheet"] = ("#fdfbf5", "#221f1b"),
        ["page"] = ("#ffffff", "#1f1c19"),
        ["ink"] = ("#26231d", "#e9e2d4"),
        ["ink-soft"] = ("#6d665a", "#a99f8d"),
        ["hair"] = ("#d6cdba", "#3a352d"),
        ["line"] = ("#b9ad95", "#554e42"),
        ["track"] = ("#e6deca", "#3d372e"),
        ["folded"] = ("#f1ebdf", "#2a2621"),
        ["indigo"] = ("#2d4a80", "#93b0e6"),
        ["teal"] = ("#2f7f7a", "#63b3ac"),
        ["persimmon"] = ("#c2492a", "#e0704f"),
        ["persimmon-ink"] = ("#b23f22", "#ef8a6b"),
        ["ochre"] = ("#b98516", "#cf9d34"),
        ["ochre-ink"] = ("#8a6108", "#ddb04e"),
        ["moss"] = ("#5b7a45", "#93b578"),
        ["s0"] = ("#2d4a80", "#93b0e6"),
        ["s1"] = ("#b0552a", "#e09067"),
        ["s2"] = ("#3f8f88", "#6cc0b8"),
        ["s3"] = ("#8a3f6b", "#d58ab6"),
        ["s4"] = ("#a98a1c", "#d8bf55"),
        ["s5"] = ("#5a7fb8", "#a9c3ee"),
        ["s6"] = ("#6a4a36", "#c8a488"),
        ["s7"] = ("#6f9a4e", "#a6cf84"),
        ["s8"] = ("#9a86c0", "#c3b2ec"),
        ["s9"] = ("#4a4a4a", "#bdbdbd"),
    };

    public static string Colour(string name, Theme theme) => theme == Theme.Paper ? Colours[name].Paper : Colours[name].Lacquer;

    /// <summary>Dashes of lines by slot; null for whole ones.</summary>
    public static readonly float[]?[] Dashes = [null, null, null, null, null, [8, 3], [3, 3], [10, 3, 2, 3], [5, 5], [1, 4]];

    public static string StyleOf(int slot) => "series-" + slot.ToString(CultureInfo.InvariantCulture);

    /// <summary>The colour that a name's letters give it.</summary>
    public static int SlotOf(string name) => (int)(System.IO.Hashing.XxHash32.HashToUInt32(Encoding.UTF8.GetBytes(name)) % Slots);

    /// <summary>A name has the colour that its letters give, so it keeps it from screen to screen; the next free one where two
    /// meet.</summary>
    public static IReadOnlyList<Series> Coloured(IReadOnlyList<Series> series)
    {
        // A figure without keys has no company to be told from.
        if (series is [{ Keys.Count: 0 } alone])
            return [alone with { Slot = alone.Layer.Slot ?? 0 }];
        var own = series.Where(s => !s.IsGhost).ToList();
        var slots = SlotsOf([.. own.Select(s => s.Name)]);
        // A colour that was chosen for many lines is that of the first of them.
        var chosen = new HashSet<int>();
        var coloured = own.Select(
                (s, i) => s with { Slot = s.Layer.Slot is { } slot && (s.Keys.Count == 0 || chosen.Add(slot)) ? slot : slots[i] }
            )
            .ToList();
        return
        [
            .. coloured,
            .. series
                .Where(s => s.IsGhost)
                .Select(g =>
                    g with
                    {
                        Slot = coloured.Find(s => s.Column.Name == g.Layer.GhostOf && s.Keys.SequenceEqual(g.Keys))?.Slot
                            ?? SlotOf(g.Name),
                    }
                ),
        ];
    }

    public static int[] SlotsOf(IReadOnlyList<string> names)
    {
        var taken = new HashSet<int>();
        var slots = new int[names.Count];
        foreach (var i in Enumerable.Range(0, names.Count).OrderBy(i => names[i], StringComparer.Ordinal))
        {
            var slot = SlotOf(names[i]);
            // When all are taken, colours come again; dashes and the legend tell them apart.
            if (taken.Count % Slots == 0)
                taken.Clear();
            while (!taken.Add(slot % Slots))
                slot++;
            slots[i] = slot % Slots;
        }
        return slots;
    }
}
