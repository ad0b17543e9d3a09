using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Pedals that can go down where they cannot come up again.</summary>
/// <remarks>On routes the ledger ends each note and pedal where it began, whatever the stages do; there only a stage that turns every
/// value into "down" is left. Behind Weiche, on the ways through devices, nobody keeps a ledger.</remarks>
internal static class StuckRisks
{
    private static readonly int[] Pedals = [64, 66, 67];

    internal static IEnumerable<Finding> Of(Flow flow)
    {
        foreach (var step in flow.Steps)
        {
            if (step.PedalLeftDown is not { } pedal)
                continue;
            var name = step.Route is { } route ? flow.Studio.Describe(route) : $"{step.Link!.Device.Name}: {step.Link.Inner!.Name}";
            var index = step.Stages.Index().First(stage => stage.Item is ControllersStage).Index;
            yield return new Finding(
                FindingKind.Stuck,
                Severity.Warning,
                string.Create(CultureInfo.InvariantCulture, $"stuck-{step.Route?.Id.Value ?? step.Link!.Inner!.Id.Value}"),
                $"{name}: the {ControllerName.Of(pedal)} pedal may stay down",
                $"Controller {pedal} ({ControllerName.Of(pedal)}) goes down here, and no value that lifts it comes out again."
            )
            {
                Routes = step.Route is null ? [] : [step.Route.Id],
                Paths = WayWords.PathsOf([step]),
                Proposed = step.Route is null ? [] : [new RemoveStage(step.Route.Id, index, step.Stages[index].Name)],
            };
        }
    }

    /// <summary>A pedal that the stages of a step let go down and never up, or null.</summary>
    internal static int? LeftDown(Step step)
    {
        if (!step.Stages.Any(stage => stage is ControllersStage))
            return null;
        for (var from = 0; from < 120; from++)
        {
            var (down, up, stops) = (0, 0, false);
            for (var value = 0; value < 128; value++)
            {
                var became = step.Run(MidiMessage.Raw(0xB0, from, value));
                if (value == 0 && became.IsEmpty)
                    stops = true;
                foreach (
                    var message in became.Where(message => message.Kind == MessageKind.ControlChange && Pedals.Contains(message.Data1))
                )
                {
                    if (message.Data2 >= 64)
                        down = message.Data1;
                    else
                        up = message.Data1;
                }
            }
            if (down != 0 && up != down && !(stops && step.Route is not null))
                return down;
        }
        return null;
    }
}
