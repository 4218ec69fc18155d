using System.Diagnostics;
using System.Text;
using Kumiko.Core.Delivery;
using Kumiko.Web.Hosting;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>
/// Runs a script of the allowed folder: arguments one by one and no shell, an environment of its own, the fields as JSON on its
/// input.
/// It is ended when its time is over or its output does not end.
/// </summary>
public sealed class ScriptSender(ServerOptions options) : IChannelSender
{
    private const int MostKept = 4_000;
    private const int MostOutput = 1 << 20;

    public const int LongestSeconds = 300;

    /// <summary>Scripts that may be run; empty where there is no folder for them.</summary>
    public IReadOnlyList<string> Files()
    {
        if (options.Scripts is not { } folder || !Directory.Exists(folder))
            return [];
        return
        [
            .. Directory
                .GetFiles(folder)
                .Select(f => Path.GetFileName(f)!)
                .Where(f => PathOf(f) is not null)
                .Order(StringComparer.Ordinal),
        ];
    }

    /// <summary>The path of a script; null where it is not a file in the folder itself, or leads out of it.</summary>
    private string? PathOf(string file)
    {
        if (options.Scripts is not { } folder || file.Length == 0 || file != Path.GetFileName(file) || file.StartsWith('.'))
            return null;
        var info = new FileInfo(Path.Combine(Path.GetFullPath(folder), file));
        return info.Exists && info.LinkTarget is null ? info.FullName : null;
    }

    public async Task<SendAnswer> Send(Outgoing outgoing, CancellationToken cancel)
    {
        var (settings, payload) = ((ScriptSettings)outgoing.Settings, (ScriptPayload)outgoing.Payload);
        var told = $"{settings.File}\n{payload.Describe()}";
        if (PathOf(settings.File) is not { } path)
            throw new SendFailedException(
                options.Scripts is null
                    ? "There is no folder for scripts. Start Kumiko with --scripts."
                    : $"There is no script {settings.File} in the folder for scripts.",
                told,
                isFinal: true
            );
        var start = new ProcessStartInfo(path)
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            UseShellExecute = false,
            WorkingDirectory = Path.GetTempPath(),
        };
        foreach (var argument in payload.Arguments)
            start.ArgumentList.Add(argument);
        start.Environment.Clear();
        start.Environment["PATH"] = "/usr/local/bin:/usr/bin:/bin";
        start.Environment["LANG"] = "C.UTF-8";
        foreach (var (name, value) in payload.Environment)
            start.Environment[name] = value;
        start.Environment["KUMIKO_ID"] = outgoing.Key;
        start.Environment["KUMIKO_TRY"] = outgoing.Attempt.ToString(System.Globalization.CultureInfo.InvariantCulture);
        using var process = new Process { StartInfo = start };
        try
        {
            process.Start();
        }
        catch (Exception e) when (e is System.ComponentModel.Win32Exception or IOException)
        {
            throw new SendFailedException($"It cannot be run: {e.Message}", told, isFinal: true, cause: e);
        }
        using var limited = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        limited.CancelAfter(TimeSpan.FromSeconds(Math.Clamp(settings.Seconds, 1, LongestSeconds)));
        var kept = new StringBuilder();
        var flooded = false;
        try
        {
            var input = Feed(process, payload.Input, limited.Token);
            await Task.WhenAll(Drain(process.StandardOutput), Drain(process.StandardError));
            if (flooded)
                throw new SendFailedException("It wrote more than 1 MB and was ended.", told, Kept());
            await process.WaitForExitAsync(limited.Token);
            await input;
        }
        catch (OperationCanceledException)
        {
            cancel.ThrowIfCancellationRequested();
            throw new SendFailedException($"It took longer than {settings.Seconds} s and was ended.", told, Kept());
        }
        finally
        {
            // Whatever it started ends with it.
            try
            {
                if (!process.HasExited)
                    process.Kill(entireProcessTree: true);
            }
            catch (InvalidOperationException)
            { /* it has ended by itself */
            }
        }
        if (process.ExitCode != 0)
            throw new SendFailedException(FormattableString.Invariant($"It ended with {process.ExitCode}."), told, Kept());
        return new SendAnswer(told, Kept() is { Length: > 0 } output ? output : "It ended with 0 and wrote nothing.");

        string Kept()
        {
            lock (kept)
                return PlainText.Lines(kept.ToString()).TrimEnd();
        }

        async Task Drain(StreamReader reader)
        {
            var (buffer, total) = (new char[4_096], 0);
            while (await reader.ReadAsync(buffer, limited.Token) is > 0 and var read)
            {
                lock (kept)
                    if (kept.Length < MostKept)
                        kept.Append(buffer, 0, Math.Min(read, MostKept - kept.Length));
                if ((total += read) <= MostOutput)
                    continue;
                flooded = true;
                process.Kill(entireProcessTree: true);
                return;
            }
        }
    }

    private static async Task Feed(Process process, string input, CancellationToken cancel)
    {
        try
        {
            await process.StandardInput.WriteAsync(input.AsMemory(), cancel);
            process.StandardInput.Close();
        }
        catch (IOException)
        { /* it does not read its input */
        }
    }
}
