using System.Runtime.InteropServices;
using Kumiko.Core.Records;

namespace Kumiko.Core.Spans.Figures;

/// <summary>
/// Finds who called whom: spans wait for the other side, which may come in any order, for ten minutes and in 64 MB at most. A call
/// is counted once, as its client saw it, under the operation within which the caller made it; where the client's span
/// is missing, as the callee saw it.
/// </summary>
internal sealed class CallTracer(FigureTable figures, int most = CallTracer.MostWaiting)
{
    public const long Waits = 10 * Instants.Minute;

    /// <summary>Where nobody ever answered for a party, it is an outside one after this time.</summary>
    public const long WaitsForStrangers = 2 * Instants.Minute;

    private const int MostBytes = 64 << 20;

    /// <summary>Of a waiting span: itself, its place by id, and by the parent that it waits for.</summary>
    private const int BytesOfOne = 96 + 32 + 32;
    public const int MostWaiting = MostBytes / BytesOfOne;

    private const int MostAnswered = 100_000;
    private const int None = -1;

    /// <summary>A span that was seen in the last minutes.</summary>
    private struct Waiting
    {
        public SpanFacts Span;

        /// <summary>When it came.</summary>
        public long Came;

        /// <summary>The operation of its service within which it was: known once its chain of parents is, 0 where that was given
        /// up.</summary>
        public int Within;

        /// <summary>The one before it that waits for the same parent; an absolute place, −1 for none.</summary>
        public long Before;

        /// <summary>Whether its call is counted.</summary>
        public bool IsCounted;

        /// <summary>Whether its parent has not come so far.</summary>
        public bool IsLonely;
    }

    // A ring: what is at an absolute place p lies at p % length.
    private Waiting[] _ring = new Waiting[1_024];
    private long _head;
    private long _tail;
    private long _young;
    private readonly Dictionary<ulong, long> _places = [];
    private readonly Dictionary<ulong, long> _children = [];
    private readonly HashSet<(int Service, int Peer)> _answered = [];
    private readonly Stack<long> _known = new();
    private readonly List<long> _waiters = [];

    /// <summary>Spans that are held.</summary>
    public int Count => (int)(_tail - _head);

    /// <summary>Whether calls are found but not counted: they were before.</summary>
    public bool IsReplay { get; set; }

    private ref Waiting At(long place) => ref _ring[place % _ring.Length];

    /// <param name="came">When it came; not before the one before it.</param>
    public void Add(in SpanFacts span, long came)
    {
        // What a sender repeats is met once.
        if (span.Id == 0 || _places.ContainsKey(span.Id))
            return;
        if (Count == most)
            Leave();
        if (Count == _ring.Length)
            Grow();
        var place = _tail++;
        At(place) = new Waiting
        {
            Span = span,
            Came = came,
            Within = None,
            Before = None,
        };
        _places.Add(span.Id, place);
        if (span.IsEntry || span.Parent == 0)
            Knows(place, span.Operation);
        if (span.Parent != 0 && span.Parent != span.Id)
        {
            var hasCome = _places.TryGetValue(span.Parent, out var parent);
            if (hasCome && At(parent).Within != None)
                Meet(place, parent);
            else
                WaitFor(span.Parent, place, isLonely: !hasCome);
        }
        if (At(place).Within == None && _children.TryGetValue(span.Id, out var child))
            for (; child >= _head; child = At(child).Before)
                At(child).IsLonely = false;
        MeetAll();
    }

    private void MeetAll()
    {
        // Not by calling itself: a trace may be a chain of a million spans.
        while (_known.TryPop(out var known))
            MeetChildren(known);
    }

    private void WaitFor(ulong parent, long place, bool isLonely)
    {
        ref var last = ref CollectionsMarshal.GetValueRefOrAddDefault(_children, parent, out var others);
        ref var waiting = ref At(place);
        (waiting.Before, waiting.IsLonely) = (others ? last : None, isLonely);
        last = place;
    }

    /// <summary>It is known within which operation a span was.</summary>
    private void Knows(long place, int within)
    {
        ref var waiting = ref At(place);
        waiting.Within = within;
        if (waiting.Span is { Calls: true, PeerKind: CalleeKind.Database, Peer: not 0 })
            CallsOutside(ref waiting);
        _known.Push(place);
    }

    private void MeetChildren(long parent)
    {
        if (!_children.Remove(At(parent).Span.Id, out var child))
            return;
        _waiters.Clear();
        for (; child >= _head; child = At(child).Before)
            _waiters.Add(child);
        // Those that came first are met first.
        for (var i = _waiters.Count - 1; i >= 0; i--)
            Meet(_waiters[i], parent);
    }

