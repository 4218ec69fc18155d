using Kumiko.Core.Records;

namespace Kumiko.Core.Intake;

/// <summary>One object for each pair of host and service. Not for several threads.</summary>
internal sealed class ResourceBook
{
    private const int Most = 4_096;

    private readonly Dictionary<(string Host, string Service), Resource> _known = [];
    private (string Host, string Service, Resource Resource) _last = ("", "", Resource.Unknown);

    /// <param name="host">Empty for none.</param>
    /// <param name="service">Empty for none.</param>
    public Resource Of(string host, string service)
    {
        if (ReferenceEquals(host, _last.Host) && ReferenceEquals(service, _last.Service))
            return _last.Resource;
        if (!_known.TryGetValue((host, service), out var resource))
        {
            if (_known.Count >= Most)
                _known.Clear();
            _known[(host, service)] = resource = Make(host, service);
        }
        _last = (host, service, resource);
        return resource;
    }

    private static Resource Make(string host, string service) =>
        (host, service) switch
        {
            ("", "") => Resource.Unknown,
            (_, "") => new Resource(new Attributes(["host.name"], [Value.Of(host)])),
            ("", _) => new Resource(new Attributes(["service.name"], [Value.Of(service)])),
            _ => new Resource(new Attributes(["host.name", "service.name"], [Value.Of(host), Value.Of(service)])),
        };
}
