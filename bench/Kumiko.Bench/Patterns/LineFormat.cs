using System.Text;

namespace Kumiko.Bench.Patterns;

/// <summary>
/// One line of code of a daemon, as its source has it: text with <c>{slot}</c>, <c>{one|of|these}</c> and <c>{?optional parts}</c>.
/// A doubled brace is a brace, <c>\n</c> a new line.
/// </summary>
internal sealed class LineFormat
{
    private abstract record Part;
    private sealed record Literal(string Text) : Part;
    private sealed record Slot(string Name) : Part;
    private sealed record OneOf(Part[][] Of) : Part;
    private sealed record Optional(Part Inner) : Part;

    private readonly Part[] _parts;

    public LineFormat(string line)
    {
        var tab = line.IndexOf('\t', StringComparison.Ordinal);
        Weight = int.Parse(line.AsSpan(0, tab), System.Globalization.CultureInfo.InvariantCulture);
        Text = line[(tab + 1)..];
        var at = 0;
        _parts = Read(Text, ref at, inside: false);
    }

    public int Weight { get; }
    public string Text { get; }

    private static Part[] Read(string text, ref int at, bool inside)
    {
        var parts = new List<Part>();
        var literal = new StringBuilder();
        for (; at < text.Length; at++)
        {
            var (c, next) = (text[at], at + 1 < text.Length ? text[at + 1] : '\0');
            if (inside && c is '}' or '|' && inside) break;
            if (c is '{' && next == '{' || c is '}' && next == '}') { literal.Append(c); at++; }
            else if (c == '\\' && next == 'n') { literal.Append('\n'); at++; }
            else if (c == '{')
            {
                if (literal.Length > 0) parts.Add(new Literal(literal.ToString()));
                literal.Clear();
                at++;
                parts.Add(Braces(text, ref at));
            }
            else literal.Append(c);
        }
        if (literal.Length > 0) parts.Add(new Literal(literal.ToString()));
        return [.. parts];
    }

    private static Part Braces(string text, ref int at)
    {
        if (text[at] == '?')
        {
            at++;
            return new Optional(Choices(text, ref at));
        }
        var found = Choices(text, ref at);
        // A single word in braces is a slot.
        return found.Of is [[Literal one]] ? new Slot(one.Text) : found;
    }

    private static OneOf Choices(string text, ref int at)
    {
        var choices = new List<Part[]>();
        while (true)
        {
            choices.Add(Read(text, ref at, inside: true));
            if (text[at] == '}') break;
            at++;
        }
        // One of several that has the name of a slot is one.
        return new OneOf([.. choices.Select(c => choices.Count > 1 && c is [Literal l] && Slots.Has(l.Text) ? [new Slot(l.Text)] : c)]);
    }

    public string Write(Random random)
    {
        var to = new StringBuilder();
        Write(_parts, random, to);
        return to.ToString();
    }

    private static void Write(Part[] parts, Random random, StringBuilder to)
    {
        foreach (var part in parts)
            switch (part)
            {
                case Literal literal: to.Append(literal.Text); break;
                case Slot slot: to.Append(Slots.Value(slot.Name, random)); break;
                // The first is met more often than the last, as it is in life.
                case OneOf one: Write(one.Of[Math.Min(random.Next(one.Of.Length), random.Next(one.Of.Length))], random, to); break;
                case Optional optional: if (random.NextDouble() < 0.45) Write([optional.Inner], random, to); break;
            }
    }
}
