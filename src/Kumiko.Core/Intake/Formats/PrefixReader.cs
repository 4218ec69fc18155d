using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Reads records that begin with a prefix and go on as text, perhaps over several lines.</summary>
internal class PrefixReader(FormatSettings settings, string source, RecordBounds bounds) : IRecordReader
{
    protected RecordDraft Draft { get; } = new(settings, source);

    public bool Joins => bounds.Joins;

    public bool Begins(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record) =>
        bounds.Begins(Colours.Without(line), sinceBlank, record);

    public Refusal? Parse(ReadOnlySpan<byte> record, long now, RecordBlockBuilder into)
    {
        var isColoured = Colours.Has(record);
        var plain = Colours.Without(record);
        Draft.Begin(into, now);
        var end = plain.IndexOf((byte)'\n');
        var first = (end < 0 ? plain : plain[..end]).TrimEnd((byte)'\r');
        var body = Prefix(first, out var isWhole);
        if (end < 0)
            Draft.Body(first[body..]);
        else
            Draft.Body(plain[body..]);
        Rest(plain[body..]);
        if (isColoured || !isWhole)
            Draft.Field(RecordDraft.Original, record);
        Draft.End();
        return null;
    }

    /// <summary>Reads what stands in front.</summary>
    /// <param name="isWhole">Whether all of it has become fields.</param>
    /// <returns>Where the line's own text begins.</returns>
    protected virtual int Prefix(ReadOnlySpan<byte> line, out bool isWhole) =>
        LinePrefix.Read(line, settings.TimeWord, Draft, out isWhole);

    /// <summary>Reads fields out of the text itself.</summary>
    protected virtual void Rest(ReadOnlySpan<byte> body) { }
}
