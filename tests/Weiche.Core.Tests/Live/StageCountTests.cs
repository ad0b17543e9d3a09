using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Midi;
using static Weiche.Core.Tests.Rooms;
using AnyStage = Weiche.Core.Tests.Stages.AnyStage;

namespace Weiche.Core.Tests.Live;

/// <summary>Stages that the engine runs together count as if each were run by itself.</summary>
public class StageCountTests
{
    [Fact]
    public void Each_stage_counts_what_came_what_went_on_and_what_it_stopped()
    {
        Gen.Select(AnyStage.WithoutTime.Array[0, 6], Gens.Short.Array[0, 40], AnyStage.WithoutTime.Array[0, 4])
            .Sample(
                (stages, messages, others) =>
                {
                    var studio = Of("a", "b").Lay("a", "b", stages);
                    var rig = new Rig(studio);
                    var counts = new (long In, long Out, long Stopped)[stages.Length];
                    foreach (var message in messages)
                        Play(message);

                    // The same sorts of stages with other settings go on counting, however the engine joins them now.
                    var id = studio.Routes[0].Id;
                    for (var i = 0; i < Math.Min(others.Length, stages.Length); i++)
                    {
                        if (others[i].GetType() != stages[i].GetType())
                            continue;
                        studio = studio.Must(new SetStage(id, i, others[i]));
                        stages[i] = others[i];
                    }
                    rig.Use(studio);
                    foreach (var message in messages)
                        Play(message);
                    var meter = rig.Engine.Compiled.Meter(id)!;
                    return meter.Stages.Select(stage => (stage.In, stage.Out, stage.Stopped)).SequenceEqual(counts);

                    void Play(in MidiMessage message)
                    {
                        rig.Send(studio.From("a"), message);
                        Count([message], 0);
                    }

                    void Count(ReadOnlySpan<MidiMessage> here, int stage)
                    {
                        if (stage == stages.Length)
                            return;
                        Span<MidiMessage> next = new MidiMessage[Stage.MaxFanOut];
                        foreach (var message in here)
                        {
                            var made = stages[stage].Apply(message, next);
                            counts[stage].In++;
                            counts[stage].Out += made;
                            if (made == 0)
                                counts[stage].Stopped++;
                            Count(next[..made].ToArray(), stage + 1);
                        }
                    }
                },
                iter: 3_000
            );
    }
}
