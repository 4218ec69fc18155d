using Kumiko.Core.Entities;
using Kumiko.Core.Spans.Figures;
using Microsoft.Extensions.Hosting;

namespace Kumiko.Web.Background;

/// <summary>Lets figures of spans and what runs here be kept from the start on, and not from the first question for them.</summary>
public sealed class KeepingService(SpanFigures figures, InstanceBook instances) : IHostedService
{
    public Task StartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

    public async Task StopAsync(CancellationToken cancellationToken)
    {
        // What came in the last minute is there when the next process begins.
        try
        {
            await figures.Flush();
            await instances.Save();
        }
        catch (IOException)
        { /* spans are counted at the next start; instances are seen again */
        }
    }
}
