namespace Kumiko.Core.Rules;

/// <summary>Turns as episodes.</summary>
internal sealed class TrialEpisodes
{
    private readonly Dictionary<string, int> _open = new(StringComparer.Ordinal);

    public List<TrialEpisode> All { get; } = [];
    public int Turns { get; private set; }

    public void Add(IEnumerable<AlertTransition> transitions)
    {
        foreach (var transition in transitions)
            Add(transition);
    }

    private void Add(AlertTransition transition)
    {
        Turns++;
        if (transition.Kind == TransitionKind.Started)
        {
            _open[transition.Name] = All.Count;
            All.Add(
                new TrialEpisode(
                    transition.Name,
                    transition.Keys,
                    transition.At,
                    null,
                    transition.Level,
                    transition.Value,
                    transition.IsFlapping
                )
            );
        }
        else if (_open.TryGetValue(transition.Name, out var at))
        {
            All[at] =
                transition.Kind == TransitionKind.Rose
                    ? All[at] with
                    {
                        Level = transition.Level,
                    }
                    : All[at] with
                    {
                        To = transition.At,
                    };
            if (transition.Kind == TransitionKind.Ended)
                _open.Remove(transition.Name);
        }
    }

    public void Worst(EvaluationState state)
    {
        foreach (var (name, at) in _open)
            if (state.Keys.TryGetValue(name, out var key) && key.Level != AlertLevel.None)
                All[at] = All[at] with { Worst = key.Worst, IsFlapping = All[at].IsFlapping || key.IsFlapping };
    }
}
