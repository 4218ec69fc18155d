using System.Collections.Concurrent;
using Kumiko.Core.Intake.Formats;
using Kumiko.Core.Records;
using Kumiko.Core.Storage;

namespace Kumiko.Core.Sources.Following;

/// <summary>
/// Reads files as they grow, each line once: how far is written down in the commit that takes the lines in. A file is known by
/// its number on its disk and its first bytes, so it is followed through a new name, and read from its beginning where it was
/// cut short or written anew. No file is held open between looks. Not for several threads.
/// </summary>
public sealed class Follower(RecordStore records, FollowStore wishes, PathGate gate, TimeProvider clock)
{
    /// <summary>A file that has another name now may be written to for so long.</summary>
    private static readonly long Grace = 30 * Instants.Second;

    private readonly ConcurrentDictionary<long, FollowState> _states = [];
    private readonly ConcurrentDictionary<string, string> _problems = new(StringComparer.Ordinal);
    private Dictionary<long, FollowedPlace>? _places;

    private long Now => Instants.FromDateTime(clock.GetUtcNow());

    /// <summary>Looks at all files once, and takes in what is new.</summary>
    /// <returns>Whether there is more to read at once.</returns>
    public async Task<bool> Pass(CancellationToken cancel)
    {
        _places ??= records.FollowedPlaces().ToDictionary(p => p.Id);
        var more = false;
        var all = wishes.All();
        foreach (var wish in all)
            more |= await Pass(wish, cancel);
        foreach (var gone in _states.Where(s => all.All(w => w.Id != s.Value.Place.Follow)).ToList())
            _states.TryRemove(gone.Key, out _);
        return more;
    }

    /// <summary>Begins anew how files of a wish are read, as somebody said.</summary>
    public void Reread(long follow)
    {
        foreach (var state in _states.Values.Where(s => s.Place.Follow == follow))
            state.Forget();
    }

    /// <summary>All files, by wish and path.</summary>
    public IReadOnlyList<FollowedFile> Files()
    {
        var now = Now;
        return
        [
            .. _states
                .Values.Select(s => s.File(now))
                .Concat(
                    _problems.Select(p =>
                        p.Key.Split('\n', 2) switch
                        {
                            var k => new FollowedFile(
                                long.Parse(k[0], System.Globalization.CultureInfo.InvariantCulture),
                                k[1],
                                null,
                                0,
                                0,
                                "",
                                p.Value
                            ),
                        }
                    )
                )
                .OrderBy(f => f.Follow)
                .ThenBy(f => f.Path, StringComparer.Ordinal),
        ];
    }

    private async Task<bool> Pass(FollowWish wish, CancellationToken cancel)
    {
        var more = false;
        var seen = new HashSet<long>();
        foreach (var path in PathPattern.Find(wish.Path))
            more |= await Pass(wish, path, seen, cancel);
        // Files that have another name now, or are gone.
        var now = Now;
        foreach (var place in _places!.Values.Where(p => p.Follow == wish.Id && p.Ended is null && !seen.Contains(p.Id)).ToList())
            more |= await Rest(wish, place, now, cancel);
        return more;
    }

    private async Task<bool> Pass(FollowWish wish, string path, HashSet<long> seen, CancellationToken cancel)
    {
        var key = string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{wish.Id}\n{path}");
        try
        {
            if (!gate.Allows(path))
                throw new UnauthorizedAccessException(
                    $"It lies outside of {gate.Root ?? "what may be read"}: --import-from says what may be read."
                );
            await using var file = Open(path);
            var place = await Known(wish, path, file, cancel);
            seen.Add(place.Id);
            var more = await StateOf(place).Read(wish, file, isEnded: false, cancel);
            _problems.TryRemove(key, out _);
            return more;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            if (_problems.Count < PathPattern.MostFiles)
                _problems[key] = e.Message;
            return false;
        }
    }

    /// <exception cref="IOException">It is no file, or cannot be read.</exception>
    private static FileStream Open(string path) =>
        Inodes.IsFile(path)
            ? new(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete, bufferSize: 0)
            : throw new IOException("It is a pipe or a device, and no file.");

    private FollowState StateOf(FollowedPlace place) =>
        _states.GetOrAdd(place.Id, _ => new FollowState(place, records, wishes, clock, p => _places![p.Id] = p));

