using System.Buffers.Text;
using Kumiko.Core.Records;
using Kumiko.Core.Storage.Blocks;

namespace Kumiko.Core.Intake.Formats;

/// <summary>The Common and the Combined Log Format of web servers, perhaps with a virtual host in front and how long it took at
/// the end.</summary>
public sealed class AccessFormat : LogFormat
{
    public override string Name => "access";

    public override string Title => "Access log (Common or Combined)";

    public override IReadOnlyList<string> Samples =>
        [
            """10.20.4.17 - - [23/Nov/2026:17:51:04 +0100] "GET /v2/fares?from=Hollin&to=Orra HTTP/1.1" 200 1843""",
            """
                10.20.4.17 - ines [23/Nov/2026:17:51:04 +0100] "POST /v2/booking HTTP/1.1" 201 312 "https://skerry.example/" "Kiosk/7.3" 0.184
                10.20.4.18 - - [23/Nov/2026:17:51:05 +0100] "\x16\x03\x01" 400 226 "-" "-" 0.001
                """,
            """booking.example:443 2001:db8::17 - - [23/Nov/2026:17:51:04 +0000] "HEAD / HTTP/2.0" 304 - "-" "probe" 1204""",
        ];

    internal override double Fit(SampleText sample) => sample.Share(line => AccessLine.TryRead(line, out _), indented: true);

    internal override FormatSettings Learn(SampleText sample, FormatSettings settings) =>
        settings with
        {
            DurationUnit = settings.DurationUnit ?? Unit(sample),
        };

    /// <summary>Whole seconds, milliseconds or microseconds are told by how large they are in the middle.</summary>
    private static string? Unit(SampleText sample)
    {
        var numbers = new List<double>();
        foreach (var line in sample.Lines)
        {
            if (!AccessLine.TryRead(line, out var read) || read.Took.Length == 0)
                continue;
            var took = line.AsSpan(read.Took.Start, read.Took.Length);
            if (took.Contains((byte)'.'))
                return "s";
            if (Utf8Parser.TryParse(took, out double number, out _))
                numbers.Add(number);
        }
        if (numbers.Count == 0)
            return null;
        numbers.Sort();
        return numbers[numbers.Count / 2] switch
        {
            < 3 => numbers[^1] < 100 ? "s" : "ms",
            < 2_000 => "ms",
            _ => "us",
        };
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source) : IRecordReader
    {
        private readonly RecordDraft _draft = new(settings, source);
        private readonly long _unit = FormatSettings.UnitOf(settings.DurationUnit);

        public Refusal? Parse(ReadOnlySpan<byte> line, long now, RecordBlockBuilder into)
        {
            if (!AccessLine.TryRead(line, out var read))
                return new Refusal(read.Column + 1, "This is no line of an access log: " + read.Problem);
            _draft.Begin(into, now);
            if (_draft.TimeAt(read.Time.Of(line)) == 0)
            {
                _draft.Abandon();
                return new Refusal(read.Time.Start + 1, "The time in brackets cannot be read.");
            }
            var request = read.Request.Of(line);
            var status = read.Status.Of(line);
            Body(request, status);
            Addresses(line, read);
            if (!HttpFields.Request(request, _draft) && !request.SequenceEqual("-"u8))
                _draft.Field("http.request.line", request);
            // No level is made up from it: whether a status is a failure is for people to say.
            if (Utf8Parser.TryParse(status, out long code, out _))
                _draft.Field(HttpFields.Status, code);
            Given(HttpFields.Bytes, read.Bytes.Of(line));
            Given(HttpFields.Referer, read.Referer.Of(line));
            Given(HttpFields.Agent, read.Agent.Of(line));
            if (read.Took.Length > 0)
                HttpFields.Took(read.Took.Of(line), read.Took.Of(line).Contains((byte)'.') ? Instants.Second : _unit, _draft);
            if (read.Rest.Length > 0)
                _draft.Field(RecordDraft.Original, line);
            _draft.End();
            return null;
        }

        private void Body(ReadOnlySpan<byte> request, ReadOnlySpan<byte> status)
        {
            var end = request.LastIndexOf(" HTTP/"u8);
            var shown = end > 0 ? request[..end] : request;
            Span<byte> room = stackalloc byte[512];
            if (shown.Length + 1 + status.Length > room.Length)
            {
                _draft.Body((byte[])[.. shown, (byte)' ', .. status]);
                return;
            }
            shown.CopyTo(room);
            room[shown.Length] = (byte)' ';
            status.CopyTo(room[(shown.Length + 1)..]);
            _draft.Body(room[..(shown.Length + 1 + status.Length)]);
        }

        private void Addresses(ReadOnlySpan<byte> line, in AccessLine read)
        {
            if (read.Server.Length > 0)
            {
                var server = read.Server.Of(line);
                var colon = server.LastIndexOf((byte)':');
                _draft.Field(HttpFields.Server, colon > 0 ? server[..colon] : server);
                if (colon > 0)
                    _draft.Typed(HttpFields.ServerPort, server[(colon + 1)..]);
            }
            Given(HttpFields.Client, read.Client.Of(line));
            Given("http.ident", read.Ident.Of(line));
            Given(HttpFields.User, read.User.Of(line));
        }

        /// <summary>A field where there is anything to say.</summary>
        private void Given(string name, ReadOnlySpan<byte> text)
        {
            if (text.IsEmpty || text.SequenceEqual("-"u8))
                return;
            if (ReferenceEquals(name, HttpFields.Bytes))
                _draft.Typed(name, text);
            else
                _draft.Field(name, text);
        }
    }
}
