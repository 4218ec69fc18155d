using CsCheck;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;

namespace Kumiko.Core.Tests.Language;

/// <summary>Random syntax trees that text can express.</summary>
internal static class QueryGen
{
    private static readonly Gen<string> Identifier = Gen.OneOf(
        "level",
        "service",
        "host",
        "terminal",
        "wait",
        "http.status",
        "x",
        "_a1",
        "every_day",
        "select",
        "group",
        "all",
        "only",
        "rest"
    );
    private static readonly Gen<string> OddName = Gen.OneOf(
        "two words",
        "a-b",
        "and",
        "by",
        "ticks`in",
        "9lives",
        "naïve",
        "true",
        "in"
    );
    private static readonly Gen<string> Name = Gen.Frequency((6, Identifier), (1, OddName));
    private static readonly Gen<string> AnyText = Gen.String[
        Gen.Frequency(
            (8, Gen.Char['a', 'z']),
            (2, Gen.OneOf(' ', '"', '\'', '\\', '\n', '\t', '|', '(', ')', '*', '`', '\u0001', 'é', '-'))
        ),
        1,
        12
    ];
    private static readonly Gen<string> Number = Gen.OneOf(
        "0",
        "7",
        "409",
        "2.5",
        "400ms",
        "1h30m",
        "4MiB",
        "5%",
        "12.75%",
        "1e5",
        "2026-11-23",
        "2026-11-23T17:51:00Z"
    );
    private static readonly Gen<string> BareText = Gen.OneOf(
        "gate-control",
        "/v2/board*",
        "refus*",
        "10.1.2.3",
        "a\\*b",
        "x.y",
        "in",
        "exists",
        "#1f3a9c",
        ":p",
        "Tarnhead"
    );
    private static readonly Gen<(string Pattern, string Flags)> Regex = Gen.OneOf<(string, string)>(
        (@"took \d{4,}ms", "i"),
        ("a|b", ""),
        (@"^x\/y$", "ms"),
        ("[^ ]+", "im")
    );

    private static readonly Gen<CompareOp> Op = Gen.Enum<CompareOp>();
    private static readonly Gen<Literal> Quoted = AnyText.Select(t => new Literal(t, true));
    private static readonly Gen<Literal> MatchLiteral = Gen.Frequency(
        (2, BareText.Select(t => new Literal(t, false))),
        (2, Number.Select(t => new Literal(t, false))),
        (1, Quoted)
    );
    private static readonly Gen<Literal> RangeEnd = Number.Select(t => new Literal(t, false));

    private static Gen<Seq<T>> Several<T>(Gen<T> item, int least, int most) => item.List[least, most].Select(i => new Seq<T>(i));

    private static readonly Gen<Expr> MatchLeaf = Gen.Frequency(
        (3, BareText.Select(w => (Expr)new Term(w, false))),
        (2, AnyText.Select(t => (Expr)new Term(t, true))),
        (4, Gen.Select(Name, Op, MatchLiteral).Select((n, o, l) => (Expr)new Compare(new Field(n), o, l))),
        (1, Name.Select(n => (Expr)new Exists(new Field(n)))),
        (1, Gen.Select(Name, Several(MatchLiteral, 1, 3)).Select((n, l) => (Expr)new InList(new Field(n), l))),
        (
            1,
            Gen.Select(Name, RangeEnd, RangeEnd, Gen.Int[0, 2])
                .Select((n, a, b, k) => (Expr)new InRange(new Field(n), k == 1 ? null : a, k == 2 ? null : b))
        ),
        (1, Name.Select(n => (Expr)new InNetwork(new Field(n), "10.20.0.0/16"))),
        (1, Gen.Select(Name, Regex, Gen.Bool).Select((n, r, not) => (Expr)new RegexMatch(new Field(n), r.Pattern, r.Flags, not)))
    );

    private static Gen<Expr> Logic(Gen<Expr> leaf, int depth)
    {
        if (depth == 0)
            return leaf;
        var inner = Logic(leaf, depth - 1);
        return Gen.Frequency(
            (3, leaf),
            (2, inner.List[2, 3].Select(Expr.And)),
            (2, inner.List[2, 3].Select(Expr.Or)),
            (1, inner.Select(e => (Expr)new Not(e)))
        );
    }

    public static readonly Gen<Expr> Match = Logic(MatchLeaf, 3);

