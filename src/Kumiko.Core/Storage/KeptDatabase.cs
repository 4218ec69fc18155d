namespace Kumiko.Core.Storage;

/// <summary><c>kumiko.db</c>: people, tokens, rules, alerts, and what waits to be sent.</summary>
public sealed class KeptDatabase(string path) : IDisposable
{
    public Database Database { get; } = new(path, "kumiko");

    public void Dispose() => Database.Dispose();
}
