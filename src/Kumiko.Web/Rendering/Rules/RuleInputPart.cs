using Kumiko.Core.Rules;

namespace Kumiko.Web.Rendering.Rules;

/// <summary>An input of a rule's form as it is shown.</summary>
/// <param name="When">The choices that show it.</param>
/// <param name="IsShown">Whether one of them is made.</param>
/// <param name="Rules">Those whose alerts can be looked at.</param>
public sealed record RuleInputPart(
    RuleInput Input,
    string? Value,
    string When,
    bool IsShown,
    IReadOnlyList<Objective> Objectives,
    IReadOnlyList<Rule> Rules
)
{
    public string? Hidden => IsShown ? null : "hidden";
}

/// <summary>Which parts of a rule's form are shown: by its quantity, its condition and how long it lasts. The script of the
/// form does the same while they are chosen.</summary>
public sealed class RuleFormParts(RuleForm form, IReadOnlyList<Objective> objectives, IReadOnlyList<Rule> others)
{
    private readonly HashSet<string> _asked = Asked(form);

    private static HashSet<string> Asked(RuleForm form)
    {
        var kind = QuantityKinds.Find(form.Fields.Quantity) ?? QuantityKinds.All[0];
        return kind.IsFigure
            ? ["q-" + kind.Word, "w-" + (form.Fields.Condition ?? "above"), "figure", "l-" + (form.Lasting ?? "once")]
            : ["q-" + kind.Word, "w-happens", "happens", "l-once"];
    }

    /// <summary>hidden where none of these is chosen.</summary>
    public string? Off(string when) => when.Split(' ').Any(_asked.Contains) ? null : "hidden";

    public string Quantities(Func<QuantityKind, bool> which) =>
        string.Join(' ', QuantityKinds.All.Where(which).Select(k => "q-" + k.Word));

    public string Conditions(Func<ConditionKind, bool> which) =>
        string.Join(
            ' ',
            ConditionKinds
                .All.Where(which)
                .SelectMany(k => k.Choices.Count > 0 ? k.Choices.Select(c => c.Value) : [k.Word])
                .Select(w => "w-" + w)
        );

    /// <summary>The inputs of quantities, each once.</summary>
    public IReadOnlyList<RuleInputPart> OfQuantities
    {
        get => field ??= Parts(QuantityKinds.All.SelectMany(k => k.Inputs), QuantityWhen);
    }

    /// <summary>The inputs of conditions, each once.</summary>
    public IReadOnlyList<RuleInputPart> OfConditions
    {
        get => field ??= Parts(ConditionKinds.All.SelectMany(k => k.Inputs), ConditionWhen);
    }

    private string QuantityWhen(RuleInput input) => Quantities(k => k.Inputs.Any(i => i.Name == input.Name));

    private string ConditionWhen(RuleInput input) => Conditions(k => k.Inputs.Any(i => i.Name == input.Name));

    private List<RuleInputPart> Parts(IEnumerable<RuleInput> inputs, Func<RuleInput, string> when)
    {
        var rules = others.Where(r => r.Definition.Quantity is not Happening { IsOfAlerts: true }).ToList();
        return
        [
            .. inputs
                .DistinctBy(i => i.Name)
                .Select(i => new RuleInputPart(i, form.Fields[i], when(i), Off(when(i)) is null, objectives, rules)),
        ];
    }
}
