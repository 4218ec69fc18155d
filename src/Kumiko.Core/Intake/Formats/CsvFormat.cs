using System.Text;
using CsvHelper;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake.Formats;

/// <summary>A table: a row a record, cells parted by commas, semicolons, tabs or strokes (RFC 4180).</summary>
public sealed class CsvFormat : LogFormat
{
    private static readonly char[] Delimiters = [',', ';', '\t', '|'];

    public override string Name => "csv";

    public override string Title => "Table (CSV)";

    public override IReadOnlyList<string> Samples =>
        [
            """
                time,terminal,height_m,quality
                2026-11-23T17:51:00Z,Hollin,3.21,good
                2026-11-23T17:52:00Z,"Orra, north",3.19,good
                """,
            """
                date;time;terminal;text
                23.11.2026;17:51:04;Hollin;"the tide
                turns"
                """,
        ];

    internal override double Fit(SampleText sample) => Best(sample)?.Share ?? 0;

    internal override FormatSettings Learn(SampleText sample, FormatSettings settings)
    {
        var best = Best(sample);
        return settings with
        {
            Delimiter = settings.Delimiter ?? best?.Delimiter ?? ',',
            Columns = settings.Columns ?? best?.Columns,
        };
    }

    private sealed record Shape(char Delimiter, double Share, IReadOnlyList<string>? Columns);

    /// <summary>The delimiter by which most rows have the same number of cells.</summary>
    private static Shape? Best(SampleText sample)
    {
        const int Looked = 100;
        var text = new StringBuilder();
        foreach (var line in sample.Lines.Take(Looked))
            text.Append(Encoding.UTF8.GetString(line)).Append('\n');
        return Delimiters.Select(d => Try(text.ToString(), d)).OfType<Shape>().MaxBy(s => s.Share);
    }

    private static Shape? Try(string text, char delimiter)
    {
        var rows = new List<string[]>();
        try
        {
            using var reader = CsvReader.Create(Encoding.UTF8.GetBytes(text), Options(delimiter));
            while (reader.Read())
                rows.Add(reader.Current.ToArray());
        }
        catch (CsvFormatException)
        {
            return null;
        }
        if (rows.Count == 0 || rows[0].Length < 2)
            return null;
        if (IsHeader(rows[0]))
            return new Shape(delimiter, Named(rows), null);
        var cells = rows[0].Length;
        var share = (double)rows.Count(r => r.Length == cells) / rows.Count;
        // Without names, columns must be many and steady, and one of them a time.
        const int Fewest = 4;
        var hasTime = rows[0].Any(IsTime);
        return cells >= Fewest && share > 0.99 && rows.Count > 1 && hasTime && delimiter != '|'
            ? new Shape(delimiter, share, [.. rows[0].Select((c, i) => IsTime(c) ? "time" : $"column{i + 1}")])
            : null;
    }

    /// <summary>The share of rows that have as many cells as the names above them.</summary>
    private static double Named(List<string[]> rows)
    {
        var (columns, fitting) = (0, 0);
        foreach (var row in rows)
        {
            if (row.Length != columns && IsHeader(row))
                columns = row.Length;
            fitting += row.Length == columns ? 1 : 0;
        }
        return (double)fitting / rows.Count;
    }

    private static bool IsTime(string cell) =>
        WrittenTime.TryScan(Encoding.UTF8.GetBytes(cell), out var time) && time.Length == cell.Length && time.HasClock;

    /// <summary>Names: short, all different, none a number or a time.</summary>
    private static bool IsHeader(IReadOnlyList<string> row) =>
        row.All(IsName)
        && row.Select(c => c.Trim()).Distinct(StringComparer.OrdinalIgnoreCase).Count() == row.Count
        && row.All(c => c.Count(char.IsWhiteSpace) < 4)
        && row.Any(c => FieldNames.Find(c.Trim()) != FieldPart.Attribute);

    private static bool IsName(string cell) =>
        cell.Trim() is { Length: > 0 and <= 64 } name
        && char.IsLetter(name.TrimStart('#', '_', '@').FirstOrDefault())
        && name.AsSpan().IndexOfAny('=', '\n') < 0;

