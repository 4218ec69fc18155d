using System.CommandLine;
using System.Diagnostics;
using Kumiko.Core.Storage;
using Kumiko.Demo;
using Kumiko.Web.Hosting;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;

var port = new Option<int>("--port") { Description = "Port on 127.0.0.1; 0 for any free one", DefaultValueFactory = _ => 8460 };
var data = new Option<string>("--data") { Description = "Folder that holds the data", DefaultValueFactory = _ => Path.Combine("data", "demo") };
var seed = new Option<int>("--seed") { Description = "The seed of the made-up world", DefaultValueFactory = _ => 1 };
var root = new RootCommand("Kumiko with the made-up ferry line") { port, data, seed };
root.SetAction(async (parsed, cancel) =>
{
    var options = new DemoOptions { Data = parsed.GetValue(data)!, Port = parsed.GetValue(port), Seed = parsed.GetValue(seed) };
    using var folder = DataFolder.TryOpen(options.Data);
    if (folder is null)
    {
        Console.Error.WriteLine($"Another Kumiko works in {options.Data}. Stop it, or give another folder with --data.");
        return 1;
    }
    var started = Stopwatch.GetTimestamp();
    Console.WriteLine("Writing two days of Skerry Line…");
    await using var app = await DemoHost.Build(options, folder);
    try { await app.StartAsync(cancel); }
    catch (IOException e)
    {
        Console.Error.WriteLine($"{e.Message} Give another port with --port.");
        return 1;
    }
    Console.WriteLine($"{app.Services.GetRequiredService<RecordStore>().Count} records after {Stopwatch.GetElapsedTime(started).TotalSeconds:0.0} s");
    Console.WriteLine($"Kumiko is at {app.Services.GetRequiredService<ServerState>().Address}");
    Console.WriteLine("Stop it with Ctrl+C.");
    await app.WaitForShutdownAsync(cancel);
    return 0;
});
return await root.Parse(args).InvokeAsync();
