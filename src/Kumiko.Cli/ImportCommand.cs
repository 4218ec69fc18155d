using System.Text.Json;
using Kumiko.Charts;
using Kumiko.Core.Intake;
using Kumiko.Core.Storage;

namespace Kumiko.Cli;

/// <summary>Takes in files of newline-delimited JSON, telling how far it is.</summary>
public static class ImportCommand
{
    private const int ToldRefusals = 10;

    public static async Task<int> Do(string data, string[] files, string source, CancellationToken cancel)
    {
        foreach (var missing in files.Where(f => !File.Exists(f)))
        {
            Console.Error.WriteLine($"There is no file {missing}. Nothing was taken.");
            return 1;
        }
        using var access = DataAccess.Open(data);
        if (access is null)
            return 1;
        using var store = access.Folder is { } folder ? new RecordStore(folder.Records, TimeProvider.System) : null;
        var failed = false;
        foreach (var file in files)
        {
            await using var bytes = File.OpenRead(file);
            await using var content = new CountedStream(bytes, read => Progress(file, read, bytes.Length));
            var answer = store is not null
                ? await new LineIntake(store, TimeProvider.System).Take(
                    Unpacked(content, bytes),
                    source,
                    null,
                    long.MaxValue,
                    null,
                    cancel
                )
                : await Send(access.Server!, Unpacked(content, bytes), source, cancel);
            Console.Error.WriteLine();
            Report(file, answer);
            failed |= answer.Stopped != IntakeStop.None || answer.RefusedTotal > 0;
        }
        return failed ? 1 : 0;
    }

    private static void Progress(string file, long read, long length)
    {
        if (!Console.IsErrorRedirected || read >= length)
            Console.Error.Write(
                $"\r{Path.GetFileName(file)}: {Format.Percent(length == 0 ? 1 : (double)read / length)} of {Format.Size(length)}   "
            );
    }

    private static void Report(string file, IntakeAnswer answer)
    {
        Console.WriteLine(
            $"{file}: {Format.Count(answer.Taken, "record", "records")} taken, {Format.Count(answer.RefusedTotal, "line", "lines")} refused"
        );
        foreach (var refused in answer.Refused.Take(ToldRefusals))
            Console.Error.WriteLine($"  line {refused.Line}, column {refused.Column}: {refused.Reason}");
        if (answer.RefusedTotal > ToldRefusals)
            Console.Error.WriteLine($"  and {Format.Number(answer.RefusedTotal - ToldRefusals)} more");
        if (answer.Problem is not null)
            Console.Error.WriteLine("  " + answer.Problem);
    }

    private static bool IsGzip(FileStream file)
    {
        Span<byte> start = stackalloc byte[2];
        var read = file.Read(start);
        file.Position = 0;
        return read == 2 && start[0] == 0x1f && start[1] == 0x8b;
    }

    private static Stream Unpacked(Stream content, FileStream file) => IsGzip(file) ? Gzip.Open(content) : content;

    /// <summary>Sends a file to the server, unpacked: it would gather a packed one whole before it begins.</summary>
    private static async Task<IntakeAnswer> Send(HttpClient server, Stream content, string source, CancellationToken cancel)
    {
        await using var whole = new UpToDamage(content);
        using var body = new StreamContent(whole);
        using var response = await server.PostAsync("/intake/records?source=" + Uri.EscapeDataString(source), body, cancel);
        using var json = JsonDocument.Parse(await response.Content.ReadAsStreamAsync(cancel));
        var answer = json.RootElement;
        if (!answer.TryGetProperty("taken", out var taken))
            return new IntakeAnswer(0, 0, [], answer.GetProperty("error").GetString(), IntakeStop.Damaged);
        var refused = answer
            .GetProperty("refused")
            .EnumerateArray()
            .Select(r => new Refused(
                r.GetProperty("line").GetInt64(),
                r.GetProperty("column").GetInt32(),
                r.GetProperty("reason").GetString()!,
                []
            ));
        string? problem;
        if (answer.TryGetProperty("error", out var error))
            problem = error.GetString();
        else if (whole.IsDamaged)
            problem = "The compressed data is damaged. What stands before the damage was taken.";
        else
            problem = null;
        return new IntakeAnswer(
            taken.GetInt64(),
            answer.GetProperty("refused_total").GetInt64(),
            [.. refused],
            problem,
            problem switch
            {
                null => IntakeStop.None,
                _ when whole.IsDamaged => IntakeStop.Damaged,
                _ => IntakeStop.NoRoom,
            }
        );
    }
}

/// <summary>A stream that is only read, from its beginning to its end.</summary>
internal abstract class ForwardStream : Stream
{
    public override bool CanRead => true;
    public override bool CanSeek => false;
    public override bool CanWrite => false;
    public override long Length => throw new NotSupportedException();
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    public override void Flush() { }

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}

/// <summary>Unpacked data that ends where what it is unpacked from is damaged.</summary>
internal sealed class UpToDamage(Stream inner) : ForwardStream
{
    public bool IsDamaged { get; private set; }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        try
        {
            return await inner.ReadAsync(buffer, cancellationToken);
        }
        catch (Exception e) when (Gzip.IsDamage(e))
        {
            IsDamaged = true;
            return 0;
        }
    }

    public override int Read(byte[] buffer, int offset, int count) =>
        ReadAsync(buffer.AsMemory(offset, count)).AsTask().GetAwaiter().GetResult();
}

/// <summary>A stream that tells how much of it was read.</summary>
internal sealed class CountedStream(Stream inner, Action<long> told) : ForwardStream
{
    private const long Every = 4 << 20;
    private long _read;
    private long _told;

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
        Count(await inner.ReadAsync(buffer, cancellationToken));

    public override int Read(byte[] buffer, int offset, int count) => Count(inner.Read(buffer, offset, count));

    private int Count(int read)
    {
        _read += read;
        if (_read - _told < Every && read != 0)
            return read;
        told(_told = _read);
        return read;
    }
}
