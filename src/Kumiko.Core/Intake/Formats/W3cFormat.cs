using System.Text;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake.Formats;

/// <summary>The W3C Extended Log File Format: directives begin with #, and <c>#Fields:</c> names what stands in the
/// lines.</summary>
public sealed class W3cFormat : LogFormat
{
    public override string Name => "w3c";

    public override string Title => "W3C Extended Log";

    public override IReadOnlyList<string> Samples =>
        [
            """
                #Version: 1.0
                #Fields: date time c-ip cs-method cs-uri-stem cs-uri-query sc-status sc-bytes time-taken cs(User-Agent)
                2026-11-23 17:51:04 10.20.4.17 GET /v2/fares from=Hollin 200 1843 184 Kiosk/7.3+(quay)
                2026-11-23 17:51:05 10.20.4.18 POST /v2/booking - 503 12 2040 Kiosk/7.3+(quay)
                """,
        ];

    internal override double Fit(SampleText sample)
    {
        var names = sample.Lines.Take(20).Any(l => l.AsSpan().StartsWith("#Fields:"u8));
        return names ? sample.Share(l => l[0] != '#' || l.AsSpan().IndexOf((byte)':') > 0, indented: true) : 0;
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source) : IRecordReader
    {
        private const int MostColumns = 256;

        private static readonly Dictionary<string, string> Known = new(StringComparer.OrdinalIgnoreCase)
        {
            ["c-ip"] = HttpFields.Client,
            ["c-port"] = "client.port",
            ["cs-method"] = HttpFields.Method,
            ["cs-uri-stem"] = HttpFields.Path,
            ["cs-uri-query"] = HttpFields.Query,
            ["cs-uri"] = "url.original",
            ["sc-status"] = HttpFields.Status,
            ["sc-bytes"] = HttpFields.Bytes,
            ["bytes"] = HttpFields.Bytes,
            ["cs-bytes"] = "http.request.body.size",
            ["cs(User-Agent)"] = HttpFields.Agent,
            ["cs(Referer)"] = HttpFields.Referer,
            ["cs-username"] = HttpFields.User,
            ["cs-host"] = "url.domain",
            ["cs-version"] = HttpFields.Protocol,
            ["s-ip"] = HttpFields.Server,
            ["s-port"] = HttpFields.ServerPort,
            ["time-taken"] = HttpFields.Duration,
        };

        private readonly RecordDraft _draft = new(settings, source);
        private readonly ByteWriter _words = new();
        private string[] _columns = [];
        private string _date = "";
        private string _directive = "";

        public string State
        {
            get => _directive + "\n" + _date;
            set
            {
                var parts = value.Split('\n');
                if (parts.Length == 2)
                {
                    Directive(Encoding.UTF8.GetBytes(parts[0]));
                    _date = parts[1];
                }
            }
        }

        public Refusal? Parse(ReadOnlySpan<byte> line, long now, RecordBlockBuilder into)
        {
            if (line[0] == '#')
            {
                Directive(line);
                return null;
            }
            if (_columns.Length == 0)
                return new Refusal(1, "No #Fields: came before this line, so its values have no names.");
            _draft.Begin(into, now);
            _words.Clear();
            var (at, count) = (0, 0);
            Place method = default,
                target = default,
                status = default;
            while (Next(line, ref at, out var place))
            {
                if (count == _columns.Length)
                    return Wrong(place.Start, line);
                var name = _columns[count++];
                var value = place.Of(line);
                switch (name)
                {
                    case HttpFields.Method:
                        method = place;
                        break;
                    case HttpFields.Path:
                        target = place;
                        break;
                    case HttpFields.Status:
                        status = place;
                        break;
                }
                if (value is not [(byte)'-'] && !value.IsEmpty)
                    Take(name, value);
            }
            if (count < _columns.Length)
                return Wrong(line.Length, line);
            if (!_draft.HasTime && _date.Length > 0)
                _draft.WholeTime(Encoding.ASCII.GetBytes(_date));
            Body(method.Of(line), target.Of(line), status.Of(line));
            _draft.End();
            return null;
        }

        private Refusal Wrong(int column, ReadOnlySpan<byte> line)
        {
            _draft.Abandon();
            var (at, values) = (0, 0);
            while (Next(line, ref at, out _))
                values++;
            return new Refusal(column + 1, $"This line has {values} values; #Fields: names {_columns.Length}.");
        }

        private void Directive(ReadOnlySpan<byte> line)
        {
            if (line.StartsWith("#Fields:"u8))
            {
                _directive = Encoding.UTF8.GetString(line);
                _columns =
                [
                    .. _directive["#Fields:".Length..]
                        .Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries)
                        .Take(MostColumns)
                        .Select(c => NamePool.Shared.One(Known.GetValueOrDefault(c, c))),
                ];
            }
            else if (line.StartsWith("#Date:"u8))
                _date = Encoding.UTF8.GetString(line["#Date:".Length..]).Trim();
        }

        private void Take(string name, ReadOnlySpan<byte> value)
        {
            switch (name)
            {
                case HttpFields.Duration:
                    HttpFields.Took(value, value.Contains((byte)'.') ? Instants.Second : Instants.Second / 1_000, _draft);
                    return;
                case HttpFields.Agent:
                    Span<byte> plain = value.Length <= 1_024 ? stackalloc byte[value.Length] : new byte[value.Length];
                    value.CopyTo(plain);
                    plain.Replace((byte)'+', (byte)' ');
                    _draft.Field(name, plain);
                    return;
                case HttpFields.Status:
                    _draft.Typed(name, value);
                    return;
                case "date" or "time":
                    if (!_draft.WholeTime(value))
                        _draft.Field(name, value);
                    return;
                case "s-computername":
                    _draft.Host(value);
                    return;
                case HttpFields.Protocol:
                    _draft.Field(name, value.StartsWith("HTTP/"u8) ? value[5..] : value);
                    return;
            }
            _draft.Typed(name, value);
            if (_words.Length > 0)
                _words.Byte((byte)' ');
            _words.Utf8(name);
            _words.Byte((byte)'=');
            _words.Bytes(value);
        }

        private void Body(ReadOnlySpan<byte> method, ReadOnlySpan<byte> target, ReadOnlySpan<byte> status)
        {
            if (!method.IsEmpty && !target.IsEmpty)
            {
                _words.Clear();
                _words.Bytes(method);
                _words.Byte((byte)' ');
                _words.Bytes(target);
                _words.Byte((byte)' ');
                _words.Bytes(status);
            }
            _draft.Body(_words.Written);
        }

        /// <summary>The next value: up to a blank or a tab, or in quotes, which are doubled inside.</summary>
        private static bool Next(ReadOnlySpan<byte> line, ref int at, out Place place)
        {
            while (at < line.Length && line[at] is (byte)' ' or (byte)'\t' or (byte)'\r')
                at++;
            place = new Place(at, 0);
            if (at >= line.Length)
                return false;
            if (line[at] == '"')
            {
                var close = line[(at + 1)..].IndexOf((byte)'"');
                if (close >= 0)
                {
                    place = new Place(at + 1, close);
                    at += close + 2;
                    return true;
                }
            }
            var length = line[at..].IndexOfAny(" \t\r"u8);
            var end = length < 0 ? line.Length : at + length;
            place = Place.Between(at, end);
            at = end;
            return true;
        }
    }
}
