using Kumiko.Core.Records;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>
/// The patterns of a snapshot's records, the same for all that is asked of it: records that wait to be sealed get their
/// templates at the first question, and patterns that grow later do so for later snapshots.
/// </summary>
public sealed class PatternView
{
    private readonly PatternBook _book;
    private readonly Lazy<PatternBook.Edition> _edition;

    internal PatternView(PatternBook book, IReadOnlyList<RecordBatch> batches)
    {
        _book = book;
        _edition = new Lazy<PatternBook.Edition>(() =>
        {
            foreach (var batch in batches.OfType<RecentBatch>())
                for (var i = 0; i < batch.Count; i++)
                    book.TemplateOf(batch[i]);
            return book.Current();
        });
    }

    /// <inheritdoc cref="PatternBook.ValueOf(long)"/>
    public Value ValueOf(long template) => PatternBook.ValueOf(template, _edition.Value);

    /// <summary>The pattern of a record of the snapshot.</summary>
    public Value Of(LogRecord record)
    {
        var edition = _edition.Value;
        return PatternBook.ValueOf(_book.TemplateOf(record), edition);
    }

    /// <inheritdoc cref="PatternBook.Today(string)"/>
    public string Today(string name) => _book.Today(name, _edition.Value);

    /// <inheritdoc cref="PatternBook.Text"/>
    public string? Text(string name) => _book.Find(name, _edition.Value)?.Text;

    /// <inheritdoc cref="PatternBook.Find(string)"/>
    public Pattern? Find(string name) => _book.Find(name, _edition.Value);

    /// <inheritdoc cref="PatternBook.InheritedFrom"/>
    public long? InheritedFrom(string name) => _book.InheritedFrom(name, _edition.Value);

    /// <inheritdoc cref="PatternBook.All()"/>
    public IReadOnlyList<Pattern> All() => _book.All(_edition.Value);

    /// <inheritdoc cref="PatternBook.Overflowing"/>
    public IReadOnlyList<string> Overflowing() => _book.Overflowing();
}
