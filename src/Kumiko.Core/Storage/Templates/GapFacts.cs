using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Templates;

/// <summary>What was seen in a gap: of which types, and the one value while there was no other.</summary>
internal struct GapFacts
{
    private const int LongestOnly = 64;

    public VariableTypes Types;

    /// <summary>The first value; null before it and when another came.</summary>
    public byte[]? Only;
    public bool Varies;

    /// <returns>Whether this was news.</returns>
    public bool Observe(ReadOnlySpan<byte> value, bool closely)
    {
        var news = false;
        if (!Varies)
        {
            if (Only is null && value.Length <= LongestOnly)
                (Only, news) = (value.ToArray(), true);
            else if (Only is null || !value.SequenceEqual(Only))
                (Only, Varies, news) = (null, true, true);
        }
        if (!closely)
            return news;
        var types = Types | VariableType.Of(value);
        news |= types != Types;
        Types = types;
        return news;
    }

    public void Observe(in GapFacts other)
    {
        Types |= other.Types;
        if (other.Varies)
            (Only, Varies) = (null, true);
        else if (other.Only is { } only)
            Observe(only, closely: false);
    }

    public static byte[] Write(GapFacts[] facts)
    {
        using var to = new ByteWriter(64);
        foreach (ref readonly var fact in facts.AsSpan())
        {
            to.Number((int)fact.Types);
            to.Byte(
                fact switch
                {
                    { Varies: true } => 2,
                    { Only: null } => 0,
                    _ => 1,
                }
            );
            if (fact.Only is { } only)
                to.Sized(only);
        }
        return to.Written.ToArray();
    }

    public static GapFacts[] Read(byte[] kept, int gaps)
    {
        var facts = new GapFacts[gaps];
        // Templates of the first days have none.
        if (kept.Length == 0)
            return facts;
        var from = new ByteReader(kept);
        for (var i = 0; i < gaps; i++)
        {
            facts[i].Types = (VariableTypes)from.Unsigned();
            var state = from.Byte();
            facts[i].Varies = state == 2;
            if (state == 1)
                facts[i].Only = from.Sized().ToArray();
        }
        return facts;
    }
}
