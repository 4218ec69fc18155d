using System.Globalization;
using System.Text;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>
/// Patterns by their ids: what the field <c>pattern</c> holds. Several threads may ask at once, while records are sealed.
/// </summary>
public sealed class Patterns(TemplateMiner miner)
{
    // An odd number, so that multiplying by it can be undone: ids in a row do not look alike.
    private const uint Spread = 0x9E3779B1, Undo = 0x8B2F51;
    private const int Bits = 24;
    private const long Mask = (1L << Bits) - 1;

    private readonly List<Slice> _gaps = [];

    /// <summary>An id as people see it: <c>#1f3a9c</c>.</summary>
    public static string Name(long id) => "#" + (((id >> Bits) << Bits) | (id * Spread & Mask)).ToString("x6", CultureInfo.InvariantCulture);

    /// <summary>The id that a name stands for, or null.</summary>
    public static long? Id(string name) =>
        name.Length is > 1 and < 17 && name[0] == '#' && long.TryParse(name.AsSpan(1), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var spread)
            ? ((spread >> Bits) << Bits) | ((spread & Mask) * Undo & Mask)
            : null;

    /// <summary>What a template was merged into in the end, or itself.</summary>
    public long Final(long id)
    {
        lock (miner) return miner.Find(id)?.Final.Id ?? id;
    }

    /// <summary>The pattern's name for a template's id; missing for bodies that have no template.</summary>
    public Value ValueOf(long id) => id == 0 ? Value.Missing : Value.Of(Name(Final(id)));

    /// <summary>The pattern of a record; one that is not sealed yet gets its template now.</summary>
    public Value Of(LogRecord record)
    {
        if (record.TemplateId is { } known) return ValueOf(known);
        lock (miner)
        {
            var id = miner.Find(record.Resource.Service is { IsText: true } service ? service.AsText : "", Encoding.UTF8.GetBytes(record.Body), record.Time, _gaps).Id;
            _gaps.Clear();
            record.TemplateId = id;
            return ValueOf(id);
        }
    }

    /// <summary>The constant text of a pattern with {} for its gaps; null where there is none of this name.</summary>
    public string? Text(string name)
    {
        if (Id(name) is not { } id) return null;
        lock (miner) return miner.Find(id)?.Final.ToString();
    }
}
