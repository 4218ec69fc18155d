using Kumiko.Core.Frames;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Kumiko.Core.Tests.Storage;

/// <summary>A folder, a clock that stands still, and stores in the folder whose upkeep runs when it is called.</summary>
public abstract class StoreTest : IDisposable
{
    protected static readonly Window Ever = new(long.MinValue, long.MaxValue);

    protected string Folder { get; } = Directory.CreateTempSubdirectory("kumiko-test-").FullName;
    protected FakeTimeProvider Clock { get; } = new(new DateTimeOffset(2026, 11, 23, 18, 0, 0, TimeSpan.Zero));
    protected string File => Path.Combine(Folder, "records.db");

    internal RecordStore Open(Retention? retention = null, string? path = null) =>
        new(path ?? File, Clock, new RecordStoreOptions(retention ?? Retention.None, Background: false));

    internal static List<LogRecord> All(RecordStore store)
    {
        using var snapshot = store.Current;
        return All(snapshot);
    }

    internal static List<LogRecord> All(Snapshot snapshot) =>
        [.. snapshot.OldestFirst(Ever, BatchTest.All, null, CancellationToken.None)];

    internal static void Same(IReadOnlyList<LogRecord> expected, IReadOnlyList<LogRecord> actual)
    {
        Assert.Equal(expected.Select(r => r.Id), actual.Select(r => r.Id));
        for (var i = 0; i < expected.Count; i++)
            Sample.Same(expected[i], actual[i]);
    }

    public void Dispose()
    {
        Directory.Delete(Folder, true);
        GC.SuppressFinalize(this);
    }
}
