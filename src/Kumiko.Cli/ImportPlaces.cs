using System.Globalization;
using System.Net.Http.Json;
using Kumiko.Core.Intake.Files;
using Kumiko.Core.Sources.Imports;
using Kumiko.Core.Storage;
using Kumiko.Web.Api;

namespace Kumiko.Cli;

/// <summary>Where an import is run: here, or by the server that holds the data.</summary>
internal interface IImportPlace : IAsyncDisposable
{
    Task<ImportBegun> Begin(ImportWish wish, CancellationToken cancel);

    Task<ImportView> View(long id);

    Task Stop(long id);
}

/// <summary>Runs imports in this process.</summary>
internal sealed class ImportHere : IImportPlace
{
    private readonly RecordStore _store;
    private readonly AppDatabase _database;
    private readonly ImportStore _imports;
    private readonly ImportRuns _runs;
    private Task _run = Task.CompletedTask;

    public ImportHere(DataFolder folder)
    {
        _store = new RecordStore(folder.Records, TimeProvider.System);
        _database = new AppDatabase(folder.Kept);
        _imports = new ImportStore(_database, TimeProvider.System);
        _runs = new ImportRuns(
            _store,
            _imports,
            new LineIntake(_store, TimeProvider.System),
            TimeProvider.System,
            folder.Imports
        );
    }

    public async Task<ImportBegun> Begin(ImportWish wish, CancellationToken cancel)
    {
        var begun = await ImportEndpoint.Begin(wish, _imports);
        _run = _runs.Start(_imports.Find(begun.Id)!);
        return begun;
    }

    public Task<ImportView> View(long id) => Task.FromResult(ImportEndpoint.View(id, _imports, _runs)!);

    public Task Stop(long id)
    {
        _runs.Stop(id);
        return Task.CompletedTask;
    }

    public async ValueTask DisposeAsync()
    {
        await _run;
        _runs.Dispose();
        _database.Dispose();
        _store.Dispose();
    }
}

/// <summary>Has them run by the server, which reads the files where they are.</summary>
internal sealed class ImportThere(HttpClient server) : IImportPlace
{
    public async Task<ImportBegun> Begin(ImportWish wish, CancellationToken cancel)
    {
        using var answer = await server.PostAsJsonAsync("/control/import", wish, cancel);
        answer.EnsureSuccessStatusCode();
        return (await answer.Content.ReadFromJsonAsync<ImportBegun>(cancel))!;
    }

    public async Task<ImportView> View(long id) =>
        (await server.GetFromJsonAsync<ImportView>("/control/import/" + id.ToString(CultureInfo.InvariantCulture)))!;

    public async Task Stop(long id)
    {
        using var answer = await server.PostAsync($"/control/import/{id.ToString(CultureInfo.InvariantCulture)}/stop", null);
    }

    public ValueTask DisposeAsync() => ValueTask.CompletedTask;
}
