using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>
/// The logic of a rule over its checks: fed with what each finds, in order of time, it says when alerts start, rise and end. The
/// same
/// code judges live checks and a trial on history.
/// </summary>
/// <param name="state">Goes on from what it holds, and holds what comes of it.</param>
public sealed class RuleEvaluator(RuleDefinition definition, EvaluationState state)
{
    private const int MostRemembered = 5_000;
    private const int FlappingStarts = 4;
    private const int FlappingChecks = 20;

    /// <summary>Starts within so long are counted; a quarter of it must be quiet before what flaps has ended.</summary>
    private readonly long _flapWindow = Math.Max(Instants.Hour, FlappingChecks * definition.CheckedEvery);

    private static readonly string[] Single = ["0", "1", "2"];

    private readonly long _memory = definition.Condition.Memory(definition);
    private readonly (int Least, int Of) _lasting = definition.Duration.Checks(definition.CheckedEvery);
    private readonly int _mostKeys = definition.Condition.IsOfNewKeys ? MostRemembered : RuleDefinition.MostKeys;

    /// <summary>Judges checks one after another.</summary>
    /// <param name="from">The first of them.</param>
    /// <param name="to">Behind the last.</param>
    public IEnumerable<AlertTransition> Check(RuleMeasurements measurements, int from, int to)
    {
        for (var c = from; c < to; c++)
            foreach (var transition in Check(measurements, c))
                yield return transition;
    }

    private List<AlertTransition> Check(RuleMeasurements measurements, int check)
    {
        var (at, transitions) = (measurements.Checks[check], new List<AlertTransition>());
        state.IsOutside = definition.Hours?.Contain(at, definition.TimeZone) == false;
        if (state.IsOutside)
        {
            foreach (var key in InOrder())
            {
                End(key, at, transitions, "the hours of checking are over");
                key.Marks = "";
            }
            return transitions;
        }
        state.LeftOut = 0;
        var others = state.Keys.Count;
        foreach (var line in measurements.Lines)
        {
            var measurement = line.Measurements[check];
            if (!state.Keys.TryGetValue(line.Name, out var key))
            {
                // A key begins when there is something of it.
                if (!measurement.Seen && line.Name.Length > 0)
                    continue;
                if (state.Keys.Count >= _mostKeys && line.Name.Length > 0)
                {
                    state.LeftOut++;
                    continue;
                }
                state.Keys.Add(line.Name, key = new KeyState { Name = line.Name, Keys = line.Keys });
                if (line.KnownSince is { } known && known < at)
                    (key.FirstSeen, key.LastSeen) = (known, at);
            }
            else
                others--;
            Judge(key, measurement, at, transitions);
        }
        if (others == 0)
            return transitions;
        var found = measurements.Lines.Select(l => l.Name).ToHashSet(StringComparer.Ordinal);
        foreach (var key in InOrder())
            if (!found.Contains(key.Name))
                Judge(
                    key,
                    measurements.Absent.Count > 0 ? measurements.Absent[check] : Measurement.Of(measurements.Nothing, false),
                    at,
                    transitions
                );
        return transitions;
    }

    private KeyState[] InOrder() => [.. state.Keys.Values.OrderBy(k => k.Name, StringComparer.Ordinal)];

    private void Judge(KeyState key, in Measurement measurement, long at, List<AlertTransition> transitions)
    {
        if (measurement.Seen)
        {
            if (key.LastSeen is not { } last || at - last > _memory)
                key.FirstSeen = at;
            key.LastSeen = at;
        }
        // What has not come for very long is forgotten, and no longer wrong.
        var forgotten = key.Name.Length > 0 && !measurement.Seen && (key.LastSeen is not { } seen || at - seen > _memory);
        var result = forgotten ? default : definition.Condition.Judge(definition, measurement, key, at);
        (key.Value, key.Compared, key.HasNoData) = (measurement.Value, measurement.Compared, !forgotten && !result.HasData);
        var raw =
            forgotten || result.HasData
                ? result.Level
                : definition.NoData switch
                {
                    NoData.Warn => AlertLevel.Warning,
                    NoData.Keep when key.Marks.Length > 0 => (AlertLevel)(key.Marks[^1] - '0'),
                    _ => AlertLevel.None,
                };
        key.Marks = Longer(key.Marks, raw);
        key.Now = Lasting(key.Marks);
        Settle(key, result, at, transitions, forgotten);
        if (forgotten && key.Level == AlertLevel.None)
            state.Keys.Remove(key.Name);
    }

