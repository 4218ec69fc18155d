using System.Text;
using CsCheck;
using Kumiko.Core.Storage.Columns;
using Kumiko.Core.Storage.Patterns;
using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Tests.Storage;

public sealed class PatternTests
{
    private static readonly string[] People =
    [
        "ines",
        "tomas",
        "oluchi",
        "mirek",
        "sunniva",
        "aldo",
        "petra",
        "juno",
        "kasper",
        "bram",
        "tove",
        "sanna",
    ];
    private static readonly string[] Reasons =
    [
        "seat already claimed",
        "ticket not found",
        "wrong sailing",
        "sailing departed",
        "ticket void",
    ];

    private readonly TemplateMiner _miner = new();
    private readonly List<Slice> _gaps = [];

    private static long Template(TemplateMiner miner, string body, string service = "gate-control", long time = 1) =>
        miner.Find(service, Encoding.UTF8.GetBytes(body), time, []).Id;

    private PatternBook Book(params IEnumerable<string> bodies)
    {
        foreach (var body in bodies)
            Template(_miner, body);
        return new PatternBook(_miner, []);
    }

    private static string Of(PatternBook book, TemplateMiner miner, string body, string service = "gate-control") =>
        book.ValueOf(Template(miner, body, service)).ToText();

    private string[] Texts(params string[] bodies) => [.. Book(bodies).All().Select(p => p.Text).Order(StringComparer.Ordinal)];

    /// <summary>What one program might write; a line's number is its line of code.</summary>
    private static readonly Gen<(int Line, string Body)> Lines = Gen.Select(
            Gen.Int[0, 9],
            Gen.OneOf(People),
            Gen.OneOf(Reasons),
            Gen.Int[1, 99_999]
        )
        .Select(
            (line, who, why, n) =>
                (
                    line,
                    line switch
                    {
                        0 => $"user {who} signed in from 10.2.{n % 250}.7",
                        1 => $"user {who} signed out",
                        2 => $"ticket SK-{n} refused: {why} after {n}ms",
                        3 => $"ticket SK-{n} admitted after {n}ms",
                        4 => $"row lock on sailing HS-{n} held {n}ms by worker {n % 8}",
                        5 => n % 2 == 0
                            ? $"refund {n} paid to account of {who}"
                            : $"refund {n} paid to account of {who}, approved by Mirek Dane",
                        6 => $"gate {n} opened",
                        7 => $"gate {n} closed",
                        8 => $"level=warn msg=\"pool low\" free={n} holder={who}",
                        _ => $"claim failed on HS-{n}\n   at Ledger.Claim() line {n}\n   at {who}",
                    }
                )
        );

    [Fact]
    public void Patterns_and_their_ids_do_not_depend_on_the_order_of_arrival() =>
        Gen.Select(Lines.Array[150, 400], Gen.Int)
            .Sample(
                (lines, seed) =>
                {
                    var (one, other) = (new TemplateMiner(), new TemplateMiner());
                    foreach (var line in lines)
                        Template(one, line.Body);
                    var shuffled = lines.ToArray();
                    new Random(seed).Shuffle(shuffled);
                    foreach (var line in shuffled)
                        Template(other, line.Body);
                    var (first, second) = (new PatternBook(one, []), new PatternBook(other, []));
                    foreach (var line in lines)
                        Assert.Equal(Of(first, one, line.Body), Of(second, other, line.Body));
                },
                iter: Cases.Of(40)
            );

    [Fact]
    public void Lines_of_one_code_are_one_pattern_and_others_are_not() =>
        Lines
            .Array[400, 600]
            .Sample(
                lines =>
                {
                    var miner = new TemplateMiner();
                    foreach (var line in lines)
                        Template(miner, line.Body);
                    var book = new PatternBook(miner, []);
                    var found = lines.Select(l => (l.Line, Pattern: Of(book, miner, l.Body))).Distinct().ToList();
                    Assert.Equal(found.Select(f => f.Line).Distinct().Count(), found.Count);
                    Assert.Equal(found.Count, found.Select(f => f.Pattern).Distinct().Count());
                },
                iter: Cases.Of(30)
            );

    [Fact]
    public void A_restart_in_the_middle_changes_nothing() =>
        Gen.Select(Lines.Array[50, 300], Gen.Int[1, 49])
            .Sample(
                (lines, at) =>
                {
                    var whole = new TemplateMiner();
                    foreach (var line in lines)
                        Template(whole, line.Body);
                    var before = new TemplateMiner();
                    foreach (var line in lines.Take(at))
                        Template(before, line.Body);
                    var after = new TemplateMiner();
                    after.Load(before.Unsaved());
                    foreach (var line in lines.Skip(at))
                        Template(after, line.Body);
                    var (one, other) = (new PatternBook(whole, []), new PatternBook(after, []));
                    foreach (var line in lines)
                        Assert.Equal(Of(one, whole, line.Body), Of(other, after, line.Body));
                },
                iter: Cases.Of(40)
            );

