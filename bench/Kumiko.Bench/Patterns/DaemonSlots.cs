using System.Globalization;

namespace Kumiko.Bench.Patterns;

/// <summary>Values that daemons write into their lines; names and places are those of the made-up ferry line.</summary>
internal static class DaemonSlots
{
    private static readonly string[] Users =
    [
        "root",
        "ines",
        "tomas",
        "oluchi",
        "mirek",
        "sunniva",
        "backup",
        "deploy",
        "postgres",
        "www-data",
        "admin",
        "ubuntu",
        "test",
        "oracle",
        "guest",
        "ftp",
        "quayside",
        "kiosk",
        "gatekeeper",
        "ledger",
        "user1",
        "dev2",
        "nagger",
        "support",
        "halloran",
        "verrall",
        "brandt",
        "dane",
        "aske",
    ];
    private static readonly string[] Packages =
    [
        "libc6",
        "bash",
        "openssl",
        "libssl3",
        "tzdata",
        "python3-minimal",
        "man-db",
        "ca-certificates",
        "curl",
        "libcurl4",
        "nano",
        "perl-base",
        "zlib1g",
        "libgcc-s1",
        "systemd",
        "udev",
        "git",
        "less",
        "tar",
        "gzip",
        "libpam-modules",
        "cron",
        "rsync",
        "fonts-dejavu-core",
        "libx11-6",
        "dbus",
        "linux-image-amd64",
        "initramfs-tools",
        "coreutils",
        "grep",
    ];
    private static readonly string[] Hosts =
    [
        "booking.skerry.example",
        "www.skerry.example",
        "fares.skerry.example",
        "localhost",
        "mail.skerry.example",
        "gate-t1.quay.skerry.example",
        "unknown",
        "mx.hollin.example",
        "kiosk-m1",
        "ledger-2.skerry.example",
    ];
    private static readonly string[] Words =
    [
        "timetable",
        "sailings",
        "basket",
        "account",
        "fares",
        "assets",
        "images",
        "health",
        "login",
        "logout",
        "seats",
        "terminals",
        "vessels",
        "refunds",
        "static",
        "css",
        "favicon.ico",
        "robots.txt",
        "app.js",
        "index.html",
    ];
    private static readonly string[] Tables =
    [
        "seats",
        "sailings",
        "tickets",
        "passengers",
        "fares",
        "refunds",
        "vessels",
        "terminals",
        "crew",
        "berths",
        "payments",
        "baskets",
    ];
    private static readonly string[] Columns =
    [
        "sailing_id",
        "seat",
        "price",
        "vessel",
        "departs",
        "ticket_no",
        "paid_at",
        "holder",
        "work_mem",
        "class",
        "statement_timeout",
    ];
    private static readonly string[] Agents =
    [
        "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0",
        "Mozilla/5.0 (iPhone; CPU iPhone OS 17_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.5 Mobile/15E148 Safari/604.1",
        "curl/8.5.0",
        "-",
        "Go-http-client/1.1",
        "python-requests/2.31.0",
        "kiosk browser (Skerry Line)",
    ];
    private static readonly string[] Units =
    [
        "Daily apt upgrade and clean activities",
        "Daily man-db regeneration",
        "Cleanup of Temporary Directories",
        "Rotate log files",
        "OpenBSD Secure Shell server",
        "Session 41 of User ines",
        "Session 97 of User root",
        "User Manager for UID 1000",
        "User Manager for UID 0",
        "User Runtime Directory /run/user/1000",
        "Network Manager Script Dispatcher Service",
        "Time & Date Service",
        "Hostname Service",
        "Message of the Day",
        "Discard unused filesystem blocks",
        "Online ext4 Metadata Check for All Filesystems",
        "System Logging Service",
        "PostgreSQL Cluster 15-main",
        "seat ledger of Skerry Line",
        "gate controller",
        "Regular background program processing daemon",
        "Permit User Sessions",
    ];
    private static readonly string[] UnitFiles =
    [
        "apt-daily.service",
        "man-db.service",
        "logrotate.service",
        "ssh.service",
        "session-41.scope",
        "user@1000.service",
        "user-runtime-dir@1000.service",
        "NetworkManager-dispatcher.service",
        "seat-ledger.service",
        "gate-control.service",
        "systemd-timedated.service",
        "fstrim.service",
        "e2scrub_all.service",
        "postgresql@15-main.service",
    ];
    private static readonly string[] Commands =
    [
        "/usr/lib/sysstat/debian-sa1 1 1",
        "cd / && run-parts --report /etc/cron.hourly",
        "test -e /run/systemd/system || SERVICE_MODE=1 /sbin/e2scrub_all -A -r",
        "/usr/local/bin/tide-import --station 4",
        "/usr/bin/apt update",
        "/bin/systemctl restart gate-control",
        "[ -x /usr/lib/php/sessionclean ] && /usr/lib/php/sessionclean",
        "/opt/ledger/bin/vacuum",
        "/bin/bash",
        "/usr/bin/journalctl -f",
    ];
    private static readonly string[] Endpoints =
    [
        "/health",
        "HTTP: GET /sailings/{id}",
        "HTTP: POST /booking",
        "Skerry.Booking.SailingsController.Get (Skerry.Booking)",
        "Skerry.Booking.BasketController.Add (Skerry.Booking)",
        "/Index",
        "/Timetable/Day",
        "Skerry.Fares.FaresController.Quote (Skerry.Fares)",
    ];
    private static readonly string[] Replies =
    [
        "250 2.0.0 OK",
        "250 2.0.0 Ok: queued as 4F2A91C03D",
        "connect to mx.hollin.example[10.4.0.9]:25: Connection timed out",
        "host mx.hollin.example said: 450 4.2.1 mailbox busy (in reply to RCPT TO command)",
        "delivered to mailbox",
    ];