    private static CsvReaderOptions Options(char delimiter) => new() { Separator = delimiter, HasHeader = false };

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader : IRecordReader
    {
        /// <summary>Bytes by which a row that grows is told from another.</summary>
        private const int Told = 32;

        private readonly FormatSettings _settings;
        private readonly RecordDraft _draft;
        private readonly CsvReaderOptions _options;
        private readonly ByteWriter _words = new();
        private string[] _columns;
        private byte[][] _names = [];
        private byte[] _start = [];
        private int _counted = int.MaxValue;
        private int _quotes;

        public Reader(FormatSettings settings, string source)
        {
            _settings = settings;
            _draft = new RecordDraft(settings, source);
            _options = Options(settings.Delimiter ?? ',');
            _columns = [];
            if (settings.Columns is { Count: > 0 } given)
                Take([.. given]);
        }

        public bool Joins => true;

        public string State
        {
            get => string.Join('\n', _columns);
            set
            {
                if (value.Length > 0)
                    Take(value.Split('\n'));
            }
        }

        private void Take(string[] columns)
        {
            _columns = [.. columns.Select(c => c.Trim().Trim('\uFEFF'))];
            _names = [.. _columns.Select(Encoding.UTF8.GetBytes)];
        }

        /// <summary>A row goes on as long as a quote is open. Each part of it is counted once, however long it grows.</summary>
        public bool Begins(ReadOnlySpan<byte> line, int sinceBlank, ReadOnlySpan<byte> record)
        {
            if (record.Length < _counted || !record.StartsWith(_start))
                (_counted, _quotes, _start) = (0, 0, record[..Math.Min(record.Length, Told)].ToArray());
            _quotes += record[_counted..].Count((byte)'"');
            _counted = record.Length;
            if (_quotes % 2 != 0)
                return false;
            (_counted, _start) = (int.MaxValue, []);
            return true;
        }

        public Refusal? Parse(ReadOnlySpan<byte> record, long now, RecordBlockBuilder into)
        {
            try
            {
                using var reader = CsvReader.Create(Utf8(record), _options);
                return reader.Read() ? Take(reader, now, into) : null;
            }
            catch (CsvFormatException)
            {
                return new Refusal(1, "This row cannot be read: a quote in it is not closed, or stands where none can.");
            }
        }

        private Refusal? Take(CsvReader row, long now, RecordBlockBuilder into)
        {
            if (_columns.Length == 0)
            {
                Take(row.Current.ToArray());
                return null;
            }
            if (row.FieldCount != _columns.Length)
                return Other(row.Current.ToArray());
            if (IsHeaderAgain(row))
                return null;
            _draft.Begin(into, now);
            _words.Clear();
            for (var i = 0; i < row.FieldCount; i++)
                Cell(i, row.GetSpan(i));
            if (!_draft.HasBody)
                _draft.Body(_words.Written);
            _draft.End();
            return null;
        }

        private bool IsHeaderAgain(CsvReader row)
        {
            for (var i = 0; i < _names.Length; i++)
                if (!row.GetSpan(i).SequenceEqual(_names[i]))
                    return false;
            return true;
        }

        private static byte[] Utf8(ReadOnlySpan<byte> record) =>
            System.Text.Unicode.Utf8.IsValid(record) ? record.ToArray() : Lines.FromLatin1(record);

        /// <summary>A row of another length may be the names of other columns.</summary>
        private Refusal? Other(string[] cells)
        {
            if (_settings.Columns is null && cells.Length > 1 && IsHeader(cells))
            {
                Take(cells);
                return null;
            }
            return new Refusal(1, $"This row has {cells.Length} cells; there are names for {_columns.Length}.");
        }

        private void Cell(int column, ReadOnlySpan<byte> text)
        {
            if (text.IsEmpty || _draft.Named(_names[column], text, isQuoted: false) || _draft.HasBody)
                return;
            if (_words.Length > 0)
                _words.Byte((byte)' ');
            _words.Bytes(_names[column]);
            _words.Byte((byte)'=');
            _words.Bytes(text);
        }
    }
}
