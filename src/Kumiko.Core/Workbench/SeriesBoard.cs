using System.Collections.Concurrent;
using Kumiko.Core.Analysis;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;

namespace Kumiko.Core.Workbench;

/// <summary>
/// Named series answered together, in any order of definition; each once for each stretch. Queries run by <paramref name="ask"/>,
/// formulas over their answers.
/// </summary>
/// <param name="series">At most <see cref="Most"/>.</param>
/// <param name="ask">Answers a query, or throws <see cref="QueryRefusedException"/>.</param>
public sealed class SeriesBoard(IReadOnlyList<NamedSeries> series, EvaluationContext context, Func<ParseResult, Task<Frame>> ask)
{
    public const int Most = 40;

    private const int MostAnswers = 1_000;
    private static readonly long MostEarlier = 100 * 365 * Instants.Day;

    private readonly ConcurrentDictionary<(string Name, long Earlier, string Condition), Lazy<Task<SeriesAnswer>>> _answers =
        new();
    private readonly HashSet<string> _names = [.. series.Select(s => s.Name)];

    /// <summary>One of the series.</summary>
    /// <param name="earlier">As it was so many nanoseconds before, moved forward.</param>
    /// <param name="condition">Conditions that take the place of the query's own on the same records; empty for none.</param>
    public Task<SeriesAnswer> Answer(string name, long earlier = 0, string condition = "") =>
        _answers.Count >= MostAnswers && !_answers.ContainsKey((name, earlier, condition))
            // Copies of copies of copies would be ever more.
            ? Task.FromResult(
                new SeriesAnswer(
                    Find(name) ?? new NamedSeries(name),
                    null,
                    "This chart has copies of copies in too great a number. Take some of them away."
                )
            )
            : _answers
                .GetOrAdd((name, earlier, condition), key => new Lazy<Task<SeriesAnswer>>(() =>
                    Make(key.Name, key.Earlier, key.Condition)
                ))
                .Value;

    /// <summary>The names that a series is made of, by way of others too.</summary>
    public IReadOnlyCollection<string> Needs(string name)
    {
        var all = new HashSet<string>(StringComparer.Ordinal);
        void See(string of)
        {
            foreach (var next in NeededBy(of))
                if (all.Add(next))
                    See(next);
        }
        See(name);
        return all;
    }

    private IEnumerable<string> NeededBy(string name) =>
        Find(name) switch
        {
            null => [],
            { Peers: { } peers } => [peers.Of],
            { Earlier: { } earlier } => [earlier.Of],
            // Its own name is known too: who names it in its own formula is told of the cycle.
            var typed => SeriesFormula.Read(typed.Text, _names, out _)?.Parts.Where(_names.Contains) ?? [],
        };

    private NamedSeries? Find(string name) => series.FirstOrDefault(s => s.Name == name);

    /// <summary>The way from a series back to itself; null where there is none.</summary>
    private List<string>? Cycle(string name)
    {
        var way = new List<string>();
        var done = new HashSet<string>(StringComparer.Ordinal);
        List<string>? Walk(string at)
        {
            if (way.IndexOf(at) is >= 0 and var first)
                return [.. way[first..], at];
            if (!done.Add(at))
                return null;
            way.Add(at);
            foreach (var next in NeededBy(at))
                if (Walk(next) is { } found)
                    return found;
            way.RemoveAt(way.Count - 1);
            return null;
        }
        return Walk(name);
    }

    private async Task<SeriesAnswer> Make(string name, long earlier, string condition)
    {
        if (Find(name) is not { } of)
            return new SeriesAnswer(new NamedSeries(name), null, $"There is no series {name}.");
        if (Cycle(name) is { } cycle)
            return new SeriesAnswer(
                of,
                null,
                $"{string.Join(", which needs ", cycle[..^1].Select((c, i) => i == 0 ? $"{c} needs {cycle[1]}" : cycle[i + 1]))}: that goes round in a circle. Change one of them."
            );
        try
        {
            return of switch
            {
                { Peers: { } peers } => await OfPeers(of, peers, earlier, condition),
                { Earlier: { } copies } => await OfEarlier(of, copies, earlier, condition),
                _ => SeriesFormula.Read(of.Text, _names, out var problem) switch
                {
                    null => await OfQuery(of, earlier, condition),
                    var formula when problem is null => await OfFormula(of, formula, earlier, condition),
                    var formula => new SeriesAnswer(of, null, problem) { Formula = formula },
                },
            };
        }
        catch (QueryRefusedException e)
        {
            return new SeriesAnswer(of, null, e.Message);
        }
    }

