using Kumiko.Core.Query;
using Kumiko.Core.Query.Baselines;
using Kumiko.Core.Records;
using Kumiko.Web.Rendering;

namespace Kumiko.Web.Tests;

public sealed class AddressTests
{
    private static readonly long At = Instants.FromDateTime(new DateTimeOffset(2026, 11, 23, 17, 54, 0, TimeSpan.Zero));

    [Fact]
    public void An_address_says_the_same_when_read_back()
    {
        var address = new SearchAddress
        {
            Query = "a = \"é & #\"\n| limit 5",
            Focus = new TimeRange(Moment.Ago(Instants.Hour), Moment.Now),
            Baseline = BaselineChoice.Before,
            Span = StripSpan.Of(Instants.Day),
            Marks = [new TermMark("a\"b & c", 3), new TermMark("void", 0)],
            OldestFirst = true,
            Wrap = true,
            Zone = "Europe/Dublin",
            Tab = Tab.Line,
            Form = Charts.ChartForms.StackedColumn,
            Each = "terminal",
            Columns = ["x", "y.z"],
            At = new RecordId(5, 6),
        };
        var query = System.Web.HttpUtility.ParseQueryString(address.Url().Split('?')[1]);
        var notices = new List<string>();
        var back = SearchAddress.Parse(n => query[n], At, notices);
        Assert.Empty(notices);
        Assert.Equal(address.Url(), back.Url());
        Assert.Equal("/search", new SearchAddress().Url());
    }
}
