using System.Text.Json;
using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;
using Kumiko.Demo.World;

namespace Kumiko.Demo.StandIns;

/// <summary>Who sends what at Skerry Line, and their tokens, which a stopped demonstration finds again.</summary>
public sealed class Senders(TokenStore tokens, DataFolder folder)
{
    public const string Line = "skerry-line";
    public const string Gates = "gate-control";
    public const string Radio = "quay-radio";
    public const string Spans = "skerry-spans";
    public const string Metrics = "skerry-metrics";
    public const string Hosts = "host-metrics";
    public const string Desk = "release-desk";

    private readonly SemaphoreSlim _turn = new(1);

    private string Kept => Path.Combine(folder.Path, "senders.json");

    /// <summary>The source that a record comes from.</summary>
    public static string SourceOf(SimulatedRecord record) =>
        FileSender.SourceOf(record)
        ?? record.Service switch
        {
            "gate-control" => Gates,
            SkerryLine.RadioService => Radio,
            _ => Line,
        };

    /// <summary>The token of a sender; a new one where there is none that was ever made.</summary>
    public async Task<string> TokenOf(string source, string protocol)
    {
        await _turn.WaitAsync();
        try
        {
            var known = File.Exists(Kept)
                ? JsonSerializer.Deserialize<Dictionary<string, string>>(await File.ReadAllTextAsync(Kept)) ?? []
                : [];
            // One that a person revoked stays so: the sender goes on being turned away.
            if (known.TryGetValue(source, out var text))
                return text;
            known[source] = text = await tokens.Create(
                new TokenWish(source, TokenPurpose.Intake) { Protocol = protocol, Author = "the demo" }
            );
            await File.WriteAllTextAsync(Kept, JsonSerializer.Serialize(known));
            return text;
        }
        finally
        {
            _turn.Release();
        }
    }
}
