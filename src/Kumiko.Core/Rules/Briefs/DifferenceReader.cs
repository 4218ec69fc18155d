using Kumiko.Core.Analysis;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Query.Fields;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Rules.Briefs;

/// <summary>Finds what sets an alert's records apart: from the same on like days, or where there were none, from others of the
/// same time.</summary>
public sealed class DifferenceReader(RecordStore records, QuerySources sources, BaselineFinder baselines, AlertStore alerts)
{
    private const int MostValues = 200;
    private const int Most = 3;
    private const int MostAlike = 3;
    private const int LeastOf = 20;
    private const int MostAlerts = 200;
    private const int LongestValue = 300;

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(10);

    /// <summary>One value and how often it is on each side.</summary>
    private sealed record Candidate(string Field, Value Value, long Now, long Then);

    public async Task<BriefDifferences> Read(Alert alert, CancellationToken cancel)
    {
        var focus = AlertRecords.Focus(alert);
        var text = AlertRecords.Query(alert);
        var parsed = text is null ? null : QueryParser.Parse(text);
        if (parsed is not { Ok: true, Query: { From: null, Stages: var stages } } || stages.Any(s => s is not Where))
            parsed = QueryParser.Parse(QueryOfPlace(alert));
        var query = parsed.Query;
        using var snapshot = records.Current;
        using var run = Open(query, alert, focus, snapshot);
        using var reading = run.Attach(cancel);
        if (!run.ReadsRecords)
            return BriefDifferences.None("It is made of no records to compare.");
        var baseline = Usual(run, snapshot, cancel);
        var (now, then) = await run.Both(baseline, MostValues);
        if (now.Total == 0)
            return BriefDifferences.None("No records came in this stretch, so there is nothing to compare.");
        if (then is null || then.Total < LeastOf)
        {
            // What is rare on like days may have happened now and then in the day before.
            var day = DayBefore(alert, run, snapshot, cancel);
            if (await run.Both(day, MostValues) is { Then: { Total: >= LeastOf } rare })
                (baseline, then) = (day, rare);
        }
        if (then is null || then.Total < LeastOf)
        {
            // What never happened before is compared with what else happens.
            baseline = Others(query, focus, Common(now));
            (now, then) = await run.Both(baseline, MostValues);
        }
        if (then is null || then.Total == 0)
            return BriefDifferences.None("There are no other records to compare with yet.");
        var candidates = Candidates(query, alert, now, then, besideOthers: baseline.Query is not null);
        // Beside other records the query itself says which patterns they are.
        if (baseline.Query is null)
            candidates.AddRange(await Patterns(query, baseline, alert, focus, snapshot, cancel));
        var judged = ShareShift.Judge([.. candidates.Select(c => (c.Now, c.Then))], now.Total, then.Total);
        var strongest = candidates
            .Zip(judged)
            .Where(c => c.Second.IsClear)
            // What is there and was not says more than what is not there.
            .OrderByDescending(c => c.Second.Difference > 0)
            .ThenByDescending(c => c.Second.Least)
            .ThenBy(c => c.First.Field, StringComparer.Ordinal)
            .ThenBy(c => c.First.Value.ToText(), StringComparer.Ordinal)
            .ToList();
        return new BriefDifferences(
            Described(strongest, snapshot),
            parsed.Text,
            baseline.Words,
            baseline.Choice.ToString() ?? "",
            baseline.Health,
            now.Total,
            then.Total,
            strongest.Count switch
            {
                > 0 => null,
                _ when Math.Min(now.Total, then.Total) < ShareShift.Fewest => "There are too few records to tell.",
                _ => "No value differs by more than chance.",
            }
        );
    }

    private Run Open(Language.Query query, Alert alert, Window window, Snapshot snapshot) =>
        new(
            new Question(
                "rule",
                ParseResult.Of(query),
                window,
                window.To,
                alert.Definition.TimeZone,
                Limits.Default with
                {
                    Time = Patience,
                }
            ),
            snapshot.Share(),
            sources
        );

