using System.Text.Json;
using System.Text.Json.Serialization;
using Kumiko.Core.Frames;

namespace Kumiko.Charts;

/// <summary>How well a form suits a frame.</summary>
public enum Suits
{
    /// <summary>When nothing else does.</summary>
    Otherwise,
    Possible,
    Well,
    Best,
}

/// <summary>A form that a frame can be drawn in. What shapes it takes, why it is suggested and how it is drawn stand in one
/// file.</summary>
/// <param name="name">In kept charts and in addresses; words joined, each with a capital.</param>
/// <param name="title">What it is called.</param>
[JsonConverter(typeof(ChartFormConverter))]
public abstract class ChartForm(string name, string title)
{
    public string Name => name;

    public string Title => title;

    /// <summary>Whether it draws steps of time, so that series of such forms stand in one picture.</summary>
    public virtual bool IsOverTime => false;

    /// <summary>Whether series that are built one by one can be drawn in it.</summary>
    public virtual bool TakesSeries => true;

    /// <summary>Whether the steps of each series become one figure.</summary>
    public virtual bool Reduces => !IsOverTime;

    /// <summary>Whether it needs more height than lines.</summary>
    public virtual bool IsHigh => false;

    /// <summary>Whether a frame can be drawn in it with sense.</summary>
    public abstract bool Takes(FrameShape shape);

    /// <summary>How well it suits a frame, and why; null where it is not to be suggested.</summary>
    public virtual (Suits How, string Reason)? Suggest(FrameShape shape) => null;

    /// <summary>The picture; null where the frame cannot be drawn.</summary>
    public abstract Drawing? Draw(Frame frame, ChartSpec spec, ChartView view);

    public sealed override string ToString() => name;
}

/// <summary>What forms ask of a frame before they are chosen.</summary>
public sealed class FrameShape(Frame frame)
{
    private readonly IReadOnlyList<Column> _columns = frame.Schema.Columns;

    public Frame Frame => frame;

    public int Rows => frame.Rows.Count;

    public int Figures { get; } = frame.Schema.Columns.Count(c => c.Role == ColumnRole.Value);

    /// <summary>The places of the keys.</summary>
    public IReadOnlyList<int> Keys { get; } =
    [.. Enumerable.Range(0, frame.Schema.Columns.Count).Where(i => frame.Schema.Columns[i].Role == ColumnRole.Key)];

    /// <summary>Whether it has figures for steps of time.</summary>
    public bool IsOverTime => frame.Schema.Step is not null && frame.Schema.IndexOf(ColumnRole.Time) >= 0 && Figures > 0;

    public int Steps
    {
        get
        {
            var time = frame.Schema.IndexOf(ColumnRole.Time);
            return frame.Rows.Select(r => r[time].AsLong).Distinct().Count();
        }
    }

    /// <summary>The lines that it would be over time.</summary>
    public int Series => frame.Rows.GroupBy(r => SeriesTable.NameOf(r, Keys, "", false)).Count() * Figures;

    /// <summary>The name of its only key, where that is a number in all rows; null elsewhere.</summary>
    public string? NumericKey =>
        Keys.Count == 1 && Rows > 0 && frame.Rows.All(r => SeriesTable.Number(r[Keys[0]]) is not null)
            ? _columns[Keys[0]].Name
            : null;

    /// <summary>The unit of the first figure.</summary>
    public string? Unit => _columns.FirstOrDefault(c => c.Role == ColumnRole.Value)?.Unit;
}

/// <summary>Forms by their names with hyphens, as they were always kept.</summary>
internal sealed class ChartFormConverter : JsonConverter<ChartForm>
{
    public override ChartForm Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
        reader.TokenType == JsonTokenType.String && ChartForms.Find(reader.GetString()!.Replace("-", "")) is { } form
            ? form
            : throw new JsonException("That is no form of a chart.");

    public override void Write(Utf8JsonWriter writer, ChartForm form, JsonSerializerOptions options) =>
        writer.WriteStringValue(JsonNamingPolicy.KebabCaseLower.ConvertName(form.Name));
}