    [Fact]
    public void An_id_of_before_leads_to_the_pattern_of_today_even_after_a_restart()
    {
        var book = Book("refund 1 requested: illness");
        var early = book.All().Single().Name;
        foreach (var why in new[] { "weather", "duplicate", "missed connection", "fog" })
            Template(_miner, $"refund 2 requested: {why}");
        var today = Of(book, _miner, "refund 3 requested: weather");
        Assert.NotEqual(early, today);
        Assert.Equal(today, book.Today(early));
        Assert.Equal(book.Text(today), book.Text(early));
        var names = book.Unsaved();
        var again = new TemplateMiner();
        again.Load(_miner.Unsaved());
        Assert.Equal(today, new PatternBook(again, names).Today(early));
        Assert.Equal("#ffffffff", book.Today("#ffffffff"));
        Assert.Equal("no id", book.Today("no id"));
        Assert.Null(book.Find("#ffffffff"));
    }

    [Theory]
    [InlineData("user {user} took {duration} on {address}", "user 7 took 12ms on 10.0.0.1", "user 9 took 1.5s on 10.0.0.2")]
    [InlineData(
        "ticket {ticket} refused: {reason} after {duration}",
        "ticket SK-1-A refused: gate shut after 3ms",
        "ticket SK-2-B refused: wrong sailing after 5ms",
        "ticket SK-2-B refused: seat already claimed after 5ms"
    )]
    [InlineData("status={status} wait={wait}", "status=200 wait=3ms", "status=404 wait=5ms")]
    [InlineData(
        "{{\"level\":\"{level}\",\"seat\":\"{seat}\"}}",
        "{\"level\":\"info\",\"seat\":\"12A\"}",
        "{\"level\":\"warn\",\"seat\":\"13B\"}"
    )]
    [InlineData("wrote {pages} pages to {path}", "wrote 80 pages to /var/ledger/a", "wrote 99 pages to /var/ledger/b")]
    [InlineData("boarding at {word} after {integer}", "boarding at Tarnhead after 3", "boarding at Hollin after 4")]
    [InlineData("mode is \"quiet\" since {time}", "mode is \"quiet\" since 17:51:02", "mode is \"quiet\" since 18:02:11")]
    [InlineData("basket {basket} has {seats} seats", "basket 9f3a77e1 has 2 seats", "basket 00aa55f1 has 3 seats")]
    public void Gaps_are_named_by_the_text_beside_them_or_by_their_type(string text, params string[] bodies) =>
        Assert.Equal([text], Texts(bodies));

    [Theory]
    [InlineData("12", "integer")]
    [InlineData("-3.50", "decimal")]
    [InlineData("812ms", "duration")]
    [InlineData("1h30m", "duration")]
    [InlineData("4MiB", "size")]
    [InlineData("10.20.3.4:8080", "address")]
    [InlineData("fe80::1", "address")]
    [InlineData("9f3a77e1", "hex")]
    [InlineData("6f9619ff-8b86-4011-b42d-00cf4fc964ff", "uuid")]
    [InlineData("/var/log/ledger.log", "path")]
    [InlineData("https://skerry.example/a", "path")]
    [InlineData("17:51:02", "time")]
    [InlineData("2026-11-23T17:51:02Z", "time")]
    [InlineData("SK-40417-B", "word")]
    [InlineData("300.1.2.3", "word")]
    [InlineData("seat already claimed", "text")]
    [InlineData("", "text")]
    public void Values_have_a_type(string value, string type) =>
        Assert.Equal(type, VariableType.Name(VariableType.Of(Encoding.UTF8.GetBytes(value))));

    [Theory]
    [InlineData("connection to ledger opened", "connection to ledger closed")]
    [InlineData("seat 4 claimed", "seat 4 not claimed")]
    [InlineData("tide feed started", "tide feed stopped")]
    [InlineData("row 3 read by worker 4", "row 3 written by worker 4")]
    public void What_says_something_else_stays_apart(string one, string other) => Assert.Equal(2, Texts(one, other).Length);

    [Fact]
    public void Services_have_patterns_of_their_own_with_first_and_last_sight()
    {
        Template(_miner, "gate 3 opened", time: 50);
        Template(_miner, "gate 4 opened", time: 20);
        Template(_miner, "gate 5 opened", time: 90);
        Template(_miner, "gate 3 opened", "kiosk-ui", 70);
        var all = new PatternBook(_miner, []).All();
        Assert.Equal(["gate-control", "kiosk-ui"], all.Select(p => p.Service));
        Assert.Equal((20, 90), (all[0].FirstSeen, all[0].LastSeen));
        Assert.NotEqual(all[0].Id, all[1].Id);
    }

