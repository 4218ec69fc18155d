using System.Globalization;
using Kumiko.Charts;
using Kumiko.Core.Accounts;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Frames;
using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Kumiko.Core.Rules;
using Kumiko.Core.Storage;
using Kumiko.Web.Delivery;
using Kumiko.Web.Hosting;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using NodaTime;

namespace Kumiko.Web.Pages.Rules;

/// <summary>What the form of a rule holds, as it was typed.</summary>
public sealed class RuleForm
{
    public string? Name { get; set; }
    public string? Query { get; set; }
    public string? Warning { get; set; }
    public string? Critical { get; set; }
    public string? LookBack { get; set; }
    public string? Interval { get; set; }
    public string? MailTo { get; set; }
}

/// <summary>What a rule would have done in the past day: words and a picture.</summary>
public sealed record TrialPart(Trial Trial, Drawing? Drawing, DateTimeZone Zone, long Now, IReadOnlyList<string> Faults);

[Authorize(Policy = Policies.Keep)]
public sealed class EditModel(RuleStore rules, RecordStore records, RunRegistry runs, StripBuilder strips, Viewer viewer, IMailSender mail, TimeProvider clock) : PageModel
{
    public Rule? Existing { get; private set; }
    public RuleForm Form { get; private set; } = new();
    public IReadOnlyList<string> Faults { get; private set; } = [];
    public TrialPart? Trial { get; private set; }
    public StripModel Strip { get; private set; } = null!;
    public DateTimeZone Zone { get; private set; } = DateTimeZone.Utc;
    public bool CanMail => mail.IsSetUp;
    private long Now { get; set; }

    public async Task<IActionResult> OnGetAsync(long? id, string? q, string? when)
    {
        if (!Find(id)) return NotFound();
        if (when is not null && TimeRange.Parse(when, Now, Zone) is { } range) return Redirect(Address(q) with { Focus = range } is var moved ? moved.Url(Path(id)) : "");
        Form = Existing is { } rule ? FormOf(rule) : await Proposed(QueryEdits.RecordsOnly(q ?? ""));
        return await Show(id, when);
    }

    public async Task<IActionResult> OnPostAsync(long? id, [FromForm] RuleForm form)
    {
        if (!Find(id)) return NotFound();
        Form = form;
        var rule = Read(form, out var faults);
        if (faults.Count > 0)
        {
            Faults = faults;
            return await Show(id, null);
        }
        if (Existing is null) await rules.Add(rule);
        else await rules.Change(rule);
        return Redirect("/alerts");
    }

    /// <summary>The trial alone, while the form is filled in.</summary>
    public async Task<IActionResult> OnPostTrialAsync(long? id, [FromForm] RuleForm form)
    {
        if (!Find(id)) return NotFound();
        Form = form;
        return Partial("_Trial", await TrialOf(form));
    }

    private bool Find(long? id)
    {
        Now = Instants.FromDateTime(clock.GetUtcNow());
        Zone = viewer.Zone(Request.Query["zone"]);
        if (id is { } known) Existing = rules.Find(known);
        return id is null || Existing is not null;
    }

    private static string Path(long? id) => id is null ? "/rules/new" : FormattableString.Invariant($"/rules/{id}");

    private SearchAddress Address(string? q) => SearchAddress.Parse(name => name == "q" ? q : Request.Query[name], Now, []);

    private async Task<PageResult> Show(long? id, string? wrongTime)
    {
        Trial = await TrialOf(Form);
        var address = Address(Form.Query);
        ViewData["Carried"] = address;
        var parsed = QueryParser.Parse(Form.Query ?? "");
        var run = runs.Open(new Question(viewer.Name, parsed.Ok ? parsed : QueryParser.Parse(""), address.Focus.Resolve(Now), Now, Zone, Limits.Default));
        Strip = await strips.Build(address, run, viewer, Path(id)) with { WrongTime = wrongTime };
        return Page();
    }

    /// <summary>Limits well above what is usual: twice the 95th percentile of the past day, which a short trouble in it does not lift.</summary>
    private async Task<RuleForm> Proposed(string query)
    {
        var form = new RuleForm { Query = query, LookBack = "5m", Interval = "1m", MailTo = viewer.Person?.Email, Name = query.Length is > 0 and <= 60 ? query.ReplaceLineEndings(" ") : "" };
        var probe = new Rule { Query = query, LookBack = 5 * Instants.Minute, Interval = Instants.Minute, Warning = 0 };
        try
        {
            var trial = await Core.Rules.Trial.Of(probe, new Window(Now - Instants.Day, Now), records.Current);
            var usual = trial.Values.Select(v => v.Value).DefaultIfEmpty(0).Order().ElementAt((int)(trial.Values.Count * 0.95));
            var limit = Math.Max(5, RoundUp(usual * 2));
            (form.Warning, form.Critical) = (limit.ToString(CultureInfo.InvariantCulture), (limit * 3).ToString(CultureInfo.InvariantCulture));
        }
        catch (QueryRefusedException) { (form.Warning, form.Critical) = ("20", "60"); }
        return form;
    }

