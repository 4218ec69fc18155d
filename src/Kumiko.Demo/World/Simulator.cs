using System.Text.Json;

namespace Kumiko.Demo.World;

/// <summary>
/// Writes what the services of Skerry Line would write. Every minute has a random source of its own, made from
/// the seed, so that the same seed gives the same minute whoever asks and in whatever pieces.
/// </summary>
public sealed class Simulator(int seed)
{
    /// <summary>Brings the templates' rates to about 300 000 records in two days.</summary>
    private const double Scale = 1.22;

    /// <summary>The records of one minute, in order of time.</summary>
    public List<SimulatedRecord> Minute(DateTimeOffset minute, IReadOnlyList<FirmwarePlay> plays)
    {
        var random = new Random(HashCode(seed, minute.ToUnixTimeSeconds() / 60));
        var records = new List<SimulatedRecord>();
        var busy = SkerryLine.Busy(minute);
        foreach (var template in Templates.All)
            Add(records, random, minute, template, SkerryLine.Hosts[template.Service], template.PerMinute * Scale * (template.Steady ? 1 : busy), null);
        foreach (var play in plays)
        {
            // What a disturbance adds has its own source, so that all else stays the same without it.
            var extra = new Random(HashCode(seed + 1, play.Start.ToUnixTimeSeconds() ^ (minute.ToUnixTimeSeconds() / 60)));
            foreach (var (template, hosts, rate) in play.In(minute)) Add(records, extra, minute, template, hosts, rate, play);
            records.AddRange(play.Installs(minute, minute.AddMinutes(1)));
        }
        records.Sort((a, b) => a.Time.CompareTo(b.Time));
        return records;
    }

    /// <summary>A stretch of minutes as newline-delimited JSON.</summary>
    /// <returns>How many records were written.</returns>
    public int Write(Stream to, DateTimeOffset from, DateTimeOffset until, IReadOnlyList<FirmwarePlay> plays)
    {
        using var json = new Utf8JsonWriter(to);
        var count = 0;
        for (var minute = Floor(from); minute < until; minute = minute.AddMinutes(1))
            foreach (var record in Minute(minute, plays))
            {
                if (record.Time < from || record.Time >= until) continue;
                record.WriteTo(json);
                json.Flush();
                to.WriteByte((byte)'\n');
                json.Reset();
                count++;
            }
        return count;
    }

    public static DateTimeOffset Floor(DateTimeOffset time) => new(time.UtcTicks / TimeSpan.TicksPerMinute * TimeSpan.TicksPerMinute, TimeSpan.Zero);

    private static void Add(List<SimulatedRecord> records, Random random, DateTimeOffset minute, Template template, string[] hosts, double rate, FirmwarePlay? play)
    {
        var count = Poisson(random, rate);
        for (var i = 0; i < count; i++)
        {
            var time = minute.AddMilliseconds(random.Next(60_000));
            var host = hosts[random.Next(hosts.Length)];
            var (kept, traced) = (random.NextDouble(), random.NextDouble());
            var draw = new Draw(random, time, host);
            var (body, attributes) = template.Write(draw);
            var trace = template.Traced && traced < 0.8 ? draw.Hex(32) : null;
            if (play is null || kept < play.Strength(time)) records.Add(new SimulatedRecord(time, template.Service, host, template.Level, body, attributes, trace));
        }
    }

    /// <summary>Knuth's method for small means, a normal one for large.</summary>
    private static int Poisson(Random random, double mean)
    {
        if (mean > 60)
        {
            var normal = Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
            return Math.Max(0, (int)Math.Round(mean + (Math.Sqrt(mean) * normal)));
        }
        var limit = Math.Exp(-mean);
        var count = 0;
        for (var product = random.NextDouble(); product > limit; product *= random.NextDouble()) count++;
        return count;
    }

    // System.HashCode differs from process to process; this does not.
    private static int HashCode(int a, long b)
    {
        var mixed = ((ulong)(uint)a * 0x9E3779B97F4A7C15) ^ ((ulong)b * 0xC2B2AE3D27D4EB4F);
        mixed ^= mixed >> 29;
        mixed *= 0xBF58476D1CE4E5B9;
        return (int)(mixed >> 32);
    }
}
