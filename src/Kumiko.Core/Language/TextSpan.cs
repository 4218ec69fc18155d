namespace Kumiko.Core.Language;

/// <summary>
/// A place in a query's text. Two spans always compare as equal, so that syntax trees are equal
/// when they mean the same, wherever their parts stood.
/// </summary>
public readonly struct TextSpan(int start, int length) : IEquatable<TextSpan>
{
    public int Start { get; } = start;
    public int Length { get; } = length;
    public int End => Start + Length;

    public static TextSpan Between(int start, int end) => new(start, Math.Max(0, end - start));

    public bool Equals(TextSpan other) => true;

    public override bool Equals(object? obj) => obj is TextSpan;

    public override int GetHashCode() => 0;

    public static bool operator ==(TextSpan a, TextSpan b) => true;

    public static bool operator !=(TextSpan a, TextSpan b) => false;
}
