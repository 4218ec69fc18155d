using System.Diagnostics;
using System.Net;

namespace Kumiko.Bench;

/// <summary>From the command to a page that a person can use, with an empty data folder and everything built.</summary>
internal static class StartUp
{
    public static async Task Measure()
    {
        var data = Directory.CreateTempSubdirectory("kumiko-bench-").FullName;
        var demo = Path.Combine(AppContext.BaseDirectory, "Kumiko.Demo.dll");
        var started = Stopwatch.GetTimestamp();
        using var process = Process.Start(
            new ProcessStartInfo("dotnet", [demo, "--port", "0", "--data", data]) { RedirectStandardOutput = true }
        )!;
        try
        {
            string? address = null;
            while (address is null && await process.StandardOutput.ReadLineAsync() is { } line)
                if (line.StartsWith("Kumiko is at ", StringComparison.Ordinal))
                    address = line["Kumiko is at ".Length..];
            using var browser = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() })
            {
                BaseAddress = new Uri(address!),
            };
            await SignedIn.As(browser, "Ines Halloran");
            Console.WriteLine("| start-up | seconds |\n|---|---|");
            Console.WriteLine(
                $"| command to first page of Search, two days of history written | {Stopwatch.GetElapsedTime(started).TotalSeconds:0.0} |\n"
            );
        }
        finally
        {
            process.Kill();
            await process.WaitForExitAsync();
            Directory.Delete(data, true);
        }
    }
}
