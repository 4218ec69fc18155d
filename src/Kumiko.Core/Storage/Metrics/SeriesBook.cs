using System.IO.Hashing;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Storage.Metrics;

/// <summary>A series was forgotten between being found and being written to; finding it again mends that.</summary>
internal sealed class SeriesGoneException : Exception;

/// <summary>All series that are known, each under a number that it keeps. Safe for several threads.</summary>
/// <param name="most">Of one metric; more are not taken.</param>
public sealed class SeriesBook(int most)
{
    private readonly Lock _lock = new();
    private readonly Dictionary<UInt128, int> _ids = [];
    private readonly Dictionary<string, int> _perMetric = new(StringComparer.Ordinal);
    private bool[] _saved = new bool[1_024];
    private MetricSeries?[] _byId = new MetricSeries?[1_024];
    private int _next = 1;

    /// <summary>How many series one metric may have.</summary>
    public int Most => most;

    public MetricSeries? Get(int id)
    {
        lock (_lock)
            return id > 0 && id < _next ? _byId[id] : null;
    }

    /// <summary>All of them, by number.</summary>
    public IReadOnlyList<MetricSeries> All()
    {
        lock (_lock)
            return [.. _byId.Where(s => s is not null).Select(s => s!)];
    }

    /// <summary>Finds the numbers of a metric's samples; one thread a finder.</summary>
    internal sealed class Finder(SeriesBook book, string source) : IDisposable
    {
        private readonly ByteWriter _key = new();
        private Metric? _metric;
        private int _prefix;

        /// <summary>0 where the metric has as many series as it may have.</summary>
        public int Find(Metric metric, Attributes attributes)
        {
            if (!ReferenceEquals(_metric, metric))
            {
                _key.Clear();
                SeriesCodec.WriteMetric(_key, metric, source);
                (_metric, _prefix) = (metric, _key.Length);
            }
            _key.Back(_key.Length - _prefix);
            SeriesCodec.WriteFields(_key, attributes);
            var hash = XxHash128.HashToUInt128(_key.Written);
            lock (book._lock)
            {
                if (book._ids.TryGetValue(hash, out var id))
                    return id;
                var count = book._perMetric.GetValueOrDefault(metric.Name);
                if (count >= book.Most)
                    return 0;
                return book.Add(
                    hash,
                    new MetricSeries
                    {
                        Id = book._next,
                        Source = source,
                        Name = metric.Name,
                        Unit = metric.Unit,
                        Description = metric.Description,
                        Kind = metric.Kind,
                        Temporality = metric.Temporality,
                        IsMonotonic = metric.IsMonotonic,
                        Scope = metric.Scope,
                        Metadata = metric.Metadata,
                        Resource = metric.Resource,
                        Attributes = attributes,
                    }
                );
            }
        }

        public void Dispose() => _key.Dispose();
    }

    private int Add(UInt128 hash, MetricSeries series)
    {
        _ids[hash] = series.Id;
        if (series.Id >= _byId.Length)
        {
            Array.Resize(ref _byId, Math.Max(series.Id + 1, _byId.Length * 2));
            Array.Resize(ref _saved, _byId.Length);
        }
        _byId[series.Id] = series;
        _next = Math.Max(_next, series.Id + 1);
        _perMetric[series.Name] = _perMetric.GetValueOrDefault(series.Name) + 1;
        return series.Id;
    }

    /// <summary>Takes in a series that is kept on disk.</summary>
    internal void Load(MetricSeries series, byte[] encoded)
    {
        lock (_lock)
        {
            Add(XxHash128.HashToUInt128(SeriesCodec.Identity(encoded)), series);
            _saved[series.Id] = true;
        }
    }

    /// <summary>Those of some series that are not on disk yet.</summary>
    /// <exception cref="SeriesGoneException">One was forgotten.</exception>
    internal IReadOnlyList<MetricSeries> Unsaved(IEnumerable<int> ids)
    {
        HashSet<MetricSeries>? found = null;
        lock (_lock)
            foreach (var id in ids)
                if (!_saved[id])
                    (found ??= []).Add(_byId[id] ?? throw new SeriesGoneException());
        return found is null ? [] : [.. found];
    }

    internal void MarkSaved(IEnumerable<MetricSeries> series)
    {
        lock (_lock)
            foreach (var one in series)
                _saved[one.Id] = true;
    }

    /// <summary>Forgets series that have no samples left. Their numbers are not given again.</summary>
    internal void Remove(IEnumerable<int> ids)
    {
        lock (_lock)
        {
            var gone = ids.ToHashSet();
            foreach (var (hash, id) in _ids.Where(i => gone.Contains(i.Value)).ToList())
            {
                _ids.Remove(hash);
                _perMetric[_byId[id]!.Name]--;
                _saved[id] = false;
                _byId[id] = null;
            }
        }
    }
}
