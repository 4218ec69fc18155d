using System.Globalization;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using NodaTime;

namespace Kumiko.Core.Query.Baselines;

/// <summary>Settles what a focus is compared with: which like days there are, which are left out and why.</summary>
/// <param name="alerts">How many alerts were open at some time in a window.</param>
public sealed class BaselineFinder(Func<Window, int> alerts)
{
    private const int MostWeeks = 4;
    private const int MostDaysBack = 14;
    private const int MostDays = 5;
    private const int Enough = 2;

    /// <summary>A baseline with fewer records of the whole store than this says little.</summary>
    private const long FewRecords = 50;

    /// <summary>The first record of a day that is collected from its beginning comes a little after it.</summary>
    private const long Slack = Instants.Minute;

    public Baseline Find(BaselineChoice choice, Question question, Snapshot snapshot, CancellationToken cancel = default)
    {
        var (focus, zone) = (question.Window, question.Zone);
        return choice switch
        {
            StretchBefore => Single(
                choice,
                new Window(focus.From - focus.Length, focus.From),
                "the stretch before",
                question,
                snapshot,
                cancel
            ),
            DrawnStretch drawn => Single(
                choice,
                drawn.Range.Resolve(question.Now),
                drawn.Range.Describe(question.Now, zone),
                question,
                snapshot,
                cancel
            ),
            ConditionSet set => OfSet(set, question),
            NoBaseline => new Baseline(choice, [], "nothing"),
            _ => LikeDaysOf(choice, question, snapshot, cancel),
        };
    }

    /// <summary>
    /// Conditions of the query that speak of fields of the set give way to it: beside <c>host = gate-t3</c>, the set
    /// <c>host != gate-t3</c> is the other hosts.
    /// </summary>
    private static Baseline OfSet(ConditionSet set, Question question)
    {
        var parsed = question.Parsed;
        var condition = QueryParser.Parse(set.Condition).Query.Match!;
        var named = Fields(condition).ToHashSet(StringComparer.Ordinal);
        IEnumerable<Expr> conditions = parsed.Query.Match switch
        {
            And and => and.Items,
            { } match => [match],
            null => [],
        };
        var kept = conditions.Where(e => !Fields(e).Any(named.Contains));
        // What follows the records is not compared, and may read tables that are not known here.
        var stages = parsed.Query.Stages.TakeWhile(s => s.IsRowByRow);
        var query = parsed.Query with
        {
            Match = Expr.And([.. kept, condition]),
            Stages = new Seq<Stage>(stages),
            Comments = Comments.None,
        };
        return new Baseline(set, [question.Window], set.Condition) { Query = QueryPrinter.Print(query) };
    }

    private static IEnumerable<string> Fields(Expr expr) =>
        QueryChecker.Parts(expr).SelectMany(Fields).Concat(expr is Field field ? [field.Name] : []);

    private Baseline Single(
        BaselineChoice choice,
        Window window,
        string words,
        Question question,
        Snapshot snapshot,
        CancellationToken cancel
    )
    {
        if (window.IsEmpty)
            return new Baseline(choice, [], words) { Health = ["ends before it begins"] };
        var health = new List<string>();
        if (alerts(window) is var open and > 0)
            health.Add(open == 1 ? "holds an alert" : FormattableString.Invariant($"holds {open} alerts"));
        if (window.Overlaps(question.Window.From, question.Window.To - 1))
            health.Add("overlaps the focus");
        if (window.Length < question.Window.Length / 2)
            health.Add("much shorter than the focus");
        var (then, now) = (Local(window.From, question.Zone), Local(question.Window.From, question.Zone));
        if (window.Length <= 2 * Instants.Day && IsWeekend(then.DayOfWeek) != IsWeekend(now.DayOfWeek))
            health.Add($"other timetable: a {then.DayOfWeek}, the focus a {now.DayOfWeek}");
        return WithVolume(new Baseline(choice, [window], words) { Health = health }, snapshot, cancel);
    }

    private static Baseline WithVolume(Baseline baseline, Snapshot snapshot, CancellationToken cancel)
    {
        var records = baseline.Windows.Sum(w => Collected(snapshot, w, cancel));
        if (records >= FewRecords)
            return baseline;
        return baseline with
        {
            Health =
            [
                .. baseline.Health,
                records == 0 ? "nothing was collected then" : FormattableString.Invariant($"too short: only {records} records"),
            ],
        };
    }