    private static readonly Dictionary<string, Func<Random, string>> Known = new(StringComparer.Ordinal)
    {
        ["user"] = r => One(r, Users),
        ["authmethod"] = r => One(r, ["password", "publickey", "keyboard-interactive/pam", "none"]),
        ["ip"] = r => $"{r.Next(1, 224)}.{r.Next(256)}.{r.Next(256)}.{r.Next(1, 255)}",
        ["ip4or6"] = r => r.Next(2) == 0 ? "0.0.0.0" : "::",
        ["port"] = r => Text(r.Next(22, 65536)),
        ["pid"] = r => Text(r.Next(300, 99_999)),
        ["int"] = r => Text(r.Next(r.Next(2) == 0 ? 12 : 90_000)),
        ["int2"] = r => r.Next(60).ToString("00", CultureInfo.InvariantCulture),
        ["float"] = r => (r.NextDouble() * r.Next(1, 900)).ToString("0.000", CultureInfo.InvariantCulture),
        ["keytype"] = r => One(r, ["RSA", "ED25519", "ECDSA"]),
        ["b64"] = r => Convert.ToBase64String(Bytes(r, 32)).TrimEnd('='),
        ["b32"] = r => "0H" + Hex(r, 12, upper: true),
        ["hex8"] = r => Hex(r, 8, upper: true),
        ["hex10"] = r => Hex(r, 10, upper: true),
        ["hex24"] = r => Hex(r, 24, upper: true),
        ["uuid"] = r => new Guid(Bytes(r, 16)).ToString(),
        ["host"] = r => One(r, Hosts),
        ["algs"] = r =>
            One(
                r,
                ["diffie-hellman-group1-sha1", "ssh-rsa,ssh-dss", "aes128-cbc,3des-cbc,blowfish-cbc", "hmac-md5,hmac-sha1-96"]
            ),
        ["clfdate"] = r => Time(r).ToString("dd/MMM/yyyy:HH:mm:ss +0000", CultureInfo.InvariantCulture),
        ["ngdate"] = r => Time(r).ToString("yyyy/MM/dd HH:mm:ss", CultureInfo.InvariantCulture),
        ["isodate"] = r => Time(r).ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
        ["clock"] = r => Time(r).ToString("HH:mm:ss", CultureInfo.InvariantCulture),
        ["urlpath"] = UrlPath,
        ["url"] = r =>
            One(r, ["http", "https"]) + "://" + One(r, Hosts) + (r.Next(3) == 0 ? ":" + Text(r.Next(80, 9000)) : "") + UrlPath(r),
        ["httpreq"] = r => $"{One(r, ["GET", "POST", "HEAD"])} {UrlPath(r)} HTTP/1.1",
        ["status"] = r => One(r, ["200", "200", "201", "204", "301", "304", "400", "401", "404", "409", "500", "502"]),
        ["agent"] = r => One(r, Agents),
        ["path"] = r =>
            "/" + One(r, ["var/www/skerry", "etc", "srv/booking", "home/ines", "usr/share", "var/lib/ledger"]) + UrlPath(r),
        ["package"] = r => One(r, Packages),
        ["arch"] = r => One(r, ["amd64", "all", "amd64"]),
        ["version"] = r =>
            $"{(r.Next(5) == 0 ? r.Next(1, 4) + ":" : "")}{r.Next(12)}.{r.Next(40)}{(r.Next(2) == 0 ? "." + r.Next(20) : "")}-{r.Next(1, 9)}{One(r, ["", "+deb12u" + r.Next(1, 9), "~bpo12+1", "+b" + r.Next(1, 4)])}",
        ["version3"] = r => $"{r.Next(6, 11)}.{r.Next(3)}.{r.Next(20)}",
        ["suite"] = r => One(r, ["bookworm", "bookworm-security", "bookworm-updates"]),
        ["sql"] = Sql,
        ["dbname"] = r => One(r, ["ledger", "booking", "postgres", "crew"]),
        ["app"] = r => One(r, ["psql", "ledger-worker", "booking-web", "pgbench", "kiosk"]),
        ["cipher"] = r => One(r, ["TLS_AES_256_GCM_SHA384", "TLS_CHACHA20_POLY1305_SHA256"]),
        ["table"] = r => One(r, Tables),
        ["column"] = r => One(r, Columns),
        ["endpoint"] = r => One(r, Endpoints),
        ["action"] = r => One(r, ["Get", "List", "Add", "Quote", "Cancel", "Refund"]),
        ["controller"] = r => One(r, ["Sailings", "Basket", "Fares", "Refunds", "Account"]),
        ["ns"] = r => One(r, ["Skerry.Booking", "Skerry.Fares", "Skerry.Booking.Web"]),
        ["netstack"] = NetStack,
        ["unit"] = r => One(r, Units),
        ["unitfile"] = r => One(r, UnitFiles),
        ["command"] = r => One(r, Commands),
        ["disk"] = r => One(r, ["sda1", "sda2", "nvme0n1p2", "dm-0"]),
        ["nic"] = r => One(r, ["eth0", "eth1", "enp3s0", "wlan0"]),
        ["email"] = r => One(r, Users) + "@" + One(r, Hosts),
        ["smtpreply"] = r => One(r, Replies),
    };

