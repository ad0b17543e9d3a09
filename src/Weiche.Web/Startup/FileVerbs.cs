using System.CommandLine;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Desk;

namespace Weiche.Web.Startup;

/// <summary>The verbs that work on files and start no server: export, import, rehearse.</summary>
internal static class FileVerbs
{
    private const int MaxStudioFile = 16 << 20;

    /// <summary>A rehearsal's verdict: of what was played nothing arrived.</summary>
    private const int NothingArrived = 1;

    internal static Command Export()
    {
        var file = new Argument<string>("FILE") { Description = "the file to write" };
        var name = new Option<string?>("--studio") { Description = "the studio's name; without it the one worked on last" };
        var demo = new Option<bool>("--demo") { Description = "write the demo studio, without any database" };
        var data = DataOption();
        var verb = new Command("export", "write a studio to a file") { file, name, demo, data };
        verb.SetAction(result =>
            Guarded(() =>
            {
                var text = result.GetValue(demo)
                    ? StudioJson.Write(DemoStudio.Create())
                    : ReadStored(result.GetValue(data) ?? WeicheSettings.UsualDataFolder, result.GetValue(name));
                WriteWhole(result.GetValue(file)!, text);
            })
        );
        return verb;
    }

    internal static Command Import()
    {
        var file = new Argument<string>("FILE") { Description = "the file to read" };
        var data = DataOption();
        var verb = new Command("import", "add the studio of a file; it is the one that is opened next") { file, data };
        verb.SetAction(result =>
            Guarded(() =>
            {
                var studio = ReadStudio(result.GetValue(file)!);
                using var store = StudioStore.Open(result.GetValue(data) ?? WeicheSettings.UsualDataFolder);
                var added = store.Import(studio, DateTime.UtcNow);
                if (store.Notice is { } notice)
                    Console.Error.WriteLine(notice);
                Console.WriteLine(StudioFiles.Imported(studio, added.Name));
            })
        );
        return verb;
    }

    internal static Command Rehearse()
    {
        var file = new Argument<string?>("STUDIO") { Description = "a studio as a file (see export)", Arity = ArgumentArity.ZeroOrOne };
        var play = new Option<string[]>("--play") { Description = "a recording: .mid, .syx, .bin or .txt; one for each --from" };
        var from = new Option<string[]>("--from") { Description = "the source that plays it" };
        var outFolder = new Option<string?>("--out") { Description = "the folder for what arrives" };
        var all = new Option<bool>("--all") { Description = "instead: play every take of the database through every lineup of its studio" };
        var data = DataOption();
        var name = new Option<string?>("--studio") { Description = "with --all: the studio's name; without it the one worked on last" };
        var lineup = LineupOption("the lineup in force at the beginning, by number or name; the first if left out");
        var start = new Option<bool>("--start")
        {
            Description = "start the time at the beginning, and with it patterns and all that want a start",
        };
        var verb = new Command("rehearse", "play recordings through a studio in virtual time; what works a lever in them works it")
        {
            start,
            file,
            play,
            from,
            outFolder,
            lineup,
            all,
            data,
            name,
        };
        verb.Validators.Add(result =>
        {
            if (result.GetValue(all) && (result.GetValue(file) is not null || result.GetResult(play) is not null || result.GetValue(start)))
                result.AddError("--all takes the studio and its takes from the database: leave STUDIO, --play and --start out.");
            else if (
                !result.GetValue(all)
                && (
                    result.GetValue(file) is null
                    || result.GetResult(play) is null
                    || result.GetResult(from) is null
                    || result.GetValue(outFolder) is null
                )
            )
                result.AddError("STUDIO, --play, --from and --out are needed; or --all alone.");
        });
        verb.SetAction(result =>
        {
            var arrived = false;
            var code = Guarded(() =>
                arrived = result.GetValue(all)
                    ? TakeVerbs.RehearseAll(result.GetValue(data) ?? WeicheSettings.UsualDataFolder, result.GetValue(name))
                    : RehearseAll(
                        result.GetValue(file)!,
                        result.GetValue(play)!,
                        result.GetValue(from)!,
                        result.GetValue(outFolder)!,
                        result.GetValue(lineup),
                        result.GetValue(start)
                    )
            );
            return code != 0 || arrived ? code : NothingArrived;
        });
        return verb;
    }

    internal static Option<string?> LineupOption(string description) => new("--lineup") { Description = description };

    /// <summary>The studio in a lineup that a person names by its number or name; in the first where none is named.</summary>
    internal static Studio InLineup(Studio studio, string? name)
    {
        if (name is null)
            return studio.Lineups.IsEmpty ? studio : studio.In(studio.Lineups[0].Id);
        return studio.FindLineup(name.Trim()) is { } found
            ? studio.In(found.Id)
            : throw new StartException(
                studio.Lineups.IsEmpty
                    ? $"{studio.Name} has no lineups."
                    : $"There is no lineup “{name}”. There are: "
                        + $"{string.Join(", ", studio.Lineups.Select(lineup => studio.NameOf(lineup.Id)))}."
            );
    }

