using Kumiko.Core.Storage.Templates;

namespace Kumiko.Core.Storage.Patterns;

/// <summary>The constant text of the records that one line of code of a service wrote, with its gaps.</summary>
/// <param name="Id">Of service and text alone, so that the same lines give the same id everywhere.</param>
/// <param name="Text">A gap is a name in braces; a type follows where it is known: <c>took {took:duration}</c>.</param>
/// <param name="Templates">The ids of the templates that store its records.</param>
/// <param name="FirstSeen">Time of its earliest record, whatever was dropped since.</param>
/// <param name="LastSeen">Time of its latest record.</param>
public sealed record Pattern(
    long Id,
    string Service,
    string Text,
    IReadOnlyList<PatternVariable> Variables,
    IReadOnlyList<long> Templates,
    long FirstSeen,
    long LastSeen
)
{
    public string Name => PatternBook.Name(Id);
}

/// <summary>A gap of a pattern.</summary>
/// <param name="Name">What the text around it calls it, or its type.</param>
/// <param name="Type">integer, decimal, duration, size, address, hex, uuid, path, time, word or text.</param>
public sealed record PatternVariable(string Name, string Type);
