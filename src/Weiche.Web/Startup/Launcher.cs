using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Parsing;
using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Runtime;
using Weiche.Core.Midi;
using Weiche.Files;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Ports.StandIns;

namespace Weiche.Web.Startup;

/// <summary>The verbs of the command line.</summary>
internal static class Launcher
{
    /// <summary>What was asked for cannot be done: a word, a file, a folder is wrong.</summary>
    internal const int Failed = 2;

    /// <summary>Weiche itself is at fault. It says nothing about what was asked: 1 is a verdict.</summary>
    internal const int Fault = 3;

    /// <summary>Reads the command line and does what it says.</summary>
    /// <param name="args">The words after the program's name.</param>
    /// <returns>The exit code: 0 when all went well.</returns>
    internal static int Start(string[] args)
    {
        try
        {
            var parsed = Verbs().Parse(args);
            if (parsed.Errors.Count == 0)
                return parsed.Invoke(new InvocationConfiguration { EnableDefaultExceptionHandler = false });
            var verb = parsed.CommandResult.Command == parsed.RootCommandResult.Command ? "" : parsed.CommandResult.Command.Name + " ";
            Console.Error.WriteLine(
                $"{string.Join(' ', parsed.Errors.Select(error => error.Message).Distinct())} ./weiche {verb}--help says what it takes."
            );
            return Failed;
        }
        catch (Exception exception)
        {
            Console.Error.WriteLine(
                "Weiche made a mistake of its own and could not finish; this says nothing about your studio. Please report it "
                    + $"with the lines below.\n{exception}"
            );
            return Fault;
        }
    }

    private static Command Verbs()
    {
        var port = WholeNumber<int?>(
            "--port",
            $"the TCP port on 127.0.0.1; without it {WeicheSettings.UsualPort}, or a free one",
            65535,
            "A port is a number from 1 to 65535."
        );
        var data = new Option<string?>("--data") { Description = "the folder for the database and the log" };
        var fresh = new Option<bool>("--fresh") { Description = "make the demo studio anew" };
        var ordinary = new Option<bool>("--ordinary-priority")
        {
            Description = "carry messages without asking the system for real-time priority",
        };
        var inside = new Option<bool>("--inside")
        {
            Description = "keep to Weiche itself: virtual ports are not shown to other programs, and theirs are not looked for",
        };
        var standIns = new Option<string[]>("--stand-ins")
        {
            Description = "let the demo's instruments stand in the room, to be plugged in and played: all, or those that are named",
            Arity = ArgumentArity.ZeroOrMore,
            AllowMultipleArgumentsPerToken = true,
        };
        standIns.Validators.Add(result =>
        {
            foreach (var name in result.Tokens.Select(token => token.Value).Where(name => Room.Named(name) is null))
                result.AddError($"There is no stand-in called “{name}”. There are {WordList.Of([.. Room.Names])}.");
        });
        var run = new Command("run", "start Weiche with your own studio") { port, data, standIns, ordinary, inside };
        run.SetAction(result =>
            Serve(
                result.GetValue(port),
                fresh: false,
                new WeicheSettings
                {
                    Port = 0,
                    DataFolder = result.GetValue(data) ?? WeicheSettings.UsualDataFolder,
                    StandIns = result.GetResult(standIns) is null ? null : result.GetValue(standIns),
                    AsksForUrgency = !result.GetValue(ordinary),
                    Systems = result.GetValue(inside) ? [] : [OutsideSystem.SoundServer, OutsideSystem.Sequencer],
                }
            )
        );
        var demo = new Command("demo", "start Weiche with the demo studio, in a folder of its own") { port, data, fresh, ordinary, inside };
        demo.SetAction(result =>
            Serve(
                result.GetValue(port),
                result.GetValue(fresh),
                new WeicheSettings
                {
                    Port = 0,
                    DataFolder = result.GetValue(data) ?? Path.Combine(WeicheSettings.UsualDataFolder, "demo"),
                    AsksForUrgency = !result.GetValue(ordinary),
                    Systems = result.GetValue(inside) ? [] : [OutsideSystem.SoundServer, OutsideSystem.Sequencer],
                    StandIns = [],
                    First = () => [DemoStudio.Create(), DemoStudio.CreateEmpty()],
                    WithTakes = true,
                }
            )
        );
        return NothingEmpty(
            // Called as a person calls it.
            new Command("./weiche", "Weiche, the signal box of a MIDI studio.")
            {
                new HelpOption(),
                new VersionOption(),
                run,
                demo,
                FileVerbs.Export(),
                FileVerbs.Import(),
                FileVerbs.Rehearse(),
                TraceVerb.Make(),
                CheckVerb.Make(),
                SheetVerb.Make(),
            }
        );
    }