    private static Gen<Expr> Value(int depth)
    {
        var leaf = Gen.Frequency(
            (4, Name.Select(n => (Expr)new Field(n))),
            (2, Number.Select(t => (Expr)new Literal(t, false))),
            (1, Quoted.Select(l => (Expr)l)),
            (1, Gen.OneOf("true", "false").Select(t => (Expr)new Literal(t, false)))
        );
        if (depth == 0)
            return leaf;
        var inner = Value(depth - 1);
        return Gen.Frequency(
            (4, leaf),
            (
                2,
                Gen.Select(inner, Gen.OneOf('+', '-', '*', '/', '%'), inner)
                    .Where((_, o, b) => o != '-' || b is not Field)
                    .Select((a, o, b) => (Expr)new Arithmetic(a, o, b))
            ),
            (1, inner.Select(e => (Expr)new Negate(e))),
            (1, inner.Select(e => (Expr)new Call("lower", new Seq<Expr>([e])))),
            (
                1,
                Gen.Select(Condition(depth - 1), inner, inner).Select((c, a, b) => (Expr)new Call("if", new Seq<Expr>([c, a, b])))
            )
        );
    }

    private static Gen<Expr> Condition(int depth)
    {
        // A bare level name beside the field level is a constant, so the tree has a literal there.
        var value = Value(Math.Min(depth, 1));
        var leaf = Gen.Frequency(
            (
                4,
                Gen.Select(value, Op, value)
                    .Where(
                        (a, _, b) =>
                            !(a is Field { Name: "level" } && b is Field) && !(b is Field { Name: "level" } && a is Field)
                    )
                    .Select((a, o, b) => (Expr)new Compare(a, o, b))
            ),
            (1, Op.Select(o => (Expr)new Compare(new Field("level"), o, new Literal("warn", false)))),
            (1, Name.Select(n => (Expr)new Exists(new Field(n)))),
            (
                1,
                Gen.Select(
                        value,
                        Several(
                            Gen.OneOf(Quoted, Number.Select(n => new Literal("-" + n, false)).Where(l => !l.Text.Contains("20"))),
                            1,
                            3
                        )
                    )
                    .Select((v, l) => (Expr)new InList(v, l))
            ),
            (1, Gen.Select(value, Regex, Gen.Bool).Select((v, r, not) => (Expr)new RegexMatch(v, r.Pattern, r.Flags, not)))
        );
        return Logic(leaf, depth);
    }

    private static readonly Gen<Call> Aggregate = Gen.OneOf(
        Gen.Const(new Call("count", new Seq<Expr>([]))),
        Gen.Select(Gen.OneOf("sum", "p95", "distinct", "max"), Name).Select((f, n) => new Call(f, new Seq<Expr>([new Field(n)])))
    );

    private static readonly Gen<Stage> Group = Gen.Select(
            Aggregate.List[1, 2],
            Value(1).List[0, 2],
            Gen.OneOf<string?>(null, "5m", "auto", "1h30m")
        )
        .Select(
            (aggregates, by, every) =>
                (Stage)
                    new Group(
                        new Seq<Named>(aggregates.Select((a, i) => new Named(a, "n" + i))),
                        new Seq<Named>(by.Select((b, i) => new Named(b, "by key" + i))),
                        every
                    )
        );

    private static readonly Gen<Seq<Field>> Fields = Several(Name.Select(n => new Field(n)), 1, 2);

    private static Seq<Named> Columns(IEnumerable<Expr> items) => new(items.Select((e, i) => new Named(e, "c" + i)));

    private static readonly Gen<Stage> Parse = Gen.Select(
            Name,
            Gen.Int[0, 3],
            Gen.OneOf("ticket {ticket} refused: {reason} after {wait:duration}", "{} \"{a}\" {{x", "{b:integer}\n{c:rest}"),
            Gen.Bool
        )
        .Select(
            (f, k, t, only) =>
                (Stage)(
                    k switch
                    {
                        0 => new Parse(new Field(f), ParseShape.Json, "", "", only),
                        1 => new Parse(new Field(f), ParseShape.Logfmt, "", "", only),
                        2 => new Parse(
                            new Call("lower", new Seq<Expr>([new Field(f)])),
                            ParseShape.Regex,
                            "took (?<wait>\\d+)ms",
                            "i",
                            only
                        ),
                        _ => new Parse(new Field(f), ParseShape.Template, t, "", only),
                    }
                )
        );

