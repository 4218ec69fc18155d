using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Sources.Imports;
using Kumiko.Web.Api;
using NodaTime;

namespace Kumiko.Cli;

/// <summary>What a person said of an import on the command line.</summary>
public sealed record ImportOptions(string Data, IReadOnlyList<string> Files, string Source)
{
    public string? Format { get; init; }
    public string? Zone { get; init; }
    public string? DayOrder { get; init; }
    public string? Service { get; init; }
    public string? Host { get; init; }
    public string? Start { get; init; }
}

/// <summary>Takes in files, telling how they are read and how far it is.</summary>
public static class ImportCommand
{
    private const int ToldRefusals = 10;
    private static readonly TimeSpan Every = TimeSpan.FromMilliseconds(100);

    public static async Task<int> Do(ImportOptions options, CancellationToken cancel)
    {
        if (options.Files.FirstOrDefault(f => !File.Exists(f)) is { } missing)
            return Failed($"There is no file {missing}. Nothing was taken.");
        FormatSettings settings;
        List<ImportFile> files;
        try
        {
            files = [.. options.Files.Select(f => ImportPlan.FileOf(Path.GetFullPath(f)))];
            if (Settings(options, files[0]) is not { } found)
                return 1;
            settings = found;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Failed(e.Message + " Nothing was taken.");
        }
        foreach (var other in ImportPlan.Others(files, settings, Instants.FromDateTime(TimeProvider.System.GetUtcNow())))
            Console.Error.WriteLine("  " + other);
        using var access = DataAccess.Open(options.Data);
        if (access is null)
            return 1;
        await using IImportPlace place = access.Folder is { } folder ? new ImportHere(folder) : new ImportThere(access.Server!);
        var wish = new ImportWish(options.Source, files, settings.ToJson());
        var begun = await place.Begin(wish, cancel);
        foreach (var notice in begun.Notices)
            Console.Error.WriteLine("  " + notice);
        return await Watch(place, begun.Id, options, cancel);
    }

    /// <summary>How the files are read, which is said; null, with a sentence, where that cannot be told.</summary>
    private static FormatSettings? Settings(ImportOptions options, ImportFile first)
    {
        if (options.Format is { } name && FormatList.Find(name) is null)
            return Refused($"There is no format {name}. There are: {string.Join(", ", FormatList.All.Select(f => f.Name))}.");
        if (options.Zone is { } zone && DateTimeZoneProviders.Tzdb.GetZoneOrNull(zone) is null)
            return Refused($"There is no zone {zone}. Write it as Europe/Lisbon, or UTC.");
        var order = Core.Records.DayOrder.None;
        if (options.DayOrder is { } written && !Orders.TryGetValue(written, out order))
            return Refused($"Write --day-order as {string.Join(", ", Orders.Keys)}.");
        var known = new FormatSettings(options.Format ?? "text")
        {
            Zone = options.Zone ?? "UTC",
            Order = order,
            Service = options.Service,
            Host = options.Host,
            Start = options.Start is null ? RecordStart.ByFormat : RecordStart.Pattern,
            StartPattern = options.Start,
        };
        if (RecordBounds.Problem(known) is { } problem)
            return Refused(problem);
        var now = Instants.FromDateTime(TimeProvider.System.GetUtcNow());
        var preview = ImportPlan.Preview(first, known, options.Format is not null, options.Source, now);
        var settings = preview.Guess.Settings;
        if (settings.AsksOrder && preview.WrittenTime is not null)
            return Refused(
                $"Which number of {preview.WrittenTime} is the day cannot be told. Say it with --day-order "
                    + string.Join(" or ", Orders.Keys)
                    + "."
            );
        Console.Error.WriteLine(
            $"{first.Name}: {preview.Guess.Format.Title}; "
                + (
                    preview.WrittenTime is null
                        ? "no times, so the time of arrival counts"
                        : $"times as {preview.WrittenTime}, {settings.Zone} where they have no zone"
                )
        );
        return settings;
    }

    private static readonly Dictionary<string, DayOrder> Orders = new(StringComparer.Ordinal)
    {
        ["ymd"] = DayOrder.YearFirst,
        ["mdy"] = DayOrder.MonthFirst,
        ["dmy"] = DayOrder.DayFirst,
    };

    private static FormatSettings? Refused(string sentence)
    {
        Console.Error.WriteLine(sentence);
        return null;
    }

    private static async Task<int> Watch(IImportPlace place, long id, ImportOptions options, CancellationToken cancel)
    {
        var stopped = false;
        while (true)
        {
            if (cancel.IsCancellationRequested && !stopped)
            {
                stopped = true;
                await place.Stop(id);
            }
            var view = await place.View(id);
            Progress(view);
            if (view.IsOver)
                return Report(view, options);
            await Task.Delay(Every, CancellationToken.None);
        }
    }

    private static void Progress(ImportView view)
    {
        if (Console.IsErrorRedirected && !view.IsOver)
            return;
        var share = view.Bytes == 0 ? 1 : Math.Min(1, (double)view.BytesRead / view.Bytes);
        var left = view.Left is { } ns ? $", {Format.Duration(ns)} left" : "";
        Console.Error.Write(
            $"\r{Format.Percent(share)} of {Format.Size(view.Bytes)}, {Format.Count(view.Taken, "record", "records")}{left}      "
        );
    }

    private static int Report(ImportView view, ImportOptions options)
    {
        Console.Error.WriteLine();
        Console.WriteLine(
            $"{string.Join(", ", options.Files)}: {Format.Count(view.Taken, "record", "records")} taken, "
                + $"{Format.Count(view.Refused, "line", "lines")} refused (import {view.Id.ToString(CultureInfo.InvariantCulture)})"
        );
        foreach (var line in view.Lines.Take(ToldRefusals))
            Console.Error.WriteLine($"  line {line.Line}, column {line.Column}: {line.Reason}");
        if (view.Refused > 0)
        {
            if (view.Refused > ToldRefusals)
                Console.Error.WriteLine($"  and {Format.Number(view.Refused - ToldRefusals)} more");
            Console.Error.WriteLine($"  The refused lines are in {view.RefusedFile}");
        }
        if (view.Problem is not null)
            Console.Error.WriteLine("  " + view.Problem);
        return view.IsWhole && view.Refused == 0 && view.Problem is null ? 0 : 1;
    }

    private static int Failed(string sentence)
    {
        Console.Error.WriteLine(sentence);
        return 1;
    }
}
