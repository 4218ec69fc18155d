using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>A query as it would have been asked earlier: everything that it reads is read so much before, and moved
/// forward.</summary>
public static class EarlierQuery
{
    /// <param name="by">Nanoseconds, more than 0.</param>
    public static Language.Query Of(Language.Query query, long by) => Shifted(query, by, []);

    private static Language.Query Shifted(Language.Query query, long by, IReadOnlyCollection<string> bound)
    {
        string[] names = [.. bound, .. query.With.Where(b => b.Query is not null).Select(b => b.Name)];
        var with = new Seq<Binding>(
            query.With.Select(b => b.Query is { } inner ? b with { Query = Shifted(inner, by, names) } : b)
        );
        // What is bound was moved where it is read.
        if (query.From is { } from && names.Contains(from.Set))
            return query with { With = with };
        var set = query.From ?? new From("logs");
        var total = by + (set.Earlier is { } earlier ? Literals.Read(earlier).AsLong : 0);
        return query with { With = with, From = set with { Earlier = Quantities.Duration(total) } };
    }
}
