using System.Buffers;
using System.Net;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using System.Text.Json;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>
/// Cuts slots out of text that fits a template as a whole, in linear time. A slot of any text ends where what follows
/// it first fits; by the exchange argument of glob matching no earlier choice has to be taken back.
/// </summary>
public sealed class TemplateMatcher
{
    private const int LongestTyped = 128;

    private readonly TemplatePart[] _parts;
    private readonly SearchValues<char>?[] _characters;

    /// <summary>The constants, where all slots between them are of any text; null where some slot has a type.</summary>
    private readonly string?[]? _constants;

    public TemplateMatcher(string template)
        : this(PartsOf(template)) { }

    private static TemplatePart[] PartsOf(string template)
    {
        var (parts, error) = ParseTemplate.Read(template);
        return error is null ? [.. parts] : throw new ArgumentException(error, nameof(template));
    }

    private TemplateMatcher(TemplatePart[] parts)
    {
        _parts = parts;
        _characters = Array.ConvertAll(_parts, p => p.IsSlot ? Characters(p.Type!) : null);
        if (Array.TrueForAll(_parts, p => !p.IsSlot || p.IsOpen))
            _constants = Array.ConvertAll(_parts, p => p.IsSlot ? null : p.Text);
        Names = [.. parts.Where(p => p.IsSlot && p.Text.Length > 0).Select(p => p.Text)];
    }

    /// <summary>The named slots, in order.</summary>
    public IReadOnlyList<string> Names { get; }

    /// <summary>The most slots a match can have, with those that skip: room for <see cref="Match"/>.</summary>
    public int Slots => _parts.Length;

    /// <summary>Where a text stops fitting: as many pieces as do fit stand in it up to a place.</summary>
    /// <param name="At">How much of the text fits.</param>
    /// <param name="Wanted">The piece that does not stand there; null where the template ends before the text does.</param>
    public sealed record Misfit(int At, TemplatePart? Wanted);

    /// <summary>Why a text does not fit; null for one that does.</summary>
    public Misfit? Explain(ReadOnlySpan<char> text)
    {
        Span<(int Start, int End)> places = stackalloc (int, int)[_parts.Length + 1];
        if (Match(text, places))
            return null;
        // With what is left open behind it, ever fewer of its pieces.
        for (var pieces = _parts.Length; pieces > 0; pieces--)
        {
            var endsOpen = _parts[pieces - 1] is { IsSlot: true, IsOpen: true };
            TemplatePart[] begun = endsOpen ? _parts[..pieces] : [.. _parts[..pieces], new TemplatePart("", "")];
            if (new TemplateMatcher(begun).Match(text, places))
                return new Misfit(
                    endsOpen ? places[pieces - 1].Start : places[pieces].Start,
                    pieces == _parts.Length ? null : _parts[pieces]
                );
        }
        return new Misfit(0, _parts.Length > 0 ? _parts[0] : null);
    }

    /// <summary>Finds where each piece of the template stands.</summary>
    /// <param name="text">Must fit as a whole.</param>
    /// <param name="places">Receives start and end of each piece.</param>
    public bool Match(ReadOnlySpan<char> text, Span<(int Start, int End)> places)
    {
        if (_constants is { } constants)
            return Match(constants, text, places);
        var at = 0;
        for (var p = 0; p < _parts.Length; )
        {
            if (!(_parts[p].IsSlot && _parts[p].IsOpen))
            {
                // Only a template that begins with a constant or a typed slot comes here: it stands at the text's start.
                if (!Fits(text, p, at, isFound: false, places, out at, out p))
                    return false;
                if (p == _parts.Length && at != text.Length)
                    return false;
                continue;
            }
            var open = p++;
            if (p == _parts.Length)
            {
                places[open] = (at, text.Length);
                return true;
            }
            var found = -1;
            for (var from = at; from <= text.Length; from++)
            {
                from = Next(text, p, from);
                if (from < 0)
                    return false;
                if (!Fits(text, p, from, isFound: true, places, out var end, out var next))
                    continue;
                if (next == _parts.Length && end != text.Length)
                    continue;
                (found, places[open]) = (end, (at, from));
                p = next;
                break;
            }
            if (found < 0)
                return false;
            at = found;
        }
        return at == text.Length;
    }

    /// <summary>What stands in the named slots of a text that fits.</summary>
    /// <param name="places">As <see cref="Match"/> found them.</param>
    public string[] Texts(ReadOnlySpan<char> text, ReadOnlySpan<(int Start, int End)> places)
    {
        var (texts, at) = (new string[Names.Count], 0);
        for (var p = 0; p < _parts.Length; p++)
            if (_parts[p] is { IsSlot: true, Text.Length: > 0 })
                texts[at++] = text[places[p].Start..places[p].End].ToString();
        return texts;
    }

