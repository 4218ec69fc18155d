namespace Kumiko.Core.Intake.Formats;

/// <summary>A way in which programs write logs: how it is known, and how it is read.</summary>
public abstract class LogFormat
{
    /// <summary>In addresses and commands: short, in small letters.</summary>
    public abstract string Name { get; }

    /// <summary>In pages.</summary>
    public abstract string Title { get; }

    /// <summary>Texts of this format, each a few lines; they are read in tests.</summary>
    public abstract IReadOnlyList<string> Samples { get; }

    /// <summary>The share of lines that are of this format, from 0 to 1.</summary>
    internal abstract double Fit(SampleText sample);

    /// <summary>What else can be told from a sample: where records begin, what parts columns.</summary>
    internal virtual FormatSettings Learn(SampleText sample, FormatSettings settings) => settings;

    /// <summary>A reader for one stream of lines.</summary>
    internal abstract IRecordReader Open(FormatSettings settings, string source);
}

/// <summary>Puts lines together to records, and reads each to a row. For one stream of lines, in their order.</summary>
internal interface IRecordReader : ILineParser
{
    /// <summary>Whether a record may have several lines; else each line is one.</summary>
    bool Joins => false;

    /// <summary>Whether a line begins another record.</summary>
    /// <param name="line">A line that is not blank.</param>
    /// <param name="sinceBlank">Blank lines right before it.</param>
    /// <param name="record">What was gathered so far, which is not empty.</param>
    bool Begins(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record) => true;

    /// <summary>What it knows from earlier lines and needs for later ones, such as the names of columns.</summary>
    string State
    {
        get => "";
        set { }
    }
}