    /// <summary>The place of a file: the one it had under another name, or a new one.</summary>
    private async Task<FollowedPlace> Known(FollowWish wish, string path, FileStream file, CancellationToken cancel)
    {
        var facts = FileFacts.Of(file);
        var mine = _places!.Values.Where(p => p.Follow == wish.Id).ToList();
        var same = mine.FirstOrDefault(p => p.Inode == facts.Inode && (facts.Inode != 0 || p.Path == path) && p.Ended is null);
        if (same is not null && IsSame(file, same, facts.Length))
            return same.Path == path ? same : await Save(same with { Path = path });
        if (same is not null)
        {
            // Cut short or written anew: what it held may have been copied away before all of it was read.
            await Copied(wish, same, cancel);
            return await Save(Fresh(same with { Path = path }, facts));
        }
        // A copy of what was read already goes on where that was left; what it was copied from was cut short.
        var copied = mine.FirstOrDefault(p =>
            p.HeadLength > 0 && p.Offset <= facts.Length && p.Inode != facts.Inode && IsSame(file, p, facts.Length)
        );
        return await Save(
            copied is null
                ? Fresh(new FollowedPlace(0, wish.Id, path, 0, 0, 0, 0, 0, "", 0, 0, Now, null), facts)
                : copied with
                {
                    Id = 0,
                    Path = path,
                    Inode = facts.Inode,
                    Taken = 0,
                    Refused = 0,
                    Ended = null,
                }
        );
    }

    private FollowedPlace Fresh(FollowedPlace place, FileFacts facts) =>
        place with
        {
            Inode = facts.Inode,
            Head = 0,
            HeadLength = 0,
            Offset = 0,
            Line = 0,
            State = "",
            ReadAt = Now,
            Ended = null,
        };

    /// <summary>Whether a file still begins as it did, and is no shorter than what was read.</summary>
    private static bool IsSame(FileStream file, FollowedPlace place, long length) =>
        length >= place.Offset && (place.HeadLength == 0 || FileFacts.HeadOf(file, place.HeadLength) == place.Head);

    private async Task<FollowedPlace> Save(FollowedPlace place)
    {
        var saved = place with { Id = await records.Save(place) };
        _places![saved.Id] = saved;
        StateOf(saved).Begin(saved);
        return saved;
    }

    /// <summary>Reads on in a file that has a name now that nobody asked for.</summary>
    private async Task<bool> Rest(FollowWish wish, FollowedPlace place, long now, CancellationToken cancel)
    {
        if (
            place.Inode == 0
            || FindBeside(place, f => FileFacts.Of(f).Inode == place.Inode && IsSame(f, place, f.Length)) is not { } file
        )
        {
            await Save(place with { Ended = now });
            return false;
        }
        await using (file)
        {
            var state = StateOf(place);
            var isEnded = now - state.GrewAt > Grace;
            var more = await state.Read(wish, file, isEnded, cancel);
            if (isEnded && !more)
                await Save(state.Place with { Ended = now });
            return more;
        }
    }

    /// <summary>Reads the rest of a file from where it was copied to before it was cut short.</summary>
    private async Task Copied(FollowWish wish, FollowedPlace place, CancellationToken cancel)
    {
        if (place.HeadLength == 0)
            return;
        var copy = FindBeside(place, f =>
            f.Length >= place.Offset && FileFacts.Of(f).Inode != place.Inode && IsSame(f, place, f.Length)
        );
        if (copy is null)
            return;
        await using (copy)
        {
            var facts = FileFacts.Of(copy);
            if (_places!.Values.Any(p => p.Follow == wish.Id && p.Inode == facts.Inode))
                return;
            var state = StateOf(place);
            while (await state.Read(wish, copy, isEnded: true, cancel)) { }
            // From here on it is a file of its own, read up to here.
            await Save(state.Place with { Id = 0, Path = copy.Name, Inode = facts.Inode, Taken = 0, Refused = 0 });
        }
    }

    /// <summary>A file in the folder of a place that passes a test, open.</summary>
    private static FileStream? FindBeside(FollowedPlace place, Func<FileStream, bool> passes)
    {
        const int MostLooked = 1_000;
        try
        {
            foreach (var path in Directory.EnumerateFiles(Path.GetDirectoryName(place.Path)!).Take(MostLooked))
            {
                try
                {
                    var file = Open(path);
                    if (passes(file))
                        return file;
                    file.Dispose();
                }
                catch (Exception e) when (e is IOException or UnauthorizedAccessException)
                { /* the next one may be it */
                }
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        { /* the folder is gone with all that was in it */
        }
        return null;
    }
}