    /// <summary>Where a named slot stands in a text that fits; null where there is none of this name.</summary>
    /// <param name="places">As <see cref="Match"/> found them.</param>
    public (int Start, int End)? Place(string name, ReadOnlySpan<(int Start, int End)> places)
    {
        var at = Array.FindIndex(_parts, p => p.IsSlot && p.Text == name);
        return at < 0 ? null : places[at];
    }

    private static bool Match(string?[] constants, ReadOnlySpan<char> text, Span<(int Start, int End)> places)
    {
        var (at, p, last) = (0, 0, constants.Length - 1);
        if (constants[0] is { } head)
        {
            if (!text.StartsWith(head))
                return false;
            places[p++] = (0, at = head.Length);
        }
        // A slot, and the constant behind it.
        for (; p < last; p += 2)
        {
            var constant = constants[p + 1]!;
            // The last one stands at the end, however often it is met before.
            int start;
            if (p + 1 < last)
                start = IndexOf(text, at, constant);
            else if (text.EndsWith(constant))
                start = text.Length - constant.Length;
            else
                start = -1;
            if (start < at)
                return false;
            places[p] = (at, start);
            places[p + 1] = (start, at = start + constant.Length);
        }
        if (p > last)
            return at == text.Length;
        places[last] = (at, text.Length);
        return true;
    }

    /// <summary>Where a constant next stands, or -1. Quicker than the library where that is near, as it is in a
    /// template.</summary>
    private static int IndexOf(ReadOnlySpan<char> text, int from, string constant)
    {
        if (constant.Length > 1 && Vector256.IsHardwareAccelerated)
        {
            ref var start = ref Unsafe.As<char, ushort>(ref MemoryMarshal.GetReference(text));
            var (first, second) = (Vector256.Create((ushort)constant[0]), Vector256.Create((ushort)constant[1]));
            for (; from + Vector256<ushort>.Count < text.Length; from += Vector256<ushort>.Count)
            {
                var pairs =
                    Vector256.Equals(Vector256.LoadUnsafe(ref start, (nuint)from), first)
                    & Vector256.Equals(Vector256.LoadUnsafe(ref start, (nuint)from + 1), second);
                for (var hits = pairs.ExtractMostSignificantBits(); hits != 0; hits &= hits - 1)
                {
                    var at = from + BitOperations.TrailingZeroCount(hits);
                    if (constant.Length == 2 || text[at..].StartsWith(constant))
                        return at;
                }
            }
        }
        var found = text[from..].IndexOf(constant);
        return found < 0 ? -1 : from + found;
    }

    /// <summary>The first place from which a run of pieces could begin, or -1.</summary>
    private int Next(ReadOnlySpan<char> text, int part, int from)
    {
        if (_parts[part].IsSlot)
            return from;
        var constant = _parts[part].Text;
        // The last constant stands at the end, however often it is met before.
        if (part == _parts.Length - 1)
            return text.Length - constant.Length >= from && text.EndsWith(constant.AsSpan()) ? text.Length - constant.Length : -1;
        var at = text[from..].IndexOf(constant.AsSpan());
        return at < 0 ? -1 : from + at;
    }

    /// <summary>Constants and typed slots up to the next open slot, from a place on.</summary>
    private bool Fits(
        ReadOnlySpan<char> text,
        int part,
        int from,
        bool isFound,
        Span<(int Start, int End)> places,
        out int end,
        out int next
    )
    {
        (end, next) = (from, part);
        for (; next < _parts.Length && !(_parts[next].IsSlot && _parts[next].IsOpen); next++)
        {
            var piece = _parts[next];
            var start = end;
            if (!piece.IsSlot)
            {
                // The caller has found the first piece where it stands.
                if (!(isFound && next == part) && !text[start..].StartsWith(piece.Text.AsSpan()))
                    return false;
                end = start + piece.Text.Length;
            }
            else if (!TryTyped(text, next, start, out end))
                return false;
            places[next] = (start, end);
        }
        return true;
    }

    private bool TryTyped(ReadOnlySpan<char> text, int part, int start, out int end)
    {
        var run = text[start..];
        var length = run.IndexOfAnyExcept(_characters[part]!);
        if (length < 0)
            length = run.Length;
        var follows = part + 1 < _parts.Length && !_parts[part + 1].IsSlot ? _parts[part + 1].Text : null;
        var type = _parts[part].Type!;
        end = start;
        if (length == 0)
            return false;
        if (follows is null)
        {
            end = start + length;
            return Reads(run[..length], type);
        }
        if (type == "word")
        {
            // The shortest word that what follows stands behind.
            var at = run.IndexOf(follows.AsSpan());
            if (at <= 0 || at > length)
                return false;
            end = start + at;
            return true;
        }
        for (var size = Math.Min(length, LongestTyped); size > 0; size--)
        {
            if (!run[size..].StartsWith(follows.AsSpan()) || !Reads(run[..size], type))
                continue;
            end = start + size;
            return true;
        }
        return false;
    }