    /// <summary>The source or destination that a person means.</summary>
    /// <param name="ports">The sources, or the destinations.</param>
    /// <param name="name">What was typed.</param>
    /// <param name="file">The studio's file.</param>
    internal static DevicePort PortCalled(IEnumerable<DevicePort> ports, string name, string file)
    {
        var all = ports.ToList();
        return all.Called(name)
            ?? throw new StartException(
                $"There is no {(all.TrueForAll(port => port.IsSource) ? "source" : "destination")} “{name}” in {file}. There are: "
                    + $"{string.Join(", ", all.Select(port => port.Name))}."
            );
    }

    private static Option<string?> DataOption() => new("--data") { Description = "the data folder" };

    /// <summary>Rehearses; says whether anything arrived anywhere.</summary>
    private static bool RehearseAll(string file, string[] plays, string[] sources, string folder, string? lineup, bool starts)
    {
        if (plays.Length != sources.Length)
            throw new StartException($"There are {plays.Length} --play and {sources.Length} --from: each recording needs its source.");
        var studio = InLineup(ReadStudio(file), lineup);
        if (starts && studio.MasterIn(studio.InForce) is null)
            throw new StartException(
                $"Nobody keeps the time in {studio.Name}{(studio.InForce is { } id ? $", {studio.NameOf(id)}" : "")}: there is nothing to "
                    + "start. Choose a master on Time, or leave --start out."
            );
        var rehearsal = new Rehearsal(studio);
        var parts = plays.Zip(sources, (play, name) => (PortCalled(studio.Sources, name, file).Id, RehearsalFiles.Read(play))).ToList();
        if (!starts && parts.TrueForAll(part => part.Item2.Count == 0))
            throw new StartException($"There is no message in {WordList.Of([.. plays.Distinct()])}: nothing was played.");
        rehearsal.Play(parts, starts);
        try
        {
            Directory.CreateDirectory(folder);
            var used = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
            foreach (var destination in studio.Destinations)
            {
                var name = FileName(destination.Name, used);
                var events = rehearsal.ArrivedAt(destination.Id);
                File.WriteAllText(Path.Combine(folder, name + ".txt"), RehearsalFiles.WriteText(events));
                File.WriteAllBytes(Path.Combine(folder, name + ".mid"), StandardMidiFile.Write(destination.Label, events));
            }
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StartException($"The folder {folder} cannot be written: {exception.Message}", exception);
        }
        Console.Write(rehearsal.Report());
        var arrived = studio.Destinations.Any(destination => rehearsal.ArrivedAt(destination.Id).Count > 0);
        if (!arrived)
            Console.Error.WriteLine("Nothing arrived anywhere: the table says where it stopped.");
        return arrived;
    }

    internal static Studio ReadStudio(string file)
    {
        try
        {
            if (Directory.Exists(file))
                throw new StartException($"{file} is a folder, not a studio.");
            if (!File.Exists(file))
                throw new StartException($"There is no file {file}.");
            // What comes through a pipe does not say how much it is.
            using var stream = File.OpenRead(file);
            var bytes = new byte[MaxStudioFile + 1];
            var length = stream.ReadAtLeast(bytes, bytes.Length, throwOnEndOfStream: false);
            if (length > MaxStudioFile)
                throw new StartException($"{file} has more than {MaxStudioFile} bytes; a studio has at most so many.");
            return StudioJson.Read(bytes.AsSpan(0, length));
        }
        catch (StudioFormatException exception)
        {
            throw new StartException($"{file} is not a studio that can be read. {exception.Message}", exception);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StartException($"{file} cannot be read: {exception.Message}", exception);
        }
    }

    private static string ReadStored(string folder, string? name)
    {
        using var store = StudioStore.OpenForReading(folder);
        return ReadStored(store, folder, name).Document;
    }

    /// <summary>A studio of a database.</summary>
    internal static StoredStudio ReadStored(StudioStore store, string folder, string? name)
    {
        var stored = name is null ? store.Load() : store.Find(name);
        if (stored is not null)
            return stored;
        throw new StartException(
            name is null
                ? $"There is no studio in {folder} yet."
                : $"There is no studio “{name}” in {folder}. There are: {string.Join(", ", store.Names())}."
        );
    }

    /// <summary>Writes a file whole or not at all: beside it first, then in its place.</summary>
    private static void WriteWhole(string file, string text)
    {
        try
        {
            var beside = file + ".part";
            File.WriteAllText(beside, text);
            File.Move(beside, file, overwrite: true);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StartException($"{file} cannot be written: {exception.Message}", exception);
        }
    }

    private static string FileName(string name, HashSet<string> used)
    {
        var clean = new string([.. name.Select(c => char.IsLetterOrDigit(c) || c is ' ' or '-' or '_' ? c : '_')]).Trim();
        for (var i = 1; ; i++)
        {
            var candidate = i == 1 ? clean : $"{clean} {i}";
            if (used.Add(candidate))
                return candidate;
        }
    }

    internal static int Guarded(Action work)
    {
        try
        {
            work();
            return 0;
        }
        catch (Exception exception) when (exception is StartException or StoreException or RecordingException)
        {
            Console.Error.WriteLine(exception.Message);
            return Launcher.Failed;
        }
    }
}
