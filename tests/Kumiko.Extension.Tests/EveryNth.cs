using System.Globalization;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Language;

namespace Kumiko.Extension.Tests;

/// <summary>A made-up stage, <c>nth 3</c>: the third row, the sixth, and so on.</summary>
public sealed record EveryNth(long Distance) : PipelineStage
{
    public static readonly StageKind Kind = new("nth", "nth n", "keeps each nth row", Read)
    {
        Keywords = ["rows"],
        TakesExpressions = false,
    };

    private static EveryNth? Read(QueryParser parser)
    {
        if (parser.WholeNumber("After nth comes a whole number, such as 3.") is not { } distance)
            return null;
        parser.TakeKeyword("rows");
        return new EveryNth(distance);
    }

    public override string Print() => "nth " + Distance.ToString(CultureInfo.InvariantCulture);

    public override void Check(StageChecks checks)
    {
        if (Distance < 2)
            checks.Error(Span, "nth leaves rows out from 2 on.");
    }

    public override bool KeepsRecords => true;

    public override void Build(PipelineBuilder builder, Stage? next) =>
        builder.Step(rows => rows.Where((_, i) => (i + 1) % Distance == 0));
}
