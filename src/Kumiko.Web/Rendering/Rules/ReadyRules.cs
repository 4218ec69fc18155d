namespace Kumiko.Web.Rendering.Rules;

/// <summary>A rule that many need, filled in as far as it can be.</summary>
/// <param name="Why">When it helps.</param>
public sealed record ReadyRule(string Key, string Name, string Why, Action<RuleForm> Fill)
{
    public RuleForm Form()
    {
        var form = RuleForm.Blank();
        form.Name = Name;
        Fill(form);
        return form;
    }
}

/// <summary>Rules to begin with.</summary>
public static class ReadyRules
{
    public static readonly IReadOnlyList<ReadyRule> All =
    [
        new("errors", "More errors than usual", "For each service by itself, against the same hour on like days.", f => (f.Quantity, f.Query, f.Keys, f.Wrong, f.Side, f.Warning, f.Critical, f.Lasting) = ("count", "level >= error", "service", "unusual", "high", "4", "8", "checks")),
        new("fatal", "Anything fatal", "Every such record at once, whatever comes with it.", f => (f.Quantity, f.Query, f.Keys, f.Level, f.LookBack) = ("record", "level >= fatal", "service", "critical", "15m")),
        new("failing", "A share of requests fails", "Answers of 500 and above among all, once there are enough to tell.", f => (f.Quantity, f.Query, f.Whole, f.Least, f.Keys, f.Warning, f.Critical, f.LookBack) = ("share", "status >= 500", "exists(status)", "50", "service", "2%", "10%", "10m")),
        new("silent", "A host has gone silent", "What wrote within a day, and does not any more.", f => (f.Quantity, f.Query, f.Keys, f.Wrong, f.Level, f.Expected, f.LookBack) = ("count", "", "host", "silent", "critical", "1d", "15m")),
        new("new-error", "A pattern of error never seen before", "The first time that a line of code complains.", f => (f.Quantity, f.Query, f.Keys, f.Wrong, f.Level, f.History, f.LookBack) = ("count", "level >= error", "pattern", "new", "warning", "14d", "5m")),
        new("surge", "Twice as much as a week ago", "A surge, or a flood.", f => (f.Quantity, f.Query, f.Wrong, f.Side, f.By, f.Earlier, f.Warning, f.Critical, f.LookBack) = ("count", "", "moved", "high", "factor", "7d", "2", "4", "15m")),
        new("disk", "A disk will be full", "By its trend, while there is time to do something.", f => (f.Quantity, f.Query, f.Wrong, f.Reach, f.Limit, f.Trend, f.Warning, f.Critical, f.LookBack, f.Interval) = ("figure", "from metrics name = system.filesystem.utilization | group max(value) by host", "reach", "above", "95%", "6h", "1d", "4h", "10m", "5m")),
        new("slow", "Operations are slow", "The share of spans beyond what people wait for.", f => (f.Quantity, f.Slower, f.SpansAs, f.Least, f.Warning, f.Critical, f.LookBack, f.Lasting, f.Share, f.ShareOf) = ("spans", "1s", "share", "20", "5%", "20%", "5m", "share", "33%", "15m")),
    ];

    public static ReadyRule? Find(string? key) => All.FirstOrDefault(r => r.Key == key);
}
