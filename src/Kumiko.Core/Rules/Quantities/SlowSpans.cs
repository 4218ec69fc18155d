using System.Text.RegularExpressions;
using Kumiko.Core.Language;
using Kumiko.Core.Query.Sliding;
using Kumiko.Core.Records;

namespace Kumiko.Core.Rules;

/// <summary>Spans that took longer than a limit: their number, or their share of all.</summary>
/// <param name="Service">Empty for all.</param>
/// <param name="Operation">The span's name; empty for all.</param>
/// <param name="Slower">Nanoseconds.</param>
/// <param name="Least">Of a share: with fewer spans it is not judged.</param>
public sealed partial record SlowSpans(string Service, string Operation, long Slower, bool AsShare, long Least) : Quantity
{
    private static readonly RuleInput OfService = new("Service", RuleInputKind.Text, "Service")
    {
        Before = "of",
        Placeholder = "any service",
    };
    private static readonly RuleInput Named = new("Operation", RuleInputKind.Text, "Operation")
    {
        Before = "named",
        Placeholder = "any operation",
    };
    private static readonly RuleInput Than = new("Slower", RuleInputKind.Figure, "Slower than")
    {
        Before = "slower than",
        Named = "how slow",
        Default = "500ms",
    };
    private static readonly RuleInput As = new("SpansAs", RuleInputKind.Choice, "Number or share")
    {
        Default = "share",
        Options = [("share", "as a share of all"), ("number", "their number")],
    };

    public static readonly QuantityKind Kind = new("spans", typeof(SlowSpans), "spans slower than a limit", Read)
    {
        Inputs = [OfService, Named, Than, As, RuleInputs.Least],
        Begins = "spans",
        ReadText = (_, line) => Line().Match(line) is { Success: true } spans ? Read(spans.Groups) : null,
    };

    private static SlowSpans Read(RuleFieldReader form)
    {
        var isShare = form.Is(As, "share");
        var slower = form.Length(Than);
        return new SlowSpans(form.Text(OfService), form.Text(Named), slower, isShare, isShare ? form.Whole(RuleInputs.Least) : 1);
    }

    private static SlowSpans Read(GroupCollection of) =>
        new(
            RuleTextReader.Unquoted(of[2]),
            RuleTextReader.Unquoted(of[3]),
            RuleTextReader.Length(of[4].Value),
            of[1].Success,
            of[5].Success ? RuleTextReader.Whole(of[5].Value) : 1
        );

    public override string OnlyService => Service;

    public override bool IsCount => !AsShare;

    public override string Unit => AsShare ? "1" : "";

    public override string Print() =>
        (AsShare ? "share of spans" : "spans")
        + (Service.Length > 0 ? " of " + RuleText.Quoted(Service) : "")
        + (Operation.Length > 0 ? " named " + RuleText.Quoted(Operation) : "")
        + $" slower than {RuleText.Length(Slower)}"
        + (Least > 1 ? FormattableString.Invariant($" among at least {Least}") : "")
        + "\n";

    public override void Fill(RuleFields fields)
    {
        (fields[OfService], fields[Named]) = (Service, Operation);
        (fields[Than], fields[As]) = (RuleFields.Length(Slower), AsShare ? "share" : "number");
        fields[RuleInputs.Least] = RuleFields.Number(Least);
    }

    public override string Words(RuleWording words, string each) =>
        $"The {(AsShare ? "share" : "number")} of spans"
        + (Service.Length > 0 ? $" of {Service}" : "")
        + (Operation.Length > 0 ? $" named “{Operation}”" : "")
        + $" slower than {words.Duration(Slower)}{each}";

    public override string WordsOfRows
    {
        get
        {
            if (Operation.Length > 0)
                return $"spans of {Operation}";
            return Service.Length > 0 ? $"spans of {Service}" : "spans";
        }
    }

    public override Task<SlidingAnswer> Values(ValueRequest request) =>
        AsShare ? request.Share(Spans(slow: true), Spans(slow: false), Least) : request.Each(Spans(slow: true), "count");

    /// <summary>The spans of the service and the operation as a query.</summary>
    private Language.Query Spans(bool slow)
    {
        var conditions = new List<Expr>();
        if (Service.Length > 0)
            conditions.Add(new Compare(new Field("service"), CompareOp.Equal, new Literal(Service, true)));
        if (Operation.Length > 0)
            conditions.Add(new Compare(new Field("operation"), CompareOp.Equal, new Literal(Operation, true)));
        if (slow)
            conditions.Add(
                new Compare(new Field("duration"), CompareOp.Greater, new Literal(Records.Quantities.Duration(Slower), false))
            );
        var match = conditions.Count == 0 ? null : Expr.And(conditions);
        return new Language.Query(match, Seq<Stage>.Empty, new From("spans"));
    }

    [GeneratedRegex(
        """^(share of )?spans(?: of ("(?:[^"\\]|\\.)*"))?(?: named ("(?:[^"\\]|\\.)*"))? slower than (\S+)(?: among at least (\d+))?$"""
    )]
    private static partial Regex Line();
}