    /// <summary>Like days; where none was collected, the stretch before.</summary>
    private Baseline Usual(Run run, Snapshot snapshot, CancellationToken cancel)
    {
        var like = baselines.Find(BaselineChoice.LikeDays, run.Question, snapshot, cancel);
        return like.Windows.Count > 0 ? like : baselines.Find(BaselineChoice.Before, run.Question, snapshot, cancel);
    }

    /// <summary>The day before, without the stretches in which the rule had alerts.</summary>
    private Baseline DayBefore(Alert alert, Run run, Snapshot snapshot, CancellationToken cancel)
    {
        var focus = run.Question.Window;
        var stretch = new TimeRange(Moment.At(focus.From - Instants.Day), Moment.At(focus.From));
        var whole = baselines.Find(new DrawnStretch(stretch), run.Question, snapshot, cancel);
        var (windows, from, left) = (new List<Window>(), focus.From - Instants.Day, 0);
        foreach (
            var other in alerts
                .Of(alert.Rule, MostAlerts)
                .Where(a => a.Id != alert.Id && a.Started < focus.From && !(a.Ended < from))
                .OrderBy(a => a.Started)
        )
        {
            left++;
            if (other.Started - alert.Definition.InTheLast > from)
                windows.Add(new Window(from, other.Started - alert.Definition.InTheLast));
            from = Math.Max(from, other.Ended ?? focus.From);
        }
        if (from < focus.From)
            windows.Add(new Window(from, focus.From));
        return whole with
        {
            Windows = windows,
            Words = left == 0 ? "the day before" : "the day before, without its alerts",
            Health = [],
        };
    }

    /// <summary>A rule on a metric, on spans or on other rules has no records of its own: those of its place, or all that
    /// warn.</summary>
    private static string QueryOfPlace(Alert alert)
    {
        var names = AlertRecords.KeyNames(alert.Definition);
        var places = Enumerable
            .Range(0, Math.Min(names.Count, alert.Keys.Count))
            .Where(i => names[i] is "host" or "service" && alert.Keys[i].Length > 0)
            .ToList();
        if (places.Count > 0)
            return AlertRecords.With("", [.. places.Select(i => names[i])], [.. places.Select(i => alert.Keys[i])]);
        return alert.Definition.Quantity.OnlyService is { Length: > 0 } service
            ? AlertRecords.With("", ["service"], [service])
            : "level >= warn";
    }

    /// <summary>The service that all records are of; null where they are of several.</summary>
    private static string? Common(FieldCounts now) =>
        now.Fields.GetValueOrDefault("service") is { Values: { Count: 1 } values }
        && values.First() is var only
        && only.Value == now.Total
            ? only.Key.ToText()
            : null;

    /// <param name="common">The service that all records are of, so that others are of it as well.</param>
    private static Baseline Others(Language.Query query, Window focus, string? common)
    {
        var conditions = new List<Expr>();
        if (query.Match is { } match)
            conditions.AddRange(match is And and ? and.Items : [match]);
        conditions.AddRange(query.Stages.OfType<Where>().Select(w => w.Condition));
        var service = conditions
            .OfType<Compare>()
            .FirstOrDefault(c => c is { Op: CompareOp.Equal, Left: Field { Name: "service" } });
        var rest = conditions.Where(c => c != service).ToList();
        if (service is null && common is not null)
            service = new Compare(new Field("service"), CompareOp.Equal, new Literal(common, true));
        var others = rest.Count == 0 ? conditions : rest;
        var set = Expr.And(
            rest.Count > 0 && service is not null ? [service, new Not(Expr.And(others))] : [new Not(Expr.And(others))]
        );
        var text = QueryPrinter.Print(set);
        var words =
            rest.Count > 0 && service is { Right: Literal name }
                ? $"other records of {name.Text} at the same time"
                : "other records at the same time";
        return new Baseline(new ConditionSet(text), [focus], words) { Query = text };
    }

