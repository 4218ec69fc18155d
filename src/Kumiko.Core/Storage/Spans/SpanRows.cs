using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Storage.Spans;

/// <summary>Makes rows of spans, and spans of rows: see <see cref="SpanFields"/>.</summary>
public static class SpanRows
{
    private const string Exception = "exception";

    public static RecordBlock Block(IReadOnlyList<Span> spans, string source)
    {
        var builder = BuilderPool.Rent();
        foreach (var span in spans)
            Add(builder, span, source);
        var block = builder.Build(Signal.Spans);
        BuilderPool.Return(builder);
        return block;
    }

    private static void Add(RecordBlockBuilder to, Span span, string source)
    {
        to.Begin();
        to.Text(TextPart.TraceId, span.TraceId);
        to.Text(TextPart.SpanId, span.SpanId);
        to.Text(TextPart.Body, span.Name);
        to.Add(SpanFields.Weight, Value.Of(SamplingWeight.Of(span.TraceState)));
        Text(SpanFields.Kind, SpanFields.KindName(span.Kind));
        Text(SpanFields.Parent, span.ParentId);
        Text(SpanFields.Message, span.StatusMessage);
        Text(SpanFields.Scope, span.Scope.Name);
        Text(SpanFields.ScopeVersion, span.Scope.Version);
        if (span.Scope.Attributes.Count > 0)
            to.Add(SpanFields.ScopeFields, Value.Of(span.Scope.Attributes));
        Text(SpanFields.TraceState, span.TraceState);
        if (span.Flags != 0)
            to.Add(SpanFields.Flags, Value.Of((long)span.Flags));
        foreach (var (own, name) in Exceptions)
            if (OfException(span, name) is { IsMissing: false } value)
                to.Add(own, value);
        if (span.Events.Count > 0)
            to.Add(SpanFields.Events, Value.Of([.. span.Events.Select(Event)]));
        if (span.Links.Count > 0)
            to.Add(SpanFields.Links, Value.Of([.. span.Links.Select(Link)]));
        for (var i = 0; i < span.Attributes.Count; i++)
            to.Add(NamePool.Shared.One(SpanFields.OfSender(span.Attributes.Names[i])), span.Attributes.Values[i]);
        to.End(span.Start, span.End, SpanFields.SeverityOf(span.Status), span.Resource, source);

        void Text(string name, string? text)
        {
            if (!string.IsNullOrEmpty(text))
                to.Add(name, Value.Of(text));
        }
    }

    private static readonly (string Own, string Name)[] Exceptions =
    [
        (SpanFields.ExceptionType, "exception.type"),
        (SpanFields.ExceptionMessage, "exception.message"),
    ];

    /// <summary>What the last exception of a span was: of its event, or of the span itself where it says so.</summary>
    private static Value OfException(Span span, string name)
    {
        for (var i = span.Events.Count - 1; i >= 0; i--)
            if (span.Events[i].Name == Exception && span.Events[i].Attributes.Get(name) is { IsMissing: false } told)
                return told;
        return span.Attributes.Get(name);
    }

    private static Value Event(SpanEvent e) =>
        Value.Of(new Attributes(["time", "name", "attributes"], [Value.Time(e.Time), Value.Of(e.Name), Value.Of(e.Attributes)]));

    private static Value Link(SpanLink link) =>
        Value.Of(
            new Attributes(
                ["trace_id", "span_id", "trace_state", "flags", "attributes"],
                [
                    Value.Of(link.TraceId),
                    Value.Of(link.SpanId),
                    Value.Of(link.TraceState),
                    Value.Of((long)link.Flags),
                    Value.Of(link.Attributes),
                ]
            )
        );

    /// <summary>The span that a row of spans is.</summary>
    public static Span Of(LogRecord row)
    {
        var all = row.Attributes;
        var own = new Dictionary<string, Value>(StringComparer.Ordinal);
        var (names, values) = (new List<string>(all.Count), new List<Value>(all.Count));
        for (var i = 0; i < all.Count; i++)
            if (SpanFields.IsOwn(all.Names[i]))
                own[all.Names[i]] = all.Values[i];
            else
            {
                names.Add(all.Names[i]);
                values.Add(all.Values[i]);
            }
        return new Span
        {
            TraceId = row.TraceId ?? "",
            SpanId = row.SpanId ?? "",
            ParentId = own.TryGetValue(SpanFields.Parent, out var parent) ? parent.AsText : null,
            Name = row.Body,
            Kind = SpanFields.KindOf(Text(SpanFields.Kind)),
            Start = row.Time,
            End = row.Observed,
            Resource = row.Resource,
            Scope =
                own.ContainsKey(SpanFields.Scope) || own.ContainsKey(SpanFields.ScopeVersion)
                    ? new InstrumentationScope(
                        Text(SpanFields.Scope),
                        Text(SpanFields.ScopeVersion),
                        Fields(SpanFields.ScopeFields)
                    )
                    : InstrumentationScope.None,
            Attributes = names.Count == 0 ? Attributes.Empty : new Attributes([.. names], [.. values]),
            Status = SpanFields.StatusOf(row.SeverityNumber),
            StatusMessage = Text(SpanFields.Message),
            TraceState = Text(SpanFields.TraceState),
            Flags = own.TryGetValue(SpanFields.Flags, out var flags) ? (uint)flags.AsLong : 0,
            Events = [.. List(SpanFields.Events).Select(EventOf)],
            Links = [.. List(SpanFields.Links).Select(LinkOf)],
        };

        string Text(string name) => own.TryGetValue(name, out var value) ? value.AsText : "";
        Attributes Fields(string name) => own.TryGetValue(name, out var value) ? value.AsObject : Attributes.Empty;
        IEnumerable<Value> List(string name) => own.TryGetValue(name, out var value) ? value.AsList : [];
    }

    private static SpanEvent EventOf(Value value) =>
        new(value.AsObject.Get("time").AsLong, value.AsObject.Get("name").AsText, value.AsObject.Get("attributes").AsObject);

    private static SpanLink LinkOf(Value value) =>
        new(
            value.AsObject.Get("trace_id").AsText,
            value.AsObject.Get("span_id").AsText,
            value.AsObject.Get("trace_state").AsText,
            value.AsObject.Get("attributes").AsObject,
            (uint)value.AsObject.Get("flags").AsLong
        );
}
