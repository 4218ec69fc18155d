using System.Collections.Concurrent;

namespace Kumiko.Core.Accounts;

/// <summary>
/// How much each token may still send. A sender reserves what it seems to bring before anything is read; what it brought is
/// counted afterwards, so a gate can owe, and opens again when the debt is paid off by time. A pause saves up one second
/// of sending. Bytes count too: so many as <see cref="BytesOfRecord"/> weigh as much as a record.
/// </summary>
public sealed class RateGates(TimeProvider clock)
{
    /// <summary>A sender may bring its rate of records a second, and this many times its rate of bytes.</summary>
    public const int BytesOfRecord = 4_096;

    /// <summary>How many bytes are taken for a record where only their number is known yet; compressed ones are fewer.</summary>
    private const int GuessedRecord = 200;
    private const int GuessedCompressed = 20;

    private readonly ConcurrentDictionary<long, Gate> _gates = new();

    private sealed class Gate
    {
        public double Left;
        public long At;
    }

    /// <summary>How long the token must wait before it may send; zero when it may now.</summary>
    public TimeSpan Wait(Token? token)
    {
        if (token?.Rate is not { } rate)
            return TimeSpan.Zero;
        var gate = Filled(token.Id, rate);
        lock (gate)
            return WaitOf(gate, rate);
    }

    /// <summary>Sets aside, before it is read, what a body seems to bring.</summary>
    /// <param name="bytes">Its length, where that is told; null counts as a whole second of sending.</param>
    /// <param name="wait">How long to wait where the answer is null.</param>
    public RateReservation? Reserve(Token? token, long? bytes, bool isCompressed, out TimeSpan wait)
    {
        wait = TimeSpan.Zero;
        if (token?.Rate is not { } rate)
            return new RateReservation(this, token, 0);
        var reserved = bytes is { } length
            ? Math.Clamp(length / (isCompressed ? GuessedCompressed : GuessedRecord), 1, rate)
            : rate;
        var gate = Filled(token.Id, rate);
        lock (gate)
        {
            wait = WaitOf(gate, rate);
            if (wait > TimeSpan.Zero)
                return null;
            gate.Left -= reserved;
        }
        return new RateReservation(this, token, reserved);
    }

    /// <summary>Counts what was sent.</summary>
    public void Count(Token? token, long records, long bytes = 0) => Take(token, Math.Max(records, bytes / BytesOfRecord));

    internal void Take(Token? token, long cost)
    {
        if (token?.Rate is not { } rate)
            return;
        var gate = Filled(token.Id, rate);
        lock (gate)
            gate.Left -= cost;
    }

    // Less than a whole record left is none.
    private static TimeSpan WaitOf(Gate gate, long rate) =>
        gate.Left >= 1 ? TimeSpan.Zero : TimeSpan.FromSeconds(Math.Max(0.001, (1 - gate.Left) / rate));

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

/// <summary>What was set aside of a token's rate. Where it is never settled it stays taken.</summary>
public sealed class RateReservation(RateGates gates, Token? token, long reserved)
{
    private long _open = reserved;

    /// <summary>Puts what really came in the place of what was set aside.</summary>
    public void Settle(long records, long bytes) =>
        gates.Take(token, Math.Max(records, bytes / RateGates.BytesOfRecord) - Interlocked.Exchange(ref _open, 0));
}
