using Kumiko.Core.Query.Fields;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Microsoft.AspNetCore.Html;

namespace Kumiko.Web.Rendering;

/// <summary>The product's own signs, drawn as SVG. A word always stands beside them.</summary>
public static class Glyphs
{
    private const int Slats = 6;

    // A page has hundreds of these, so each is two paths only, and made once.
    private static readonly HtmlString[] Severities =
    [
        .. Enumerable
            .Range(0, Slats + 1)
            .Select(band => new HtmlString(
                $"<svg class=\"slats\" viewBox=\"0 0 18 11\" width=\"18\" height=\"11\" aria-hidden=\"true\"><path d=\"{Upright(0, band)}\"/><path class=\"off\" d=\"{Upright(band, Slats)}\"/></svg>"
            )),
    ];

    /// <summary>Six upright slats, as many filled as the level is high.</summary>
    public static IHtmlContent Severity(int number) => Severities[Core.Records.Severity.Band(number)];

    private static string Upright(int from, int to) =>
        string.Concat(Enumerable.Range(from, to - from).Select(i => $"M{i * 3} 0h2v11h-2z"));

    /// <summary>The class that gives a level its colour.</summary>
    public static string SeverityClass(int number) =>
        Core.Records.Severity.Band(number) switch
        {
            6 or 5 => "level-error",
            4 => "level-warn",
            _ => "level-calm",
        };

    /// <summary>A square cell whose filling says the state.</summary>
    public static IHtmlContent State(RuleState state) =>
        new HtmlString(
            $"<svg class=\"cell cell-{Name(state)}\" viewBox=\"0 0 14 14\" width=\"14\" height=\"14\" aria-hidden=\"true\">{Filling(state)}</svg>"
        );

    public static IHtmlContent State(Alert alert) =>
        State(
            alert switch
            {
                { Ended: not null } => RuleState.Well,
                { Level: AlertLevel.Critical } => RuleState.Critical,
                _ => RuleState.Warning,
            }
        );

    private static string Filling(RuleState state) =>
        state switch
        {
            RuleState.Warning =>
                "<rect class=\"edge\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/><path class=\"fill\" d=\"M1 13L13 1V13Z\"/>",
            RuleState.Critical =>
                "<rect class=\"fill edge\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/><path class=\"lattice\" d=\"M1 1L13 13M13 1L1 13\"/>",
            RuleState.NoData => "<rect class=\"edge dashed\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/>",
            RuleState.Paused => "<path class=\"edge\" d=\"M4 2V12M10 2V12\"/>",
            RuleState.NotChecked => "<rect class=\"edge dotted\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/>",
            RuleState.CheckFailed =>
                "<rect class=\"edge\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/><path class=\"edge\" d=\"M1 13L13 1\"/>",
            _ => "<rect class=\"edge\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/>",
        };

    public static string Name(RuleState state) =>
        state switch
        {
            RuleState.NotChecked => "not-checked",
            RuleState.CheckFailed => "check-failed",
            RuleState.NoData => "no-data",
            _ => state.ToString().ToLowerInvariant(),
        };

    public static string Words(RuleState state) =>
        state switch
        {
            RuleState.NotChecked => "not checked yet",
            RuleState.CheckFailed => "check failed",
            RuleState.NoData => "no data",
            _ => state.ToString().ToLowerInvariant(),
        };

    /// <summary>The sign and the word of a state by its name in a filter.</summary>
    public static IHtmlContent StateNamed(string name) =>
        State(Enum.TryParse<RuleState>(name, ignoreCase: true, out var state) ? state : RuleState.Well);

    public static string WordsNamed(string name) =>
        Enum.TryParse<RuleState>(name, ignoreCase: true, out var state) ? Words(state) : name;

