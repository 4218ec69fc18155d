using System.Diagnostics;
using System.Formats.Asn1;
using System.IO.Hashing;
using System.Net.Sockets;
using System.Text;
using Kumiko.Core.Delivery;

namespace Kumiko.Web.Delivery.Channels;

/// <summary>Sends SNMP v2c traps (RFC 3416) as KUMIKO-MIB describes them, over UDP.</summary>
public sealed class TrapSender(NetworkGuard guard) : IChannelSender
{
    /// <summary>The enterprise number that RFC 5612 sets aside for examples: there is none of our own yet.</summary>
    public const int Enterprise = 32473;

    /// <summary>kumikoMIB.</summary>
    public const string Root = "1.3.6.1.4.1.32473.77";

    private const int LongestText = 400;

    private static readonly Asn1Tag Trap = new(TagClass.ContextSpecific, 7, isConstructed: true);
    private static readonly Asn1Tag TimeTicks = new(TagClass.Application, 3);

    public async Task<SendAnswer> Send(Outgoing outgoing, CancellationToken cancel)
    {
        var (settings, payload) = ((TrapSettings)outgoing.Settings, (TrapPayload)outgoing.Payload);
        var bytes = Encode(outgoing.Secret.Length > 0 ? outgoing.Secret : "public", outgoing.Key, payload);
        var told = $"SNMP v2c trap, {bytes.Length} bytes\n{payload.Describe()}";
        try
        {
            await guard.SendDatagram(bytes, settings.Host, settings.Port, cancel);
            return new SendAnswer(told, "Sent; traps have no answers.");
        }
        catch (SocketException e)
        {
            throw new SendFailedException(e.Message, told, cause: e);
        }
    }

    /// <summary>A message of version 2c with a trap: sysUpTime, snmpTrapOID, and the alert's objects.</summary>
    public static byte[] Encode(string community, string key, TrapPayload payload)
    {
        var writer = new AsnWriter(AsnEncodingRules.BER);
        using (writer.PushSequence())
        {
            writer.WriteInteger(1);
            writer.WriteOctetString(Encoding.UTF8.GetBytes(community));
            using (writer.PushSequence(Trap))
            {
                // The same for every try, so that a receiver that looks can tell a repeat.
                writer.WriteInteger(XxHash32.HashToUInt32(Encoding.ASCII.GetBytes(key)) & 0x7fffffff);
                writer.WriteInteger(0);
                writer.WriteInteger(0);
                using (writer.PushSequence())
                {
                    Bind(writer, "1.3.6.1.2.1.1.3.0", w =>
                        w.WriteInteger((long)(Environment.TickCount64 / 10 & uint.MaxValue), TimeTicks)
                    );
                    Bind(writer, "1.3.6.1.6.3.1.1.4.1.0", w =>
                        w.WriteObjectIdentifier($"{Root}.0.{(payload.Event == "ended" ? 2 : 1)}")
                    );
                    Bind(writer, Root + ".1.1.0", w => Text(w, key));
                    Bind(writer, Root + ".1.2.0", w => Text(w, payload.Event));
                    Bind(writer, Root + ".1.3.0", w => w.WriteInteger(payload.Level));
                    Bind(writer, Root + ".1.4.0", w => Text(w, payload.Rule));
                    Bind(writer, Root + ".1.5.0", w => Text(w, payload.Where));
                    Bind(writer, Root + ".1.6.0", w => Text(w, payload.Text));
                    Bind(writer, Root + ".1.7.0", w => Text(w, payload.Link));
                }
            }
        }
        return writer.Encode();
    }

    private static void Bind(AsnWriter writer, string name, Action<AsnWriter> value)
    {
        using (writer.PushSequence())
        {
            writer.WriteObjectIdentifier(name);
            value(writer);
        }
    }

    private static void Text(AsnWriter writer, string text)
    {
        var line = PlainText.Line(text, LongestText);
        Debug.Assert(line.Length <= LongestText + 1, "A trap stays within one datagram.");
        writer.WriteOctetString(Encoding.UTF8.GetBytes(line));
    }

    /// <summary>Reads a trap of version 2c: its community and its bindings, values as text.</summary>
    /// <exception cref="AsnContentException">It is none.</exception>
    public static (string Community, IReadOnlyList<(string Name, string Value)> Bindings) Decode(ReadOnlyMemory<byte> datagram)
    {
        var message = new AsnReader(datagram, AsnEncodingRules.BER).ReadSequence();
        if (message.ReadInteger() != 1)
            throw new AsnContentException("This is no message of SNMP version 2c.");
        var community = Encoding.UTF8.GetString(message.ReadOctetString());
        var pdu = message.ReadSequence(Trap);
        for (var i = 0; i < 3; i++)
            pdu.ReadInteger();
        var (list, bindings) = (pdu.ReadSequence(), new List<(string, string)>());
        while (list.HasData)
        {
            var binding = list.ReadSequence();
            var name = binding.ReadObjectIdentifier();
            var tag = binding.PeekTag();
            bindings.Add(
                (
                    name,
                    tag.TagClass switch
                    {
                        TagClass.Application when tag.TagValue is 1 or 2 or 3 or 6 => binding
                            .ReadInteger(tag)
                            .ToString(System.Globalization.CultureInfo.InvariantCulture),
                        TagClass.Universal when tag.TagValue == (int)UniversalTagNumber.Integer => binding
                            .ReadInteger()
                            .ToString(System.Globalization.CultureInfo.InvariantCulture),
                        TagClass.Universal when tag.TagValue == (int)UniversalTagNumber.ObjectIdentifier =>
                            binding.ReadObjectIdentifier(),
                        TagClass.Universal when tag.TagValue == (int)UniversalTagNumber.OctetString => Encoding.UTF8.GetString(
                            binding.ReadOctetString()
                        ),
                        _ => Convert.ToHexString(binding.ReadEncodedValue().Span),
                    }
                )
            );
        }
        return (community, bindings);
    }
}