    private static long RoundUp(long number)
    {
        var size = (long)Math.Pow(10, Math.Max(0, Math.Floor(Math.Log10(Math.Max(1, number)))));
        return ((number + size - 1) / size) * size;
    }

    private static RuleForm FormOf(Rule rule) => new()
    {
        Name = rule.Name,
        Query = rule.Query,
        Warning = rule.Warning?.ToString(CultureInfo.InvariantCulture),
        Critical = rule.Critical?.ToString(CultureInfo.InvariantCulture),
        LookBack = Quantities.Duration(rule.LookBack),
        Interval = Quantities.Duration(rule.Interval),
        MailTo = rule.MailTo,
    };

    private Rule Read(RuleForm form, out List<string> faults)
    {
        faults = [];
        var query = (form.Query ?? "").ReplaceLineEndings("\n").Trim();
        var parsed = QueryParser.Parse(query);
        if (!parsed.Ok) faults.Add("The query: " + parsed.Errors[0].Describe(query));
        else if (QueryEdits.RecordsOnly(query) != query) faults.Add("A rule counts records, so its query ends before group, order by or limit.");
        var mails = (form.MailTo ?? "").Split([',', ';', ' '], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        foreach (var address in mails.Where(m => !MailAddresses.IsValid(m))) faults.Add($"“{address}” is no mail address.");
        if (mails.Length > 20) faults.Add("A rule can tell 20 addresses.");
        var rule = new Rule
        {
            Id = Existing?.Id ?? 0,
            Name = (form.Name ?? "").Trim(),
            Query = query,
            Warning = Limit(form.Warning, "warning", faults),
            Critical = Limit(form.Critical, "critical", faults),
            LookBack = Length(form.LookBack, "the look-back", faults),
            Interval = Length(form.Interval, "the time between checks", faults),
            MailTo = string.Join(", ", mails),
            Zone = Zone.Id,
            Author = viewer.Id,
        };
        if (faults.Count == 0) faults.AddRange(rule.Faults());
        return rule;
    }

    private static long? Limit(string? text, string name, List<string> faults)
    {
        if (string.IsNullOrWhiteSpace(text)) return null;
        if (long.TryParse(text.Replace(Format.ThinSpace, "").Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var limit)) return limit;
        faults.Add($"The limit for {name} is a whole number.");
        return null;
    }

    private static long Length(string? text, string name, List<string> faults)
    {
        if (Quantities.TryParseDuration((text ?? "").Replace(" ", "").Replace("min", "m"), out var length)) return length;
        faults.Add($"Write {name} as a length of time, such as 5m.");
        return 0;
    }

    private async Task<TrialPart> TrialOf(RuleForm form)
    {
        var rule = Read(form, out var faults);
        var window = new Window(Now - Instants.Day, Now);
        // A name may still be missing while the limits are tried.
        var wrong = faults.Where(f => !f.Contains("a name", StringComparison.Ordinal)).ToList();
        if (wrong.Count > 0) return new TrialPart(new Trial(window, [], []), null, Zone, Now, wrong);
        try
        {
            var trial = await Core.Rules.Trial.Of(rule, window, records.Current);
            return new TrialPart(trial, Draw(rule, trial), Zone, Now, []);
        }
        catch (QueryRefusedException e) { return new TrialPart(new Trial(window, [], []), null, Zone, Now, [e.Message]); }
    }

    private Drawing? Draw(Rule rule, Trial trial)
    {
        var step = Steps.RoundFor(trial.Window, 300);
        var cut = Steps.Cut(trial.Window, step, Zone);
        var highest = new long?[cut.Starts.Count];
        foreach (var (at, value) in trial.Values)
            if (cut.IndexOf(at - 1) is var i and >= 0) highest[i] = Math.Max(highest[i] ?? 0, value);
        var schema = new Schema([new Column("time", ColumnRole.Time, ValueKind.Time), new Column("records in the look-back", ColumnRole.Value, ValueKind.Integer)], step, trial.Window);
        var frame = new Frame(schema, [.. highest.Select((v, i) => new[] { Value.Time(cut.Starts[i]), v is { } n ? Value.Of(n) : Value.Missing })]);
        var limits = new List<Threshold>();
        if (rule.Warning is { } warning) limits.Add(new Threshold(warning, "warning above " + Format.Number(warning), "warning"));
        if (rule.Critical is { } critical) limits.Add(new Threshold(critical, "critical above " + Format.Number(critical), "critical"));
        return Chart.Draw(frame, new ChartSpec { Form = ChartForm.Line, Title = "The past day", Thresholds = limits }, new ChartView(760, 250, Zone, Now + step));
    }
}
