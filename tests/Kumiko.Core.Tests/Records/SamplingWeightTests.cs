using Kumiko.Core.Records;

namespace Kumiko.Core.Tests.Records;

public sealed class SamplingWeightTests
{
    [Theory]
    [InlineData("", 1)]
    [InlineData("ot=th:0", 1)]
    [InlineData("ot=th:8", 2)]
    [InlineData("ot=th:c", 4)]
    [InlineData("ot=th:e", 8)]
    [InlineData("ferry=1, ot=rv:abc;th:fd70a3d70a3d70", 99.99999999999929)]
    [InlineData("ot=th:ffffffffffffff", 1)]
    [InlineData("ot=th:", 1)]
    [InlineData("ot=th:fffffffffffffff", 1)]
    [InlineData("ot=th:xyz", 1)]
    [InlineData("other=th:c", 1)]
    [InlineData("ot=p:2", 1)]
    public void A_threshold_tells_how_many_spans_one_stands_for(string state, double weight) =>
        Assert.Equal(weight, SamplingWeight.Of(state), weight * 1e-9);
}