    /// <summary>A span, and its parent of which is known within which operation it was.</summary>
    private void Meet(long child, long parent)
    {
        ref var callee = ref At(child);
        ref var caller = ref At(parent);
        callee.IsLonely = false;
        var isOther = callee.Span.Service != caller.Span.Service;
        if (callee.Span.IsEntry || isOther)
            Called(ref caller, callee.Span);
        if (callee.Within == None)
            Knows(child, isOther ? callee.Span.Operation : caller.Within);
    }

    private void Called(ref Waiting caller, in SpanFacts callee)
    {
        var from = caller.Span;
        if (from.Kind == SpanKind.Producer || callee.Kind == SpanKind.Consumer)
        {
            Answered(from);
            // Of what is put into a queue, the time until it is taken counts, for each that takes it.
            caller.IsCounted = true;
            var through = from.Kind == SpanKind.Producer ? from.Peer : 0;
            Counts(
                caller,
                callee.Service,
                callee.Host,
                CalleeKind.Queue,
                through,
                callee with
                {
                    Duration = Math.Max(0, callee.Start - from.Start),
                }
            );
        }
        else if (from.Kind != SpanKind.Client)
            Counts(caller, callee.Service, callee.Host, CalleeKind.Service, 0, callee);
        else if (!caller.IsCounted)
        {
            caller.IsCounted = true;
            Answered(from);
            Counts(caller, callee.Service, callee.Host, CalleeKind.Service, 0, from);
        }
    }

    private void Answered(in SpanFacts caller)
    {
        if (_answered.Count >= MostAnswered)
            _answered.Clear();
        _answered.Add((caller.Service, caller.Peer));
    }

    private void CallsOutside(ref Waiting caller)
    {
        caller.IsCounted = true;
        var from = caller.Span;
        var isQueue = from.PeerKind == CalleeKind.Queue;
        Counts(caller, isQueue ? 0 : from.Peer, 0, from.PeerKind, isQueue ? from.Peer : 0, from);
    }

    private void Counts(in Waiting caller, int callee, int host, CalleeKind kind, int through, in SpanFacts seen)
    {
        if (IsReplay)
            return;
        var from = caller.Span;
        figures.Add(
            new CallKey(FigureTable.MinuteOf(seen.Start), from.Source, from.Service, caller.Within, callee, host, kind, through),
            seen.Duration,
            seen.Failed,
            seen.Weight
        );
    }

    /// <summary>Lets go of what has waited long enough.</summary>
    public void Expire(long now)
    {
        for (; _young < _tail && At(_young).Came <= now - WaitsForStrangers; _young++)
        {
            ref var waiting = ref At(_young);
            if (
                waiting is { Span: { Calls: true, Peer: not 0 }, IsCounted: false }
                && waiting.Within != None
                && !_answered.Contains((waiting.Span.Service, waiting.Span.Peer))
            )
                CallsOutside(ref waiting);
        }
        while (Count > 0 && At(_head).Came <= now - Waits)
            Leave();
    }

    /// <summary>Lets go of the oldest: what is not known of it by now is not waited for any more.</summary>
    private void Leave()
    {
        // Those that wait for it, and it for its parent, learn that nobody knows within which operation they were.
        GiveUp(_head);
        if (_places.TryGetValue(At(_head).Span.Parent, out var parent))
            GiveUp(parent);
        ref var oldest = ref At(_head);
        var span = oldest.Span;
        _places.Remove(span.Id);
        if (_children.TryGetValue(span.Parent, out var newest) && newest == _head)
            _children.Remove(span.Parent);
        if (span.Calls && !oldest.IsCounted && span.Peer != 0)
            CallsOutside(ref oldest);
        else if ((oldest.IsLonely && span.IsEntry) || (span.Calls && !oldest.IsCounted))
            Unmatched(span);
        _head++;
        _young = Math.Max(_young, _head);
    }

    private void GiveUp(long place)
    {
        if (At(place).Within != None)
            return;
        Knows(place, 0);
        MeetAll();
    }

    private void Unmatched(in SpanFacts span)
    {
        if (!IsReplay)
            figures.AddUnmatched(span.Start, span.Source, span.Service, span.Weight);
    }

    private void Grow()
    {
        var larger = new Waiting[Math.Min((long)_ring.Length * 2, Math.Max(most, _ring.Length + 1))];
        for (var place = _head; place < _tail; place++)
            larger[place % larger.Length] = At(place);
        _ring = larger;
    }
}
