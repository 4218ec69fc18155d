namespace Kumiko.Core.Records;

/// <summary>The library or part of a program that measured or wrote: OpenTelemetry's instrumentation scope.</summary>
public sealed record InstrumentationScope(string Name, string Version, Attributes Attributes)
{
    public static readonly InstrumentationScope None = new("", "", Attributes.Empty);
}
