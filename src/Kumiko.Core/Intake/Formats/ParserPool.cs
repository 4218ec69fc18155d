using System.Collections.Concurrent;
using Kumiko.Core.Intake.Formats;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Parsers that know the names and texts of a source from its earlier requests. One is used by one at a time.</summary>
internal sealed class ParserPool
{
    private const int MostSources = 64;
    private const int MostOfSource = 8;

    private readonly ConcurrentDictionary<string, ConcurrentBag<JsonRecordParser>> _free = new(StringComparer.Ordinal);

    public JsonRecordParser Rent(string source) =>
        _free.TryGetValue(source, out var free) && free.TryTake(out var parser) ? parser : new JsonRecordParser(source);

    public void Return(string source, JsonRecordParser parser)
    {
        if (!_free.TryGetValue(source, out var free))
        {
            if (_free.Count >= MostSources)
                return;
            free = _free.GetOrAdd(source, _ => []);
        }
        if (free.Count < MostOfSource)
            free.Add(parser);
    }
}
