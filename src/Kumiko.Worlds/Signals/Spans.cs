using Kumiko.Core.Records;
using Kumiko.Worlds.Disturbances;
using Kumiko.Worlds.Flow;
using Kumiko.Worlds.Topologies;

namespace Kumiko.Worlds.Signals;

/// <summary>Spans of traces: what each visit was, and each call as its client saw it. For one thread.</summary>
public sealed class Spans(Simulation world)
{
    private static readonly InstrumentationScope Scope = new("requests", "2", Attributes.Empty);

    private readonly Resources _resources = new(world);

    /// <summary>The spans that a sampler keeps of traces.</summary>
    public IEnumerable<Span> Of(IEnumerable<Trace> traces, Sampler sampler, DateTimeOffset minute, IReadOnlyList<Play> plays)
    {
        foreach (var trace in traces)
            if (sampler.Keeps(trace))
                foreach (var visit in trace.Visits)
                    if (visit.Host >= 0)
                    {
                        var resource = _resources.ProcessOf(
                            world.Graph.Nodes[visit.Node].Of,
                            visit.Host,
                            minute.AddTicks((visit.Start - Instants.FromDateTime(minute)) / 100),
                            plays
                        );
                        yield return Entry(visit, resource, sampler);
                        foreach (var call in visit.Calls)
                            yield return Exit(call, resource, sampler);
                    }
    }

    private Span Entry(Visit visit, Resource resource, Sampler sampler)
    {
        var operation = world.Graph.Nodes[visit.Node].Operation;
        var isTaken = visit.By is { Call.Queue.Length: > 0 };
        var (names, values) = (new List<string>(6), new List<Value>(6));
        void Add(string name, Value value)
        {
            names.Add(name);
            values.Add(value);
        }
        if (isTaken)
        {
            Add("messaging.destination.name", Value.Of(visit.By!.Call.Queue));
            Add("messaging.operation.type", Value.Of("process"));
        }
        else if (MethodOf(operation.Name) is { } method)
        {
            Add("http.request.method", Value.Of(method));
            Add("http.route", Value.Of(operation.Name[(method.Length + 1)..]));
            Add("http.response.status_code", Value.Of((long)StatusOf(visit)));
        }
        else
            Add("rpc.method", Value.Of(operation.Name));
        if (visit.Trace.Flag is var (key, isOn) && visit.By is null)
        {
            Add("feature_flag.key", Value.Of(key));
            Add("feature_flag.result.variant", Value.Of(isOn ? "on" : "off"));
        }
        if (visit.Error.Length > 0)
            Add("error.type", Value.Of(visit.Error));
        return new Span
        {
            TraceId = visit.Trace.Id,
            SpanId = visit.SpanId,
            ParentId = visit.By?.SpanId,
            Name = operation.Name,
            Kind = isTaken ? SpanKind.Consumer : SpanKind.Server,
            Start = visit.Start,
            End = visit.End,
            Resource = resource,
            Scope = Scope,
            Attributes = new Attributes([.. names], [.. values]),
            Status = visit.Error.Length > 0 ? SpanStatus.Error : SpanStatus.Unset,
            StatusMessage = visit.FailedBy is { } by ? $"{world.Graph.Nodes[by.Callee].Of.Name}: {by.Error}" : "",
            TraceState = sampler.TraceState,
        };
    }

    private Span Exit(Made call, Resource resource, Sampler sampler)
    {
        var callee = world.Graph.Nodes[call.Callee];
        var (names, values) = (new List<string>(5), new List<Value>(5));
        void Add(string name, string value)
        {
            names.Add(name);
            values.Add(Value.Of(value));
        }
        if (call.Call.Queue.Length > 0)
            Add("messaging.destination.name", call.Call.Queue);
        else if (callee.Of.Kind == PartyKind.Database)
        {
            Add("db.system.name", "postgresql");
            Add("db.namespace", callee.Of.Name);
        }
        else
        {
            Add("peer.service", callee.Of.Name);
            if (callee.Of.Kind == PartyKind.Outside)
                Add("server.address", callee.Of.Name + ".example");
        }
        if (call.Attempt > 1)
        {
            names.Add("http.request.resend_count");
            values.Add(Value.Of((long)call.Attempt - 1));
        }
        if (call.Error.Length > 0)
            Add("error.type", call.Error);
        return new Span
        {
            TraceId = call.By.Trace.Id,
            SpanId = call.SpanId,
            ParentId = call.By.SpanId,
            Name = call.Call.Queue.Length > 0 ? "send " + call.Call.Queue : callee.Operation.Name,
            Kind = call.Call.Queue.Length > 0 ? SpanKind.Producer : SpanKind.Client,
            Start = call.Start,
            End = call.End,
            Resource = resource,
            Scope = Scope,
            Attributes = new Attributes([.. names], [.. values]),
            Status = call.Error.Length > 0 ? SpanStatus.Error : SpanStatus.Unset,
            TraceState = sampler.TraceState,
        };
    }

    /// <summary>The method of an operation that is a request over HTTP, such as <c>GET /plan</c>.</summary>
    public static string? MethodOf(string operation)
    {
        var blank = operation.IndexOf(" /", StringComparison.Ordinal);
        return blank > 0 && operation.AsSpan(0, blank).IndexOfAnyExceptInRange('A', 'Z') < 0 ? operation[..blank] : null;
    }

    /// <summary>What is answered over HTTP.</summary>
    public static int StatusOf(Visit visit) =>
        visit switch
        {
            { Error: Walk.TimedOut } => 504,
            { FailedBy: not null } => 502,
            { Error.Length: > 0 } => 500,
            { IsRefused: true } => 409,
            _ => 200,
        };
}
