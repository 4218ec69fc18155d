using System.Collections.Concurrent;
using System.Globalization;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources.Imports;

/// <summary>How far a running import is.</summary>
/// <param name="Rate">Records a second so far.</param>
/// <param name="Left">Nanoseconds that it will still take, about; null while nobody can say.</param>
public sealed record ImportProgress(long BytesRead, long Bytes, long Taken, long Refused, double Rate, long? Left);

/// <summary>
/// Runs imports, one after the other, and takes them out again. Their files and what was refused of them lie in a folder of
/// their own.
/// </summary>
public sealed class ImportRuns : IDisposable
{
    /// <summary>Small enough that one sees it grow.</summary>
    private const long PartBytes = 4L << 20;

    private readonly RecordStore _records;
    private readonly ImportStore _imports;
    private readonly LineIntake _intake;
    private readonly TimeProvider _clock;
    private readonly string _folder;
    private readonly ConcurrentDictionary<long, Running> _running = [];
    private readonly SemaphoreSlim _turn = new(1, 1);
    private readonly CancellationTokenSource _ends = new();

    public ImportRuns(RecordStore records, ImportStore imports, LineIntake intake, TimeProvider clock, string folder)
    {
        (_records, _imports, _intake, _clock, _folder) = (records, imports, intake, clock, folder);
    }

    private long Now => Instants.FromDateTime(_clock.GetUtcNow());

    private sealed class Running(CancellationTokenSource cancel)
    {
        public CancellationTokenSource Cancel { get; } = cancel;
        public long Started;
        public long Bytes;
        public long BytesBefore;
        public long BytesOfFile;
        public long Taken;
        public long Refused;

        public long BytesRead => BytesBefore + Interlocked.Read(ref BytesOfFile);
    }

    /// <summary>The folder of an import's own files.</summary>
    public string FolderOf(long id) => Path.Combine(_folder, id.ToString(CultureInfo.InvariantCulture));

    /// <summary>The refused lines as they were, to be imported again.</summary>
    public string RefusedLines(long id) => Path.Combine(FolderOf(id), "refused.lines");

    /// <summary>The same with their places and reasons, as a table.</summary>
    public string RefusedReasons(long id) => Path.Combine(FolderOf(id), "refused.csv");

    /// <summary>Says of imports that were under way when the server stopped how far they came.</summary>
    public async Task Recover()
    {
        foreach (var import in _imports.Latest(1_000).Where(i => i.State == ImportState.Running))
            await _imports.Save(
                import with
                {
                    State = ImportState.Broken,
                    Ended = Now,
                    Taken = _records.CountOf(import.Id),
                    Problem = "The server stopped while it ran. What is in is said here; take it out and try again.",
                }
            );
    }

    public ImportProgress? Progress(long id)
    {
        if (!_running.TryGetValue(id, out var run))
            return null;
        var taken = Interlocked.Read(ref run.Taken);
        var seconds = run.Started == 0 ? 0 : (double)(Now - run.Started) / Instants.Second;
        var share = run.Bytes == 0 ? 0 : (double)run.BytesRead / run.Bytes;
        return new ImportProgress(
            run.BytesRead,
            run.Bytes,
            taken,
            Interlocked.Read(ref run.Refused),
            seconds < 0.5 ? 0 : taken / seconds,
            share > 0.01 && seconds > 0.5 ? (long)(seconds / share * (1 - share) * Instants.Second) : null
        );
    }

    /// <summary>Begins an import; it waits for its turn.</summary>
    /// <returns>Done when the import is.</returns>
    public Task Start(Import import)
    {
        var run = new Running(CancellationTokenSource.CreateLinkedTokenSource(_ends.Token)) { Bytes = import.Bytes };
        return _running.TryAdd(import.Id, run) ? Task.Run(() => Run(import, run)) : Task.CompletedTask;
    }

    /// <summary>Stops one; what is in stays.</summary>
    public void Stop(long id)
    {
        if (_running.TryGetValue(id, out var run))
            run.Cancel.Cancel();
    }

    /// <summary>Takes the records of an import out again.</summary>
    /// <returns>How many there were.</returns>
    public async Task<long> TakeOut(Import import)
    {
        var removed = await _records.Upkeep.TakeOut(import.Id);
        await _imports.Save(import with { State = ImportState.TakenOut });
        return removed;
    }

    /// <summary>Removes the files of an import that were uploaded.</summary>
    public void Clean(Import import)
    {
        foreach (var file in import.Files.Where(f => f.IsOurs))
            File.Delete(file.Path);
    }

