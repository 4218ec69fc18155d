namespace Kumiko.Core.Intake.Formats;

/// <summary>The parts of a line of an access log, and what is wrong where it is none.</summary>
internal struct AccessLine
{
    public Place Server;
    public Place Client;
    public Place Ident;
    public Place User;
    public Place Time;
    public Place Request;
    public Place Status;
    public Place Bytes;
    public Place Referer;
    public Place Agent;
    public Place Took;

    /// <summary>What follows and is not known.</summary>
    public Place Rest;

    /// <summary>Bytes from 0, where <see cref="Problem"/> is.</summary>
    public int Column;
    public string? Problem;

    public static bool TryRead(ReadOnlySpan<byte> line, out AccessLine read)
    {
        read = default;
        var time = line.IndexOf(" ["u8);
        if (time <= 0)
            return read.Fail(0, "no time in brackets.");
        var close = line[time..].IndexOf((byte)']');
        if (close < 0)
            return read.Fail(time + 1, "the bracket of its time is not closed.");
        close += time;
        if (!read.Callers(line[..time]))
            return read.Fail(0, "before the time stand the caller, its name and the user's.");
        read.Time = Place.Between(time + 2, close);
        if (read.Time.Length is < 10 or > 40)
            return read.Fail(time + 2, "this is no time.");
        var at = close + 1;
        while (at < line.Length && line[at] == ' ')
            at++;
        if (at >= line.Length || line[at] != '"')
            return read.Fail(at, "no request in quotes.");
        var end = EndOfRequest(line, at + 1);
        if (end < 0)
            return read.Fail(at, "the request is not closed.");
        read.Request = Place.Between(at + 1, end);
        at = end + 1;
        read.Status = Token(line, ref at);
        if (!IsStatus(read.Status.Of(line)))
            return read.Fail(read.Status.Start, "no status behind the request.");
        read.Bytes = Token(line, ref at);
        read.End(line, at);
        return true;
    }

    private bool Fail(int column, string problem)
    {
        (Column, Problem) = (column, problem);
        return false;
    }

    /// <summary>A caller, its name and a user's, perhaps behind a virtual host; proxies' callers may be several.</summary>
    private bool Callers(ReadOnlySpan<byte> text)
    {
        text = text.TrimEnd((byte)' ');
        var user = text.LastIndexOf((byte)' ');
        if (user < 0)
            return false;
        User = Place.Between(user + 1, text.Length);
        text = text[..user].TrimEnd((byte)' ');
        var ident = text.LastIndexOf((byte)' ');
        if (ident < 0)
            return false;
        Ident = Place.Between(ident + 1, text.Length);
        ident = text[..ident].TrimEnd((byte)' ').Length;
        var front = text[..ident];
        if (front.IsEmpty || front[0] == ' ')
            return false;
        var blank = front.IndexOf((byte)' ');
        if (blank < 0 || front[blank - 1] == ',')
        {
            Client = Place.Between(0, ident);
            return blank < 0 || front.Count((byte)' ') == front.Count((byte)',');
        }
        (Server, Client) = (Place.Between(0, blank), Place.Between(blank + 1, ident));
        return front[(blank + 1)..].IndexOf((byte)' ') < 0 || front[(blank + 1)..].Contains((byte)',');
    }

    /// <summary>The quote that ends a request: before a status, as raw bytes may hold quotes too.</summary>
    private static int EndOfRequest(ReadOnlySpan<byte> line, int start)
    {
        for (var at = start; ; )
        {
            var quote = line[at..].IndexOf((byte)'"');
            if (quote < 0)
                return -1;
            quote += at;
            var rest = line[(quote + 1)..];
            if (rest.Length >= 2 && rest[0] == ' ' && IsStatus(rest[1..Math.Min(4, rest.Length)].TrimEnd((byte)' ')))
                return quote;
            at = quote + 1;
        }
    }

    private static bool IsStatus(ReadOnlySpan<byte> text) =>
        text.SequenceEqual("-"u8) || (text.Length == 3 && !text.ContainsAnyExceptInRange((byte)'0', (byte)'9'));

    private static Place Token(ReadOnlySpan<byte> line, ref int at)
    {
        while (at < line.Length && line[at] == ' ')
            at++;
        var start = at;
        var length = line[at..].IndexOf((byte)' ');
        at = length < 0 ? line.Length : at + length;
        return Place.Between(start, at);
    }

    private static bool Quoted(ReadOnlySpan<byte> line, ref int at, out Place place)
    {
        place = default;
        var start = at;
        while (start < line.Length && line[start] == ' ')
            start++;
        if (start >= line.Length || line[start] != '"')
            return false;
        for (var i = start + 1; i < line.Length; i++)
        {
            var next = line[i..].IndexOfAny((byte)'"', (byte)'\\');
            if (next < 0)
                return false;
            i += next;
            if (line[i] == '\\')
            {
                i++;
                continue;
            }
            place = Place.Between(start + 1, i);
            at = i + 1;
            return true;
        }
        return false;
    }

    /// <summary>Where it came from, the program that asked, and how long it took.</summary>
    private void End(ReadOnlySpan<byte> line, int at)
    {
        if (Quoted(line, ref at, out var referer))
        {
            Referer = referer;
            if (Quoted(line, ref at, out var agent))
                Agent = agent;
        }
        var before = at;
        var took = Token(line, ref at);
        if (IsNumber(took.Of(line)))
            Took = took;
        else
            at = before;
        while (at < line.Length && line[at] == ' ')
            at++;
        Rest = Place.Between(at, line.Length);
    }

    private static bool IsNumber(ReadOnlySpan<byte> text)
    {
        if (text.IsEmpty || text.Length > 15 || text[0] is < (byte)'0' or > (byte)'9')
            return false;
        var end = text.IndexOfAnyExceptInRange((byte)'0', (byte)'9');
        return end < 0 || (text[end] == '.' && !text[(end + 1)..].ContainsAnyExceptInRange((byte)'0', (byte)'9'));
    }
}
