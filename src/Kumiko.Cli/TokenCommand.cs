using Kumiko.Core.Accounts;
using Kumiko.Core.Storage;

namespace Kumiko.Cli;

/// <summary>Makes a token and prints it.</summary>
public static class TokenCommand
{
    public static async Task<int> Do(string data, string name, TokenPurpose purpose, CancellationToken cancel)
    {
        using var access = DataAccess.Open(data);
        if (access is null)
            return 1;
        if (access.Folder is { } folder)
        {
            using var database = new AppDatabase(folder.Kept);
            Console.WriteLine(await new TokenStore(database, TimeProvider.System).Create(name, purpose));
            return 0;
        }
        using var response = await access.Server!.PostAsync(
            $"/control/token?name={Uri.EscapeDataString(name)}&for={purpose}",
            null,
            cancel
        );
        return await DataAccess.Print(response, cancel);
    }
}
