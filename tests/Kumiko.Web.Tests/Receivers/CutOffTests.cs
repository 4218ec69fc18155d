using Kumiko.Web.Receivers;
using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;

namespace Kumiko.Web.Tests.Receivers;

/// <summary>What is answered where a body could not be gathered.</summary>
public sealed class CutOffTests
{
    public static TheoryData<Exception, int, bool> Failures =>
        new()
        {
            { new IOException("No space left on device"), 503, true },
            { new BadHttpRequestException("slow", 408), 408, false },
            { new ConnectionResetException("gone"), 400, false },
        };

    [Theory]
    [MemberData(nameof(Failures))]
    public async Task A_body_that_cannot_be_gathered_has_an_answer_of_its_own(Exception failure, int status, bool waits)
    {
        using var services = new ServiceCollection().AddLogging().BuildServiceProvider();
        var http = new DefaultHttpContext { RequestServices = services };
        var answer = await new CutOff().InvokeAsync(EndpointFilterInvocationContext.Create(http), _ => throw failure);
        await Assert.IsType<IResult>(answer, exactMatch: false).ExecuteAsync(http);
        Assert.Equal((status, waits), (http.Response.StatusCode, http.Response.Headers.RetryAfter.Count > 0));
    }

    [Fact]
    public async Task Other_failures_are_not_taken_for_it() =>
        await Assert.ThrowsAsync<InvalidOperationException>(async () =>
            await new CutOff().InvokeAsync(EndpointFilterInvocationContext.Create(new DefaultHttpContext()), _ =>
                throw new InvalidOperationException()
            )
        );
}
