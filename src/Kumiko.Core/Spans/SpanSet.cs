using Kumiko.Core.Query;

namespace Kumiko.Core.Spans;

/// <summary>Spans as rows that queries can read: <c>from spans</c>. They lie in the store of records.</summary>
public sealed class SpanSet : RowSet
{
    public override string Name => "spans";

    public override string Title => "spans of traces";

    public override (string One, string Many) Noun => ("span", "spans");
}
