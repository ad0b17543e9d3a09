using System.Security.Cryptography;
using System.Text;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Files;

namespace Weiche.Web.Pages.Plan;

/// <summary>One stage of the route in the drawer. The part of the page that shows it has the name of its sort: <c>_KeysStage</c>.</summary>
/// <param name="View">The page.</param>
/// <param name="Index">Which stage of the route, from 0.</param>
/// <param name="Stage">The stage, switched on.</param>
/// <param name="IsOn">Whether it is.</param>
public sealed record StagePart(PlanView View, int Index, Stage Stage, bool IsOn)
{
    private const int UsualVelocity = 96;

    /// <summary>The stage at a place of the chosen route.</summary>
    /// <param name="view">The page.</param>
    /// <param name="index">Which stage, from 0.</param>
    public static StagePart Of(PlanView view, int index) =>
        view.Route!.Stages[index] is OffStage off
            ? new StagePart(view, index, off.Inner, false)
            : new StagePart(view, index, view.Route!.Stages[index], true);

    /// <summary>For each key, from 0, as which key it comes here through the stages before, −1 if it does not; null if each comes as it
    /// is.</summary>
    public IReadOnlyList<int>? Arrives()
    {
        var before = View.Route!.Stages[..Index];
        if (before.IsEmpty)
            return null;
        var channels = View
            .State.Studio.SourcesOf(View.Route)
            .SelectMany(source => source.Channels.Members)
            .DefaultIfEmpty(Channel.FromNumber(1));
        var channel = channels.First();
        List<int> keys =
        [
            .. Enumerable
                .Range(0, 128)
                .Select(key =>
                    Weiche.Core.Stages.Stage.Run(before, [MidiMessage.NoteOn(channel, key, UsualVelocity)], out _, out _) is [var first, ..]
                        ? (int)first.Data1
                        : -1
                ),
        ];
        return keys.Index().All(item => item.Item == item.Index) ? null : keys;
    }

    /// <summary>The route.</summary>
    public int Route => View.Route!.Id.Value;

    /// <summary>Why what was typed into its form cannot be, or null.</summary>
    public string? Problem => View.Problem?.Field == FieldOf(Index) ? View.Problem.Sentence : null;

    /// <summary>A short text that tells the stage from any other: its form carries it, so that what another window did meanwhile is
    /// noticed.</summary>
    public string Mark => MarkOf(View.Route!.Stages[Index]);

    /// <summary>What stands in a field of the form: what was typed, where there is a problem with it.</summary>
    /// <param name="now">What the stage says.</param>
    public string? Value(string now) => Problem is null ? now : View.Typed;

    /// <summary>The field that a problem with a stage's form belongs to.</summary>
    /// <param name="index">Which stage, from 0.</param>
    public static string FieldOf(int index) => $"stage-{index}";

    /// <summary>A short text that tells a stage from any other.</summary>
    /// <param name="stage">The stage.</param>
    public static string MarkOf(Stage stage) =>
        Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(StudioJson.Write(stage))).AsSpan(0, 6));
}
