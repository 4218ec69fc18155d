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
        new("errors", "Errors above their usual range", "For each service by itself, against the same hour on like days.", f =>
            (f.Quantity, f.Query, f.Keys, f.Wrong, f.Side, f.Warning, f.Critical, f.Lasting) = (
                "count",
                "level >= error",
                "service",
                "unusual",
                "high",
                "4",
                "8",
                "checks"
            )
        ),
        new("fatal", "Anything fatal", "Every such record at once, whatever comes with it.", f =>
            (f.Quantity, f.Query, f.Keys, f.Level, f.InTheLast) = ("record", "level >= fatal", "service", "critical", "15m")
        ),
        new("failing", "A share of requests fails", "Answers of 500 and above among all, once there are enough to tell.", f =>
            (f.Quantity, f.Query, f.Whole, f.Least, f.Keys, f.Warning, f.Critical, f.InTheLast) = (
                "share",
                "status >= 500",
                "exists(status)",
                "50",
                "service",
                "3%",
                "12%",
                "10m"
            )
        ),
        new("silent", "A host has gone silent", "What wrote within a day, and does not any more.", f =>
            (f.Quantity, f.Query, f.Keys, f.Wrong, f.Level, f.Expected, f.InTheLast) = (
                "count",
                "",
                "host",
                "silent",
                "critical",
                "1d",
                "15m"
            )
        ),
        new("new-error", "A pattern of error never seen before", "The first time that a line of code complains.", f =>
            (f.Quantity, f.Query, f.Keys, f.Wrong, f.Level, f.History, f.InTheLast) = (
                "count",
                "level >= error",
                "pattern",
                "new",
                "warning",
                "14d",
                "5m"
            )
        ),
        new("surge", "Twice as much as a week ago", "A surge, or a flood.", f =>
            (f.Quantity, f.Query, f.Wrong, f.Side, f.By, f.Earlier, f.Warning, f.Critical, f.InTheLast) = (
                "count",
                "",
                "moved",
                "high",
                "factor",
                "7d",
                "2",
                "4",
                "15m"
            )
        ),
        new("disk", "A disk will be full", "By its trend, while there is time to do something.", f =>
            (f.Quantity, f.Query, f.Wrong, f.Reach, f.Limit, f.Trend, f.Warning, f.Critical, f.InTheLast, f.CheckedEvery) = (
                "figure",
                "from metrics name = system.filesystem.utilization | group max(value) by host",
                "reach",
                "above",
                "95%",
                "6h",
                "1d",
                "4h",
                "10m",
                "5m"
            )
        ),
        new("slow", "Operations are slow", "The share of spans beyond what people wait for.", f =>
            (f.Quantity, f.Slower, f.SpansAs, f.Least, f.Warning, f.Critical, f.InTheLast, f.Lasting, f.Share, f.ShareOf) = (
                "spans",
                "750ms",
                "share",
                "20",
                "12%",
                "30%",
                "12m",
                "share",
                "60%",
                "12m"
            )
        ),
    ];

    public static ReadyRule? Find(string? key) => All.FirstOrDefault(r => r.Key == key);
}
