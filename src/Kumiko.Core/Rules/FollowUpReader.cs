using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules;

/// <summary>What a follow-up query answered, as it is kept with an alert.</summary>
/// <param name="Rows">Texts, as many as there are columns in each.</param>
public sealed record FollowUpAnswer(
    IReadOnlyList<string> Columns,
    IReadOnlyList<IReadOnlyList<string>> Rows,
    bool IsMore,
    string? Problem
);

/// <summary>Asks the query that finds the culprit, of the window that started an alert and for its keys.</summary>
public sealed class FollowUpReader(RecordStore records, QuerySources sources)
{
    private const int MostRows = 20;
    private const int LongestText = 400;

    /// <summary>The answer; what went wrong is an answer too.</summary>
    public async Task<FollowUpAnswer> Ask(Rule rule, Alert alert, CancellationToken cancel)
    {
        try
        {
            return await Answer(rule, alert, cancel);
        }
        catch (Exception e) when (e is QueryRefusedException or InvalidDataException or IOException)
        {
            return new FollowUpAnswer([], [], false, e.Message);
        }
    }

    /// <summary>The query for the keys of an alert: its conditions come to those that are written.</summary>
    public static string For(Rule rule, Alert alert)
    {
        var text = rule.FollowUp;
        for (var i = 0; i < Math.Min(rule.Definition.Keys.Count, alert.Keys.Count); i++)
            if (alert.Keys[i].Length > 0)
                text = QueryEdits.With(text, rule.Definition.Keys[i], Value.Of(alert.Keys[i]), excluded: false).Text;
        return text;
    }

    private async Task<FollowUpAnswer> Answer(Rule rule, Alert alert, CancellationToken cancel)
    {
        var parsed = QueryParser.Parse(For(rule, alert));
        if (!parsed.Ok)
            throw new QueryRefusedException($"{parsed.Errors[0].Describe(parsed.Text)}");
        var window = AlertRecords.Focus(alert);
        using var run = new Run(
            new Question("rule", parsed, window, window.To, rule.Definition.TimeZone, Limits.Default),
            records.Current,
            sources
        );
        using var reading = run.Attach(cancel);
        if (!run.IsGrouped)
        {
            var found = await run.Records(null, MostRows + 1);
            return new FollowUpAnswer(
                ["time", "host", "body"],
                [
                    .. found
                        .Take(MostRows)
                        .Select(f =>
                            (IReadOnlyList<string>)
                                [Instants.Format(f.Record.Time), f.Record.Resource.Host.ToText(), Short(f.Record.Body)]
                        ),
                ],
                found.Count > MostRows,
                null
            );
        }
        var frame = await run.Frame();
        return new FollowUpAnswer(
            [.. frame.Schema.Columns.Select(c => c.Name)],
            [
                .. frame
                    .Rows.Take(MostRows)
                    .Select(r => (IReadOnlyList<string>)[.. r.Select(v => v.IsMissing ? "" : Short(v.ToText()))]),
            ],
            frame.Rows.Count > MostRows,
            null
        );
    }

    private static string Short(string text) => text.Length <= LongestText ? text : text[..LongestText] + "…";
}