    /// <summary>The mark: a hexagon of lattice work.</summary>
    public static readonly IHtmlContent Mark = new HtmlString(
        "<svg class=\"mark\" viewBox=\"0 0 24 24\" width=\"22\" height=\"22\" aria-hidden=\"true\"><path d=\"M12 1.5L21.1 6.75V17.25L12 22.5L2.9 17.25V6.75ZM12 1.5V22.5M2.9 6.75L21.1 17.25M21.1 6.75L2.9 17.25M12 6.75L16.55 9.4V14.6L12 17.25L7.45 14.6V9.4Z\"/></svg>"
    );

    /// <summary>A field's value as a bar, with a notch where the baseline stood.</summary>
    public static IHtmlContent Share(double share, double? baseline)
    {
        var svg = FormattableString.Invariant(
            $"<svg class=\"share\" viewBox=\"0 0 52 11\" width=\"52\" height=\"11\" aria-hidden=\"true\"><rect class=\"track\" x=\"0\" y=\"3.5\" width=\"52\" height=\"4\"/><rect class=\"part\" x=\"0\" y=\"3.5\" width=\"{52 * share:0.##}\" height=\"4\"/>"
        );
        if (baseline is { } then)
            svg += FormattableString.Invariant(
                $"<rect class=\"notch\" x=\"{Math.Min(50, 52 * then):0.##}\" y=\"0\" width=\"2\" height=\"11\"/>"
            );
        return new HtmlString(svg + "</svg>");
    }

    /// <summary>A figure's part of the highest of its column.</summary>
    public static IHtmlContent CellBar(double part) =>
        new HtmlString(
            FormattableString.Invariant(
                $"<svg class=\"cell-bar\" viewBox=\"0 0 48 8\" width=\"48\" height=\"8\" aria-hidden=\"true\"><rect class=\"part\" width=\"{(part > 0 ? Math.Max(1, 48 * Math.Clamp(part, 0, 1)) : 0):0.##}\" height=\"8\"/></svg>"
            )
        );

    /// <summary>How much of all records a line of the query left.</summary>
    public static IHtmlContent Left(double share) =>
        new HtmlString(
            FormattableString.Invariant(
                $"<svg class=\"share\" viewBox=\"0 0 84 5\" width=\"84\" height=\"5\" aria-hidden=\"true\"><rect class=\"track\" width=\"84\" height=\"5\"/><rect class=\"part\" width=\"{84 * Math.Clamp(share, 0, 1):0.##}\" height=\"5\"/></svg>"
            )
        );

