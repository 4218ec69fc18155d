using System.IO.Hashing;
using System.Text;
using System.Text.RegularExpressions;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Spans.Figures;

/// <summary>
/// Names of operations without the ids in them: <c>GET /sailings/{id}/seats</c>. What looks like an id is folded; where a service
/// has endless names all the same, they are folded by the templates that keep them.
/// </summary>
internal sealed partial class OperationNames(RecordStore records, FigureNames names)
{
    /// <summary>So many names of a service are told apart before its templates are asked.</summary>
    private const int MostPlain = 200;
    private const int MostOfService = 1_000;
    private const int MostKnown = 200_000;
    private const int MostServices = 2_000;
    private const int Longest = 512;
    private const string Other = "(other operations)";

    private readonly Dictionary<(int Service, ulong Hash), int> _known = [];
    private readonly Dictionary<int, HashSet<string>> _ofService = [];

    /// <param name="service">A number of the names.</param>
    /// <param name="name">UTF-8.</param>
    public int Of(int service, ReadOnlySpan<byte> name, long time)
    {
        if (name.IsEmpty)
            return 0;
        var key = (service, XxHash3.HashToUInt64(name));
        if (_known.TryGetValue(key, out var number))
            return number;
        if (_known.Count >= MostKnown)
            _known.Clear();
        return _known[key] = names.Of(NameOf(service, name, time));
    }

    private string NameOf(int service, ReadOnlySpan<byte> name, long time)
    {
        if (_ofService.Count >= MostServices && !_ofService.ContainsKey(service))
            _ofService.Clear();
        if (!_ofService.TryGetValue(service, out var taken))
            _ofService.Add(service, taken = new HashSet<string>(StringComparer.Ordinal));
        var folded = Folded(Encoding.UTF8.GetString(name[..Math.Min(name.Length, Longest)]));
        if (taken.Count >= MostPlain && !taken.Contains(folded))
            folded = records.FoldedName(names[service], name, time);
        if (taken.Count >= MostOfService && !taken.Contains(folded))
            return Other;
        taken.Add(folded);
        return folded;
    }

    internal static string Folded(string name) => name.AsSpan().ContainsAnyInRange('0', '9') ? Id().Replace(name, "{id}") : name;

    /// <summary>A part of a path or a word: digits alone, a long hexadecimal number, or letters among at least three digits.</summary>
    [GeneratedRegex(
        """(?<![\w-])(?:\d+|(?=[\w-]*\d)[0-9a-fA-F]{8,}|(?:[A-Za-z_-]*\d){3}[\w-]*)(?![\w-])""",
        RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1_000
    )]
    private static partial Regex Id();
}
