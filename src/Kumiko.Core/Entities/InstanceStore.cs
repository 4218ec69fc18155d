using Dapper;
using Kumiko.Core.Frames;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Entities;

/// <summary>Keeps when instances ran.</summary>
public sealed class InstanceStore(AppDatabase database)
{
    private const string Columns =
        "instance AS Instance, started AS Started, kind AS Kind, service AS Service, host AS Host, source AS Source, noticed AS Noticed, seen AS Seen, ended AS Ended, reason AS Reason, memory_limit AS MemoryLimit, cpu_limit AS CpuLimit";

    private sealed class Row
    {
        public string Instance { get; init; } = "";
        public long Started { get; init; }
        public string Kind { get; init; } = "";
        public string Service { get; init; } = "";
        public string Host { get; init; } = "";
        public string Source { get; init; } = "";
        public string Noticed { get; init; } = "";
        public long Seen { get; init; }
        public long? Ended { get; init; }
        public string Reason { get; init; } = "";
        public double? MemoryLimit { get; init; }
        public double? CpuLimit { get; init; }

        public InstanceRun Run() =>
            new(Instance, Started, Kind, Service, Host, Source, Noticed, Seen)
            {
                Ended = Ended,
                Reason = Reason,
                MemoryLimit = MemoryLimit,
                CpuLimit = CpuLimit,
            };
    }

    /// <summary>The last run of each instance, those seen last first.</summary>
    public IReadOnlyList<InstanceRun> Latest(int most)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    $"SELECT {Columns} FROM instance_run r WHERE started = (SELECT MAX(started) FROM instance_run o WHERE o.instance = r.instance) ORDER BY seen DESC LIMIT @most",
                    new { most }
                )
                .Select(r => r.Run()),
        ];
    }

    /// <summary>Runs that touch a window, by their start.</summary>
    public IReadOnlyList<InstanceRun> In(Window window)
    {
        using var connection = database.Database.Read();
        return
        [
            .. connection
                .Query<Row>(
                    $"SELECT {Columns} FROM instance_run WHERE started < @To AND MAX(seen, COALESCE(ended, seen)) >= @From ORDER BY started",
                    new { window.From, window.To }
                )
                .Select(r => r.Run()),
        ];
    }

    public Task<int> Save(IReadOnlyList<InstanceRun> runs) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "INSERT OR REPLACE INTO instance_run (instance, started, kind, service, host, source, noticed, seen, ended, reason, memory_limit, cpu_limit) VALUES (@Instance, @Started, @Kind, @Service, @Host, @Source, @Noticed, @Seen, @Ended, @Reason, @MemoryLimit, @CpuLimit)",
                runs
            )
        );

    /// <summary>Forgets a run that turned out to be another's beginning.</summary>
    public Task<int> Forget(IReadOnlyList<InstanceRun> runs) =>
        database.Database.Writer.Write(connection =>
            connection.Execute("DELETE FROM instance_run WHERE instance = @Instance AND started = @Started", runs)
        );

    /// <summary>Forgets runs that were seen last before a time, and the oldest where there are too many.</summary>
    public Task<int> Prune(long before, int most) =>
        database.Database.Writer.Write(connection =>
            connection.Execute(
                "DELETE FROM instance_run WHERE seen < MAX(@before, COALESCE((SELECT seen FROM instance_run ORDER BY seen DESC LIMIT 1 OFFSET @most), @before))",
                new { before, most }
            )
        );
}
