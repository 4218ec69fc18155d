using System.Runtime.CompilerServices;
using CsCheck;

namespace Kumiko.Tests;

/// <summary>How many cases each property is tried with: few at each push, many where somebody asks for it.</summary>
internal static class Cases
{
    private const int AtEachPush = 25;
    private const int Many = 1_000;

    /// <summary>Whether <c>./kumiko test --long</c> was asked for.</summary>
    private static readonly bool IsLong = Environment.GetEnvironmentVariable("KUMIKO_TEST_LONG") == "1";

    /// <summary>Cases of a property whose cases are cheaper or dearer than others.</summary>
    /// <param name="many">In a long run.</param>
    public static int Of(int many) => IsLong ? many : Math.Min(many, AtEachPush);

    [ModuleInitializer]
    internal static void Begin() => Check.Iter = Of(Many);
}
