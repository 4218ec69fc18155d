using Kumiko.Core.Query;
using Kumiko.Core.Records;
using Microsoft.AspNetCore.Mvc;

namespace Kumiko.Web.Pages;

/// <summary>Where a field lies in the records that are in view.</summary>
public sealed partial class SearchModel
{
    private const int MostPlaces = 80;

    /// <param name="name">The field.</param>
    /// <param name="ids">The records in view, with commas between.</param>
    public IActionResult OnGetPlaces(string? name, string? ids)
    {
        Prepare();
        if (string.IsNullOrEmpty(name) || !Run.ReadsRecords)
            return new JsonResult(new { words = "", places = Array.Empty<object>() });
        try
        {
            var places = Run.Places(name, (ids ?? "").Split(',').Take(MostPlaces).Select(RecordId.Parse).OfType<RecordId>());
            return new JsonResult(
                new
                {
                    words = Words(name, places),
                    places = places
                        .Where(p => p.Start is not null)
                        .Select(p => new
                        {
                            id = p.Id.ToString(),
                            start = p.Start,
                            length = p.Length,
                        }),
                }
            );
        }
        catch (Core.Evaluation.QueryRefusedException e)
        {
            return new JsonResult(new { words = e.Message, places = Array.Empty<object>() });
        }
    }

    private static string Words(string name, IReadOnlyList<FieldPlace> places)
    {
        var has = places.Where(p => p.Origin != FieldOrigin.None).ToList();
        if (has.Count == 0)
            return $"{name}: no record in view has it";
        var origins = has.GroupBy(p => p.Origin).OrderByDescending(g => g.Count()).Select(g => OriginWords(g.Key));
        var inBody = has.Count(p => p.Start is not null);
        return $"{name}: in {has.Count} of {places.Count} records in view, {string.Join(" or ", origins)}; "
            + (inBody == 0 ? "it stands in no body" : $"it stands in {inBody} {(inBody == 1 ? "body" : "bodies")}");
    }

    private static string OriginWords(FieldOrigin origin) =>
        origin switch
        {
            FieldOrigin.Attribute => "an attribute of the record",
            FieldOrigin.Resource => "from the resource",
            FieldOrigin.Parse => "cut out by parse",
            FieldOrigin.Computed => "computed by the query",
            FieldOrigin.LookUp => "looked up in a table",
            _ => "part of the record itself",
        };
}