    private static readonly SearchValues<char> Digits = SearchValues.Create("-0123456789");
    private static readonly SearchValues<char> Number = SearchValues.Create("+-.0123456789eE");
    private static readonly SearchValues<char> Quantity = SearchValues.Create("-.0123456789abcdefghijklmnopqrstuvwxyzµKMGTBi");
    private static readonly SearchValues<char> Iso = SearchValues.Create("0123456789-:.,+TZtz ");
    private static readonly SearchValues<char> Addresses = SearchValues.Create("0123456789abcdefABCDEF:.");
    private static readonly SearchValues<char> Letters = SearchValues.Create("truefalsTRUEFALS");
    private static readonly SearchValues<char> Hex = SearchValues.Create("0123456789abcdefABCDEF");
    private static readonly SearchValues<char> NotBlank = SearchValues.Create([
        .. Enumerable.Range(0, char.MaxValue + 1).Select(c => (char)c).Where(c => !char.IsWhiteSpace(c)),
    ]);
    private static readonly SearchValues<char> Anything = SearchValues.Create([
        .. Enumerable.Range(0, char.MaxValue + 1).Select(c => (char)c),
    ]);

    private static SearchValues<char> Characters(string type) =>
        type switch
        {
            "integer" => Digits,
            "decimal" => Number,
            "duration" or "size" => Quantity,
            "time" => Iso,
            "address" => Addresses,
            "boolean" => Letters,
            "bytes" => Hex,
            "list" or "object" => Anything,
            _ when ParseTemplate.IsUnit(type) => Number,
            _ => NotBlank,
        };

    // Most slots hold whole numbers, which need no value made to be recognised.
    private static bool Reads(ReadOnlySpan<char> text, string type) =>
        type switch
        {
            "integer" => long.TryParse(
                text,
                System.Globalization.NumberStyles.AllowLeadingSign,
                System.Globalization.CultureInfo.InvariantCulture,
                out _
            ),
            "word" => true,
            _ => !Read(text, type).IsMissing,
        };

    /// <summary>The value that the text of a slot is.</summary>
    public static Value Read(ReadOnlySpan<char> text, string type)
    {
        switch (type)
        {
            case "" or "text" or "rest" or "word":
                return Value.Of(text.ToString());
            case "boolean":
                if (text.Equals("true", StringComparison.OrdinalIgnoreCase))
                    return Value.True;
                if (text.Equals("false", StringComparison.OrdinalIgnoreCase))
                    return Value.False;
                return Value.Missing;
            case "time":
                return Instants.TryParse(text.ToString(), out var time) ? Value.Time(time) : Value.Missing;
            case "address":
                return IPAddress.TryParse(text, out var address) ? Value.Of(address) : Value.Missing;
            case "bytes":
                return text.Length % 2 == 0 ? Value.Of(Convert.FromHexString(text)) : Value.Missing;
            case "list" or "object":
                var json = JsonValues.TryRead(text.ToString(), out var value) ? value : Value.Missing;
                var kind = type == "list" ? ValueKind.List : ValueKind.Object;
                return json.Kind == kind ? json : Value.Missing;
        }
        var quantity = Literals.ReadQuantity(text.ToString());
        return type switch
        {
            "integer" => quantity.Kind == ValueKind.Integer ? quantity : Value.Missing,
            "decimal" => quantity.Kind is ValueKind.Integer or ValueKind.Decimal ? Value.Of(quantity.AsDouble) : Value.Missing,
            "duration" => quantity.Kind == ValueKind.Duration ? quantity : Value.Missing,
            "size" => quantity.Kind == ValueKind.Size ? quantity : Value.Missing,
            _ => quantity.Kind is ValueKind.Integer or ValueKind.Decimal
                ? Scalars.Arithmetic('*', quantity, Literals.ReadQuantity("1" + type))
                : Value.Missing,
        };
    }

    /// <summary>The values of the named slots, in order; false where the text does not fit.</summary>
    public bool TryRead(ReadOnlySpan<char> text, Span<Value> values)
    {
        Span<(int Start, int End)> places = stackalloc (int, int)[_parts.Length];
        if (!Match(text, places))
            return false;
        var at = 0;
        for (var p = 0; p < _parts.Length; p++)
            if (_parts[p].IsSlot && _parts[p].Text.Length > 0)
                values[at++] = Read(text[places[p].Start..places[p].End], _parts[p].Type!);
        return true;
    }
}
