namespace Kumiko.Core.Storage;

/// <summary>Sentences for people, newest last, each once, and never too many.</summary>
internal sealed class NoticeList
{
    private const int Most = 100;

    private readonly Lock _lock = new();
    private readonly List<string> _all = [];

    public IReadOnlyList<string> All
    {
        get
        {
            lock (_lock)
                return [.. _all];
        }
    }

    public void Remove(string sentence)
    {
        lock (_lock)
            _all.Remove(sentence);
    }

    public void Add(string sentence)
    {
        lock (_lock)
        {
            _all.Remove(sentence);
            _all.Add(sentence);
            if (_all.Count > Most)
                _all.RemoveAt(0);
        }
    }
}
