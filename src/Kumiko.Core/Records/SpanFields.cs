namespace Kumiko.Core.Records;

/// <summary>
/// How a span lies in the store: as a record whose body is its name, whose time is its start and whose observed time is its
/// end, with the rest in fields of names that no sender can give. Queries call them by the names that people know.
/// </summary>
public static class SpanFields
{
    /// <summary>Begins the names of a span's own fields.</summary>
    private const char Own = '\0';

    public const string Kind = "\0kind";
    public const string Parent = "\0parent";
    public const string Message = "\0message";
    public const string Weight = "\0weight";
    public const string ExceptionType = "\0exception.type";
    public const string ExceptionMessage = "\0exception.message";
    public const string Events = "\0events";
    public const string Links = "\0links";
    public const string Scope = "\0scope";
    public const string ScopeVersion = "\0scope.version";
    public const string ScopeFields = "\0scope.fields";
    public const string TraceState = "\0state";
    public const string Flags = "\0flags";

    /// <summary>What is computed of other columns, and kept in none.</summary>
    public const string Duration = "\0duration";
    public const string Status = "\0status";
    public const string Failed = "\0failed";

    /// <summary>Names that queries know, and what they are called in the store.</summary>
    private static readonly Dictionary<string, string> Names = new(StringComparer.Ordinal)
    {
        ["operation"] = "body",
        ["end"] = "observed",
        ["duration"] = Duration,
        ["status"] = Status,
        ["failed"] = Failed,
        ["kind"] = Kind,
        ["parent_id"] = Parent,
        ["message"] = Message,
        ["weight"] = Weight,
        ["exception.type"] = ExceptionType,
        ["exception.message"] = ExceptionMessage,
        ["events"] = Events,
        ["links"] = Links,
        ["scope"] = Scope,
        ["scope_version"] = ScopeVersion,
        ["trace_state"] = TraceState,
        ["flags"] = Flags,
    };

    private static readonly Dictionary<string, string> Shared = new(StringComparer.Ordinal)
    {
        // What records have and spans have not: an attribute of this name.
        ["body"] = "attributes.body",
        ["observed"] = "attributes.observed",
        ["level"] = "attributes.level",
        ["severity_text"] = "attributes.severity_text",
        ["pattern"] = "attributes.pattern",
    };

    private static readonly Dictionary<string, string> ByStored = Names.ToDictionary(
        n => n.Value,
        n => n.Key,
        StringComparer.Ordinal
    );

    /// <summary>The names by which a span can be asked, besides those of its attributes and its resource.</summary>
    public static readonly IReadOnlyList<string> BuiltIn =
    [
        "time",
        "service",
        "host",
        .. Names.Keys,
        "trace_id",
        "span_id",
        "source",
    ];

    /// <summary>Whether a stored field is a span's own, and no attribute.</summary>
    public static bool IsOwn(string stored) => stored.Length > 0 && stored[0] == Own;

    /// <summary>A name for an attribute, which is never one of a span's own.</summary>
    public static string OfSender(string name) => IsOwn(name) ? name.TrimStart(Own) : name;

    /// <summary>What the store calls what a query calls so.</summary>
    public static string Stored(string asked) => Names.GetValueOrDefault(asked) ?? Shared.GetValueOrDefault(asked, asked);

    /// <summary>What a query calls what the store calls so; an attribute that is called like a field of spans is told from
    /// it.</summary>
    public static string Asked(string stored)
    {
        if (IsOwn(stored))
            return ByStored.GetValueOrDefault(stored, stored.TrimStart(Own));
        return Names.ContainsKey(stored) ? "attributes." + stored : stored;
    }

    /// <summary>A status as a severity, so that counts by severity tell failures.</summary>
    public static byte SeverityOf(SpanStatus status) =>
        status switch
        {
            SpanStatus.Error => 17,
            SpanStatus.Ok => 9,
            _ => 0,
        };

    public static SpanStatus StatusOf(int severity) =>
        severity switch
        {
            >= 17 => SpanStatus.Error,
            > 0 => SpanStatus.Ok,
            _ => SpanStatus.Unset,
        };

    private static readonly Value[] Statuses = [Value.Of("unset"), Value.Of("ok"), Value.Of("error")];

    public static Value StatusValue(int severity) => Statuses[(int)StatusOf(severity)];

    private static readonly string[] Kinds = ["", "internal", "server", "client", "producer", "consumer"];

    /// <summary>A kind in a word; empty where it is unspecified.</summary>
    public static string KindName(SpanKind kind) => Kinds[(int)kind];

    public static SpanKind KindOf(string name) => (SpanKind)Math.Max(0, Array.IndexOf(Kinds, name));

    /// <summary>How long it took; clocks that went back make no time negative.</summary>
    public static Value DurationOf(LogRecord span) => Value.Duration(Math.Max(0, span.Observed - span.Time));
}
