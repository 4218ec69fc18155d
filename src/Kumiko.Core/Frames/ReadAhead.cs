namespace Kumiko.Core.Frames;

/// <summary>Lets the maker of a sequence work while its reader does.</summary>
public static class ReadAhead
{
    /// <summary>
    /// The same items; while one is used, the next is made. Never more than one is made ahead, and none before the first is
    /// asked for. Whoever stops reading waits until the one being made is done.
    /// </summary>
    /// <param name="make">Runs the making of one item, on another thread and in its turn.</param>
    public static async IAsyncEnumerable<T> One<T>(IEnumerable<T> items, Func<Func<bool>, Task<bool>> make)
    {
        using var each = items.GetEnumerator();
        var next = make(each.MoveNext);
        try
        {
            while (await next)
            {
                var item = each.Current;
                next = make(each.MoveNext);
                yield return item;
            }
        }
        // The enumerator must not be disposed while it moves.
        finally
        {
            await ((Task)next).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }
    }
}
