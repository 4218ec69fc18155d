using Google.Protobuf;
using Kumiko.Core.Records;
using Wire = Kumiko.Core.Intake.Otlp.Wire;

namespace Kumiko.Bench.Spans;

/// <summary>Traces of the ferry line's bookings, eight spans each over four services, spread evenly over a stretch of time.</summary>
internal sealed class FerrySpans(long spans, long from, long over)
{
    public const int PerTrace = 8;

    /// <summary>Spans of a request, as an exporter sends them.</summary>
    public const int PerBatch = 4_000;

    private static readonly string[] Services = ["web-booking", "booking", "gate-control", "payments"];
    private static readonly string[] Terminals = ["Tarnhead", "Orra", "Skerry"];
    private static readonly Resource[] Resources =
    [
        .. Services.SelectMany(s =>
            Enumerable
                .Range(1, 4)
                .Select(h => new Resource(
                    new Attributes(
                        ["service.name", "host.name", "service.version", "deployment.environment.name"],
                        [Value.Of(s), Value.Of($"{s}-{h}"), Value.Of("4.2.1"), Value.Of("production")]
                    )
                ))
        ),
    ];
    private static readonly InstrumentationScope Scope = new("ferry.http", "1.4.0", Attributes.Empty);

    public long Spans => spans;
    public Kumiko.Core.Frames.Window Window => new(from, from + over + Instants.Minute);

    public IEnumerable<Span[]> Batches()
    {
        var made = new List<Span>(PerBatch);
        for (var trace = 0L; trace * PerTrace < spans; trace++)
        {
            made.AddRange(Trace(trace));
            if (made.Count < PerBatch)
                continue;
            yield return [.. made];
            made.Clear();
        }
        if (made.Count > 0)
            yield return [.. made];
    }

    public static string TraceId(long trace)
    {
        var random = new Random((int)(trace % int.MaxValue));
        return $"{random.NextInt64():x16}{random.NextInt64():x16}";
    }

    private IEnumerable<Span> Trace(long number)
    {
        var random = new Random((int)(number % int.MaxValue));
        var trace = $"{random.NextInt64():x16}{random.NextInt64():x16}";
        var start = from + (long)((double)number * PerTrace / spans * over);
        var terminal = Terminals[random.Next(3)];
        var isLook = random.Next(3) > 0;
        var failed = random.Next(200) == 0;
        string? parent = null;
        for (var i = 0; i < PerTrace; i++)
        {
            var (service, kind, name) = i switch
            {
                0 => (0, SpanKind.Server, isLook ? "GET /sailings/{route}" : "POST /bookings"),
                1 => (0, SpanKind.Client, "booking.Quote"),
                2 => (1, SpanKind.Server, "booking.Quote"),
                3 => (1, SpanKind.Client, "SELECT seats"),
                4 => (1, SpanKind.Client, "gate.Reserve"),
                5 => (2, SpanKind.Server, "gate.Reserve"),
                6 => (2, SpanKind.Internal, "assign berth"),
                _ => (isLook ? 1 : 3, SpanKind.Internal, isLook ? "price" : "settle"),
            };
            var length = (long)(Math.Exp(random.NextDouble() * 3) * (PerTrace - i) * 1_000_000);
            var id = $"{random.NextInt64():x16}";
            yield return new Span
            {
                TraceId = trace,
                SpanId = id,
                ParentId = parent,
                Name = name,
                Kind = kind,
                Start = start + (i * 350_000L) + random.Next(90_000),
                End = start + (i * 350_000L) + length,
                Status = failed && i is 0 or 2 ? SpanStatus.Error : SpanStatus.Unset,
                Resource = Resources[(service * 4) + random.Next(4)],
                Scope = Scope,
                Attributes = i switch
                {
                    0 => new Attributes(
                        ["http.request.method", "http.response.status_code", "url.path", "client.address"],
                        [
                            Value.Of(isLook ? "GET" : "POST"),
                            Value.Of(failed ? 503L : 200L),
                            Value.Of($"/sailings/{8_000 + random.Next(900)}"),
                            Value.Of($"10.20.{random.Next(8)}.{random.Next(250)}"),
                        ]
                    ),
                    3 => new Attributes(
                        ["db.system.name", "db.namespace", "db.rows"],
                        [Value.Of("sql"), Value.Of("ledger"), Value.Of((long)random.Next(40))]
                    ),
                    1 or 4 => new Attributes(
                        ["server.address", "rpc.method"],
                        [Value.Of(i == 1 ? "booking" : "gate"), Value.Of(name)]
                    ),
                    _ => new Attributes(["terminal", "seats"], [Value.Of(terminal), Value.Of((long)random.Next(1, 9))]),
                },
            };
            if (i is not 3 and not 6)
                parent = id;
        }
    }

    /// <summary>A batch as a request of the protocol.</summary>
    public static byte[] Request(Span[] spans)
    {
        var request = new Wire.ExportTraceServiceRequest();
        foreach (var of in spans.GroupBy(s => s.Resource))
        {
            var scoped = new Wire.ScopeSpans
            {
                Scope = new Wire.InstrumentationScope { Name = Scope.Name, Version = Scope.Version },
            };
            foreach (var s in of)
            {
                var span = new Wire.Span
                {
                    TraceId = Id(s.TraceId),
                    SpanId = Id(s.SpanId),
                    Name = s.Name,
                    Kind = (Wire.Span.Types.SpanKind)(int)s.Kind,
                    StartTimeUnixNano = (ulong)s.Start,
                    EndTimeUnixNano = (ulong)s.End,
                };
                if (s.ParentId is { } parent)
                    span.ParentSpanId = Id(parent);
                if (s.Status != SpanStatus.Unset)
                    span.Status = new Wire.Status { Code = (Wire.Status.Types.StatusCode)(int)s.Status };
                for (var i = 0; i < s.Attributes.Count; i++)
                    span.Attributes.Add(Field(s.Attributes.Names[i], s.Attributes.Values[i]));
                scoped.Spans.Add(span);
            }
            var resource = new Wire.Resource();
            for (var i = 0; i < of.Key.Attributes.Count; i++)
                resource.Attributes.Add(Field(of.Key.Attributes.Names[i], of.Key.Attributes.Values[i]));
            request.ResourceSpans.Add(new Wire.ResourceSpans { Resource = resource, ScopeSpans = { scoped } });
        }
        return request.ToByteArray();
    }

    private static ByteString Id(string hex) => ByteString.CopyFrom(Convert.FromHexString(hex));

    private static Wire.KeyValue Field(string name, Value value) =>
        new()
        {
            Key = name,
            Value = value.IsText
                ? new Wire.AnyValue { StringValue = value.AsText }
                : new Wire.AnyValue { IntValue = value.AsLong },
        };
}
