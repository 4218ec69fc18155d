using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;

namespace Kumiko.Core.Export;

/// <summary>A way to write an answer of any size out: as it is read, and never held as a whole.</summary>
/// <param name="name">As requests and commands ask for it, and what files end with.</param>
/// <param name="title">As people read it.</param>
public abstract class ExportFormat(string name, string title, string mediaType)
{
    public string Name => name;
    public string Title => title;
    public string MediaType => mediaType;

    /// <summary>Whether a line of JSON can stand behind the last row, where rows are missing as they are damaged.</summary>
    public virtual bool TakesLastLine => false;

    /// <summary>Writes all rows. What fails on the way is thrown, and what is written until then is not whole: whoever sends it
    /// has to end so that nobody takes it for whole.</summary>
    /// <param name="told">Told the number of rows each time that some are written; null for nobody.</param>
    /// <exception cref="QueryRefusedException">The answer ended early.</exception>
    public abstract Task Write(FrameStream answer, Stream to, Action<long>? told, CancellationToken cancel);
}
