namespace Kumiko.Core.Spans.Figures;

/// <summary>Names as numbers; 0 is no name. Endless ones become one.</summary>
internal sealed class FigureNames
{
    private const int Most = 100_000;
    private const int Longest = 500;
    private const string Other = "(other)";

    private readonly Dictionary<string, int> _numbers = new(StringComparer.Ordinal) { [""] = 0, [Other] = 1 };
    private readonly List<string> _names = ["", Other];

    public string this[int number] => _names[number];

    public int Of(string name)
    {
        if (name.Length > Longest)
            name = name[..Longest];
        if (_numbers.TryGetValue(name, out var number))
            return number;
        if (_names.Count >= Most)
            return _numbers[Other];
        _numbers.Add(name, number = _names.Count);
        _names.Add(name);
        return number;
    }
}
