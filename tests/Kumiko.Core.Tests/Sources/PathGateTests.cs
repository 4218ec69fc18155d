using Kumiko.Core.Sources.Following;

namespace Kumiko.Core.Tests.Sources;

/// <summary>Files may be read under one folder, wherever links lead.</summary>
public sealed class PathGateTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("kumiko-test-").FullName;

    public PathGateTests()
    {
        Directory.CreateDirectory(Path.Combine(_folder, "logs", "orra"));
        Directory.CreateDirectory(Path.Combine(_folder, "logs-of-others"));
        File.WriteAllText(Path.Combine(_folder, "secret"), "x");
        File.CreateSymbolicLink(In("sly.log"), Path.Combine(_folder, "secret"));
        Directory.CreateSymbolicLink(In("out"), _folder);
        File.CreateSymbolicLink(In("fair.log"), In("orra/gate.log"));
        File.WriteAllText(In("orra/gate.log"), "x");
        File.CreateSymbolicLink(In("round"), In("round"));
    }

    public void Dispose() => Directory.Delete(_folder, true);

    private string In(string path) => Path.Combine(_folder, "logs", path);

    private PathGate Gate => new(Path.Combine(_folder, "logs"));

    [Fact]
    public void What_lies_under_the_folder_may_be_read()
    {
        Assert.True(Gate.Allows(In("orra/gate.log")));
        Assert.True(Gate.Allows(In("fair.log")));
        Assert.True(Gate.Allows(In("orra/../orra/gate.log")));
        Assert.True(Gate.MayAllow(In("*/*.log")));
    }

    [Theory]
    [InlineData("../secret")]
    [InlineData("sly.log")]
    [InlineData("out/secret")]
    [InlineData("../logs-of-others/gate.log")]
    [InlineData("round")]
    public void What_leads_out_may_not(string path) => Assert.False(Gate.Allows(In(path)));

    [Fact]
    public void A_pattern_that_begins_outside_may_not()
    {
        Assert.False(Gate.MayAllow("/etc/*.conf"));
        Assert.False(Gate.MayAllow(In("../*")));
        Assert.False(Gate.MayAllow("*.log"));
        Assert.False(Gate.MayAllow(In("out/*")));
    }

    [Fact]
    public void Without_a_folder_nothing_may() => Assert.False(new PathGate(null).Allows(In("orra/gate.log")));
}
