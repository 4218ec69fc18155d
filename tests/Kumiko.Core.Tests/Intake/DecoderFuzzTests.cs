using Kumiko.Tests.Shared;

namespace Kumiko.Core.Tests.Intake;

/// <summary>Thousands of broken inputs for each decoder; the bench takes a million.</summary>
public class DecoderFuzzTests
{
    public static TheoryData<string> Names => [.. DecoderFuzz.Decoders.Select(d => d.Name)];

    [Theory]
    [MemberData(nameof(Names))]
    public void No_input_makes_a_decoder_fall(string name)
    {
        var (_, decode, good) = DecoderFuzz.Decoders.First(d => d.Name == name);
        var fuzz = new DecoderFuzz(7);
        foreach (var input in good)
            decode(input);
        for (var i = 0; i < 3_000; i++)
        {
            var input = fuzz.Next(good);
            try
            {
                decode(input);
            }
            catch (Exception e)
            {
                Assert.Fail($"{e.GetType().Name}: {e.Message}\n{Convert.ToHexString(input)}\n{e.StackTrace}");
            }
        }
    }
}