    /// <summary>An option that takes a number from 1.</summary>
    /// <typeparam name="T">A whole number, or one that may be left out.</typeparam>
    /// <param name="name">Its name.</param>
    /// <param name="description">What it is for.</param>
    /// <param name="last">The greatest number.</param>
    /// <param name="problem">What is said of anything else.</param>
    internal static Option<T> WholeNumber<T>(string name, string description, int last, string problem) =>
        new(name)
        {
            Description = description,
            CustomParser = result =>
            {
                if (
                    int.TryParse(result.Tokens[0].Value, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
                    && number >= 1
                    && number <= last
                )
                    return (T)(object)number;
                result.AddError(problem);
                return default;
            },
        };

    /// <summary>Where a name, a file or a folder is asked for, nothing at all is none.</summary>
    private static Command NothingEmpty(Command root)
    {
        foreach (var verb in root.Subcommands)
        {
            foreach (var argument in verb.Arguments)
                argument.Validators.Add(result => Look(argument.Name, result));
            foreach (var option in verb.Options)
                option.Validators.Add(result => Look(option.Name, result));
        }
        return root;

        static void Look(string name, SymbolResult result)
        {
            if (result.Tokens.Any(token => string.IsNullOrWhiteSpace(token.Value)))
                result.AddError($"{name} is empty.");
        }
    }

    private static int Serve(int? port, bool fresh, WeicheSettings settings)
    {
        try
        {
            if (settings.AsksForUrgency)
                Urgent.LiftProcess();
            // What must be collected in one go waits for a quieter moment.
            GCSettings.LatencyMode = GCLatencyMode.SustainedLowLatency;
            var folder = Path.GetFullPath(settings.DataFolder);
            if (fresh)
                RemoveStudio(folder);
            var app = WeicheApp.Create(settings with { Port = Choose(port), DataFolder = folder });
            app.Start();
            Console.WriteLine($"Weiche is ready at {app.Urls.First()}");
            app.WaitForShutdown();
            return 0;
        }
        catch (StartException exception)
        {
            Console.Error.WriteLine(exception.Message);
            return Failed;
        }
        catch (IOException exception) when (exception.InnerException is Microsoft.AspNetCore.Connections.AddressInUseException)
        {
            Console.Error.WriteLine(Taken(port ?? WeicheSettings.UsualPort));
            return Failed;
        }
    }

    private static int Choose(int? wanted)
    {
        if (wanted is { } port)
        {
            return IsFree(port) ? port : throw new StartException(Taken(port));
        }
        if (IsFree(WeicheSettings.UsualPort))
            return WeicheSettings.UsualPort;
        Console.WriteLine($"Port {WeicheSettings.UsualPort} is taken by another program; taking a free one.");
        return 0;
    }

    private static string Taken(int port) => $"Port {port} is taken by another program. Choose another with --port.";

    private static bool IsFree(int port)
    {
        try
        {
            using var listener = new TcpListener(IPAddress.Loopback, port);
            listener.Start();
            return true;
        }
        catch (SocketException)
        {
            return false;
        }
    }

    /// <summary>Removes the database of a demo folder; a folder in which another Weiche runs is left alone.</summary>
    private static void RemoveStudio(string folder)
    {
        try
        {
            if (!Directory.Exists(folder))
                return;
            using (new FileStream(Path.Combine(folder, "weiche.lock"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None))
            {
                foreach (var file in Directory.GetFiles(folder, "weiche.db*"))
                    File.Delete(file);
            }
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StartException($"The demo studio in {folder} cannot be made anew: {exception.Message}", exception);
        }
    }
}
