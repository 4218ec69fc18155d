using Kumiko.Core.Language;
using Kumiko.Core.Query;
using Kumiko.Core.Query.Gathering;
using Kumiko.Core.Records;
using Kumiko.Web.Rendering;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>The records of the answer by their patterns.</summary>
public sealed partial class SearchModel
{
    /// <summary>The patterns; null where they come later.</summary>
    public GatherPart? Gathering { get; private set; }

    private async Task<GatherPart> GatherOf() =>
        GatherPart.Of(
            await Run.Gather(Baseline),
            Address,
            Baseline,
            Run,
            notes.Aside(viewer.Id),
            notes.Called(viewer.Id),
            viewer.MayKeep
        );

    public async Task<IActionResult> OnGetGatherAsync()
    {
        Prepare();
        return await Part("_Gather", GatherOf);
    }

    /// <summary>A pattern unfolded: its gaps, examples, and where else it occurs.</summary>
    public async Task<IActionResult> OnGetPatternAsync(string? pattern)
    {
        Prepare();
        if (Run.Snapshot.Patterns is not { } patterns || patterns.Find(pattern ?? "") is not { } found)
            return NotFound();
        return await Part("_Pattern", async () =>
        {
            var name = found.Name;
            var gaps = await Run.Gaps(name)
                ?? throw new Core.Evaluation.QueryRefusedException($"Only log records have patterns.");
            var bodies = new BodyText(Parsed.Query, Address.Marks);
            var everywhere = runs.Shared(Run.Question with { Parsed = ParseResult.Empty }).OfPattern(name);
            return new PatternPart(
                found,
                gaps,
                notes.Called(viewer.Id).FirstOrDefault(c => patterns.Today(c.Pattern) == name)?.Name,
                [.. gaps.Examples.Select(Run.Find).OfType<LogRecord>().Select(r => (r, bodies.Pieces(r, BodyText.RowLength)))],
                // Who may read some sources only is not told of services elsewhere.
                Run.Question.Access.IsAll
                    ? [.. patterns.All().Where(p => p.Text == found.Text && p.Service != found.Service)]
                    : [],
                await Run.OfPattern(name).Field("host", null, ValuesOfField),
                (await everywhere.Matches(Run.Question.Window)).Count,
                Address,
                Run,
                viewer.MayKeep
            );
        });
    }

    /// <summary>The first record of a pattern, among those of the answer.</summary>
    public async Task<IActionResult> OnGetFirstAsync(string? pattern)
    {
        Prepare();
        var window = Run.Question.Window;
        var first = (await Run.OfPattern(pattern ?? "").Above(new RecordId(window.From - 1, long.MaxValue), window, 1))
            .Select(r => r.Id)
            .FirstOrDefault();
        if (first == default)
            return NotFound();
        return Redirect((Address with { Query = QueryEdits.RecordsOnly(Address.Query), Tab = Tab.Read, At = first }).Url());
    }
}
