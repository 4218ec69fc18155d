using System.Net.Http.Headers;
using Kumiko.Demo.World;

namespace Kumiko.Demo.StandIns;

/// <summary>Sends what most services write, as newline-delimited JSON.</summary>
internal sealed class LinesSender(HttpClient http, string token)
{
    public async Task Send(IReadOnlyList<SimulatedRecord> records, CancellationToken cancel)
    {
        if (records.Count == 0)
            return;
        using var body = new MemoryStream();
        using (var lines = new LineWriter(body))
            foreach (var record in records)
                lines.Write(record);
        body.Position = 0;
        using var request = new HttpRequestMessage(HttpMethod.Post, "/intake/records") { Content = new StreamContent(body) };
        request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
        using var response = await http.SendAsync(request, cancel);
        response.EnsureSuccessStatusCode();
    }
}
