using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Sources.Imports;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Kumiko.Web.Api;

/// <summary>What a command wants imported.</summary>
/// <param name="Files">On this machine.</param>
/// <param name="Settings">How they are read, as JSON.</param>
public sealed record ImportWish(string Source, IReadOnlyList<ImportFile> Files, string Settings);

/// <param name="Notices">Sentences on what the person should know.</param>
public sealed record ImportBegun(long Id, IReadOnlyList<string> Notices);

/// <summary>A refused line.</summary>
public sealed record ImportLine(string File, string Line, string Column, string Reason);

/// <summary>How far an import is.</summary>
/// <param name="IsWhole">Whether it was read to its end.</param>
/// <param name="Left">Nanoseconds that it will still take, about.</param>
/// <param name="Lines">The first refused lines.</param>
public sealed record ImportView(
    long Id,
    bool IsOver,
    bool IsWhole,
    long BytesRead,
    long Bytes,
    long Taken,
    long Refused,
    long? Left,
    string? Problem,
    IReadOnlyList<ImportLine> Lines,
    string RefusedFile
);

/// <summary>Imports that commands on this machine ask for.</summary>
public static class ImportEndpoint
{
    private const int MostLines = 20;

    /// <param name="control">Lets nobody else in.</param>
    internal static void Map(IEndpointRouteBuilder control)
    {
        control.MapPost("/import", async (ImportWish wish, ImportStore imports, ImportRuns runs) =>
        {
            var begun = await Begin(wish, imports);
            _ = runs.Start(imports.Find(begun.Id)!);
            return Results.Json(begun);
        });
        control.MapGet("/import/{id:long}", (long id, ImportStore imports, ImportRuns runs) =>
            View(id, imports, runs) is { } view ? Results.Json(view) : Results.NotFound()
        );
        control.MapPost("/import/{id:long}/stop", (long id, ImportRuns runs) => runs.Stop(id));
    }

    /// <summary>Notes an import; it is to be started.</summary>
    public static async Task<ImportBegun> Begin(ImportWish wish, ImportStore imports)
    {
        var id = await imports.Create(
            wish.Source,
            [.. wish.Files.Select(f => f with { IsOurs = false })],
            FormatSettings.FromJson(wish.Settings),
            "the command line"
        );
        return new ImportBegun(id, [.. wish.Files.SelectMany(f => Before(f, imports, id))]);
    }

    /// <summary>Sentences on imports that had the same file.</summary>
    public static IEnumerable<string> Before(ImportFile file, ImportStore imports, long id) =>
        imports
            .WithFile(file.Mark, id)
            .Select(i =>
                $"{file.Name} was imported before: import {i.Id} as {i.Source}, "
                + $"{Charts.Format.Count(i.Taken, "record", "records")}. Its records will be there twice."
            );

    /// <summary>Null where there is no such import.</summary>
    public static ImportView? View(long id, ImportStore imports, ImportRuns runs)
    {
        var progress = runs.Progress(id);
        if (imports.Find(id) is not { } import)
            return null;
        var isOver = progress is null && import.State is not (ImportState.Running or ImportState.Draft);
        return new ImportView(
            id,
            isOver,
            import.State == ImportState.Done,
            progress?.BytesRead ?? import.BytesRead,
            import.Bytes,
            progress?.Taken ?? import.Taken,
            progress?.Refused ?? import.Refused,
            progress?.Left,
            import.Problem,
            isOver ? [.. RefusedLines.Of(runs.RefusedReasons(id), MostLines)] : [],
            runs.RefusedLines(id)
        );
    }
}
