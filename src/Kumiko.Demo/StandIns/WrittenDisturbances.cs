using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Demo.World;

namespace Kumiko.Demo.StandIns;

/// <summary>What really happened, for trials of rules to be held against.</summary>
public sealed class WrittenDisturbances(Truth truth, TimeProvider clock) : IKnownDisturbances
{
    public IReadOnlyList<KnownDisturbance> In(Window window)
    {
        var now = Instants.FromDateTime(clock.GetUtcNow());
        return
        [
            .. truth
                .Entries.Select(e => new KnownDisturbance(
                    e.Cause,
                    new Window(Instants.FromDateTime(e.Start), e.End is { } end ? Instants.FromDateTime(end) : now + 1),
                    Disturbances.Of(e.Disturbance).IsFault
                ))
                .Where(d => d.Window.From < now && d.Window.Overlaps(window.From, window.To - 1))
                .OrderBy(d => d.Window.From),
        ];
    }
}
