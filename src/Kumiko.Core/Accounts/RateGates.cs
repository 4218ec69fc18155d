using System.Collections.Concurrent;

namespace Kumiko.Core.Accounts;

/// <summary>
/// How much each token may still send. What arrives is taken whole and counted afterwards, so a gate can owe; it opens
/// again when the debt is paid off by time. A pause saves up one second of sending.
/// </summary>
public sealed class RateGates(TimeProvider clock)
{
    private readonly ConcurrentDictionary<long, Gate> _gates = new();

    private sealed class Gate
    {
        public double Left;
        public long At;
    }

    /// <summary>How long the token must wait before it may send; zero when it may now.</summary>
    public TimeSpan Wait(Token? token)
    {
        if (token?.Rate is not { } rate) return TimeSpan.Zero;
        var gate = Filled(token.Id, rate);
        lock (gate) return gate.Left > 0 ? TimeSpan.Zero : TimeSpan.FromSeconds(Math.Max(0.001, (1 - gate.Left) / rate));
    }

    /// <summary>Counts what was sent.</summary>
    public void Count(Token? token, long records)
    {
        if (token?.Rate is not { } rate) return;
        var gate = Filled(token.Id, rate);
        lock (gate) gate.Left -= records;
    }

    private Gate Filled(long id, long rate)
    {
        var now = clock.GetTimestamp();
        var gate = _gates.GetOrAdd(id, _ => new Gate { Left = rate, At = now });
        lock (gate)
        {
            gate.Left = Math.Min(rate, gate.Left + (clock.GetElapsedTime(gate.At, now).TotalSeconds * rate));
            gate.At = now;
        }
        return gate;
    }
}