    private static readonly Gen<Stage> Join = Gen.Select(Gen.Enum<JoinKind>(), Fields)
        .Select((k, on) => (Stage)new Join("alerts", k, k == JoinKind.Nearest ? "5m" : null, on));

    private static readonly Gen<Seq<Stage>> TopAndGaps = Gen.Select(
            Aggregate,
            Gen.Bool,
            Gen.Enum<GapFill>(),
            Gen.OneOf<long?>(null, 1, 9)
        )
        .Select(
            (a, rest, fill, most) =>
                new Seq<Stage>([
                    new Group(new Seq<Named>([new Named(a, "n")]), new Seq<Named>([new Named(new Field("host"), null)]), "5m"),
                    new Highest(3, new Field("host"), new Field("n"), rest),
                    new Gaps(fill, most),
                ])
        );

    private static readonly Gen<Stage> Stage = Gen.OneOf(
        Value(1).List[1, 2].Select(items => (Stage)new SetFields(Columns(items))),
        Value(1).List[1, 2].Select(items => (Stage)new Select(Columns(items))),
        Name.Select(n => (Stage)new Select(new Seq<Named>([new Named(new Field(n), null)]))),
        Fields.Select(f => (Stage)new SelectAll(f)),
        Parse,
        Join,
        Gen.Const((Stage)new Union("alerts")),
        Condition(2).Select(c => (Stage)new Where(c)),
        Group,
        Gen.Select(Value(1), Gen.Bool)
            .List[1, 2]
            .Select(i => (Stage)new OrderBy(new Seq<OrderItem>(i.Select(x => new OrderItem(x.Item1, x.Item2))))),
        Gen.Select(Gen.Long[0, 1000], Name.List[0, 2])
            .Select((n, by) => (Stage)new Limit(n, new Seq<Expr>(by.Select(b => (Expr)new Field(b)))))
    );

    private static readonly Gen<Core.Language.Query> Body = Gen.Select(
            Match.Null(),
            Gen.OneOf(Stage.List[0, 3].Select(s => new Seq<Stage>(s)), TopAndGaps),
            Gen.OneOf<From?>(
                null,
                new From("logs"),
                new From("logs", "2h"),
                new From("alerts", null, "1d"),
                new From("logs", "1h30m", "7d")
            )
        )
        .Select((m, s, from) => new Core.Language.Query(m, s, from));

    private static readonly Gen<Binding> Bound = Gen.Select(Body, MatchLiteral, Gen.Bool)
        .Select((q, l, literal) => literal ? new Binding("b", null, l) : new Binding("b", q, null));

    public static readonly Gen<Core.Language.Query> Query = Gen.Select(Body, Bound.List[0, 2])
        .Select((body, bound) => body with { With = new Seq<Binding>(bound.Select((b, i) => b with { Name = "b" + i })) });

    /// <summary>Text that looks like a query now and then.</summary>
    public static readonly Gen<string> Noise = Gen.OneOf(
        Gen.OneOf(
                " ",
                "\n",
                "|",
                "(",
                ")",
                "\"",
                "'",
                "`",
                "=",
                "!=",
                "~",
                "/x/",
                "/",
                "and",
                "or",
                "not",
                "in",
                "exists(",
                "where",
                "group",
                "count()",
                "by",
                "every",
                "5m",
                "order by",
                "limit",
                "..",
                "400..499",
                "10.0.0.0/8",
                ",",
                "-- c\n",
                "--",
                "*",
                "level",
                "warn",
                "from logs",
                "over 1h",
                "earlier 1d",
                "with x = (",
                "with a = 1",
                "set a = ",
                "parse only body as ",
                "\"{a}\"",
                "json",
                "select all except ",
                "top 3 x by n",
                "gaps as last",
                "join all ",
                "nearest time within 5m",
                "on",
                "union alerts",
                ":p",
                ":p?",
                "extract(x, /a/)",
                "\\",
                "\0",
                "\ud800",
                "é",
                "if(",
                "1e999",
                "%",
                "-",
                "|where x",
                "a-b"
            )
            .List[0, 30]
            .Select(string.Concat),
        Gen.String[0, 60]
    );
}
