using Microsoft.Data.Sqlite;
using Weiche.Data;

namespace Weiche.Web.Tests;

public sealed class StoreTests : IDisposable
{
    private static readonly DateTime Noon = new(2030, 1, 1, 12, 0, 0, DateTimeKind.Utc);

    private readonly string _folder = House.FreshFolder();

    private string File => Path.Combine(_folder, "weiche.db");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void What_was_written_is_there_again()
    {
        using (var store = StudioStore.Open(_folder))
        {
            Assert.Null(store.Load());
            var studio = store.Add("Kuppel", "one", Noon);
            Assert.Equal(2, store.Append(studio.Id, "Lay a → b", "two", Noon));
        }
        using var again = StudioStore.Open(_folder);
        Assert.Equal(("Kuppel", 2, "two"), again.Load() is { } stored ? (stored.Name, stored.Version, stored.Document) : default);
        Assert.Equal(["Lay a → b", "Begin"], again.History(1, null, 10).Select(version => version.Edit));
    }

    [Fact]
    public void The_database_writes_ahead_and_waits_for_the_disk()
    {
        StudioStore.Open(_folder).Dispose();
        using var connection = new SqliteConnection($"Data Source={File};Pooling=False");
        connection.Open();
        Assert.Equal("wal", Ask(connection, "PRAGMA journal_mode"));
        Assert.Equal("2", Ask(connection, "PRAGMA synchronous"));
    }

    [Fact]
    public void A_folder_is_used_by_one_Weiche_at_a_time()
    {
        using var store = StudioStore.Open(_folder);
        var problem = Assert.Throws<StoreException>(() => StudioStore.Open(_folder));
        Assert.Contains("in use by another Weiche", problem.Message, StringComparison.Ordinal);
        Assert.Contains(_folder, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(20)]
    [InlineData(5000)]
    public void A_damaged_database_is_named_and_left_as_it_is(int keep)
    {
        using (var store = StudioStore.Open(_folder))
        {
            var studio = store.Add("Kuppel", new string('x', 9000), Noon);
            store.Append(studio.Id, "edit", new string('y', 9000), Noon);
        }
        SqliteConnection.ClearAllPools();
        var bytes = System.IO.File.ReadAllBytes(File);
        Array.Fill(bytes, (byte)'?', keep, Math.Min(bytes.Length - keep, 4000));
        System.IO.File.WriteAllBytes(File, bytes);
        var problem = Assert.Throws<StoreException>(() => StudioStore.Open(_folder));
        Assert.Contains($"The database {File} is damaged", problem.Message, StringComparison.Ordinal);
        Assert.DoesNotContain('\n', problem.Message);
        Assert.Equal(bytes, System.IO.File.ReadAllBytes(File));
    }

    [Fact]
    public void A_newer_database_is_named_and_left_as_it_is()
    {
        StudioStore.Open(_folder).Dispose();
        using (var connection = new SqliteConnection($"Data Source={File};Pooling=False"))
        {
            connection.Open();
            Ask(connection, "INSERT INTO __EFMigrationsHistory VALUES ('29990101000000_Later', '99.0.0')");
        }
        var before = System.IO.File.ReadAllBytes(File);
        var problem = Assert.Throws<StoreException>(() => StudioStore.Open(_folder));
        Assert.Contains("newer Weiche", problem.Message, StringComparison.Ordinal);
        Assert.Contains(File, problem.Message, StringComparison.Ordinal);
        Assert.Equal(before, System.IO.File.ReadAllBytes(File));
    }

    [Fact]
    public void A_folder_that_cannot_be_made_is_named()
    {
        var blocked = Path.Combine(_folder, "file");
        System.IO.File.WriteAllText(blocked, "");
        var problem = Assert.Throws<StoreException>(() => StudioStore.Open(Path.Combine(blocked, "sub")));
        Assert.Contains(blocked, problem.Message, StringComparison.Ordinal);
    }

    private static string? Ask(SqliteConnection connection, string text)
    {
        using var command = connection.CreateCommand();
#pragma warning disable CA2100 // The text is a constant of this test.
        command.CommandText = text;
#pragma warning restore CA2100
        return command.ExecuteScalar()?.ToString();
    }
}
