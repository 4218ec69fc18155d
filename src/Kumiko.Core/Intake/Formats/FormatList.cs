namespace Kumiko.Core.Intake.Formats;

/// <summary>All formats, the ones that are surest to be known first.</summary>
public static class FormatList
{
    public static readonly IReadOnlyList<LogFormat> All =
    [
        new JsonFormat(),
        new W3cFormat(),
        new AccessFormat(),
        new WebErrorFormat(),
        new SyslogFormat(),
        new DatabaseFormat(),
        new PackageFormat(),
        new BootFormat(),
        new LogfmtFormat(),
        new CsvFormat(),
        new TextFormat(),
    ];

    /// <summary>The format of a name; null where there is none.</summary>
    public static LogFormat? Find(string name) => All.FirstOrDefault(f => f.Name == name);
}
