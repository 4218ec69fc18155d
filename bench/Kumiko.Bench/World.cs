using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Kumiko.Demo.World;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Bench;

/// <summary>A server with an empty folder, batches to send, and a person at a browser.</summary>
internal sealed class World : IAsyncDisposable
{
    public const int BatchRecords = 5_000;

    private string _data = "";
    private DataFolder _folder = null!;

    public WebApplication App { get; private set; } = null!;
    public List<byte[]> Batches { get; } = [];
    public int Records { get; private set; }
    public HttpClient Sender { get; private set; } = null!;
    public HttpClient Browser { get; private set; } = null!;
    public RecordStore Store => App.Services.GetRequiredService<RecordStore>();

    public static async Task<World> Build(int records)
    {
        var world = new World { _data = Directory.CreateTempSubdirectory("kumiko-bench-").FullName };
        world.MakeBatches(records);
        world._folder = DataFolder.TryOpen(world._data)!;
        world.App = KumikoServer.Build(
            new ServerOptions
            {
                Data = world._data,
                Port = 0,
                GrpcPort = 0,
                SyslogPort = 0,
                Offered = p => p.All(),
            },
            world._folder
        );
        await world.App.StartAsync();
        var address = new Uri(world.App.Services.GetRequiredService<ServerState>().Address);
        await world
            .App.Services.GetRequiredService<PeopleStore>()
            .Add("Ines Halloran", "ines@skerryline.example", Role.Analyst, null);
        world.Sender = new HttpClient { BaseAddress = address };
        world.Sender.DefaultRequestHeaders.Authorization = new(
            "Bearer",
            await world.App.Services.GetRequiredService<TokenStore>().Create("bench", TokenPurpose.Intake)
        );
        world.Browser = new HttpClient(
            new HttpClientHandler { CookieContainer = new CookieContainer(), AutomaticDecompression = DecompressionMethods.None }
        )
        {
            BaseAddress = address,
        };
        await SignedIn.As(world.Browser, "Ines Halloran");
        return world;
    }

    private void MakeBatches(int records)
    {
        var simulator = new Simulator(1);
        var until = Simulator.Floor(DateTimeOffset.UtcNow);
        // Backwards from now, so that the newest are always there.
        var lines = new List<string>();
        for (var minute = until; lines.Count < records; minute = minute.AddMinutes(-1))
        {
            using var buffer = new MemoryStream();
            simulator.Write(buffer, minute.AddMinutes(-1), minute, []);
            lines.AddRange(
                System.Text.Encoding.UTF8.GetString(buffer.ToArray()).Split('\n', StringSplitOptions.RemoveEmptyEntries)
            );
        }
        Records = lines.Count;
        foreach (var chunk in lines.Chunk(BatchRecords))
            Batches.Add(System.Text.Encoding.UTF8.GetBytes(string.Join('\n', chunk) + "\n"));
    }

    public async ValueTask DisposeAsync()
    {
        await App.StopAsync();
        await App.DisposeAsync();
        _folder.Dispose();
        Directory.Delete(_data, true);
    }
}
