using System.Globalization;

namespace Weiche.Core.Studios;

/// <summary>Levers in words, and back: "Tritt 13 C2 → next".</summary>
public static class LeverWords
{
    /// <summary>What a lever works: "next", "2 Star field", "Amsel 61 → Zinn on while it is held".</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="work">What it works.</param>
    public static string Of(Studio studio, LeverWork work) =>
        work switch
        {
            EnterLineup enter => studio.NameOf(enter.Lineup),
            StepLineup step => step.By < 0 ? "back" : "next",
            Silence => "all notes off",
            WorkTime time => Of(time.What),
            WorkTakes takes => Of(takes.What),
            SwitchRoutes routes =>
                $"{string.Join(", ", routes.Routes.Select(id => studio.FindRoute(id) is { } route ? studio.Describe(route) : "a route that is gone"))} {Of(routes.How)}",
            _ => "",
        };

    /// <summary>What is done to the time, in words; each can be typed so.</summary>
    /// <param name="what">What.</param>
    public static string Of(TimeWork what) =>
        what switch
        {
            TimeWork.Start => "start",
            TimeWork.Stop => "stop",
            TimeWork.StartOrStop => "start or stop",
            TimeWork.Continue => "continue",
            TimeWork.Tap => "tap",
            TimeWork.BackInStep => "back in step",
            TimeWork.HoldAndLetGo => "hold and let go",
            TimeWork.Faster => "faster",
            _ => "slower",
        };

    /// <summary>What is done to takes, in words; each can be typed so.</summary>
    /// <param name="what">What.</param>
    public static string Of(TakeWork what) =>
        what switch
        {
            TakeWork.Record => "record",
            TakeWork.Keep => "keep",
            _ => "play the take",
        };

    /// <summary>How a lever switches routes, in words.</summary>
    /// <param name="how">How.</param>
    public static string Of(LeverSwitch how) =>
        how switch
        {
            LeverSwitch.On => "on",
            LeverSwitch.Off => "off",
            LeverSwitch.Over => "over",
            _ => "while held",
        };

    /// <summary>A lever by what it is: "Tritt 13 C2".</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="id">The lever.</param>
    public static string Name(Studio studio, LeverId id) => studio.FindLever(id) is { } lever ? Name(studio, lever) : "that is gone";

    /// <summary>A lever by what it is: "Tritt 13 C2".</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="lever">The lever.</param>
    public static string Name(Studio studio, Lever lever) =>
        string.Create(CultureInfo.InvariantCulture, $"{studio.FindPort(lever.Source)?.Name} {lever.Trigger.Words(studio.KeyNaming)}");
}
