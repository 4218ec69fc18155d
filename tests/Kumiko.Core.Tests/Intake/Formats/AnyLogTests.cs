using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Intake.Formats;

/// <summary>Lines in shapes that daemons, libraries and devices write: their time, host and program, whatever the
/// format.</summary>
public class AnyLogTests
{
    private const string At = "2026-11-23T17:51:04";

    [Theory]
    [InlineData("Nov 23 17:51:04 quay-2 sshd[4711]: Failed password for ines from 10.20.4.17 port 51000", "quay-2", "sshd")]
    [InlineData("Nov 23 17:51:04 quay-2 postfix/smtpd[4711]: NOQUEUE: reject: RCPT from unknown", "quay-2", "postfix/smtpd")]
    [InlineData("Nov 23 17:51:04 quay-2 mail.dove: imap-login: Disconnected", "quay-2", "mail.dove")]
    [InlineData("Nov 23 17:51:04 10.20.4.30 gate[4711]: opened", "10.20.4.30", "gate")]
    [InlineData("Nov 23 17:51:04 fe80::1 gate[4711]: opened", "fe80::1", "gate")]
    [InlineData("<13>Nov 23 17:51:04 quay-2 gate: opened", "quay-2", "gate")]
    [InlineData("<13>1 2026-11-23T17:51:04Z quay-2 gate 4711 - - opened", "quay-2", "gate")]
    [InlineData("2026-11-23T18:51:04.204512+01:00 quay-2 gate: opened", "quay-2", "gate")]
    [InlineData("2026-11-23T17:51:04Z quay-2 gate[4711]: opened", "quay-2", "gate")]
    [InlineData("Nov 23 2026 17:51:04 quay-2 gate: opened", "quay-2", "gate")]
    [InlineData("2026-11-23 17:51:04 quay-2 gate[4711]: opened", "quay-2", "gate")]
    [InlineData("Nov 23 17:51:04.204 quay-2 gate(pam)[4711]: opened", "quay-2", "gate(pam)")]
    [InlineData(
        "Nov 23 17:51:04 quay-2 hapfront[4711]: 10.20.4.17:51000 [23/Nov/2026:17:51:04.204] front back/1 0/0/3 200",
        "quay-2",
        "hapfront"
    )]
    [InlineData("Nov 23 17:51:04 quay-2 named[4711]: client 10.20.4.17#51000: query denied", "quay-2", "named")]
    [InlineData("2026-11-23 17:51:04 login failed for (kiosk) [10.20.4.17]: wrong", null, null)]
    [InlineData("[2026-11-23 17:51:04] NOTICE[4711] registrar.c: Registration failed", null, null)]
    [InlineData("[2026-11-23 17:51:04] production.ERROR: row locked {\"seat\":409}", null, null)]
    [InlineData("23-Nov-2026 17:51:04.204 client @0x7f 10.20.4.17#51000: query denied", null, null)]
    [InlineData("Mon Nov 23 17:51:04 2026 [pid 4711] [ines] FAIL LOGIN: Client \"10.20.4.17\"", null, null)]
    [InlineData("Mon Nov 23 17:51:04 2026 : Auth: (42) Login incorrect", null, null)]
    [InlineData("2026.11.23 17:51:04 LOG5[4711:139]: Service [https] accepted", null, null)]
    [InlineData(
        "1795456264.204    184 10.20.4.17 MISS/200 1843 GET http://skerry.example/ ines DIRECT/10.20.4.30 text/html",
        null,
        null
    )]
    [InlineData("type=LOGIN msg=audit(1795456264.204:409): pid=4711 uid=0 old=1 new=2", null, null)]
    [InlineData("<11/23/26@17:51:04> [10.20.4.17] FAILED login", null, null)]
    [InlineData("@400000006b047d120c30bf00 front: deny 4711", null, null)]
    [InlineData("time=\"2026-11-23T17:51:04Z\" level=warning msg=\"gate stuck\"", null, null)]
    [InlineData("level=info ts=1795456264.204 caller=gate.go:42 msg=opened host=quay-2", "quay-2", null)]
    [InlineData("2026-11-23 17:51:04.204 UTC [4711] LOG:  checkpoint complete", null, null)]
    [InlineData("2026-11-23 18:51:04.204 CET [4711] ledger@seats ERROR:  deadlock detected", null, null)]
    [InlineData("261123 17:51:04 [Warning] Access denied for ines", null, null)]
    [InlineData("2026-11-23T17:51:04.204+0000 I NETWORK  [conn42] received client metadata", null, null)]
    [InlineData("4711:M 23 Nov 2026 17:51:04.204 # Memory is short", null, null)]
    [InlineData("2026/11/23 17:51:04 [notice] 4711#4711: signal 15 received", null, null)]
    [InlineData("[23-Nov-2026 17:51:04 UTC] PHP Warning:  no seat in /srv/book.php on line 3", null, null)]
    [InlineData("[23-Nov-2026 18:51:04 Europe/Berlin] PHP Warning:  no seat in /srv/book.php on line 3", null, null)]
    [InlineData("Nov 23, 2026 5:51:04 PM ferry.Gate open", null, null)]
    [InlineData("23-Nov-2026 17:51:04.204 INFO [main] ferry.Gate.open Gate opened", null, null)]
    [InlineData("[2026-11-23T17:51:04,204][WARN ][f.gate.Reader           ] [node-1] slow", null, null)]
    [InlineData("2026-11-23 18:51:04 +0100 [warn]: #0 gate slow", null, null)]
    [InlineData("2026-11-23T17:51:04.204Z\tINFO\tgate\tgate.go:42\topened\t{\"seat\": 3}", null, null)]
    [InlineData("Nov 23 2026 17:51:04: %GATE-6-302013: Built connection 42", null, null)]
    [InlineData("Mon Nov 23 18:51:04 CET 2026 gate opened", null, null)]
    [InlineData("2026-11-23 17:51:04,204 [4711] ERROR gate: stuck", null, null)]
    [InlineData("2026-11-23 17:51:04.204|INFO|gate|opened", null, null)]
    [InlineData("11-23 17:51:04.204  1702  2395 D GateLock: opened", null, null)]
    [InlineData("- 1795456264 2026.11.23 dn228 Nov 23 17:51:04 dn228/dn228 crond[2915]: opened", null, null)]
    [InlineData("20261123-17:51:04:204|Gate|30002312|opened", null, null)]
    [InlineData("[11.23 17:51:04] gate.exe - opened a proxy", null, null)]
    [InlineData("26/11/23 17:51:04 INFO gate.Reader: opened", null, null)]
    [InlineData("261123 175104 148 INFO gate.Reader$Packet: opened", null, null)]
    [InlineData("gate-api.log.1.2026-11-23_10:53:08 2026-11-23 17:51:04.204 25746 INFO gate.api.server [req-1] GET", null, null)]
    [InlineData("2026-11-23 17:51:04, Info                  GATE   Loaded the timetable", null, null)]
    [InlineData("134681 node-246 unix.hw state 1795456264 1 Component in the wrong state", null, null)]
    [InlineData("- 1795456264 2026.11.23 R02-M1 2026-11-23-17.51.04.204512 R02-M1 RAS KERNEL INFO cache parity", null, null)]
    [InlineData("ERROR - 2026-11-23 17:51:04 --> gate stuck", null, null)]
    [InlineData("[2026-11-23 18:51:04 +0100] [4711] [INFO] Booting worker", null, null)]
    [InlineData(
        "[pid: 4711|app: 0|req: 1/1] 10.20.4.17 () {40 vars in 600 bytes} [Mon Nov 23 17:51:04 2026] GET / => done",
        null,
        null
    )]
    [InlineData("11/23/2026 5:51:04 PM - gate opened", null, null)]
    [InlineData("23/11/2026 17:51:04.204 -- gate opened", null, null)]
    [InlineData("[INFO] [2026-11-23T17:51:04.204Z] gate opened", null, null)]
    [InlineData("2026-11-23 17:51:04 10.20.4.17 GET /v2/fares - 443 - 200", null, null)]
    [InlineData("I1123 17:51:04.204512 4711 gate.go:42] opened", null, null)]
    [InlineData("Nov-23-26 17:51:04 [Worker_1] 10.20.4.17 rejected", null, null)]
    [InlineData("date=2026-11-23 time=17:51:04 devname=quay-2 type=event gate=3", null, null)]
    [InlineData("[Mon, 23 Nov 2026 17:51:04 +0000] [gate] opened", null, null)]
    [InlineData("gate[4711]: 2026-11-23 17:51:04 opened", null, null)]
    [InlineData("2026-11-23 17:51:04 1 10.20.4.17 ines@quay.example USER \"ines\" 331", null, null)]
    [InlineData("0x7f 2026-11-23 17:51:04.204 [gate.Worker] opened", null, null)]
    [InlineData("=INFO REPORT==== 23-Nov-2026::17:51:04 === gate opened", null, null)]
    [InlineData("L 11/23/2026 - 17:51:04: Bad ticket from 10.20.4.17", null, null)]
    [InlineData("2026:11:23-17:51:04: '10.20.4.17' 2 tries", null, null)]
    [InlineData("[CET Nov 23 18:51:04] error    : 'gate' is stuck", null, null)]
    [InlineData("Nov 23 17:51:04 gated [4711]: opened", null, "gated")]
    [InlineData("10.20.4.17 -  -  [23/Nov/2026:17:51:04 +0000] \"GET /v2/fares HTTP/1.1\" 401 1382", null, null)]
    [InlineData("<W>2026-11-23 17:51:04.204 1 => <4:ines(-1)> Rejected", null, null)]
    [InlineData("[1795456264] gated[4711]: info: opened", null, null)]
    [InlineData("78017 00cff -- none -- - 2026-11-23T17:51:04+00:00 WARN (4): no such seat", null, null)]
    [InlineData("2026-11-23 18:51:04.008 +01:00 [WRN] gate stuck", null, null)]
    public void Its_time_and_host_are_read(string line, string? host, string? service)
    {
        // The same shape a few times, as a log has it.
        var read = Reading.Of(string.Concat(Enumerable.Repeat(line + "\n", 4)));
        Assert.Equal(4, read.Records.Count);
        var record = read.Records[0];
        Assert.Equal(At, Instants.Format(record.Time)[..19]);
        if (host is not null)
            Assert.Equal(host, record.Resource.Host.ToText());
        if (service is not null)
            Assert.Equal(service, record.Resource.Service.ToText());
        Assert.NotEmpty(record.Body);
    }

    [Theory]
    [InlineData("11-23 17:51:04.204  1702  2395 D GateLock: opened", "opened", "D")]
    [InlineData("4711:M 23 Nov 2026 17:51:04.204 # Memory is short", "Memory is short", null)]
    [InlineData("[2026-11-23 18:51:04 +0100] [4711] [INFO] Booting worker", "Booting worker", "INFO")]
    [InlineData("2026-11-23 17:51:04.204|INFO|gate|opened twice", "opened twice", "INFO")]
    [InlineData("26/11/23 17:51:04 INFO gate.Reader: opened", "opened", "INFO")]
    [InlineData("[2026-11-23T17:51:04,204][WARN ][f.gate.Reader           ] [node-1] slow gate", "slow gate", "WARN")]
    [InlineData("Nov 23 17:51:04 quay-2 gate[4711]: opened", "opened", null)]
    [InlineData("2026/11/23 17:51:04 [notice] 4711#4711: signal 15 received", "signal 15 received", "notice")]
    public void Its_own_text_is_what_is_left(string line, string body, string? level)
    {
        var record = Reading.Of(string.Concat(Enumerable.Repeat(line + "\n", 4))).Records[0];
        Assert.Equal((body, level), (record.Body, record.SeverityText));
    }
}
