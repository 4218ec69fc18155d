using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Tests;

/// <summary>The rows of a set, without a query before them.</summary>
internal static class Scanned
{
    public static List<Value[]> Rows(RowSet set, Window window, Access? access = null)
    {
        var question = new Question("test", QueryParser.Parse(""), window, window.To, DateTimeZone.Utc, Limits.Default)
        {
            Access = access ?? Access.All,
        };
        var context = new EvaluationContext(window.To, DateTimeZone.Utc);
        var scan = set.Scan(new ScanRequest(question, null!, window, context, CancellationToken.None));
        return [.. scan.Rows(0, sorted: true).Select(row => row.Slots)];
    }
}
