using Kumiko.Core.Records;

namespace Kumiko.Core.Tests;

/// <summary>Records to test with.</summary>
internal static class Sample
{
    public static long At(string iso) => Instants.TryParse(iso, out var time) ? time : throw new ArgumentException(iso);

    private static readonly Resource Gate = new(
        new Attributes(
            ["service.name", "host.name", "deployment.environment.name"],
            [Value.Of("gate-control"), Value.Of("gate-t3"), Value.Of("production")]
        )
    );

    public static readonly LogRecord Refusal = new()
    {
        Time = At("2026-11-23T17:51:04.204Z"),
        Observed = At("2026-11-23T17:51:05Z"),
        SeverityNumber = Severity.Error,
        SeverityText = "error",
        Body = "ticket SK-40417-B refused: seat already claimed after 812ms",
        TraceId = "5be8f0a19c7740d2",
        Resource = Gate,
        Source = "quay",
        Attributes = new Attributes(
            ["terminal", "reason", "wait", "status", "ip", "tags", "box"],
            [
                Value.Of("Tarnhead"),
                Value.Of("seat already claimed"),
                Value.Of("812ms"),
                Value.Of(409L),
                Value.Of("10.20.3.4"),
                Value.Of([Value.Of("first"), Value.Of("second")]),
                Value.Of(new Attributes(["inner"], [Value.Of("deep")])),
            ]
        ),
    };

    public static LogRecord With(params (string Name, Value Value)[] attributes)
    {
        var there = attributes.Where(a => !a.Value.IsMissing).ToArray();
        return new LogRecord
        {
            Time = 1,
            Observed = 1,
            Body = "x",
            Attributes = new Attributes([.. there.Select(a => string.Intern(a.Name))], [.. there.Select(a => a.Value)]),
        };
    }

    /// <summary>A record that depends on its seed alone, of every shape there is.</summary>
    public static LogRecord Random(int seed, long? time = null)
    {
        var random = new Random(seed);
        string Of(params string[] items) => items[random.Next(items.Length)];
        Value Any() =>
            random.Next(9) switch
            {
                0 => Value.Of(random.NextInt64(-5, 500)),
                1 => Value.Of(random.NextDouble() * 10),
                2 => Value.Of(random.Next(2) == 0),
                3 => Value.Of(Of("400ms", "2.5", "10.20.1.1", "7", "naïve \u0001 text", "")),
                4 => Value.Of([Value.Of("a"), Value.Of(7L), Value.Of(new Attributes(["z"], [Value.True]))]),
                5 => Value.Of(new Attributes(["inner"], [Value.Of("deep")])),
                6 => Value.Of(long.MaxValue - random.Next(10)),
                _ => Value.Of(Of("Tarnhead", "Orra", "gate-control", "a b")),
            };
        var names = new[] { "terminal", "wait", "x", "http.status", "_a1" }.Where(_ => random.Next(3) > 0).ToArray();
        return new LogRecord
        {
            Time = time ?? At("2026-11-23T17:00:00Z") + random.NextInt64(-Instants.Hour, Instants.Hour),
            Observed = random.NextInt64(0, long.MaxValue),
            SeverityNumber = random.Next(0, 25),
            SeverityText = random.Next(2) == 0 ? null : Of("error", "WARN", "?"),
            Body = Of("refused at the gate", "exists in a.b", "gate-control said \"no\"", "", "a*b Tarnhead\nsecond line"),
            TraceId =
                random.Next(2) == 0 ? null : random.NextInt64().ToString("x", System.Globalization.CultureInfo.InvariantCulture),
            SpanId = random.Next(2) == 0 ? null : "00f1",
            Resource = random.Next(2) == 0 ? Gate : Resource.Unknown,
            Source = Of("quay", "import"),
            Attributes = new Attributes(
                names,
                [.. names.Select(n => n == "terminal" ? Value.Of(Of("Tarnhead", "Orra")) : Any())]
            ),
        };
    }

    /// <summary>Whether two records say the same in every part.</summary>
    public static void Same(LogRecord expected, LogRecord actual)
    {
        Assert.Equal(
            (expected.Time, expected.Observed, expected.SeverityNumber, expected.SeverityText, expected.Body),
            (actual.Time, actual.Observed, actual.SeverityNumber, actual.SeverityText, actual.Body)
        );
        Assert.Equal((expected.TraceId, expected.SpanId, expected.Source), (actual.TraceId, actual.SpanId, actual.Source));
        Assert.True(
            expected.Attributes.Equals(actual.Attributes),
            $"{Value.Of(expected.Attributes)} came back as {Value.Of(actual.Attributes)}"
        );
        Assert.True(
            expected.Resource.Attributes.Equals(actual.Resource.Attributes),
            $"{Value.Of(expected.Resource.Attributes)} came back as {Value.Of(actual.Resource.Attributes)}"
        );
    }
}
