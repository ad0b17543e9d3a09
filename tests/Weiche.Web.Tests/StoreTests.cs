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

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void A_log_without_its_database_is_left_alone(bool isThere)
    {
        Abandon(5);
        if (isThere)
            System.IO.File.WriteAllBytes(File, []);
        else
            System.IO.File.Delete(File);
        var log = System.IO.File.ReadAllBytes(File + "-wal");
        var problem = Assert.Throws<StoreException>(() => StudioStore.Open(_folder));
        Assert.Contains(
            $"is {(isThere ? "empty" : "missing")}, and the log weiche.db-wal beside it still holds {log.Length} bytes",
            problem.Message,
            StringComparison.Ordinal
        );
        Assert.Equal(log, System.IO.File.ReadAllBytes(File + "-wal"));
        if (isThere)
            Assert.Throws<StoreException>(() => StudioStore.OpenForReading(_folder));
    }

    [Theory]
    [InlineData(0, "The last 3 changes are missing")]
    [InlineData(1, "The last change is missing")]
    public void Work_that_went_with_a_log_is_missed_in_words(int kept, string sentence)
    {
        // What stood in the database once; then more, which is in its log alone.
        Abandon(1);
        using (var again = StudioStore.Open(_folder))
            Assert.Null(again.Notice);
        var (database, log) = Abandon(3);
        System.IO.File.WriteAllBytes(File, database);
        if (kept == 0)
            System.IO.File.Delete(File + "-wal");
        else
            System.IO.File.WriteAllBytes(File + "-wal", log[..^2000]);
        using (var store = StudioStore.Open(_folder))
        {
            Assert.StartsWith(sentence, store.Notice, StringComparison.Ordinal);
            Assert.Contains(File, store.Notice, StringComparison.Ordinal);
        }
        // It is said once.
        using var after = StudioStore.Open(_folder);
        Assert.Null(after.Notice);
    }

    [Fact]
    public void A_copy_of_a_folder_is_missed_nothing_in()
    {
        Abandon(4);
        using var store = StudioStore.Open(_folder);
        Assert.Null(store.Notice);
        Assert.Equal("document 4", store.Load()!.Document);
    }

    [Fact]
    public void Five_thousand_edits_take_little_room_and_each_version_is_there_as_it_was()
    {
        // As long as the dome's document, with edits as they are made: a number at the top, a line changed, some lines more or fewer.
        var random = new Random(4711);
        var lines = Enumerable.Range(0, 700).Select(line => $"  \"line {line}\": {random.Next()},").ToList();
        var written = new List<string> { string.Join('\n', lines) + "\n" };
        using (var store = StudioStore.Open(_folder))
        {
            var studio = store.Add("Kuppel", written[0], Noon);
            for (var edit = 0; edit < 5000; edit++)
            {
                lines[0] = $"  \"nextId\": {edit},";
                var at = random.Next(1, lines.Count);
                if (random.Next(4) is var kind && kind == 0)
                    lines.InsertRange(at, Enumerable.Range(0, 6).Select(line => $"    \"more {edit}.{line}\""));
                else if (kind == 1 && lines.Count > 400)
                    lines.RemoveRange(at, Math.Min(6, lines.Count - at));
                else
                    lines[at] = $"  \"changed\": {random.Next()},";
                written.Add(string.Join('\n', lines) + "\n");
                Assert.Equal(edit + 2, store.Append(studio.Id, "an edit", written[^1], Noon));
            }
        }
        Assert.InRange(new FileInfo(File).Length, 0, 10_000_000);
        using var again = StudioStore.Open(_folder);
        foreach (var version in Enumerable.Range(0, 300).Select(_ => random.Next(written.Count)).Append(0).Append(5000))
            Assert.True(written[version] == again.Document(1, version + 1), $"version {version + 1} is another one (seed 4711)");
        again.GoTo(1, 1234, "Kuppel");
        Assert.Equal(5002, again.Append(1, "on an early one", "short", Noon));
        Assert.Equal("short", again.Document(1, 5002));
        Assert.Equal(written[1233], again.Document(1, 1234));
    }

    [Fact]
    public void Whatever_lines_come_and_go_between_others_each_version_is_there_as_it_was()
    {
        var random = new Random(4713);
        // A few lines that are often the same, empty ones among them, at the beginning, in the middle or at the end of many.
        var many = string.Join('\n', Enumerable.Range(0, 120).Select(line => $"{line}: {random.Next()}"));
        string Few() => string.Join('\n', Enumerable.Range(0, random.Next(6)).Select(_ => random.Next(3) is 0 ? "" : $"{random.Next(2)}"));
        string End() => random.Next(3) == 0 ? "" : "\n";
        var written = new List<string> { many };
        using (var store = StudioStore.Open(_folder))
        {
            var studio = store.Add("Kuppel", many, Noon);
            for (var edit = 0; edit < 1500; edit++)
            {
                written.Add(
                    random.Next(4) switch
                    {
                        0 => Few() + End() + many,
                        1 => many + End() + Few(),
                        2 => Few() + "\n" + many + "\n" + Few() + "\n" + many + End(),
                        _ => many[..random.Next(many.Length)] + Few() + many[random.Next(many.Length)..],
                    }
                );
                store.Append(studio.Id, "an edit", written[^1], Noon);
            }
        }
        using var again = StudioStore.Open(_folder);
        for (var version = 0; version < written.Count; version += 3)
            Assert.True(written[version] == again.Document(1, version + 1), $"version {version + 1} is another one (seed 4713)");
    }

    [Fact]
    public void A_database_of_an_older_Weiche_becomes_small_and_says_what_it_said()
    {
        var random = new Random(4712);
        var lines = Enumerable.Range(0, 600).Select(line => $"  \"line {line}\": {random.Next()},").ToList();
        var written = new List<string> { string.Join('\n', lines) + "\n" };
        using (var store = StudioStore.Open(_folder))
        {
            var id = store.Add("Kuppel", written[0], Noon).Id;
            for (var edit = 0; edit < 300; edit++)
            {
                // Now and then an early version is worked on.
                if (edit % 50 == 49)
                    store.GoTo(id, random.Next(1, written.Count), "Kuppel");
                lines[random.Next(lines.Count)] = $"  \"changed\": {random.Next()},";
                written.Add(string.Join('\n', lines) + "\n");
                store.Append(id, "an edit", written[^1], Noon);
            }
            Assert.False(store.IsRoomy);
        }
        // All but the last few as they were written before versions stood as differences.
        using (var raw = new SqliteConnection($"Data Source={File}"))
        {
            raw.Open();
            for (var version = 1; version <= 290; version++)
            {
                using var command = raw.CreateCommand();
                command.CommandText = "UPDATE Versions SET Document = $document, Base = NULL, Weight = 0 WHERE Version = $version";
                command.Parameters.AddWithValue("$document", written[version - 1]);
                command.Parameters.AddWithValue("$version", version);
                command.ExecuteNonQuery();
            }
        }
        SqliteConnection.ClearAllPools();
        long before;
        using (var store = StudioStore.Open(_folder))
        {
            Assert.True(store.IsRoomy);
            // It is left in the middle.
            for (var i = 0; i < 10; i++)
                Assert.True(store.Shrink(8));
            before = new FileInfo(File).Length;
        }
        using (var store = StudioStore.Open(_folder))
        {
            while (store.Shrink(8))
            {
                // A few at a time.
            }
            Assert.False(store.IsRoomy);
            for (var version = 1; version <= written.Count; version++)
                Assert.True(written[version - 1] == store.Document(1, version), $"version {version} is another one (seed 4712)");
            Assert.Equal(written.Count + 1, store.Append(1, "and on", "short", Noon));
            Assert.Null(store.Notice);
        }
        SqliteConnection.ClearAllPools();
        Assert.True(new FileInfo(File).Length * 5 < before, $"{new FileInfo(File).Length} bytes of {before}");
    }

    [Fact]
    public void A_difference_that_does_not_fit_is_no_document()
    {
        using (var store = StudioStore.Open(_folder))
        {
            var text = string.Concat(Enumerable.Range(0, 50).Select(line => $"{line}\n"));
            store.Append(store.Add("Kuppel", text, Noon).Id, "edit", text.Replace("7\n", "8\n", StringComparison.Ordinal), Noon);
        }
        using (var connection = new SqliteConnection($"Data Source={File};Pooling=False"))
        {
            connection.Open();
            Ask(connection, "UPDATE Versions SET Document = '@900 1 1' || char(10) || 'x' || char(10) WHERE Version = 2");
        }
        using var again = StudioStore.Open(_folder);
        Assert.Contains("cannot be put together", Assert.Throws<StoreException>(() => again.Load()).Message, StringComparison.Ordinal);
        Assert.StartsWith("0\n", again.Document(1, 1), StringComparison.Ordinal);
    }

    /// <summary>Edits of a Weiche that was killed: what it had written, with the log.</summary>
    private (byte[] Database, byte[] Log) Abandon(int edits)
    {
        var copy = Directory.CreateTempSubdirectory("weiche-test-").FullName;
        byte[] before;
        using (var store = StudioStore.Open(_folder))
        {
            before = System.IO.File.ReadAllBytes(File);
            var studio = store.Load()?.Id ?? store.Add("Kuppel", "document 0", Noon).Id;
            for (var edit = 1; edit <= edits; edit++)
                store.Append(studio, "edit", $"document {edit}", Noon);
            foreach (var file in Directory.GetFiles(_folder, "weiche.db*"))
                System.IO.File.Copy(file, Path.Combine(copy, Path.GetFileName(file)));
        }
        foreach (var file in Directory.GetFiles(_folder, "weiche.db*"))
            System.IO.File.Delete(file);
        foreach (var file in Directory.GetFiles(copy))
            System.IO.File.Copy(file, Path.Combine(_folder, Path.GetFileName(file)));
        Directory.Delete(copy, recursive: true);
        return (before, System.IO.File.ReadAllBytes(File + "-wal"));
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
