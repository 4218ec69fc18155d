using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Web.Rendering.Rules;

namespace Kumiko.Web.Tests;

/// <summary>What an alert is made of, where that is not records.</summary>
public sealed class RowsBehindTests
{
    public static TheoryData<Quantity, string> Kinds =>
        new()
        {
            { new ValueOf("from metrics name = \"gate.queue\" | group max()"), "samples of the metric gate.queue" },
            {
                new ValueOf("from metrics name = \"gate.queue\" and terminal = Tarnhead | group max()"),
                "samples of the metric gate.queue"
            },
            { new CountOf("from exemplars"), "exemplars of metrics" },
            { new CountOf("from changes"), "changes" },
            { new CountOf("from alerts level = critical"), "alerts" },
            { new ShareOf("from spans duration > 750ms", "from spans", 20), "spans" },
            { new CountOf("refused | group count() by terminal"), "rows that were made of records" },
            { new SlowSpans("bookings", "", 750_000_000, true, 20), "spans of bookings" },
            { new SlowSpans("bookings", "hold seats", 750_000_000, true, 20), "spans of hold seats" },
            { new BudgetBurnt(1), "all that its objective counts, good and bad" },
            { new InOrder([1, 2], Instants.Minute, false), "alerts of other rules" },
        };

    [Theory]
    [MemberData(nameof(Kinds))]
    public void They_are_named(Quantity quantity, string rows) =>
        Assert.Equal(
            $"Behind it are {rows}, not records.",
            RuleWords.RowsBehind(new RuleDefinition { Quantity = quantity, Condition = new Beyond(false, 1, null) })
        );
}