    private static long Collected(Snapshot snapshot, Window window, CancellationToken cancel)
    {
        // A batch wholly inside is enough to know; else the times of those at the edges are looked at.
        foreach (var batch in snapshot.Batches)
            if (window.From <= batch.MinTime && batch.MaxTime < window.To && batch.Count >= FewRecords)
                return batch.Count;
        return snapshot.Batches.Any(b => window.Overlaps(b.MinTime, b.MaxTime))
            ? snapshot.Scan(window, BatchTest.All, cancel).CountIn(window)
            : 0;
    }

    private Baseline LikeDaysOf(BaselineChoice choice, Question question, Snapshot snapshot, CancellationToken cancel)
    {
        var (focus, zone) = (question.Window, question.Zone);
        var start = Local(focus.From, zone);
        var days = (int)((focus.Length + Instants.Day - 1) / Instants.Day);
        var oldest = snapshot.Batches.Count == 0 ? long.MaxValue : snapshot.Batches.Min(b => b.MinTime);
        // Never the focus itself: a focus of ten days is compared with what lies two weeks before it.
        var firstWeek = Math.Max(1, (days + 6) / 7);
        var weekly = Pick(Enumerable.Range(firstWeek, MostWeeks).Select(week => week * 7));
        var name = days > 1 ? "earlier weeks" : start.DayOfWeek + "s";
        if (weekly.Taken.Count >= Enough || days > 1)
            return Told(weekly, name, days > 1 ? "earlier week" : start.DayOfWeek.ToString());
        var weekend = IsWeekend(start.DayOfWeek);
        var daily = Pick(
            Enumerable.Range(1, MostDaysBack).Where(back => IsWeekend(start.PlusDays(-back).DayOfWeek) == weekend),
            MostDays
        );
        return daily.Taken.Count > weekly.Taken.Count
            ? Told(daily, weekend ? "weekend days" : "workdays", weekend ? "weekend day" : "workday")
            : Told(weekly, name, start.DayOfWeek.ToString());

        (List<Window> Taken, List<DayLeftOut> LeftOut, List<Window> Alerted) Pick(IEnumerable<int> daysBack, int most = MostWeeks)
        {
            var (taken, left, alerted) = (new List<Window>(), new List<DayLeftOut>(), new List<Window>());
            foreach (var back in daysBack)
            {
                if (taken.Count == most)
                    break;
                var from = zone.AtLeniently(start.PlusDays(-back)).ToInstant().ToUnixTimeTicks() * 100;
                var window = new Window(from, from + focus.Length);
                // Days from before anything was collected are no loss; there is no end to them.
                if (window.From < oldest - Slack)
                    break;
                if (Collected(snapshot, window, cancel) == 0)
                    left.Add(new DayLeftOut(window, "nothing collected"));
                else if (alerts(window) is var open and > 0)
                {
                    left.Add(new DayLeftOut(window, open == 1 ? "an alert" : FormattableString.Invariant($"{open} alerts")));
                    alerted.Add(window);
                }
                else
                    taken.Add(window);
            }
            return (taken, left, alerted);
        }

        Baseline Told((List<Window> Taken, List<DayLeftOut> LeftOut, List<Window> Alerted) picked, string several, string one)
        {
            var (taken, left) = (picked.Taken, picked.LeftOut);
            var health = new List<string>();
            if (taken.Count == 0 && picked.Alerted.Count > 0)
            {
                // Something that is always alerting must not leave nothing to compare with.
                taken = picked.Alerted;
                left = [.. left.Where(l => !taken.Contains(l.Window))];
                health.Add("all like days hold alerts");
            }
            if (taken.Count == 0)
                return new Baseline(choice, [], "like days") { LeftOut = left, Health = ["no like day was collected yet"] };
            if (taken.Count == 1)
                health.Add("one day only");
            var words =
                taken.Count == 1
                    ? $"1 {one}, same time"
                    : string.Create(CultureInfo.InvariantCulture, $"{taken.Count} {several}, same time");
            return WithVolume(new Baseline(choice, taken, words) { LeftOut = left, Health = health }, snapshot, cancel);
        }
    }

    private static LocalDateTime Local(long time, DateTimeZone zone) => Instants.ToInstant(time).InZone(zone).LocalDateTime;

    private static bool IsWeekend(IsoDayOfWeek day) => day is IsoDayOfWeek.Saturday or IsoDayOfWeek.Sunday;
}
