using System.Text;
using Kumiko.Core.Intake.Times;
using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Intake.Times;

/// <summary>Which number is the day, by all times of a source together.</summary>
public class DayOrderTests
{
    private const long Now = 1_796_126_400L * Instants.Second;

    private static DayOrderGuess Guess(params string[] texts) =>
        DayOrders.Guess(
            [
                .. texts.Select(t =>
                {
                    Assert.True(WrittenTime.TryScan(Encoding.ASCII.GetBytes(t), out var time));
                    return time;
                }),
            ],
            Now
        );

    [Fact]
    public void A_number_beyond_twelve_tells()
    {
        Assert.Equal(new DayOrderGuess(DayOrder.MonthFirst, true), Guess("04/05/2026 10:00:00", "04/13/2026 10:00:00"));
        Assert.Equal(new DayOrderGuess(DayOrder.DayFirst, true), Guess("04/05/2026 10:00:00", "13/05/2026 10:00:00"));
        Assert.Equal(DayOrder.YearFirst, Guess("17/06/09 20:10:40", "17/06/30 20:10:40").Order);
    }

    [Fact]
    public void Days_that_follow_each_other_tell() =>
        Assert.Equal(
            new DayOrderGuess(DayOrder.MonthFirst, true),
            Guess(
                "04/05/2026 10:00:00",
                "04/06/2026 10:00:00",
                "04/07/2026 10:00:00",
                "04/08/2026 10:00:00",
                "04/09/2026 10:00:00"
            )
        );

    [Fact]
    public void A_day_in_the_future_tells() =>
        Assert.Equal(new DayOrderGuess(DayOrder.MonthFirst, true), Guess("08/12/2026 10:00:00", "08/12/2026 10:30:00"));

    [Fact]
    public void One_day_that_could_be_two_is_asked() => Assert.False(Guess("04/05/2026 10:00:00", "04/05/2026 11:00:00").IsSure);

    [Fact]
    public void The_same_number_twice_leaves_no_doubt() => Assert.True(Guess("05/05/2026 10:00:00").IsSure);

    [Fact]
    public void Spelled_out_it_is_never_asked() =>
        Assert.Equal(new DayOrderGuess(DayOrder.None, true), Guess("2026-04-05 10:00:00", "23/Nov/2026:10:00:00"));
}
