using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Signals;

/// <summary>Spans as one blob.</summary>
internal static class SpanCodec
{
    public static byte[] Encode(IReadOnlyList<Span> spans)
    {
        using var to = new SignalWriter();
        to.Body.Number(spans.Count);
        foreach (var span in spans)
        {
            to.Of(span.Resource, span.Scope);
            to.Body.Text(span.TraceId);
            to.Body.Text(span.SpanId);
            to.Optional(span.ParentId);
            to.Name(span.Name);
            to.Body.Byte((byte)span.Kind);
            to.Time(span.Start);
            to.Body.Signed(span.End - span.Start);
            to.Fields(span.Attributes);
            to.Body.Byte((byte)span.Status);
            to.Body.Text(span.StatusMessage);
            to.Body.Text(span.TraceState);
            to.Body.Number(span.Flags);
            to.Body.Number(span.Events.Count);
            foreach (var e in span.Events)
            {
                to.Time(e.Time);
                to.Name(e.Name);
                to.Fields(e.Attributes);
            }
            to.Body.Number(span.Links.Count);
            foreach (var link in span.Links)
            {
                to.Body.Text(link.TraceId);
                to.Body.Text(link.SpanId);
                to.Body.Text(link.TraceState);
                to.Fields(link.Attributes);
                to.Body.Number(link.Flags);
            }
        }
        return to.Pack();
    }

    /// <exception cref="InvalidDataException">The blob is damaged.</exception>
    public static IReadOnlyList<Span> Decode(ReadOnlySpan<byte> unpacked)
    {
        var from = new SignalReader(unpacked);
        var spans = new Span[from.Count()];
        for (var i = 0; i < spans.Length; i++)
            spans[i] = Read(ref from);
        return spans;
    }

    private static Span Read(ref SignalReader from)
    {
        var (resource, scope) = from.Of();
        var (trace, id, parent, name, kind) = (from.Text(), from.Text(), from.OptionalText(), from.Name(), (SpanKind)from.Byte());
        var start = from.Time();
        var end = start + from.Signed();
        var (attributes, status, message, state, flags) = (
            from.Fields(),
            (SpanStatus)from.Byte(),
            from.Text(),
            from.Text(),
            from.Unsigned()
        );
        var events = new SpanEvent[from.Count()];
        for (var i = 0; i < events.Length; i++)
            events[i] = new SpanEvent(from.Time(), from.Name(), from.Fields());
        var links = new SpanLink[from.Count()];
        for (var i = 0; i < links.Length; i++)
            links[i] = new SpanLink(from.Text(), from.Text(), from.Text(), from.Fields(), (uint)from.Unsigned());
        return new Span
        {
            TraceId = trace,
            SpanId = id,
            ParentId = parent,
            Name = name,
            Kind = kind,
            Start = start,
            End = end,
            Resource = resource,
            Scope = scope,
            Attributes = attributes,
            Status = status,
            StatusMessage = message,
            TraceState = state,
            Flags = (uint)flags,
            Events = events,
            Links = links,
        };
    }
}
