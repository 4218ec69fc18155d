using System.Text.Json;
using Kumiko.Charts;
using Kumiko.Core.Changes;
using Kumiko.Core.Entities;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.RowSets;
using Kumiko.Core.Rules;
using Kumiko.Core.Spans;
using Kumiko.Core.Storage;
using Kumiko.Core.Storage.Metrics;
using Kumiko.Core.Tables;
using Kumiko.Web.Hosting;
using NodaTime;

namespace Kumiko.Cli;

/// <summary>Asks a query and writes the answer to the standard output.</summary>
public static class QueryCommand
{
    private const int WidestCell = 80;

    public static async Task<int> Do(
        string data,
        string text,
        string from,
        string to,
        string format,
        bool plan,
        IReadOnlyDictionary<string, string> parameters,
        CancellationToken cancel
    )
    {
        using var access = DataAccess.Open(data);
        if (access is null)
            return 1;
        await using var output = Console.OpenStandardOutput();
        return access.Folder is { } folder
            ? await Ask(folder, text, from, to, format, plan, parameters, output, cancel)
            : await Ask(access.Server!, text, from, to, format, plan, parameters, output, cancel);
    }

    private static async Task<int> Ask(
        DataFolder folder,
        string text,
        string from,
        string to,
        string format,
        bool plan,
        IReadOnlyDictionary<string, string> parameters,
        Stream output,
        CancellationToken cancel
    )
    {
        var now = Instants.FromDateTime(TimeProvider.System.GetUtcNow());
        using var database = new AppDatabase(folder.Kept);
        using var store = new RecordStore(folder.Records, TimeProvider.System);
        using var metrics = new MetricStore(store, TimeProvider.System, MetricOptions.Default with { Background = false });
        var changes = new ChangeStore(database);
        using var instances = new InstanceBook(
            store,
            metrics,
            new InstanceStore(database),
            changes,
            TimeProvider.System,
            isBackground: false
        );
        var sources = RowSetList.Sources(
            new RowStores(
                store,
                metrics,
                new RuleStore(database, TimeProvider.System),
                changes,
                new FailureRules(new FailureStore(database, TimeProvider.System)),
                instances,
                new LookupTables(folder.Tables)
            )
        );
        var parsed = QueryParser.Parse(text, sources.Sets.Names());
        if (!parsed.Ok)
            return Failed(parsed.Errors[0].Describe(text));
        if (Moment.Parse(from) is not { } first || Moment.Parse(to) is not { } last)
            return Failed("--from and --to are ISO 8601 times, or -1h and now.");
        var window = new TimeRange(first, last).Resolve(now);
        if (window.IsEmpty)
            return Failed("--from must lie before --to.");
        using var run = new Run(
            new Question("command line", parsed, window, now, DateTimeZone.Utc, Limits.Default) { Parameters = parameters },
            store.Current,
            sources
        );
        try
        {
            if (plan)
            {
                foreach (var line in await run.Explain())
                    Console.WriteLine(line);
                return 0;
            }
            await using var answer = await run.Stream();
            if (ExportFormats.Find(format) is { } known)
                await known.Write(answer, output, null, cancel);
            else
            {
                var rows = new List<string[]>();
                await foreach (var chunk in answer.Chunks())
                    rows.AddRange(chunk.Select(r => r.Select(Cell).ToArray()));
                Print(answer.Schema.Columns.Select(c => c.Name).ToList(), rows);
            }
            foreach (var damage in store.DamageIn(window))
                Console.Error.WriteLine(damage);
            return 0;
        }
        catch (QueryRefusedException e)
        {
            return Failed(e.Message);
        }
    }

    private static async Task<int> Ask(
        HttpClient server,
        string text,
        string from,
        string to,
        string format,
        bool plan,
        IReadOnlyDictionary<string, string> parameters,
        Stream output,
        CancellationToken cancel
    )
    {
        var fields = new Dictionary<string, string>
        {
            ["q"] = text,
            ["from"] = from,
            ["to"] = to,
            ["format"] = format == "table" ? "ndjson" : format,
        };
        if (plan)
            fields["plan"] = "1";
        foreach (var (name, value) in parameters)
            fields["p." + name] = value;
        using var form = new FormUrlEncodedContent(fields);
        using var response = await server.PostAsync("/api/query", form, cancel);
        await using var body = await response.Content.ReadAsStreamAsync(cancel);
        if (!response.IsSuccessStatusCode)
        {
            using var error = await JsonDocument.ParseAsync(body, cancellationToken: cancel);
            return Failed(error.RootElement.GetProperty("error").GetString()!);
        }
        if (response.Headers.TryGetValues("Kumiko-Incomplete", out var incomplete))
            Console.Error.WriteLine("This answer is not complete: " + string.Join(' ', incomplete) + ".");
        if (plan || format != "table")
        {
            try
            {
                await body.CopyToAsync(output, cancel);
            }
            catch (Exception e) when (e is HttpRequestException or IOException)
            {
                return Failed("The answer broke off. What was written is not whole; ask again.");
            }
            return 0;
        }
        using var reader = new StreamReader(body);
        var rows = new List<string[]>();
        List<string> names = [];
        while (await reader.ReadLineAsync(cancel) is { } line)
        {
            using var row = JsonDocument.Parse(line);
            if (Remark(row.RootElement) is { } remark)
            {
                Console.Error.WriteLine(remark);
                continue;
            }
            names = [.. row.RootElement.EnumerateObject().Select(p => p.Name)];
            rows.Add([
                .. row
                    .RootElement.EnumerateObject()
                    .Select(p => p.Value.ValueKind == JsonValueKind.Null ? "" : p.Value.ToString()),
            ]);
        }
        Print(names, rows);
        return 0;
    }

    /// <summary>What a last line says of the whole answer; null for a row of it.</summary>
    private static string? Remark(JsonElement line) =>
        line.EnumerateObject().ToList() is [{ Name: "error" or "incomplete", Value: { ValueKind: JsonValueKind.String } text }]
            ? text.GetString()
            : null;

    private static int Failed(string message)
    {
        Console.Error.WriteLine(message);
        return 1;
    }

    private static string Cell(Value value)
    {
        if (value.IsMissing)
            return "";
        if (value.Kind == ValueKind.Duration)
            return Format.Duration(value.AsDouble);
        return value.ToText();
    }

    /// <summary>Columns as wide as their widest cell; control characters made visible, so that no record speaks to the
    /// terminal.</summary>
    private static void Print(List<string> names, IEnumerable<string[]> rows)
    {
        var cells = rows.Select(r => Array.ConvertAll(r, Shown)).ToList();
        var widths = names
            .Select((name, i) => Math.Max(name.Length, cells.Select(r => r[i].Length).DefaultIfEmpty(0).Max()))
            .ToList();
        foreach (var row in cells.Prepend([.. names]))
            Console.WriteLine(string.Join("  ", row.Select((cell, i) => cell.PadRight(widths[i]))).TrimEnd());
    }

    private static string Shown(string cell)
    {
        var text = Web.Rendering.BodyText.Visible(cell.ReplaceLineEndings("⏎"));
        return text.Length > WidestCell ? text[..(WidestCell - 1)] + "…" : text;
    }
}
