using System.Globalization;
using System.Text;

namespace Kumiko.Core.Intake.OpenMetrics;

/// <summary>One sample line: <c>name{label="value",…} value [timestamp] [# {…} value [timestamp]]</c>.</summary>
internal sealed record ExpositionLine(
    string Name,
    IReadOnlyList<(string Name, string Value)> Labels,
    double Value,
    double? Time,
    ExpositionExemplar? Exemplar
)
{
    private const int MostLabels = 128;

    private sealed class WrongException(int at, string reason) : Exception(reason)
    {
        public int At { get; } = at;
    }

    /// <param name="refusal">Set where the answer is null; the column counts characters from 1.</param>
    public static ExpositionLine? Read(string line, out Refusal? refusal)
    {
        refusal = null;
        try
        {
            var at = 0;
            var name = Word(line, ref at, isName: true);
            if (name.Length == 0)
                throw new WrongException(at, "A sample begins with a metric name.");
            var labels = at < line.Length && line[at] == '{' ? ReadLabels(line, ref at) : [];
            Blank(line, ref at);
            var value = Number(line, ref at, "value");
            var time = OptionalTime(line, ref at);
            var exemplar = at < line.Length ? ReadExemplar(line, ref at) : null;
            if (at < line.Length)
                throw new WrongException(at, "Something follows the sample.");
            return new ExpositionLine(name, labels, value, time, exemplar);
        }
        catch (WrongException e)
        {
            refusal = new Refusal(e.At + 1, e.Message);
            return null;
        }
    }

    private static ExpositionExemplar ReadExemplar(string line, ref int at)
    {
        if (!line.AsSpan(at).StartsWith("# {"))
            throw new WrongException(at, "After the sample only an exemplar can stand: # {…} value.");
        at += 2;
        var labels = ReadLabels(line, ref at);
        Blank(line, ref at);
        return new ExpositionExemplar(labels, Number(line, ref at, "exemplar"), OptionalTime(line, ref at));
    }

    private static double? OptionalTime(string line, ref int at)
    {
        if (at >= line.Length || line[at] != ' ')
            return null;
        at++;
        return at < line.Length && line[at] == '#' ? null : TimeThenBlank(line, ref at);
    }

    private static double TimeThenBlank(string line, ref int at)
    {
        var time = Number(line, ref at, "timestamp");
        if (at < line.Length && line[at] == ' ')
            at++;
        return time;
    }

    private static void Blank(string line, ref int at)
    {
        if (at >= line.Length || line[at] is not (' ' or '\t'))
            throw new WrongException(at, "A blank and the value are missing.");
        while (at < line.Length && line[at] is ' ' or '\t')
            at++;
    }

    private static string Word(string line, ref int at, bool isName)
    {
        var start = at;
        while (
            at < line.Length
            && (
                char.IsAsciiLetter(line[at])
                || line[at] == '_'
                || (isName && line[at] == ':')
                || (at > start && char.IsAsciiDigit(line[at]))
            )
        )
            at++;
        return line[start..at];
    }

    private static double Number(string line, ref int at, string what)
    {
        var start = at;
        while (at < line.Length && line[at] != ' ')
            at++;
        var text = line[start..at];
        return text.ToLowerInvariant() switch
        {
            "nan" => double.NaN,
            "+inf" or "inf" or "+infinity" or "infinity" => double.PositiveInfinity,
            "-inf" or "-infinity" => double.NegativeInfinity,
            _ => double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
                ? number
                : throw new WrongException(start, $"This {what} is no number."),
        };
    }

    private static List<(string, string)> ReadLabels(string line, ref int at)
    {
        var labels = new List<(string, string)>();
        at++;
        while (true)
        {
            while (at < line.Length && line[at] == ' ')
                at++;
            if (at < line.Length && line[at] == '}')
                break;
            var name = Word(line, ref at, isName: false);
            if (name.Length == 0)
                throw new WrongException(at, "A label's name is missing.");
            if (labels.Count == MostLabels)
                throw new WrongException(at, $"A sample can have {MostLabels} labels.");
            if (labels.Any(l => l.Item1 == name))
                throw new WrongException(at, $"The label {name} stands twice.");
            if (at + 1 >= line.Length || line[at] != '=' || line[at + 1] != '"')
                throw new WrongException(at, "A label is written name=\"value\".");
            at += 2;
            labels.Add((name, Quoted(line, ref at)));
            if (at < line.Length && line[at] == ',')
                at++;
            else if (at >= line.Length || line[at] != '}')
                throw new WrongException(at, "After a label a comma or the closing brace is missing.");
        }
        at++;
        return labels;
    }

    private static string Quoted(string line, ref int at)
    {
        var text = new StringBuilder();
        for (; at < line.Length; at++)
        {
            if (line[at] == '"')
            {
                at++;
                return text.ToString();
            }
            if (line[at] != '\\' || at + 1 == line.Length)
                text.Append(line[at]);
            else
                text.Append(
                    line[++at] switch
                    {
                        'n' => "\n",
                        '\\' => "\\",
                        '"' => "\"",
                        var other => "\\" + other,
                    }
                );
        }
        throw new WrongException(at, "The quotation mark that ends a label's value is missing.");
    }
}

/// <summary>What a sample shows as an example.</summary>
internal sealed record ExpositionExemplar(IReadOnlyList<(string Name, string Value)> Labels, double Value, double? Time);
