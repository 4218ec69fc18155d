using System.Text;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Tests.Storage;

/// <summary>Where a line's header ends: what a logging library wrote before it is set aside, and nothing of the line
/// itself.</summary>
public sealed class LineHeaderTests
{
    [Theory]
    [InlineData("Nov 23 05:17:21 quay-1 gatekeeper[4711]: ", "Failed ticket for tomas from 10.3.0.9")]
    [InlineData("Nov  3 05:17:21 quay-1 kernel: ", "gate_io: barrier 3 is stuck")]
    [InlineData("Nov  3 05:17:21 quay-1 kernel: [12345.678901] ", "barrier 3 is stuck")]
    [InlineData("<34>Nov 23 05:17:21 quay-1 ledger(sweep)[71]: ", "sweep finished")]
    [InlineData("<34>1 2026-11-23T05:17:21.003Z quay-1 ledger[71]: ", "sweep finished")]
    [InlineData("2026-11-23T05:17:21.123456+01:00 quay-1 ledger/sweep[71]: ", "sweep finished")]
    [InlineData("[Mon Nov 23 05:19:54.123456 2026] [core:error] [pid 88:tid 140]", " (13)Permission denied: basket unreadable")]
    [InlineData("[Mon Nov 23 05:19:54 2026] [error] [client 10.3.0.9] ", "basket does not exist")]
    [InlineData("2026/11/23 05:17:21 [warn] 88#12: ", "*7 basket is large")]
    [InlineData("2026-11-23 05:17:21 ", "status installed seatmap:all 1.2")]
    [InlineData("2026-11-23 05:17:21,123 INFO  [main] line.skerry.Gate - ", "Gate opened: late")]
    [InlineData("2026-11-23 05:17:21,123 - gate.reader - WARNING - ", "barrier slow - 3 s")]
    [InlineData("05:17:21.123 [worker-3] DEBUG GateReader -- ", "read 3 tickets")]
    [InlineData("26/11/23 05:17:21 INFO ledger.SeatTable$Sweep: ", "Swept 4 rows")]
    [InlineData("261123 051721 148 INFO gate.Reader: ", "Read 4 tickets")]
    [InlineData("20261123-5:17:21:606|GateReader|3000231|", "onTicket 3579")]
    [InlineData("ERROR 2026-11-23 05:17:21.003 ledger.sweep: ", "Row 4 is locked")]
    [InlineData("I1123 05:17:21.123456    4711 gate.go:23] ", "Reading ticket 4")]
    [InlineData("2026/11/23 05:17:21 gate.go:23: ", "Reading ticket 4")]
    [InlineData("11-23 05:17:21.345  1702  2395 D GateService: ", "acquire lock=4")]
    [InlineData("2026-11-23 05:17:21.123 UTC [812] ines@ledger LOG:  ", "duration: 3.1 ms")]
    [InlineData("4711:M 23 Nov 2026 05:17:21.123 * ", "4 changes in 60 seconds")]
    [InlineData("[12345.678901] ", "usb 1-1: new device")]
    [InlineData("1795411041.123 ", "ticket 4 read")]
    [InlineData("2026-11-23 05:17:21, Info                  GATE   ", "Loaded 4 tables")]
    [InlineData("23/Nov/2026:05:17:21 +0000 ", "ticket 4 read")]
    public void What_a_logger_writes_before_a_line_is_its_header(string header, string line)
    {
        var found = LineHeader.Of(Encoding.UTF8.GetBytes(header + line));
        Assert.Equal(header.TrimEnd(), (header + line)[..found.End].TrimEnd());
        Assert.InRange(found.Split, 1, found.End - 1);
    }

    [Theory]
    [InlineData("ticket SK-40417-B refused: seat already claimed after 812ms")]
    [InlineData("10.3.0.9 - ines [23/Nov/2026:05:17:21 +0000] \"GET /seats HTTP/1.1\" 200 12")]
    [InlineData("{\"time\":\"2026-11-23T05:17:21Z\",\"msg\":\"gate opened\"}")]
    [InlineData("time=2026-11-23T05:17:21Z level=info msg=\"gate opened\"")]
    [InlineData("2026-11-23T05:17:21Z")]
    [InlineData("[Mon Nov 23 05:19:54 2026]")]
    [InlineData("17 records lost")]
    [InlineData("12:30:55x is no clock")]
    [InlineData("[late] gate 4 opened")]
    [InlineData("INFO gate 4 opened")]
    [InlineData("")]
    public void Lines_without_one_have_none(string body) => Assert.Equal(default, LineHeader.Of(Encoding.UTF8.GetBytes(body)));

    [Theory]
    [InlineData("Nov 23 05:17:21 ", "claim failed: seat taken")]
    [InlineData("2026-11-23 05:17:21 ", "Connection refused: ledger")]
    [InlineData("2026-11-23 05:17:21 ", "seat 12A free [window] again")]
    [InlineData("2026-11-23 05:17:21 INFO ", "Failed: ledger is away")]
    [InlineData("2026-11-23 05:17:21 [", "")]
    public void The_beginning_of_the_line_itself_is_not_taken_for_more_of_it(string header, string line)
    {
        var found = LineHeader.Of(Encoding.UTF8.GetBytes(header + line));
        Assert.Equal(line.Length == 0 ? 0 : header.Length, found.End);
    }
}
