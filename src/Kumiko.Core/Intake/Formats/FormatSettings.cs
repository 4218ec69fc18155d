using System.Text.Json;
using System.Text.Json.Serialization;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;
using NodaTime;

namespace Kumiko.Core.Intake.Formats;

/// <summary>How the lines of a text are put together to records.</summary>
public enum RecordStart
{
    /// <summary>As the format has it.</summary>
    ByFormat,

    /// <summary>Each line is a record.</summary>
    EachLine,

    /// <summary>A line with a time begins one.</summary>
    Time,

    /// <summary>A line that is not indented begins one, unless a stack trace goes on in it.</summary>
    Indentation,

    /// <summary>A line behind a blank one begins one.</summary>
    BlankLine,

    /// <summary>A line that begins as a pattern says begins one.</summary>
    Pattern,
}

/// <summary>What the values of a field are read as.</summary>
public enum FieldType
{
    /// <summary>A number where a value is written as one.</summary>
    AsWritten,
    Text,
    Number,
}

/// <summary>What becomes of a field that was found.</summary>
/// <param name="Name">As it was found.</param>
/// <param name="As">What it is called instead; empty to leave it out.</param>
public sealed record FieldWish(string Name, string As, FieldType Type = FieldType.AsWritten);

/// <summary>How a source's text is read: found by looking at it, corrected by a person.</summary>
/// <param name="Format">The name of a format of <see cref="FormatList"/>.</param>
public sealed record FormatSettings(string Format)
{
    private static readonly JsonSerializerOptions Json = new()
    {
        Converters = { new JsonStringEnumConverter() },
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault,
    };

    /// <summary>The id of the zone of times that say none.</summary>
    public string Zone { get; init; } = "UTC";

    public DayOrder Order { get; init; }

    /// <summary>Whether the order of days could not be told, so that somebody has to say.</summary>
    public bool AsksOrder { get; init; }

    public RecordStart Start { get; init; }

    /// <summary>A regular expression for <see cref="RecordStart.Pattern"/>.</summary>
    public string? StartPattern { get; init; }

    /// <summary>Which word of a line is its time, from 0, where it cannot be told from other numbers.</summary>
    public int? TimeWord { get; init; }

    /// <summary>The service of all records, where lines name none or another.</summary>
    public string? Service { get; init; }
    public string? Host { get; init; }
    public IReadOnlyList<FieldWish> Fields { get; init; } = [];

    /// <summary>What parts the columns of a table.</summary>
    public char? Delimiter { get; init; }

    /// <summary>The names of a table's columns where no row has them; null where the first row does.</summary>
    public IReadOnlyList<string>? Columns { get; init; }

    /// <summary>The unit of durations that say none: s, ms or us.</summary>
    public string? DurationUnit { get; init; }

    /// <summary>How many lines it was told from.</summary>
    public int SeenLines { get; init; }

    /// <summary>Whether the rest of the settings was told by a person and not by the lines.</summary>
    public bool IsCorrected { get; init; }

    internal TimeSettings Times =>
        new(DateTimeZoneProviders.Tzdb.GetZoneOrNull(Zone) ?? DateTimeZone.Utc, Order) { Ahead = IsLive ? Instants.Day : 0 };

    /// <summary>Whether lines are read as they are written: their times lie near now, and clocks may be a little ahead.</summary>
    public bool IsLive { get; init; }

    /// <summary>Nanoseconds of a unit of durations; of a millisecond where none is said.</summary>
    internal static long UnitOf(string? unit) =>
        unit switch
        {
            "s" => Instants.Second,
            "us" => Instants.Second / 1_000_000,
            _ => Instants.Second / 1_000,
        };

    public string ToJson() => JsonSerializer.Serialize(this, Json);

    /// <summary>Null where the text is none of these settings.</summary>
    public static FormatSettings? FromJson(string text)
    {
        try
        {
            return JsonSerializer.Deserialize<FormatSettings>(text, Json);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
