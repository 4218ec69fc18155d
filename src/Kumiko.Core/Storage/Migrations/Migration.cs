using Microsoft.Data.Sqlite;

namespace Kumiko.Core.Storage.Migrations;

/// <summary>A step that brings what is kept to this version where SQL alone cannot. It stands among the SQL files by its
/// name.</summary>
internal abstract class Migration
{
    /// <summary>Prefix of the database, number, what it does: <c>kumiko-009-words</c>.</summary>
    public abstract string Name { get; }

    public abstract void Run(SqliteConnection connection, SqliteTransaction transaction);

    public static readonly IReadOnlyList<Migration> All = [new Words.KeptWords()];
}
