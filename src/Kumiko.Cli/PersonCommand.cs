using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;

namespace Kumiko.Cli;

/// <summary>Prints a link by which somebody sets a new password, for who runs the machine and is shut out.</summary>
public static class PersonCommand
{
    public static async Task<int> Reset(string data, string email, CancellationToken cancel)
    {
        using var access = DataAccess.Open(data);
        if (access is null)
            return 1;
        if (access.Folder is { } folder)
        {
            using var database = new AppDatabase(folder.Kept);
            var people = new PeopleStore(database, TimeProvider.System);
            if (people.FindByEmail(email) is not { } person)
            {
                Console.Error.WriteLine($"Nobody here has the address {email}.");
                return 1;
            }
            var secret = await new LinkStore(database, TimeProvider.System, people).Reset(person, "the command line");
            Console.WriteLine($"Start Kumiko and open this within a day, behind its address: /welcome?key={secret}");
            return 0;
        }
        using var response = await access.Server!.PostAsync(
            $"/control/person/reset?email={Uri.EscapeDataString(email)}",
            null,
            cancel
        );
        return await DataAccess.Print(response, cancel);
    }
}
