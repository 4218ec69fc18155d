using System.Text;
using Kumiko.Core.Evaluation;
using Kumiko.Core.Export;
using Kumiko.Core.Frames;
using Microsoft.AspNetCore.Http;

namespace Kumiko.Web.Api;

/// <summary>Answers sent as they are read. One that fails on the way ends with a broken connection, so that nobody takes it for
/// whole.</summary>
public static class SentAnswer
{
    /// <summary>Sends all rows. What is missing as it is damaged is said in a header and, where the format takes one, in a last
    /// line.</summary>
    /// <param name="damage">Asked before and after: some damage is met in reading.</param>
    /// <param name="told">As <see cref="ExportFormat.Write"/> has it.</param>
    /// <returns>Why it is not whole, in a sentence; null where it is.</returns>
    public static async Task<string?> Send(
        FrameStream answer,
        ExportFormat format,
        Func<IReadOnlyList<string>> damage,
        HttpContext http,
        Action<long>? told
    )
    {
        var before = damage().Count;
        if (before > 0)
            http.Response.Headers["Kumiko-Incomplete"] = "damaged records are missing";
        var to = http.Response.Body;
        try
        {
            await format.Write(answer, to, told, http.RequestAborted);
        }
        catch (QueryRefusedException e)
        {
            await Break(http);
            return e.Message;
        }
        var after = damage();
        if (format.TakesLastLine)
            foreach (var sentence in after)
                await to.WriteAsync(Encoding.UTF8.GetBytes(NdjsonExport.LastLine("incomplete", sentence)), http.RequestAborted);
        else if (after.Count > before)
        {
            await Break(http);
            return after[^1];
        }
        return null;
    }

    private static async Task Break(HttpContext http)
    {
        // What was written may say why, and is worth being sent.
        await http.Response.Body.FlushAsync(http.RequestAborted);
        http.Abort();
    }
}