    /// <summary>The numbers of a field as a small histogram; the baseline as a dashed line over it.</summary>
    public static IHtmlContent Histogram(NumberSummary numbers)
    {
        const double Width = 204;
        const double Height = 44;
        var highest = Math.Max(1e-9, numbers.Bins.Concat(numbers.Before ?? []).Max());
        var width = Width / numbers.Bins.Count;
        var svg = new System.Text.StringBuilder(
            FormattableString.Invariant(
                $"<svg class=\"histogram-picture\" viewBox=\"0 0 {Width} {Height}\" width=\"{Width}\" height=\"{Height}\" role=\"img\" aria-label=\"Histogram\">"
            )
        );
        for (var i = 0; i < numbers.Bins.Count; i++)
        {
            var height = numbers.Bins[i] == 0 ? 0 : Math.Max(1, numbers.Bins[i] / highest * (Height - 2));
            svg.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"<rect class=\"bin\" x=\"{i * width:0.##}\" y=\"{Height - height:0.##}\" width=\"{Math.Max(1, width - 1):0.##}\" height=\"{height:0.##}\"/>"
            );
        }
        if (numbers.Before is { } before)
        {
            svg.Append("<path class=\"usual\" d=\"");
            for (var i = 0; i < before.Count; i++)
                svg.Append(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"{(i == 0 ? 'M' : 'L')}{(i + 0.5) * width:0.##} {Height - 1 - (before[i] / highest * (Height - 2)):0.##}"
                );
            svg.Append("\"/>");
        }
        return new HtmlString(svg.Append("</svg>").ToString());
    }

    /// <summary>The sign of something that was never seen before: a dashed cell with a plus.</summary>
    public static readonly IHtmlContent New = new HtmlString(
        "<svg class=\"cell new-cell\" viewBox=\"0 0 14 14\" width=\"14\" height=\"14\" aria-hidden=\"true\"><rect class=\"edge dashed\" x=\"1\" y=\"1\" width=\"12\" height=\"12\"/><path class=\"edge\" d=\"M7 4V10M4 7H10\"/></svg>"
    );

    /// <summary>Counts over the focus as small bars, with what is usual as a dashed line.</summary>
    /// <param name="words">The same in words, for those who do not see them.</param>
    public static IHtmlContent TimeLine(IReadOnlyList<long> counts, IReadOnlyList<double>? usual, string words)
    {
        const int Width = 96;
        const int Height = 18;
        var highest = Math.Max(1, Math.Max(counts.Max(), usual?.Max() ?? 0));
        var each = (double)Width / counts.Count;
        var svg = new System.Text.StringBuilder(
            $"<svg class=\"time-line\" viewBox=\"0 0 {Width} {Height}\" width=\"{Width}\" height=\"{Height}\" role=\"img\"><title>"
        )
            .Append(System.Net.WebUtility.HtmlEncode(words))
            .Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"</title><line class=\"lane\" x1=\"0\" y1=\"{Height - 0.5}\" x2=\"{Width}\" y2=\"{Height - 0.5}\"/>"
            );
        for (var i = 0; i < counts.Count; i++)
        {
            if (counts[i] == 0)
                continue;
            // What is there is never invisible.
            var tall = Math.Max(1.5, counts[i] / highest * (Height - 2));
            svg.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"<rect class=\"bin\" x=\"{i * each:0.##}\" y=\"{Height - 1 - tall:0.##}\" width=\"{Math.Max(1, each - 0.5):0.##}\" height=\"{tall:0.##}\"/>"
            );
        }
        if (usual is not null)
        {
            svg.Append("<path class=\"usual\" d=\"");
            for (var i = 0; i < usual.Count; i++)
                svg.Append(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"{(i == 0 ? 'M' : 'L')}{(i + 0.5) * each:0.##} {Height - 1 - (usual[i] / highest * (Height - 2)):0.##}"
                );
            svg.Append("\"/>");
        }
        return new HtmlString(svg.Append("</svg>").ToString());
    }

    /// <summary>Counts one after the other as small bars, the latest at the right.</summary>
    /// <param name="words">The same in words, for those who do not see them.</param>
    public static IHtmlContent Bars(IReadOnlyList<long> counts, int width, int height, string words)
    {
        var highest = Math.Max(1, counts.Max());
        var each = (double)width / counts.Count;
        var svg = new System.Text.StringBuilder(
            FormattableString.Invariant(
                $"<svg class=\"bars\" viewBox=\"0 0 {width} {height}\" width=\"{width}\" height=\"{height}\" role=\"img\"><title>"
            )
        )
            .Append(System.Net.WebUtility.HtmlEncode(words))
            .Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"</title><line class=\"lane\" x1=\"0\" y1=\"{height - 0.5}\" x2=\"{width}\" y2=\"{height - 0.5}\"/>"
            );
        for (var i = 0; i < counts.Count; i++)
        {
            if (counts[i] == 0)
                continue;
            // What is there is never invisible.
            var tall = Math.Max(1, counts[i] / (double)highest * (height - 1));
            svg.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"<rect class=\"bin\" x=\"{i * each:0.##}\" y=\"{height - 1 - tall:0.##}\" width=\"{Math.Max(1, each - 1):0.##}\" height=\"{tall:0.##}\"/>"
            );
        }
        return new HtmlString(svg.Append("</svg>").ToString());
    }
}
