using System.Text;

namespace Kumiko.Demo.World;

/// <summary>Makes the value of a slot for one record.</summary>
public delegate string SlotValue(Draw draw);

/// <summary>
/// The text of one line of code: <c>{slot}</c> or <c>{slot arguments}</c>, <c>{one|of these}</c>, <c>{?optional part}</c>, and
/// these within
/// each other. A doubled brace is a brace, <c>\n</c> a new line and <c>\t</c> a tab. A slot that stands twice has one value.
/// </summary>
public sealed class LineFormat
{
    /// <summary>What was drawn of the first choice.</summary>
    private const string Choice = "choice";

    private abstract record Part;

    private sealed record Literal(string Text) : Part;

    private sealed record Slot(int Place) : Part;

    private sealed record OneOf(Part[][] Of, int Place) : Part;

    private sealed record Optional(Part Inner) : Part;

    private readonly Part[] _parts;
    private readonly Func<string, string[], SlotValue> _make;
    private readonly List<string> _names;
    private readonly List<SlotValue?> _slots;

    /// <param name="make">The slot of a name and its arguments.</param>
    public LineFormat(string text, Func<string, string[], SlotValue> make)
        : this(text, make, [], []) { }

    private LineFormat(string text, Func<string, string[], SlotValue> make, List<string> names, List<SlotValue?> slots)
    {
        (Text, _make, _names, _slots) = (text, make, names, slots);
        var at = 0;
        _parts = Read(text, ref at, inside: false);
        if (at < text.Length)
            throw new FormatException($"A brace is closed that was not opened, at {at} in: {text}");
    }

    public string Text { get; }

    /// <summary>Values of one record.</summary>
    public string?[] NewValues() => new string?[_slots.Count];

    /// <summary>Another text with the same slots, as attributes of a record are.</summary>
    public LineFormat Beside(string text) => new(text, _make, _names, _slots);

    private Part[] Read(string text, ref int at, bool inside)
    {
        var parts = new List<Part>();
        var literal = new StringBuilder();
        for (; at < text.Length; at++)
        {
            var (c, next) = (text[at], at + 1 < text.Length ? text[at + 1] : '\0');
            if (inside && c is '}' or '|' && inside)
                break;
            if ((c == '{' && next == '{') || (c == '}' && next == '}'))
            {
                literal.Append(c);
                at++;
            }
            else if (c == '\\' && next is 'n' or 't' && c == '\\')
            {
                literal.Append(next == 'n' ? '\n' : '\t');
                at++;
            }
            else if (c == '{')
            {
                if (literal.Length > 0)
                    parts.Add(new Literal(literal.ToString()));
                literal.Clear();
                at++;
                parts.Add(Braces(text, ref at));
            }
            else if (c == '}')
                break;
            else
                literal.Append(c);
        }
        if (literal.Length > 0)
            parts.Add(new Literal(literal.ToString()));
        return [.. parts];
    }

    private Part Braces(string text, ref int at)
    {
        var optional = text[at] == '?';
        if (optional)
            at++;
        var choices = new List<Part[]>();
        while (true)
        {
            choices.Add(Read(text, ref at, inside: true));
            if (at == text.Length)
                throw new FormatException($"A brace is not closed in: {text}");
            if (text[at] == '}')
                break;
            at++;
        }
        if (!optional && choices is [[Literal one]])
            return new Slot(Named(one.Text));
        var chosen = new OneOf([.. choices], optional ? -1 : Placed(Choice, null));
        return optional ? new Optional(chosen) : chosen;
    }

    private int Named(string slot)
    {
        var words = slot.Split(' ');
        var known = _names.IndexOf(words[0]);
        return known >= 0
            ? known
            : Placed(words[0], _make(words[0].TrimEnd('0', '1', '2', '3', '4', '5', '6', '7', '8', '9'), words[1..]));
    }

    private int Placed(string name, SlotValue? value)
    {
        var known = _names.IndexOf(name);
        if (known >= 0)
            return known;
        _names.Add(name);
        _slots.Add(value);
        return _slots.Count - 1;
    }

    /// <summary>Writes one record's text; what <paramref name="values"/> holds already is used again.</summary>
    public void Write(Draw draw, string?[] values, StringBuilder to)
    {
        foreach (var part in _parts)
            Write(part, draw, values, to);
    }

    private void Write(Part part, Draw draw, string?[] values, StringBuilder to)
    {
        switch (part)
        {
            case Literal literal:
                to.Append(literal.Text);
                break;
            case Slot slot:
                to.Append(values[slot.Place] ??= _slots[slot.Place]?.Invoke(draw) ?? "");
                break;
            case Optional optional:
                if (draw.Random.NextDouble() < 0.45)
                    Write(optional.Inner, draw, values, to);
                break;
            case OneOf one:
                // The first are met more often than the last.
                var parts = one.Of[Math.Min(draw.Random.Next(one.Of.Length), draw.Random.Next(one.Of.Length))];
                var from = to.Length;
                foreach (var inner in parts)
                    Write(inner, draw, values, to);
                if (one.Place >= 0)
                    values[one.Place] ??= to.ToString(from, to.Length - from);
                break;
        }
    }
}
