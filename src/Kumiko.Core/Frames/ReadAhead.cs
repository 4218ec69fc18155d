namespace Kumiko.Core.Frames;

/// <summary>Lets the maker of a sequence work while its reader does.</summary>
public static class ReadAhead
{
    /// <summary>
    /// The same items; while one is used, the next is made on another thread. Never more than one is made ahead, and none
    /// before the first is asked for. Whoever stops reading waits until the one being made is done.
    /// </summary>
    public static IEnumerable<T> One<T>(IEnumerable<T> items)
    {
        using var each = items.GetEnumerator();
        if (!each.MoveNext()) yield break;
        Task<bool> next;
        do
        {
            var item = each.Current;
            next = Task.Run(each.MoveNext);
            try { yield return item; }
            // The enumerator must not be disposed while it moves.
            finally
            {
                Task.WaitAny(next);
                _ = next.Exception;
            }
        } while (next.GetAwaiter().GetResult());
    }
}