    private async Task<SeriesAnswer> OfQuery(NamedSeries of, long earlier, string condition)
    {
        var text = of.Text.Trim();
        if (text.Length == 0)
            return new SeriesAnswer(
                of,
                null,
                "Write a query, such as service = gate-control | group count() per auto, or a formula over the other names."
            );
        var parsed = QueryParser.Parse(text);
        if (!parsed.Ok)
            return new SeriesAnswer(of, null, parsed.Errors[0].Describe(parsed.Text));
        // Records alone are counted.
        if (parsed.Query.From is null or { Set: "logs" } && parsed.Query.Stages.All(s => s is Where))
            parsed = QueryParser.Parse(QueryEdits.CountOverTime(text));
        if (condition.Length > 0 && QueryParser.Parse(condition).Query.Match is { } match)
            parsed = QueryParser.Parse(QueryEdits.With(parsed.Text, match).Text);
        var asked = parsed.Text;
        if (earlier != 0)
            parsed = ParseResult.Of(EarlierQuery.Of(parsed.Query, earlier));
        var frame = await ask(parsed);
        if (frame.Schema.Step is null || frame.Schema.IndexOf(ColumnRole.Time) < 0)
            return new SeriesAnswer(of, null, "The answer has no steps of time. Add per 5m, or per auto, to its group.")
            {
                Query = asked,
            };
        if (frame.Schema.IndexOf(ColumnRole.Value) < 0)
            return new SeriesAnswer(of, null, "The answer has no figure. Add a group, such as group count() per auto.")
            {
                Query = asked,
            };
        return new SeriesAnswer(of, Named(frame, of.Name), null) { Query = asked };
    }

    /// <summary>The first figure has the series' name, further ones stand behind it.</summary>
    private static Frame Named(Frame frame, string name)
    {
        var first = frame.Schema.IndexOf(ColumnRole.Value);
        return frame with
        {
            Schema = frame.Schema with
            {
                Columns =
                [
                    .. frame.Schema.Columns.Select(
                        (c, i) =>
                        {
                            if (i == first)
                                return c with { Name = name };
                            if (c.Role == ColumnRole.Value)
                                return c with { Name = $"{name} {c.Name}" };
                            return c;
                        }
                    ),
                ],
            },
        };
    }

    private async Task<SeriesAnswer> OfFormula(NamedSeries of, SeriesFormula formula, long earlier, string condition)
    {
        var answers = await Task.WhenAll(formula.Parts.Select(p => Answer(p, earlier, condition)));
        if (Array.Find(answers, a => a.Frame is null) is { } broken)
            return new SeriesAnswer(of, null, $"{broken.Series.Name} has no answer: {broken.Problem}") { Formula = formula };
        var (frame, problem, notes) = FormulaFrames.Of(
            of.Name,
            formula,
            [.. answers.Select(a => (a.Series.Name, a.Frame!))],
            context
        );
        return new SeriesAnswer(of, frame, problem) { Formula = formula, Notes = notes };
    }

    private async Task<SeriesAnswer> OfPeers(NamedSeries of, PeersOf peers, long earlier, string condition)
    {
        var answer = await Answer(peers.Of, earlier, condition);
        if (answer.Frame is not { } frame)
            return new SeriesAnswer(of, null, $"{peers.Of} has no answer: {answer.Problem}");
        if (Peers.Of(frame, peers.Key, peers.Own, peers.Median, of.Name) is not { } made)
            return new SeriesAnswer(of, null, $"{peers.Of} is not told apart by {peers.Key}. Group it by {peers.Key}.");
        var others = frame
            .Rows.Select(r => r[frame.Schema.IndexOf(peers.Key)].ToText())
            .Distinct(StringComparer.Ordinal)
            .ToList();
        return new SeriesAnswer(of, made, null)
        {
            Notes = others.Contains(peers.Own) ? [] : [$"Nothing here has {peers.Key} {peers.Own}."],
        };
    }

    private async Task<SeriesAnswer> OfEarlier(NamedSeries of, EarlierOf copies, long earlier, string condition)
    {
        if (!Quantities.TryParseDuration(copies.By, out var by) || by <= 0)
            return new SeriesAnswer(of, null, $"“{copies.By}” is no length of time. Write 7d, or 12h24m.");
        if (copies.Copies is < 1 or > EarlierOf.MostCopies)
            return new SeriesAnswer(of, null, $"There can be 1 to {EarlierOf.MostCopies} copies.");
        if ((Int128)by * copies.Copies + earlier > MostEarlier)
            return new SeriesAnswer(of, null, "That is more than a hundred years earlier. Take a shorter length.");
        var answers = await Task.WhenAll(
            Enumerable.Range(1, copies.Copies).Select(n => Answer(copies.Of, earlier + (n * by), condition))
        );
        if (Array.Find(answers, a => a.Frame is null) is { } broken)
            return new SeriesAnswer(of, null, $"{copies.Of} has no answer then: {broken.Problem}");
        var frames = answers.Select(a => a.Frame!).ToList();
        return new SeriesAnswer(of, CopiesOf.Band(frames, of.Name), null)
        {
            Notes = frames.TrueForAll(f =>
                f.Rows.All(r => r[f.Schema.IndexOf(ColumnRole.Value)] is { IsMissing: true } or { IsQuantity: true, AsDouble: 0 })
            )
                ? [$"There is nothing {copies.By} earlier."]
                : [],
        };
    }
}
