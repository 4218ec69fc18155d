namespace Kumiko.Web.Rendering;

/// <summary>Where senders reach this server.</summary>
/// <param name="Web">Scheme, host and port, without a slash at the end.</param>
public sealed record Reach(string Web, string Host, int? GrpcPort, int? SyslogPort);

/// <summary>A piece of settings to copy.</summary>
/// <param name="Title">What it is for.</param>
public sealed record Settings(string Title, string Text);

/// <summary>How one kind of sender is connected.</summary>
/// <param name="Id">As in the page's address.</param>
/// <param name="What">In a sentence, for the choice between them.</param>
/// <param name="Of">The settings of a sender with this token.</param>
public sealed record ConnectGuide(string Id, string Name, string What, Func<Reach, string, IReadOnlyList<Settings>> Of)
{
    public bool KnowsAddresses => Id == "syslog";
    public bool IsScrape => Id == "scrape";

    /// <summary>Whether it sends lines, whose format can be said.</summary>
    public bool HasLines => Id == "http";

    public static readonly IReadOnlyList<ConnectGuide> All =
    [
        new("otlp", "OpenTelemetry", "Logs, metrics and spans by the OpenTelemetry protocol, over HTTP or gRPC.", Otlp),
        new("syslog", "Syslog", "RFC 5424 and RFC 3164 over TCP and UDP, from rsyslog, network devices and the like.", Syslog),
        new(
            "http",
            "Plain HTTP",
            "Newline-delimited JSON, or lines of any format, by any program that can send a request.",
            Http
        ),
        new("scrape", "Scraped metrics", "Kumiko fetches OpenMetrics text from places you list.", (_, _) => []),
        new("changes", "Changes", "What somebody did: deploys, flags, restarts, as CloudEvents.", Changes),
    ];

    public static ConnectGuide? Find(string? id) => All.FirstOrDefault(g => g.Id == id);

    private static IReadOnlyList<Settings> Otlp(Reach at, string token) =>
        [
            new(
                "Over HTTP: the environment of a program with an OpenTelemetry SDK",
                $"OTEL_EXPORTER_OTLP_PROTOCOL=http/protobuf\nOTEL_EXPORTER_OTLP_ENDPOINT={at.Web}\nOTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%20{token}"
            ),
            .. at.GrpcPort is { } port
                ?
                [
                    new Settings(
                        "Over gRPC",
                        $"OTEL_EXPORTER_OTLP_PROTOCOL=grpc\nOTEL_EXPORTER_OTLP_ENDPOINT=http://{at.Host}:{port}\nOTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%20{token}"
                    ),
                ]
                : Array.Empty<Settings>(),
            new(
                "To try it by hand",
                $$$"""
                curl {{{at.Web}}}/v1/logs -H 'Authorization: Bearer {{{token}}}' -H 'Content-Type: application/json' \
                  -d '{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"severityText":"INFO","body":{"stringValue":"first record"}}]}]}]}'
                """
            ),
        ];

    private static IReadOnlyList<Settings> Syslog(Reach at, string token) =>
        at.SyslogPort is not { } port
            ? []
            :
            [
                new(
                    "rsyslog: a file in /etc/rsyslog.d, which shows the token in each message",
                    $$"""
                    template(name="kumiko" type="string" string="<%PRI%>1 %TIMESTAMP:::date-rfc3339% %HOSTNAME% %APP-NAME% %PROCID% %MSGID% [kumiko@32473 token=\"{{token}}\"] %msg%\n")
                    action(type="omfwd" target="{{at.Host}}" port="{{port}}" protocol="tcp" TCP_Framing="octet-counted" template="kumiko")
                    """
                ),
                new("A device that is known by its address: any format, over TCP or UDP", $"server {at.Host}, port {port}"),
                new(
                    "To try it by hand",
                    $"logger --server {at.Host} --port {port} --tcp --rfc5424 --sd-id kumiko@32473 --sd-param 'token=\"{token}\"' first record"
                ),
            ];

    private static IReadOnlyList<Settings> Http(Reach at, string token) =>
        [
            new(
                "Newline-delimited JSON",
                $$"""
                curl {{at.Web}}/intake/records -H 'Authorization: Bearer {{token}}' \
                  --data-binary '{"time":"2026-11-23T17:51:00Z","level":"info","service":"tide-feed","host":"tide-1","body":"first record"}'
                """
            ),
            new(
                "Lines of any format: it is told from the first of them, and can be corrected at the source",
                $"tail -F tide.log | curl '{at.Web}/intake/lines?service=tide-feed&host=tide-1' -H 'Authorization: Bearer {token}' -T -"
            ),
        ];

    private static IReadOnlyList<Settings> Changes(Reach at, string token) =>
        [
            new(
                "A CloudEvent in one piece",
                $$$"""
                curl {{{at.Web}}}/intake/changes -H 'Authorization: Bearer {{{token}}}' -H 'Content-Type: application/cloudevents+json' \
                  -d '{"specversion":"1.0","id":"release-1","source":"/releases","type":"deploy","subject":"gate-control",
                       "data":{"what":"gate firmware","where":"Tarnhead","from":"7.2","to":"7.3","who":"Oluchi Brandt"}}'
                """
            ),
            new(
                "The same with its attributes as headers",
                $$"""
                curl {{at.Web}}/intake/changes -H 'Authorization: Bearer {{token}}' -H 'Content-Type: application/json' \
                  -H 'ce-specversion: 1.0' -H 'ce-id: release-2' -H 'ce-source: /releases' -H 'ce-type: restart' -H 'ce-subject: seat-ledger' \
                  -d '{"what":"seat ledger restarted","where":"ledger-2"}'
                """
            ),
        ];
}
