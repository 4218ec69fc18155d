using System.Globalization;
using System.Net.Sockets;
using System.Text;
using Kumiko.Demo.World;

namespace Kumiko.Demo.StandIns;

/// <summary>Sends what the quay radio writes: syslog over TCP, RFC 5424, with counted frames.</summary>
internal sealed class RadioSender(int port, string token) : IAsyncDisposable
{
    private const int Facility = 16;
    private const int Process = 412;

    private TcpClient? _connection;

    /// <exception cref="IOException">The connection broke; the next call makes another.</exception>
    public async Task Send(IReadOnlyList<SimulatedRecord> records, CancellationToken cancel)
    {
        if (records.Count == 0)
            return;
        try
        {
            if (_connection is not { Connected: true })
            {
                _connection?.Dispose();
                _connection = new TcpClient();
                await _connection.ConnectAsync(System.Net.IPAddress.Loopback, port, cancel);
            }
            using var frames = new MemoryStream();
            foreach (var record in records)
            {
                var message = Encoding.UTF8.GetBytes(Message(record));
                frames.Write(Encoding.ASCII.GetBytes(message.Length.ToString(CultureInfo.InvariantCulture) + " "));
                frames.Write(message);
            }
            await _connection.GetStream().WriteAsync(frames.ToArray(), cancel);
        }
        catch (SocketException e)
        {
            throw new IOException(e.Message, e);
        }
    }

    private string Message(SimulatedRecord record)
    {
        var severity = record.Level switch
        {
            "error" => 3,
            "warn" => 4,
            "debug" => 7,
            _ => 6,
        };
        var time = record.Time.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fff'Z'", CultureInfo.InvariantCulture);
        return string.Create(
            CultureInfo.InvariantCulture,
            $"<{(Facility * 8) + severity}>1 {time} {record.Host} {record.Service} {Process} - [kumiko@32473 token=\"{token}\"] {record.Body}"
        );
    }

    public ValueTask DisposeAsync()
    {
        _connection?.Dispose();
        return ValueTask.CompletedTask;
    }
}
