using System.Globalization;
using Kumiko.Core.Frames;
using Kumiko.Core.Records;

namespace Kumiko.Charts;

/// <summary>What the numbers of a column are measured in, and how they are written.</summary>
public sealed record ChartUnit
{
    private enum Shape
    {
        Plain,
        Whole,
        Time,
        Binary,
        Share,
    }

    private static readonly double[] Clock =
    [
        1,
        2,
        5,
        10,
        15,
        30,
        60,
        120,
        300,
        600,
        900,
        1800,
        3600,
        7200,
        10800,
        14400,
        21600,
        43200,
        86400,
    ];

    private readonly Shape _shape;
    private readonly double _factor;
    private readonly string _behind;

    private ChartUnit(Shape shape, double factor, string behind) => (_shape, _factor, _behind) = (shape, factor, behind);

    public static readonly ChartUnit None = new(Shape.Plain, 1, "");

    /// <param name="name">As UCUM spells it; names in braces are written as they are.</param>
    /// <param name="kind">Of the values; durations and sizes say their unit themselves.</param>
    public static ChartUnit Of(string name, ValueKind kind = ValueKind.Decimal)
    {
        if (kind == ValueKind.Duration)
            return new(Shape.Time, 1e-9, "");
        if (kind == ValueKind.Size)
            return new(Shape.Binary, 1, "");
        var (of, per) = name.IndexOf('/') is > 0 and var slash
            ? (name[..slash], "/" + name[(slash + 1)..].Trim('{', '}'))
            : (name, "");
        return of switch
        {
            "s" => new(Shape.Time, 1, per),
            "ms" => new(Shape.Time, 1e-3, per),
            "us" => new(Shape.Time, 1e-6, per),
            "ns" => new(Shape.Time, 1e-9, per),
            "min" => new(Shape.Time, 60, per),
            "h" => new(Shape.Time, 3600, per),
            "d" => new(Shape.Time, 86400, per),
            "By" => new(Shape.Binary, 1, per),
            "KiBy" => new(Shape.Binary, 1 << 10, per),
            "MiBy" => new(Shape.Binary, 1 << 20, per),
            "GiBy" => new(Shape.Binary, 1 << 30, per),
            "1" when per.Length == 0 => new(Shape.Share, 100, ""),
            "%" => new(Shape.Share, 1, ""),
            "" or "1" => new(kind == ValueKind.Integer ? Shape.Whole : Shape.Plain, 1, per.Length == 0 ? "" : " " + per),
            // What is counted says the title; behind each figure it would only be noise.
            _ when of.StartsWith('{') => new(
                kind == ValueKind.Integer ? Shape.Whole : Shape.Plain,
                1,
                per.Length == 0 ? "" : " " + per
            ),
            _ => new(Shape.Plain, 1, Format.ThinSpace + of + per),
        };
    }

    public static ChartUnit Of(Column column, string? name = null) => Of(name ?? column.Unit, column.Kind);

    public bool IsShare => _shape == Shape.Share;
    public bool IsTime => _shape == Shape.Time;

    /// <summary>A figure with its unit.</summary>
    /// <param name="decimals">Null for as many as tell something.</param>
    public string Text(double value, int? decimals = null)
    {
        if (double.IsNaN(value))
            return "–";
        var number = value * _factor;
        return _shape switch
        {
            Shape.Time => (decimals is { } d ? TimeWith(number, d) : Format.Duration(number * 1e9)) + _behind,
            Shape.Binary => Binary(number, decimals) + _behind,
            Shape.Share => (
                decimals is { } d
                    ? Format.Fixed(number, d)
                    : Format.Number(Math.Round(number, Math.Abs(number) < 10 ? 1 : 0, MidpointRounding.AwayFromZero))
            )
                + Format.ThinSpace
                + "%",
            _ => (decimals is { } d ? Format.Fixed(number, d) : Plain(number)) + _behind,
        };
    }

    private static string Plain(double number) => Math.Abs(number) >= 1e6 ? Si(number) : Format.Number(number);

    private static string Si(double number)
    {
        var (size, prefix) = Math.Abs(number) switch
        {
            >= 1e15 => (1e15, "P"),
            >= 1e12 => (1e12, "T"),
            >= 1e9 => (1e9, "G"),
            _ => (1e6, "M"),
        };
        return (number / size).ToString("0.##", Format.Grouped) + Format.ThinSpace + prefix;
    }

    private static string TimeWith(double seconds, int decimals)
    {
        var (size, name) = Math.Abs(seconds) switch
        {
            >= 86400 => (86400.0, "d"),
            >= 3600 => (3600, "h"),
            >= 60 => (60, "min"),
            >= 1 or 0 => (1, "s"),
            >= 1e-3 => (1e-3, "ms"),
            _ => (1e-6, "µs"),
        };
        return Format.Fixed(seconds / size, decimals) + " " + name;
    }

