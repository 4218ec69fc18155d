using Kumiko.Core.Storage.Segments;

namespace Kumiko.Core.Query.Execution;

/// <summary>
/// What a condition learned of templates, a byte for each that is not 0; 0 where it learned nothing yet. Several threads may
/// ask and tell at once: what one tells while another makes room can be lost, and is learned again.
/// </summary>
internal sealed class TemplateNotes
{
    private byte[] _notes = new byte[256];

    public byte this[SegmentTemplate template]
    {
        get
        {
            var notes = Volatile.Read(ref _notes);
            return (uint)template.Number < (uint)notes.Length ? notes[template.Number] : (byte)0;
        }
        set
        {
            if (template.Number < 0)
                return;
            var notes = Volatile.Read(ref _notes);
            if (template.Number >= notes.Length)
            {
                var more = new byte[Math.Max(template.Number + 1, notes.Length * 2)];
                notes.CopyTo(more, 0);
                Volatile.Write(ref _notes, notes = more);
            }
            notes[template.Number] = value;
        }
    }
}
