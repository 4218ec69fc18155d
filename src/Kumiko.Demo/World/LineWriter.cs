using System.Text.Json;

namespace Kumiko.Demo.World;

/// <summary>Records as newline-delimited JSON, each in the spelling of its service.</summary>
public sealed class LineWriter(Stream to) : IDisposable
{
    private readonly Utf8JsonWriter _json = new(to);

    public void Write(SimulatedRecord record)
    {
        record.WriteTo(_json);
        _json.Flush();
        to.WriteByte((byte)'\n');
        _json.Reset();
    }

    public void Dispose() => _json.Dispose();
}
