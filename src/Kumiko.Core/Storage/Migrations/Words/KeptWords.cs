using System.IO.Compression;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Migrations.Words;

/// <summary>Writes all kept queries in the words of today: searches, charts, what was asked lately, frozen answers, rules,
/// alerts, briefs, objectives.</summary>
internal sealed class KeptWords : Migration
{
    public override string Name => "kumiko-009-words";

    private sealed class Kept
    {
        public long Id { get; init; }
        public string Key { get; init; } = "";
        public string Kind { get; init; } = "";
        public string A { get; init; } = "";
        public string B { get; init; } = "";
        public string? C { get; init; }
        public byte[] Content { get; init; } = [];
    }

    public override void Run(SqliteConnection connection, SqliteTransaction transaction)
    {
        IEnumerable<Kept> All(string sql) => [.. connection.Query<Kept>(sql, transaction: transaction)];
        void Set(string sql, object values) => connection.Execute(sql, values, transaction);

        foreach (var k in All("SELECT id AS Id, query AS A, address AS B FROM kept_search"))
            Set(
                "UPDATE kept_search SET query = @a, address = @b WHERE id = @Id",
                new
                {
                    k.Id,
                    a = Text(k.A),
                    b = Address(k.B),
                }
            );
        // Of two that are the same query now, the later stays.
        foreach (var k in All("SELECT id AS Id, query AS A, address AS B FROM asked_search ORDER BY asked"))
            Set(
                "UPDATE OR REPLACE asked_search SET query = @a, address = @b WHERE id = @Id",
                new
                {
                    k.Id,
                    a = Text(k.A),
                    b = Address(k.B),
                }
            );
        foreach (var k in All("SELECT id AS Key, kind AS Kind, title AS A, address AS B, content AS Content FROM frozen_result"))
            Set(
                "UPDATE frozen_result SET title = @a, address = @b, content = @content WHERE id = @Key",
                new
                {
                    k.Key,
                    a = Text(k.A),
                    b = Address(k.B),
                    content = Frozen(k.Kind, k.Content),
                }
            );
        foreach (var k in All("SELECT id AS Id, definition AS A, follow_up AS B FROM rule"))
            Set(
                "UPDATE rule SET definition = @a, follow_up = @b WHERE id = @Id",
                new
                {
                    k.Id,
                    a = Definition(k.A),
                    b = Text(k.B),
                }
            );
        foreach (var k in All("SELECT id AS Id, definition AS A, COALESCE(follow_up, '') AS B, brief AS C FROM alert"))
            Set(
                "UPDATE alert SET definition = @a, follow_up = NULLIF(@b, ''), brief = @c WHERE id = @Id",
                new
                {
                    k.Id,
                    a = Definition(k.A),
                    b = FollowUp(k.B),
                    c = Brief(k.C),
                }
            );
        foreach (var k in All("SELECT id AS Id, good AS A, total AS B FROM objective"))
            Set(
                "UPDATE objective SET good = @a, total = @b WHERE id = @Id",
                new
                {
                    k.Id,
                    a = Text(k.A),
                    b = Text(k.B),
                }
            );
    }

    /// <summary>A query, or a chart as JSON.</summary>
    private static string Text(string text) =>
        text.StartsWith('{') && Parsed(text) is JsonObject chart ? Chart(chart) : FormerGrammar.Today(text);

    private static JsonNode? Parsed(string json)
    {
        try
        {
            return JsonNode.Parse(json);
        }
        // What cannot be read stays as it is.
        catch (JsonException)
        {
            return null;
        }
    }

    private static string Written(JsonNode node) =>
        node.ToJsonString(
            new JsonSerializerOptions { Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping }
        );

    private static void Change(JsonNode? node, string name, Func<string, string> today)
    {
        if (node is JsonObject found && found[name] is JsonValue value && value.TryGetValue<string>(out var text))
            found[name] = today(text);
    }

    private static string Chart(JsonObject chart)
    {
        Change(chart, "records", FormerGrammar.Today);
        foreach (var series in chart["series"] as JsonArray ?? [])
            Change(series, "text", FormerGrammar.Today);
        return Written(chart);
    }

    /// <summary>An address with its query in q, or its chart in c.</summary>
    private static string Address(string address)
    {
        var cut = address.IndexOf('?');
        if (cut < 0)
            return address;
        var pairs = address[(cut + 1)..]
            .Split('&')
            .Select(pair =>
            {
                var equals = pair.IndexOf('=');
                return equals > 0 && pair[..equals] is "q" or "c"
                    ? pair[..(equals + 1)]
                        + Uri.EscapeDataString(Text(Uri.UnescapeDataString(pair[(equals + 1)..].Replace('+', ' '))))
                    : pair;
            });
        return address[..(cut + 1)] + string.Join('&', pairs);
    }

    private static string Definition(string json)
    {
        if (Parsed(json) is not JsonObject definition)
            return json;
        foreach (var part in new[] { "query", "part", "whole" })
            Change(definition["quantity"], part, FormerGrammar.Today);
        Rename(definition, "lookBack", "inTheLast");
        Rename(definition, "interval", "checkedEvery");
        return Written(definition);
    }

    private static void Rename(JsonObject of, string from, string to)
    {
        if (!of.ContainsKey(from))
            return;
        var value = of[from];
        of.Remove(from);
        of[to] = value;
    }

    private static string FollowUp(string json)
    {
        if (Parsed(json) is not JsonObject answer)
            return json;
        Columns(answer, answer.ContainsKey("columns") ? "columns" : "Columns");
        return Written(answer);
    }

    private static void Columns(JsonNode? of, string name)
    {
        if (of is JsonObject found && found[name] is JsonArray columns)
            for (var i = 0; i < columns.Count; i++)
                if (columns[i] is JsonValue value && value.TryGetValue<string>(out var column))
                    columns[i] = FormerGrammar.Column(column);
    }

    private static string? Brief(string? json)
    {
        if (json is null || Parsed(json) is not JsonObject brief)
            return json;
        Change(brief["Differences"], "Of", FormerGrammar.Today);
        Columns(brief["FollowUp"], "Columns");
        return Written(brief);
    }

    /// <summary>The names of columns of a frozen answer, and what the series of a frozen chart were.</summary>
    private static byte[] Frozen(string kind, byte[] content)
    {
        string text;
        try
        {
            using var reader = new StreamReader(
                new GZipStream(new MemoryStream(content), CompressionMode.Decompress),
                Encoding.UTF8
            );
            text = reader.ReadToEnd();
        }
        catch (InvalidDataException)
        {
            return content;
        }
        var end = text.IndexOf('\n');
        if (kind == "chart")
        {
            if (Parsed(text) is not JsonObject chart)
                return content;
            foreach (var series in chart["Series"] as JsonArray ?? [])
                if (series is JsonArray { Count: 2 } pair && pair[1] is JsonValue value && value.TryGetValue<string>(out var was))
                    pair[1] = FormerGrammar.Today(was);
            text = Written(chart);
        }
        else if (end > 0 && Parsed(text[..end]) is JsonArray columns)
        {
            var holder = new JsonObject { ["columns"] = columns.DeepClone() };
            Columns(holder, "columns");
            text = Written(holder["columns"]!) + text[end..];
        }
        using var packed = new MemoryStream();
        using (var gzip = new GZipStream(packed, CompressionLevel.Fastest, leaveOpen: true))
            gzip.Write(Encoding.UTF8.GetBytes(text));
        return packed.ToArray();
    }
}