    /// <param name="besideOthers">Whether other lines of code wrote what is compared with.</param>
    private static List<Candidate> Candidates(
        Language.Query query,
        Alert alert,
        FieldCounts now,
        FieldCounts then,
        bool besideOthers
    )
    {
        var asksForText = query.Match is { } text && HasTerm(text);
        var found = new List<Candidate>();
        foreach (var name in now.Fields.Keys.Union(then.Fields.Keys))
        {
            // What the query says of itself sets nothing apart; what tells each record from the next says nothing of many.
            if (alert.Definition.Keys.Contains(name) || Speaks(query, name))
                continue;
            // Who asks for a text asks for a line of code, which says its level and scope by itself.
            if (besideOthers && asksForText && (name == "level" || name.StartsWith("otel.scope.", StringComparison.Ordinal)))
                continue;
            var (here, there) = (now.Fields.GetValueOrDefault(name), then.Fields.GetValueOrDefault(name));
            if (here is { More: true } || there is { More: true } || name == "trace_id")
                continue;
            foreach (
                var value in (here?.Values.Keys ?? [])
                    .Union(there?.Values.Keys ?? [])
                    .Where(v => v.Kind != ValueKind.Text || v.AsText.Length <= LongestValue)
            )
                found.Add(
                    new Candidate(
                        name,
                        value,
                        here?.Values.GetValueOrDefault(value) ?? 0,
                        there?.Values.GetValueOrDefault(value) ?? 0
                    )
                );
        }
        return found;
    }

    private static bool HasTerm(Expr expr) => expr is Term || QueryChecker.Parts(expr).Any(HasTerm);

    private static bool Speaks(Language.Query query, string field) =>
        (query.Match is { } match && QueryChecker.Mentions(match, field))
        || query.Stages.OfType<Where>().Any(w => QueryChecker.Mentions(w.Condition, field));

    private async Task<IEnumerable<Candidate>> Patterns(
        Language.Query query,
        Baseline baseline,
        Alert alert,
        Window focus,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        var now = await Counts([focus]);
        var then = await Counts(baseline.Windows);
        return now
            .Keys.Union(then.Keys)
            .Select(p => new Candidate("pattern", Value.Of(p), now.GetValueOrDefault(p), then.GetValueOrDefault(p)));

        async Task<Dictionary<string, long>> Counts(IReadOnlyList<Window> windows)
        {
            var counts = new Dictionary<string, long>(StringComparer.Ordinal);
            foreach (var window in windows)
            {
                using var run = Open(query.Counted([new Field("pattern")]), alert, window, snapshot);
                using var reading = run.Attach(cancel);
                foreach (var row in (await run.Frame()).Rows.Where(r => !r[0].IsMissing))
                    counts[row[0].AsText] = counts.GetValueOrDefault(row[0].AsText) + row[1].AsLong;
            }
            return counts;
        }
    }

    private static List<BriefDifference> Described(List<(Candidate Of, ShareShift Shift)> strongest, Snapshot snapshot)
    {
        var told = new List<(BriefDifference Difference, ShareShift Shift)>();
        foreach (var (of, shift) in strongest)
        {
            var name = of.Value.ToText();
            // The same records by another name are told once, and so is the rest of the same field.
            var same = told.FindIndex(t => t.Shift.Now == shift.Now && t.Shift.Then == shift.Then);
            if (same >= 0)
            {
                var known = told[same].Difference;
                if (known.Field != of.Field && known.Alike.Count < MostAlike)
                    told[same] = told[same] with { Difference = known with { Alike = [.. known.Alike, $"{of.Field} = {name}"] } };
                continue;
            }
            if (
                told.Any(t =>
                    IsRest(t.Shift, shift)
                    || (
                        t.Difference.Field == of.Field
                        && t.Shift.Difference > 0 != shift.Difference > 0
                        && Math.Abs(t.Shift.Least - shift.Least) < 0.02
                    )
                )
            )
                continue;
            if (told.Count == Most)
                continue;
            var text = of.Field == "pattern" ? snapshot.Patterns?.Text(name) ?? name : name;
            told.Add(
                (
                    new BriefDifference(
                        of.Field,
                        name,
                        text,
                        shift.Now,
                        shift.Then,
                        shift.NowShare,
                        shift.ThenShare,
                        shift.Least,
                        []
                    ),
                    shift
                )
            );
        }
        return [.. told.Select(t => t.Difference)];
    }

    private static bool IsRest(ShareShift one, ShareShift other) =>
        one.Now + other.Now == one.NowTotal && one.Then + other.Then == one.ThenTotal;
}
