using System.CommandLine;
using System.Diagnostics;
using Kumiko.Core.Storage;
using Kumiko.Demo;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

var port = new Option<int>("--port") { Description = "Port on 127.0.0.1; 0 for any free one", DefaultValueFactory = _ => 8460 };
var data = new Option<string>("--data")
{
    Description = "Folder that holds the data",
    DefaultValueFactory = _ => Path.Combine("data", "demo"),
};
var seed = new Option<int>("--seed") { Description = "The seed of the made-up world", DefaultValueFactory = _ => 1 };
var records = new Option<long>("--records")
{
    Description = "About how many records of history, for fourteen days",
    DefaultValueFactory = _ => 3_000_000,
};
var days = new Option<int>("--days") { Description = "Days of history", DefaultValueFactory = _ => 14 };
var speed = new Option<double>("--speed")
{
    Description = "How many times as many live records as usual",
    DefaultValueFactory = _ => 1,
};
records.Validators.Add(r =>
{
    if (r.GetValueOrDefault<long>() is < 1_000 or > 200_000_000)
        r.AddError("Give --records a number from 1000 to 200000000.");
});
days.Validators.Add(r =>
{
    if (r.GetValueOrDefault<int>() is < 1 or > 60)
        r.AddError("Give --days a number from 1 to 60.");
});
speed.Validators.Add(r =>
{
    if (r.GetValueOrDefault<double>() is not (> 0 and <= 1_000))
        r.AddError("Give --speed a number above 0, 1000 at most.");
});
var root = new RootCommand("Kumiko with the made-up ferry line") { port, data, seed, records, days, speed };
root.SetAction(
    async (parsed, cancel) =>
    {
        var options = new DemoOptions
        {
            Data = parsed.GetValue(data)!,
            Port = parsed.GetValue(port),
            GrpcPort = FreePort.Or(4317),
            SyslogPort = FreePort.Or(5514),
            Seed = parsed.GetValue(seed),
            Records = parsed.GetValue(records),
            History = TimeSpan.FromDays(parsed.GetValue(days)),
            Speed = parsed.GetValue(speed),
        };
        using var folder = DataFolder.TryOpen(options.Data);
        if (folder is null)
        {
            Console.Error.WriteLine($"Another Kumiko works in {options.Data}. Stop it, or give another folder with --data.");
            return 1;
        }
        var started = Stopwatch.GetTimestamp();
        Console.WriteLine("Writing the last hours of Skerry Line…");
        await using var app = await DemoHost.Build(options, folder);
        try
        {
            await app.StartAsync(cancel);
        }
        catch (IOException e)
        {
            Console.Error.WriteLine($"{e.Message} Give another port with --port.");
            return 1;
        }
        Console.WriteLine(
            $"{app.Services.GetRequiredService<RecordStore>().Count} records after {Stopwatch.GetElapsedTime(started).TotalSeconds:0.0} s"
        );
        Console.WriteLine($"Kumiko is at {app.Services.GetRequiredService<ServerState>().Address}");
        var state = app.Services.GetRequiredService<ServerState>();
        Console.WriteLine($"OTLP over gRPC: {state.GrpcPort}, syslog: {state.SyslogPort}");
        Console.WriteLine($"Older days of {options.History.TotalDays:0} come in while you work.");
        Console.WriteLine("Stop it with Ctrl+C.");
        await app.WaitForShutdownAsync(cancel);
        return 0;
    }
);
return await root.Parse(args).InvokeAsync();