    private async Task Run(Import import, Running run)
    {
        try
        {
            await _turn.WaitAsync(run.Cancel.Token);
        }
        catch (OperationCanceledException)
        {
            await End(import, run, ImportState.Stopped, null);
            return;
        }
        run.Started = Now;
        var running = import with { State = ImportState.Running, Started = run.Started, Problem = null };
        try
        {
            await _imports.Save(running);
            var problem = await ReadAll(running, run);
            await End(running, run, problem.IsEnd ? ImportState.Broken : ImportState.Done, problem.Text);
        }
        catch (OperationCanceledException)
        {
            if (!_ends.IsCancellationRequested)
                await End(running, run, ImportState.Stopped, "It was stopped.");
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or InvalidDataException)
        {
            await End(running, run, ImportState.Broken, e.Message);
        }
        finally
        {
            _running.TryRemove(import.Id, out _);
            _turn.Release();
        }
    }

    private async Task End(Import import, Running run, ImportState state, string? problem)
    {
        _running.TryRemove(import.Id, out _);
        await _imports.Save(
            import with
            {
                State = state,
                Ended = Now,
                BytesRead = run.BytesRead,
                // Counted where they are, so that what is said is in.
                Taken = _records.CountOf(import.Id),
                Refused = Interlocked.Read(ref run.Refused),
                Problem = problem,
            }
        );
        if (state == ImportState.Done)
            Clean(import);
    }

    private async Task<(bool IsEnd, string? Text)> ReadAll(Import import, Running run)
    {
        using var refused = new RefusedFile(RefusedLines(import.Id), RefusedReasons(import.Id));
        var problems = new List<string>();
        foreach (var file in import.Files)
        {
            var end = await Read(import, file, run, refused, problems);
            run.BytesBefore += file.Bytes;
            run.BytesOfFile = 0;
            if (end)
                return (true, string.Join(" ", problems));
        }
        if (refused.Left > 0)
            problems.Add($"Of the refused lines {refused.Left} could not be kept: the file of them is full.");
        return (false, problems.Count == 0 ? null : string.Join(" ", problems));
    }

    /// <returns>Whether nothing more can be read.</returns>
    private async Task<bool> Read(Import import, ImportFile file, Running run, RefusedFile refused, List<string> problems)
    {
        await using var stream = new FileStream(
            file.Path,
            FileMode.Open,
            FileAccess.Read,
            FileShare.ReadWrite | FileShare.Delete,
            1 << 16
        );
        var before = (stream.Length, File.GetLastWriteTimeUtc(file.Path));
        IReadOnlyList<PackedText> texts;
        try
        {
            texts = Unpacking.Open(stream, file.Name, read => Interlocked.Exchange(ref run.BytesOfFile, read));
        }
        catch (InvalidDataException e)
        {
            problems.Add($"{file.Name}: the archive cannot be opened. {e.Message}");
            return false;
        }
        foreach (var text in texts)
        {
            var (taken, wasRefused) = (run.Taken, run.Refused);
            IntakeAnswer answer;
            try
            {
                await using var lines = TextDecoding.Open(text.Open());
                answer = await _intake.Take(
                    lines,
                    new LineWish(import.Source)
                    {
                        Settings = import.Settings,
                        Import = import.Id,
                        PartBytes = PartBytes,
                        Told = (r, line) => refused.Add(text.Name, r, line),
                        Progress = new Told(a =>
                        {
                            Interlocked.Exchange(ref run.Taken, taken + a.Taken);
                            Interlocked.Exchange(ref run.Refused, wasRefused + a.RefusedTotal);
                        }),
                    },
                    run.Cancel.Token
                );
            }
            catch (NoTextException e)
            {
                problems.Add($"{text.Name}: {e.Message}");
                continue;
            }
            catch (Exception e) when (Unpacking.IsDamage(e) || e is UnpackedTooFarException)
            {
                problems.Add($"{text.Name} cannot be unpacked: {e.Message}");
                continue;
            }
            (run.Taken, run.Refused) = (taken + answer.Taken, wasRefused + answer.RefusedTotal);
            if (answer.Problem is not null)
                problems.Add($"{text.Name}: {answer.Problem}");
            if (answer.Stopped == IntakeStop.NoRoom)
                return true;
        }
        if (!file.IsOurs && before != (stream.Length, File.GetLastWriteTimeUtc(file.Path)))
            problems.Add($"{file.Name} changed while it was read; what was written to it late may be missing.");
        return false;
    }

    private sealed class Told(Action<IntakeAnswer> told) : IProgress<IntakeAnswer>
    {
        public void Report(IntakeAnswer value) => told(value);
    }

    public void Dispose()
    {
        _ends.Cancel();
        _turn.Dispose();
        _ends.Dispose();
    }
}