    private string Longer(string marks, AlertLevel raw)
    {
        if (_lasting.Of == 1)
            return Single[(int)raw];
        var mark = (char)('0' + (int)raw);
        return marks.Length < _lasting.Of ? marks + mark : string.Concat(marks.AsSpan(marks.Length - _lasting.Of + 1), [mark]);
    }

    /// <summary>The highest level that enough of the last checks had at least.</summary>
    private AlertLevel Lasting(string marks)
    {
        for (var level = AlertLevel.Critical; level > AlertLevel.None; level--)
        {
            var had = 0;
            foreach (var mark in marks)
                if (mark >= '0' + (int)level)
                    had++;
            if (had >= _lasting.Least)
                return level;
        }
        return AlertLevel.None;
    }

    private void Settle(KeyState key, in ConditionResult result, long at, List<AlertTransition> transitions, bool forgotten)
    {
        if (key.IsHeld)
        {
            key.IsHeld = key.Now != AlertLevel.None;
            return;
        }
        if (key.Now == AlertLevel.None)
        {
            if (key.Level == AlertLevel.None)
                return;
            if (key.IsFlapping && !forgotten)
            {
                key.CalmSince ??= at;
                if (at - key.CalmSince < _flapWindow / 4)
                    return;
            }
            End(key, at, transitions, forgotten ? "nothing of it has come for long" : null);
            return;
        }
        key.CalmSince = null;
        if (key.Level == AlertLevel.None)
        {
            key.Starts.RemoveAll(s => at - s > _flapWindow);
            key.Starts.Add(at);
            key.IsFlapping = key.Starts.Count >= FlappingStarts;
            (key.Badness, key.Worst) = (result.Badness, key.Value);
            Rise(key, TransitionKind.Started, at, transitions);
            return;
        }
        if (result.HasData && result.Badness > key.Badness)
            (key.Badness, key.Worst) = (result.Badness, key.Value);
        if (key.Now > key.Level)
            Rise(key, TransitionKind.Rose, at, transitions);
    }

    private static void Rise(KeyState key, TransitionKind kind, long at, List<AlertTransition> transitions)
    {
        key.Level = key.Now;
        transitions.Add(TurnOf(key, kind, at, null));
    }

    private static void End(KeyState key, long at, List<AlertTransition> transitions, string? reason)
    {
        if (key.Level != AlertLevel.None)
            transitions.Add(TurnOf(key, TransitionKind.Ended, at, reason));
        if (key.IsFlapping)
            key.Starts.Clear();
        (key.Level, key.IsFlapping, key.CalmSince, key.IsHeld) = (AlertLevel.None, false, null, false);
    }

    private static AlertTransition TurnOf(KeyState key, TransitionKind kind, long at, string? reason) =>
        new(kind, at, key.Level, key.Value)
        {
            Name = key.Name,
            Keys = key.Keys,
            Compared = key.Compared,
            Worst = key.Worst,
            IsFlapping = key.IsFlapping,
            Reason = reason,
        };

    /// <summary>Something that a rule waits for happened: it starts an alert, or adds to the one that is open.</summary>
    public AlertTransition? Happened(string name, IReadOnlyList<string> keys, long at, int times = 1)
    {
        if (definition.Condition is not Occurs happens || definition.Hours?.Contain(at, definition.TimeZone) == false)
            return null;
        if (!state.Keys.TryGetValue(name, out var key))
        {
            if (state.Keys.Count >= _mostKeys)
            {
                state.LeftOut++;
                return null;
            }
            state.Keys.Add(name, key = new KeyState { Name = name, Keys = keys });
        }
        key.LastSeen = Math.Max(at, key.LastSeen ?? at);
        if (key.Level != AlertLevel.None || key.IsHeld)
        {
            key.Worst = key.Value += times;
            return null;
        }
        (key.Level, key.Now, key.Value, key.Worst) = (happens.Level, happens.Level, times, times);
        return TurnOf(key, TransitionKind.Started, at, null);
    }

    /// <summary>Ends what has not happened again for as long as is looked at.</summary>
    public IEnumerable<AlertTransition> Calm(long now)
    {
        foreach (var key in state.Keys.Values.OrderBy(k => k.LastSeen).ThenBy(k => k.Name, StringComparer.Ordinal).ToList())
        {
            if (key.LastSeen is not { } last || now - last < definition.InTheLast)
                continue;
            state.Keys.Remove(key.Name);
            if (key.Level != AlertLevel.None)
                yield return TurnOf(key, TransitionKind.Ended, last + definition.InTheLast, null);
        }
    }
}
