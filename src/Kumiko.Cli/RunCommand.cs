using System.Globalization;
using System.Net;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Kumiko.Web.Hosting;
using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Cli;

/// <summary>Starts the server and waits until it is stopped.</summary>
public static class RunCommand
{
    public static async Task<int> Do(RunOptions wish, CancellationToken cancel)
    {
        ServerOptions options;
        try
        {
            options = wish.Read();
        }
        catch (RunOptionsException e)
        {
            return Failed(e.Message);
        }
        using var folder = DataFolder.TryOpen(wish.Data);
        if (folder is null)
            return Failed($"Another Kumiko works in {wish.Data}. Stop it, or give another folder with --data.");
        WebApplication built;
        try
        {
            built = KumikoServer.Build(options, folder);
        }
        catch (DiskFullException e)
        {
            return Failed(e.Message);
        }
        await using var app = built;
        foreach (
            var damage in app
                .Services.GetRequiredService<RecordStore>()
                .Notices.Concat(app.Services.GetRequiredService<AppDatabase>().Notices)
        )
            Console.Error.WriteLine(damage);
        try
        {
            await app.StartAsync(cancel);
        }
        catch (IOException e)
        {
            return Failed($"{e.Message} Give another port with --port, --grpc-port or --syslog-port.");
        }
        await Tell(app, options);
        await app.WaitForShutdownAsync(cancel);
        return 0;
    }

    private static async Task Tell(WebApplication app, ServerOptions options)
    {
        var state = app.Services.GetRequiredService<ServerState>();
        Console.WriteLine($"Kumiko is at {state.Address}");
        Console.WriteLine(
            $"OTLP over gRPC: {state.GrpcPort?.ToString(CultureInfo.InvariantCulture) ?? "off"}, syslog: {state.SyslogPort?.ToString(CultureInfo.InvariantCulture) ?? "off"}"
        );
        if (!IPAddress.IsLoopback(options.Listen) && options.Tls is null && options.Proxies is null)
            Console.WriteLine(
                "People elsewhere can sign in over TLS alone: give --tls-cert, or --behind-proxy where a proxy has it."
            );
        if (app.Services.GetRequiredService<PeopleStore>().All().Count == 0)
            await TellFirst(app.Services.GetRequiredService<LinkStore>(), state.Address);
        Console.WriteLine("Stop it with Ctrl+C.");
    }

    private static async Task TellFirst(LinkStore links, string address)
    {
        try
        {
            Console.WriteLine(
                $"Nobody has an account yet. The first administrator begins here, once and within a day: {address}/welcome?key={await links.First()}"
            );
        }
        catch (DiskFullException e)
        {
            Console.Error.WriteLine(
                "Nobody has an account yet, and no link can be made for the first administrator. " + e.Message
            );
        }
    }

    private static int Failed(string message)
    {
        Console.Error.WriteLine(message);
        return 1;
    }
}