    public static string Value(string name, Random random) =>
        Known.TryGetValue(name, out var make) ? make(random) : throw new ArgumentException($"No slot is called {name}.");

    private static string One(Random random, string[] items) =>
        items[Math.Min(random.Next(items.Length), random.Next(items.Length + 3))];

    private static string Text(int number) => number.ToString(CultureInfo.InvariantCulture);

    private static DateTime Time(Random random) =>
        new DateTime(2026, 11, 20, 0, 0, 0, DateTimeKind.Utc).AddSeconds(random.Next(4 * 86_400));

    private static byte[] Bytes(Random random, int count)
    {
        var bytes = new byte[count];
        random.NextBytes(bytes);
        return bytes;
    }

    private static string Hex(Random random, int digits, bool upper = false) =>
        upper ? Convert.ToHexString(Bytes(random, digits / 2)) : Convert.ToHexStringLower(Bytes(random, digits / 2));

    private static string UrlPath(Random random)
    {
        var path = string.Concat(Enumerable.Range(0, random.Next(1, 4)).Select(_ => "/" + One(random, Words)));
        return random.Next(8) switch
        {
            0 => "/",
            1 => path + "/",
            2 => path + "?day=" + random.Next(1, 30) + "&class=" + One(random, ["foot", "car"]),
            3 => path + "/" + random.Next(1000),
            _ => path,
        };
    }

    private static string Sql(Random random)
    {
        var table = One(random, Tables);
        return random.Next(6) switch
        {
            0 =>
                $"SELECT {One(random, Columns)}, {One(random, Columns)} FROM {table} WHERE {One(random, Columns)} = {random.Next(900)}",
            1 => $"UPDATE {table} SET {One(random, Columns)} = '{One(random, Words)}' WHERE id = {random.Next(90_000)}",
            2 => $"INSERT INTO {table} ({One(random, Columns)}, {One(random, Columns)}) VALUES ($1, $2)",
            3 => "COMMIT",
            4 => $"select count(*) from {table} join {One(random, Tables)} using ({One(random, Columns)})",
            _ => $"DELETE FROM {table} WHERE {One(random, Columns)} < now() - interval '{random.Next(30)} days'",
        };
    }

    private static string NetStack(Random random)
    {
        var error = One(
            random,
            [
                "System.InvalidOperationException: Sequence contains no elements",
                "System.NullReferenceException: Object reference not set to an instance of an object.",
                "System.TimeoutException: The operation has timed out.",
                "Npgsql.NpgsqlException (0x80004005): Exception while reading from stream",
                "System.ArgumentException: An item with the same key has already been added. Key: HS-0710",
            ]
        );
        return error
            + string.Concat(
                Enumerable
                    .Range(0, random.Next(2, 9))
                    .Select(_ =>
                        $"\n   at Skerry.{One(random, ["Booking", "Fares", "Ledger"])}.{One(random, ["SeatStore", "BasketStore", "FareTable", "Worker"])}.{One(random, ["Find", "Claim", "Run", "Quote", "Load"])}({One(random, ["", "String key", "Int32 id"])}){(random.Next(2) == 0 ? $" in /src/{One(random, Words)}.cs:line {random.Next(400)}" : "")}"
                    )
            );
    }
}
