using Dapper;
using Kumiko.Core.Storage;
using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Tests.Rules;

/// <summary>A kept database as it was when rules could only count.</summary>
internal static class OldFolder
{
    private const int Version = 4;

    public static void Write(string path)
    {
        using var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder { DataSource = path, Pooling = false }.ToString()
        );
        connection.Open();
        var assembly = typeof(Database).Assembly;
        foreach (
            var name in assembly
                .GetManifestResourceNames()
                .Where(n => n.Contains(".Migrations.kumiko-", StringComparison.Ordinal))
                .Order(StringComparer.Ordinal)
                .Take(Version)
        )
        {
            using var reader = new StreamReader(assembly.GetManifestResourceStream(name)!);
            connection.Execute(reader.ReadToEnd());
        }
        connection.Execute($"PRAGMA user_version = {Version}");
        connection.Execute(
            """
            INSERT INTO person (id, name, email, role, created) VALUES (1, 'Ines Halloran', 'ines@skerryline.example', 'analyst', 0);
            INSERT INTO rule (id, name, query, warning, critical, look_back, interval, mail_to, zone, author, created) VALUES (7, 'errors', 'level >= error', 20, 60, 300000000000, 60000000000, '', 'Europe/Lisbon', 1, 0);
            INSERT INTO alert (id, rule, name, query, started, level, value, highest) VALUES (9, 7, 'errors', 'level >= error', 1000, 'warning', 25, 31);
            INSERT INTO alert_turn (alert, at, kind, level, value) VALUES (9, 1000, 'started', 'warning', 31);
            """
        );
    }
}
