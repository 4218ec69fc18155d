using Kumiko.Core.Storage.Blocks;
using Kumiko.Core.Storage.Columns;

namespace Kumiko.Core.Intake.Formats;

/// <summary>Pairs of names and values: <c>time=… level=info msg="a text" seats=3</c>; a name alone is true.</summary>
public sealed class LogfmtFormat : LogFormat
{
    public override string Name => "logfmt";

    public override string Title => "Pairs of names and values (logfmt)";

    public override IReadOnlyList<string> Samples =>
        [
            """
                ts=2026-11-23T17:51:04.204Z level=info service=crew-roster msg="shift begins" vessel=Dunlin crew=7 relief
                ts=2026-11-23T17:51:05Z level=warn msg="a \"double\" shift" vessel=Whimbrel hours=11.5
                """,
        ];

    internal override double Fit(SampleText sample) => sample.Share(IsPairs, indented: true);

    private static bool IsPairs(byte[] line)
    {
        var pairs = new Pairs(line);
        var (whole, bare) = (0, 0);
        while (pairs.Next())
        {
            if (pairs.HasValue)
                whole++;
            else
                bare++;
        }
        return pairs.Problem is null && whole >= 2 && bare * 3 <= whole && Pairs.BeginsWithPair(line);
    }

    internal override IRecordReader Open(FormatSettings settings, string source) => new Reader(settings, source);

    private sealed class Reader(FormatSettings settings, string source) : IRecordReader, IDisposable
    {
        private readonly RecordDraft _draft = new(settings, source);
        private readonly ByteWriter _others = new();
        private readonly ByteWriter _value = new();

        public Refusal? Parse(ReadOnlySpan<byte> line, long now, RecordBlockBuilder into)
        {
            _draft.Begin(into, now);
            _others.Clear();
            var pairs = new Pairs(line);
            var count = 0;
            while (pairs.Next())
            {
                if (!pairs.HasValue)
                    _draft.Typed(Records.NamePool.Shared.One(System.Text.Encoding.UTF8.GetString(pairs.Name)), "true"u8);
                else
                {
                    count++;
                    if (_draft.Named(pairs.Name, Value(pairs), pairs.IsQuoted))
                        continue;
                }
                if (_draft.HasBody)
                    continue;
                if (_others.Length > 0)
                    _others.Byte((byte)' ');
                _others.Bytes(pairs.Whole);
            }
            if (pairs.Problem is not null || count == 0)
            {
                _draft.Abandon();
                return new Refusal(pairs.At + 1, pairs.Problem ?? "There is no name=value in this line.");
            }
            if (!_draft.HasBody)
                _draft.Body(_others.Written);
            // It may stand inside of another value.
            if (!_draft.HasTime && TimePlace.Find(line, out var isWhole) is >= 0 and var place && isWhole)
                _draft.TimeAt(line[place..]);
            _draft.End();
            return null;
        }

        private ReadOnlySpan<byte> Value(in Pairs pairs)
        {
            if (!pairs.IsQuoted || !pairs.Value.Contains((byte)'\\'))
                return pairs.Value;
            _value.Clear();
            Escapes.Undo(pairs.Value, _value);
            return _value.Written;
        }

        public void Dispose()
        {
            _others.Dispose();
            _value.Dispose();
        }
    }
}