    private static string Binary(double bytes, int? decimals)
    {
        string[] names = ["B", "KiB", "MiB", "GiB", "TiB", "PiB"];
        var at = 0;
        while (Math.Abs(bytes) >= 1024 && at < names.Length - 1)
        {
            bytes /= 1024;
            at++;
        }
        return (
                decimals is { } d
                    ? Format.Fixed(bytes, d)
                    : bytes.ToString(
                        (at, Math.Abs(bytes)) switch
                        {
                            (0, _) => "#,0",
                            (_, < 10) => "0.##",
                            _ => "0.#",
                        },
                        Format.Grouped
                    )
            )
            + " "
            + names[at];
    }

    /// <summary>The shortest round step, in the column's own numbers, that is not shorter than this.</summary>
    public double Step(double least)
    {
        var wanted = least * _factor;
        var step = _shape switch
        {
            Shape.Time when wanted > 0.5 => Array.Find(Clock, s => s >= wanted * 0.999999) is var found and > 0
                ? found
                : 86400 * Decimal(wanted / 86400),
            Shape.Binary when wanted >= 1 => BinaryStep(wanted),
            Shape.Whole when wanted < 1 => 1,
            _ => Decimal(wanted),
        };
        return step / _factor;
    }

    private static double BinaryStep(double wanted)
    {
        var size = Math.Pow(1024, Math.Floor(Math.Log(wanted, 1024)));
        foreach (var factor in new[] { 1, 2, 4, 8, 16, 32, 64, 128, 256, 512 })
            if (factor * size >= wanted * 0.999999)
                return factor * size;
        return 1024 * size;
    }

    private static double Decimal(double wanted)
    {
        var size = Math.Pow(10, Math.Floor(Math.Log10(wanted)));
        foreach (var factor in new[] { 1, 2, 5, 10 })
            if (factor * size >= wanted * 0.999999)
                return factor * size;
        return 10 * size;
    }

    /// <summary>A duration in the two units that people say, or as on a clock where these would not tell neighbours
    /// apart.</summary>
    private static string TimeLabel(double seconds, double apart)
    {
        var size = Math.Abs(seconds);
        if (size < 60)
        {
            var (scale, name) = size switch
            {
                >= 1 => (1.0, "s"),
                >= 1e-3 => (1e-3, "ms"),
                >= 1e-6 => (1e-6, "µs"),
                _ => (1e-9, "ns"),
            };
            return Format.Fixed(seconds / scale, Digits(apart / scale)) + " " + name;
        }
        var whole = size switch
        {
            < 3600 => 1,
            < 86400 => 60,
            _ => 3600,
        };
        if (apart >= whole)
            return Format.Duration(seconds * 1e9);
        var days = Math.Floor(size / 86400);
        var rest = TimeSpan.FromSeconds(size - (days * 86400));
        return (seconds < 0 ? "\u2212" : "")
            + (days > 0 ? Format.Number((long)days) + " d " : "")
            + rest.ToString(apart < 1 ? @"h\:mm\:ss\.fff" : @"h\:mm\:ss", CultureInfo.InvariantCulture);
    }

    /// <summary>Decimals that tell numbers apart which are so far from each other.</summary>
    private static int Digits(double apart)
    {
        if (apart >= 1 || apart <= 0)
        {
            if (Math.Abs(apart - Math.Round(apart)) < 1e-6 * apart || apart > 100)
                return 0;
            return 1;
        }

        return Math.Min(12, (int)Math.Ceiling(-Math.Log10(apart) - 1e-9));
    }

    /// <summary>A label of an axis whose ticks are so far apart: no more digits than tell them apart.</summary>
    public string Label(double tick, double step)
    {
        var (number, apart) = (tick * _factor, step * _factor);
        if (tick == 0)
            return _shape switch
            {
                Shape.Share => "0" + Format.ThinSpace + "%",
                Shape.Time => "0" + _behind,
                Shape.Binary => "0" + _behind,
                _ => "0" + _behind,
            };
        if (_shape == Shape.Time)
            return TimeLabel(number, apart) + _behind;
        if (_shape == Shape.Binary)
            return Text(
                tick,
                Digits(apart / Math.Pow(1024, Math.Clamp(Math.Floor(Math.Log(Math.Max(1, Math.Abs(number)), 1024)), 0, 5)))
            );
        if (_shape is not Shape.Share && Math.Abs(number) >= 1e5 && apart >= 1e3)
        {
            var (size, prefix) = Math.Abs(number) switch
            {
                >= 1e12 => (1e12, "T"),
                >= 1e9 => (1e9, "G"),
                >= 1e6 => (1e6, "M"),
                _ => (1e3, "k"),
            };
            return Format.Fixed(number / size, Digits(apart / size)) + Format.ThinSpace + prefix + _behind;
        }
        var decimals = Digits(apart);
        return (
                Math.Abs(number) < 1e-9 || Math.Abs(number) >= 1e15
                    ? number.ToString("0.###e0", CultureInfo.InvariantCulture)
                    : Format.Fixed(number, decimals)
            ) + (_shape == Shape.Share ? Format.ThinSpace + "%" : _behind);
    }
}
