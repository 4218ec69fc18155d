using CsCheck;
using Kumiko.Core.Storage.Metrics;

namespace Kumiko.Core.Tests.Storage.Metrics;

/// <summary>Samples of a series as they came, put in order.</summary>
public sealed class SampleRunTests
{
    /// <summary>Stretches as several senders leave them: some behind each other, some over each other, some twice.</summary>
    private static readonly Gen<long[]> Times = Gen.Select(Gen.Int[0, 40], Gen.Int[1, 30], Gen.Int[1, 3])
        .Array[1, 8]
        .Select(stretches =>
            stretches.SelectMany(s => Enumerable.Range(0, s.Item2).Select(i => (s.Item1 * 30L) + ((long)i * s.Item3))).ToArray()
        );

    [Fact]
    public void Samples_come_in_the_order_of_time_and_of_several_at_one_time_the_last_stands() =>
        Times.Sample(
            times =>
            {
                double[] values = [.. times.Select((_, i) => (double)i)];
                long[] starts = [.. times.Select((_, i) => i * 10L)];
                var last = new SortedDictionary<long, int>();
                for (var i = 0; i < times.Length; i++)
                    last[times[i]] = i;
                var run = SampleRun.Of(times, values, starts, []);
                Assert.Equal(last.Keys, run.Times);
                Assert.Equal(last.Values.Select(i => (double)i), run.Values);
                Assert.Equal(last.Values.Select(i => i * 10L), run.Starts);
                Assert.Null(run.Distributions);
            },
            iter: Cases.Of(2_000)
        );

    [Fact]
    public void No_samples_are_an_empty_run() => Assert.Equal(0, SampleRun.Of([], [], [], []).Count);
}
