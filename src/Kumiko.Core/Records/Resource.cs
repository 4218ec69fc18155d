namespace Kumiko.Core.Records;

/// <summary>What wrote a record: OpenTelemetry's resource. Shared by all records of a sender in a batch.</summary>
public sealed class Resource
{
    public static readonly Resource Unknown = new(Attributes.Empty);

    public Resource(Attributes attributes)
    {
        Attributes = attributes;
        Service = attributes.Get("service.name");
        Host = attributes.Get("host.name");
    }

    public Attributes Attributes { get; }
    public Value Service { get; }
    public Value Host { get; }
}
