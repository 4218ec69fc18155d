using Kumiko.Core.Spans.Figures;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Web.Background;

/// <summary>Lets figures of spans be kept from the start on, and not from the first question for them.</summary>
public sealed class SpanService(SpanFigures figures) : IHostedService
{
    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        // What came in the last minute is in the figures when the next process begins.
        try
        {
            await figures.Flush();
        }
        catch (IOException)
        { /* it is counted at the next start */
        }
    }
}
