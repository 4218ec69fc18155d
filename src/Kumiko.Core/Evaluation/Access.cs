using Kumiko.Core.Language;

namespace Kumiko.Core.Evaluation;

/// <summary>What a person may read: rows of some sources, those that meet a condition, or everything.</summary>
/// <param name="Sources">Sources whose rows may be read; null for those of all.</param>
/// <param name="Condition">What else a row must meet; null for nothing. A row that lacks a field of it does not meet it.</param>
public sealed record Access(IReadOnlySet<string>? Sources = null, Expr? Condition = null)
{
    public static readonly Access All = new();

    public bool IsAll => Sources is null && Condition is null;

    public bool MayRead(string source) => Sources?.Contains(source) != false;

    /// <summary>The condition that leaves what may be read of rows that have a source; null for all.</summary>
    public Expr? OfRows
    {
        get
        {
            if (Sources is null)
                return Condition;
            var ofSources = new InList(new Field("source"), new Seq<Literal>(Sources.Select(s => new Literal(s, true))));
            return Condition is null ? ofSources : new And(new Seq<Expr>([ofSources, Condition]));
        }
    }

    public bool Equals(Access? other) =>
        other is not null
        && Condition == other.Condition
        && (Sources is null ? other.Sources is null : other.Sources is not null && Sources.SetEquals(other.Sources));

    public override int GetHashCode() => HashCode.Combine(Sources?.Count, Condition);
}