    [Fact]
    public void Endless_kinds_of_lines_are_said_and_harm_no_other_service()
    {
        var random = new Random(3);
        for (var i = 0; i < 4_000; i++)
            Template(
                _miner,
                string.Join(
                    ' ',
                    Enumerable
                        .Range(0, 1 + random.Next(12))
                        .Select(_ => new string((char)('a' + random.Next(26)), 1 + random.Next(9)))
                ),
                "noisy"
            );
        var book = Book("gate 3 opened", "gate 4 opened");
        Assert.Equal(["noisy"], book.Overflowing());
        Assert.Equal("gate {gate} opened", book.Text(Of(book, _miner, "gate 9 opened")));
        Assert.InRange(book.All().Count, 2, TemplateMiner.MostOfService + 1);
    }

    [Fact]
    public void Text_from_elsewhere_behind_a_colon_is_one_variable()
    {
        var random = new Random(5);
        string Word() => new([.. Enumerable.Range(0, 4 + random.Next(5)).Select(_ => (char)('a' + random.Next(26)))]);
        for (var i = 0; i < 900; i++)
            Template(
                _miner,
                $"slow query of worker {i}: {string.Join(' ', Enumerable.Range(0, 2 + random.Next(9)).Select(_ => Word()))}"
            );
        var book = new PatternBook(_miner, []);
        var body = "slow query of worker 7: quite another thing";
        Assert.Equal("slow query of worker {worker}: {text}", book.Text(Of(book, _miner, body)));
        _gaps.Clear();
        var template = _miner.Find("gate-control", Encoding.UTF8.GetBytes(body), 1, _gaps);
        Assert.Equal(template.Gaps, _gaps.Count);
        Assert.Equal("quite another thing", Encoding.UTF8.GetString(_gaps[^1].Of(Encoding.UTF8.GetBytes(body))));
        var again = new TemplateMiner();
        again.Load(_miner.Unsaved());
        Assert.Equal(template.Id, Template(again, body));
    }

    [Theory]
    [InlineData("Nov 23 05:17:21 quay-1 gatekeeper[4711]: ", "Nov 23 05:17:29 quay-1 gatekeeper[4712]: ")]
    [InlineData(
        "[Mon Nov 23 05:19:54.123456 2026] [core:error] [pid 7] ",
        "[Mon Nov 23 05:20:54.223456 2026] [core:error] [pid 9] "
    )]
    [InlineData(
        "2026-11-23 05:19:54,123 INFO [main] line.skerry.Gate - ",
        "2026-11-23 05:19:55,723 WARN [pool-3] line.skerry.Gate - "
    )]
    public void The_header_of_a_line_is_no_part_of_its_pattern(string one, string other)
    {
        var book = Book(
            one + "Ticket SK-1 refused for ines",
            other + "Ticket SK-2 refused for ines",
            one + "Barrier stuck",
            "Barrier stuck",
            other + "claim: row 4 is locked"
        );
        Assert.Equal(
            ["Barrier stuck", "Ticket {ticket} refused for ines", "claim: row {row} is locked"],
            book.All().Select(p => p.Text).Order(StringComparer.Ordinal)
        );
        Assert.Equal(Of(book, _miner, "Barrier stuck"), Of(book, _miner, other + "Barrier stuck"));
    }

    [Fact]
    public void A_value_with_odd_signs_is_like_the_others()
    {
        var book = Book([.. People.Select(p => $"install {p}:any 1.{p.Length}"), "install c++:any 1.2", "install g++:all 1.4"]);
        Assert.Single(book.All());
    }

    [Fact]
    public void Values_of_all_looks_in_one_place_are_one_pattern()
    {
        string[] states = ["installed", "unpacked", "half-configured", "half-installed", "triggers-pending"];
        var book = Book([.. states.SelectMany(s => new[] { $"status {s} seatmap:any 1.2", $"status {s} tide-feed:any 2.3-1" })]);
        Assert.StartsWith("status {status}", Assert.Single(book.All()).Text);
    }

    [Fact]
    public void Two_words_more_before_a_value_make_another_line()
    {
        var book = Book([
            .. People.Select((p, i) => $"Refused ticket for {p} from 10.2.3.{i} at gate {i}"),
            .. People.Select((p, i) => $"Refused ticket for foot passenger {p} from 10.2.3.{i} at gate {i}"),
        ]);
        Assert.Equal(2, book.All().Count);
    }

    [Fact]
    public void What_is_not_always_known_at_the_end_of_a_line_is_an_option() =>
        Assert.Single(
            Texts(
                "gate 4 scanner answered 'no such ticket'",
                "gate 4 scanner answered 'no such ticket', terminal: quay-2",
                "gate 9 scanner answered 'no such ticket', terminal: quay-1, lane: 7",
                "gate 9 scanner answered 'sailing is closed', terminal: quay-2"
            )
        );

