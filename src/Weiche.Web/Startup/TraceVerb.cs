using System.CommandLine;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Web.Startup;

/// <summary>What would become of a message, without a page: <c>weiche trace</c>.</summary>
internal static class TraceVerb
{
    internal static Command Make()
    {
        var file = new Argument<string>("STUDIO") { Description = "a studio as a file (see export)" };
        var from = new Option<string?>("--from") { Description = "the source that sends it" };
        var to = new Option<string?>("--to") { Description = "backwards: the destination, to see what can reach it" };
        var note = new Option<string?>("--note") { Description = "a key: C3, F#1 or its number" };
        var velocity = Launcher.WholeNumber<int>("--velocity", "how hard it is struck, 1 to 127", 127, MessageInput.VelocitiesGo);
        velocity.DefaultValueFactory = _ => 96;
        var channel = Launcher.WholeNumber<int>("--channel", "the channel, 1 to 16", Channel.Count, MessageInput.ChannelsGo);
        channel.DefaultValueFactory = _ => 1;
        var message = new Option<string?>("--message") { Description = "any message as bytes instead of a note: \"B0 07 40\"" };
        var lineup = FileVerbs.LineupOption("the lineup, by number or name; the first if left out");
        var json = new Option<bool>("--json") { Description = "print JSON" };
        var verb = new Command("trace", "say what would become of a message, without sending it")
        {
            file,
            from,
            to,
            note,
            velocity,
            channel,
            message,
            lineup,
            json,
        };
        verb.SetAction(result =>
            FileVerbs.Guarded(() =>
            {
                var studio = FileVerbs.InLineup(FileVerbs.ReadStudio(result.GetValue(file)!), result.GetValue(lineup));
                var (source, destination) = (result.GetValue(from), result.GetValue(to));
                if (source is null == destination is null)
                    throw new StartException("Say either --from a source, or --to a destination.");
                if (destination is not null)
                {
                    Backwards(
                        studio,
                        FileVerbs.PortCalled(studio.Destinations, destination, result.GetValue(file)!),
                        result.GetValue(json)
                    );
                    return;
                }
                var port = FileVerbs.PortCalled(studio.Sources, source!, result.GetValue(file)!);
                if (
                    !MessageInput.TryRead(
                        result.GetValue(message),
                        result.GetValue(note),
                        result.GetValue(velocity),
                        result.GetValue(channel),
                        studio.KeyNaming,
                        out var sent,
                        out var problem
                    )
                )
                    throw new StartException(problem);
                Forwards(studio, Trace.Of(studio, port.Id, sent), result.GetValue(json));
            })
        );
        return verb;
    }

    private static void Forwards(Studio studio, Trace trace, bool json)
    {
        if (json)
        {
            VerbJson.Print(
                new
                {
                    studio = studio.Name,
                    from = trace.Source.Name,
                    message = MessageText.Hex(trace.Message),
                    words = Trace.Spoken(trace.Message, studio.KeyNaming),
                    sentence = trace.Sentence,
                    whole = trace.IsWhole,
                    steps = trace.Steps.Select(
                        (step, number) =>
                            new
                            {
                                number,
                                after = step.After < 0 ? (int?)null : step.After,
                                route = step.Route?.Id.Value,
                                to = step.Route is { } route ? studio.FindPort(route.To)!.Value.Name : null,
                                link = step.Link is { } link ? VerbJson.Word(link.Kind) : null,
                                device = step.Device?.Name,
                                came = step.Came.Select(each => MessageText.Hex(each)),
                                became = step.Became.Select(each => MessageText.Hex(each)),
                                stoppedBy = step.StoppedAt is { } stage ? (step.Route?.Stages ?? step.Link!.Stages)[stage].Name : null,
                                end = VerbJson.Word(step.End),
                                words = step.Words,
                                delay = step.Delay.Microseconds,
                            }
                    ),
                }
            );
            return;
        }
        Console.WriteLine($"{Trace.Spoken(trace.Message, studio.KeyNaming)} {trace.Source.Label}: {trace.Sentence}.");
        foreach (var (depth, way, words, step) in trace.Lines(studio))
        {
            Console.WriteLine($"  {(new string(' ', 2 * depth) + way).PadRight(40)} {step.Delay.InMilliseconds(2),10}  {words}");
        }
        if (!trace.IsWhole)
            Console.WriteLine($"  … only the first {Trace.MaxSteps} steps were followed.");
    }

    private static void Backwards(Studio studio, DevicePort destination, bool json)
    {
        var reaching = Reach.To(studio, destination.Id);
        if (json)
        {
            VerbJson.Print(
                new
                {
                    studio = studio.Name,
                    to = destination.Name,
                    sources = reaching.Select(each => new
                    {
                        from = each.Source.Name,
                        messages = SetWords.Of(each.Messages, studio.KeyNaming),
                        straight = each.Straight,
                    }),
                }
            );
            return;
        }
        Console.WriteLine(reaching.Count == 0 ? $"Nothing can reach {destination.Name}." : $"What can reach {destination.Name}:");
        foreach (var each in reaching)
            Console.WriteLine(
                $"  {each.Source.Label.PadRight(24)} {SetWords.Of(each.Messages, studio.KeyNaming)}{(each.Straight ? "" : " (through something else)")}"
            );
    }
}
