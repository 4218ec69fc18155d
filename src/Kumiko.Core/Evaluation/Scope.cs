using System.Collections.Immutable;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Records;

namespace Kumiko.Core.Evaluation;

/// <summary>What names mean at one point of a query.</summary>
public abstract class Scope
{
    /// <summary>How a name becomes a look at a row; missing where nothing has it.</summary>
    public abstract Func<Row, Value> Bind(string name);

    /// <summary>Whether something can have this name here; true where only rows could tell.</summary>
    public abstract bool Knows(string name);

    /// <summary>A column that a call's printed text names; null where there is none.</summary>
    public virtual Func<Row, Value>? Computed(Call call) => null;

    /// <summary>A test for a searched word.</summary>
    public abstract Func<Row, bool> Term(TermMatcher matcher);
}

/// <summary>Names of records, and of the fields that stages computed beside them.</summary>
/// <param name="signal">What the records are: spans are called by other names than the store has for them.</param>
public sealed class RecordScope(FieldRefs fields, Signal signal = Signal.Logs) : Scope
{
    private ImmutableDictionary<string, int> Slots { get; init; } = ImmutableDictionary<string, int>.Empty;

    /// <summary>Slots that hold objects with names of their own, the latest first.</summary>
    private ImmutableList<int> Objects { get; init; } = [];

    private ImmutableHashSet<string> Hidden { get; init; } = [];

    public FieldRefs Fields { get; } = fields;

    public Signal Signal { get; } = signal;

    /// <summary>Computed fields in the order in which they came.</summary>
    public ImmutableList<string> Added { get; private init; } = [];

    /// <summary>Whether names mean just what a record has.</summary>
    public bool IsPlain => Slots.IsEmpty && Objects.IsEmpty && Hidden.IsEmpty;

    public IReadOnlyList<int> ObjectSlots => Objects;

    public bool IsHidden(string name) => Hidden.Contains(name);

    private RecordScope Copy(
        ImmutableDictionary<string, int> slots,
        ImmutableList<int> objects,
        ImmutableHashSet<string> hidden,
        ImmutableList<string> added
    ) =>
        new(Fields, Signal)
        {
            Slots = slots,
            Objects = objects,
            Hidden = hidden,
            Added = added,
        };

    /// <summary>What the store calls what a query calls so.</summary>
    public string Stored(string name) => Signal == Signal.Spans ? SpanFields.Stored(name) : name;

    public RecordScope With(string name, int slot) =>
        Copy(Slots.SetItem(name, slot), Objects, Hidden.Remove(name), Added.Contains(name) ? Added : Added.Add(name));

    public RecordScope WithObject(int slot) => Copy(Slots, Objects.Insert(0, slot), Hidden, Added);

    public RecordScope Without(string name) => Copy(Slots.Remove(name), Objects, Hidden.Add(name), Added.Remove(name));

    public override bool Knows(string name) => Slots.ContainsKey(name) || !Hidden.Contains(name);

    public override Func<Row, Value> Bind(string name)
    {
        if (Slots.TryGetValue(name, out var slot))
            return row => row.Slots[slot];
        if (Hidden.Contains(name))
            return _ => Value.Missing;
        if (name == RecordColumns.AllAttributes)
            return row => Value.Of(RecordColumns.Attributes(this, row));
        var field = Fields.Get(Stored(name));
        if (Objects.IsEmpty)
            return row => row.Source.Field(field, row.Place);
        var objects = Objects.ToArray();
        return row =>
        {
            foreach (var at in objects)
                if (row.Slots[at] is { Kind: ValueKind.Object } found && found.AsObject.Get(name) is { IsMissing: false } value)
                    return value;
            return row.Source.Field(field, row.Place);
        };
    }

    public override Func<Row, bool> Term(TermMatcher matcher) => row => row.Record is { } record && matcher.Matches(record);
}

/// <summary>Names of columns.</summary>
public sealed class ColumnScope(IReadOnlyList<Column> columns) : Scope
{
    public IReadOnlyList<Column> Columns => columns;

    public int IndexOf(string name)
    {
        for (var i = 0; i < columns.Count; i++)
            if (string.Equals(columns[i].Name, name, StringComparison.Ordinal))
                return i;
        return -1;
    }

    public override bool Knows(string name) => IndexOf(name) >= 0;

    public override Func<Row, Value> Bind(string name)
    {
        var at = IndexOf(name);
        return at < 0 ? _ => Value.Missing : row => row.Slots[at];
    }

    public override Func<Row, Value>? Computed(Call call)
    {
        var at = IndexOf(QueryPrinter.Print(call));
        return at < 0 ? null : row => row.Slots[at];
    }

    public override Func<Row, bool> Term(TermMatcher matcher) => row => Array.Exists(row.Slots, value => matcher.Matches(value));
}