    [Fact]
    public void A_bracketed_figure_has_any_unit()
    {
        string[] units = ["B", "kB", "MB", "GB"];
        Assert.Single(
            Book([
                    .. units.SelectMany(
                        (u, i) =>
                            new[] { $"Fetched plan {i} of berths [{i + 1}.5 {u}]", $"Fetched plan {i + 9} of berths [{i} {u}]" }
                    ),
                ])
                .All()
        );
    }

    [Fact]
    public void A_bracketed_time_has_any_unit() =>
        Assert.Single(Texts("sweep of table 4 took [3 s]", "sweep of table 5 took [412 ms]"));

    [Fact]
    public void Kinds_of_lines_behind_a_program_and_its_process_are_not_eaten()
    {
        var random = new Random(3);
        string Word() => new([.. Enumerable.Range(0, 4 + random.Next(5)).Select(_ => (char)('a' + random.Next(26)))]);
        // A header that nobody knows, and behind it lines that hardly ever come twice.
        var bodies = Enumerable.Range(0, 200).Select(i => $"quay one gatekeeper[{i}]: {Word()} {Word()} {Word()}").ToArray();
        _ = Book(bodies);
        Assert.DoesNotContain(_miner.All, t => t.IsTail);
    }

    /// <summary>Templates as a version kept them that knew no headers.</summary>
    private static TemplateRow Former(
        long id,
        string text,
        long seen,
        bool isTail = false,
        VariableTypes types = VariableTypes.Integer | VariableTypes.Time
    )
    {
        var key = Encoding.UTF8.GetBytes(text.Replace("{}", "\0"));
        var facts = Enumerable
            .Range(0, key.Count(b => b == 0))
            .Select(_ => new GapFacts { Varies = true, Types = types })
            .ToArray();
        return new TemplateRow
        {
            Id = id,
            Service = "gate-control",
            Key = key,
            FirstSeen = seen,
            LastSeen = seen + 5,
            IsTail = isTail ? 1 : 0,
            Gaps = GapFacts.Write(facts),
        };
    }

    [Fact]
    public void A_pattern_of_before_leads_to_the_one_without_its_header_and_is_as_old()
    {
        _miner.Load([
            Former(7, "Nov {} {} quay-1 gatekeeper[{}]: Ticket {} refused", 100),
            Former(8, "Nov {} {} quay-1 gatekeeper[{}]: Barrier stuck", 110),
        ]);
        var book = new PatternBook(_miner, []);
        var (ticket, barrier) = (book.ValueOf(7).ToText(), book.ValueOf(8).ToText());
        Template(_miner, "Nov 23 05:17:21 quay-1 gatekeeper[4711]: Ticket 5 refused", time: 900);
        var today = book.ValueOf(Template(_miner, "Nov 24 05:17:21 quay-1 gatekeeper[4]: Ticket 8 refused", time: 990)).ToText();
        Assert.Equal("Ticket {ticket} refused", book.Text(today));
        Assert.Equal((today, today, barrier), (book.ValueOf(7).ToText(), book.Today(ticket), book.ValueOf(8).ToText()));
        Assert.Equal(100, book.Find(today)!.FirstSeen);
        Assert.Equal(100, book.InheritedFrom(today, book.Current()));
        Assert.Null(book.InheritedFrom(barrier, book.Current()));
        // After a restart too.
        var again = new TemplateMiner();
        again.Load(
            _miner.Unsaved().Concat([Former(8, "Nov {} {} quay-1 gatekeeper[{}]: Barrier stuck", 110)]).OrderBy(r => r.Id)
        );
        Assert.Equal(today, new PatternBook(again, book.Unsaved()).ValueOf(7).ToText());
    }

    [Fact]
    public void What_one_pattern_swallowed_before_is_not_new_when_it_is_told_apart()
    {
        _miner.Load([Former(7, "Nov {} {} quay-1 gatekeeper[{}]: {}", 100, isTail: true)]);
        var book = new PatternBook(_miner, []);
        var old = book.ValueOf(7).ToText();
        Template(_miner, "Nov 23 05:17:21 quay-1 gatekeeper[4711]: Ticket 5 refused", time: 900);
        Template(_miner, "Nov 23 05:17:21 quay-1 gatekeeper[4711]: Barrier stuck", time: 900);
        Template(_miner, "Gate 4 opened", time: 900);
        var found = book.All().Where(p => p.Name != old).ToDictionary(p => p.Text, p => p.FirstSeen);
        Assert.Equal(100, found["Ticket {ticket} refused"]);
        Assert.Equal(100, found["Barrier stuck"]);
        Assert.Equal(900, found["Gate {gate} opened"]);
        // Its own records stay where they are.
        Assert.Equal(old, book.ValueOf(7).ToText());
    }
}
