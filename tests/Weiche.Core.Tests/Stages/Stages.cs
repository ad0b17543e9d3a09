using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Stages;

/// <summary>Generators of stages.</summary>
internal static class AnyStage
{
    private static readonly Gen<Control> Control = Gen.Frequency(
        (6, Gen.Int[0, 119].Select(Core.Stages.Control.Of)),
        (3, Gen.OneOf(64, 66, 67, 1, 7).Select(Core.Stages.Control.Of)),
        (1, Gen.Const(Core.Stages.Control.Bend)),
        (1, Gen.Const(Core.Stages.Control.Pressure))
    );

    private static readonly Gen<int> Value = Gen.Int[0, 127];

    private static readonly Gen<ControlRule> ControlRule = Gen.Select(Control, Control, Gen.Int[0, 3], Value, Value, Value, Value)
        .Select(t =>
            t.Item3 switch
            {
                0 => new ControlRule(t.Item1, null),
                1 => new ControlRule(t.Item1, t.Item2),
                2 => new ControlRule(t.Item1, t.Item1, 0, 127, 127, 0),
                _ => new ControlRule(t.Item1, t.Item2, Math.Min(t.Item4, t.Item5), Math.Max(t.Item4, t.Item5), t.Item6, t.Item7),
            }
        );

    public static readonly Gen<Stage> Kinds = Gen.Int[0, (1 << MessageKinds.Count) - 1]
        .Select(bits => (Stage)new KindsStage(KindSet.Of([.. MessageKinds.All.Where(kind => (bits >> (int)kind & 1) != 0)])));

    // Many channels, or one, as people do.
    private static readonly Gen<ushort> Targets = Gen.OneOf(Gen.UShort, Gen.Int[0, 15].Select(channel => (ushort)(1 << channel)));

    public static readonly Gen<Stage> Channels = Gen.Select(Gen.Select(Gen.Int[1, 16], Targets).Array[0, 5], Gen.Int[0, 9])
        .Select(
            (sets, whole) =>
                (Stage)
                    new ChannelsStage(
                        sets.Aggregate(ChannelMap.Identity, (map, set) => map.With(Ch(set.Item1), ChannelSet.FromBits(set.Item2))),
                        whole == 0
                    )
        );

    public static readonly Gen<Stage> Keys = Gen.Select(Value, Value, Gen.Bool)
        .Select((a, b, outside) => (Stage)new KeysStage(Math.Min(a, b), Math.Max(a, b), outside));

    public static readonly Gen<Stage> Transpose = Gen.Int[-127, 127].Select(by => (Stage)new TransposeStage(by));

    public static readonly Gen<Stage> Velocity = Gen.Select(
            Gen.Int[1, 127],
            Gen.Int[1, 127],
            Gen.Int[0, 400],
            Gen.Int[-127, 127],
            Gen.Int[-100, 100]
        )
        .Select((a, b, scale, offset, curve) => (Stage)new VelocityStage(Math.Min(a, b), Math.Max(a, b), scale, offset, curve));

    public static readonly Gen<Stage> Controllers = Gen.Select(ControlRule.Array[0, 6], Gen.Bool)
        .Select((rules, others) => (Stage)new ControllersStage(rules.DistinctBy(rule => rule.From), others));

    public static readonly Gen<Stage> Programs = Gen.Select(Gen.Select(Value, Gen.Int[-1, 127], Gen.Int[-1, 16383]).Array[0, 6], Gen.Bool)
        .Select(
            (rules, others) =>
                (Stage)
                    new ProgramsStage(
                        rules
                            .DistinctBy(rule => rule.Item1)
                            .Select(rule => new ProgramRule(
                                rule.Item1,
                                rule.Item2 < 0 ? null : rule.Item2,
                                rule.Item3 < 0 ? null : rule.Item3
                            )),
                        others
                    )
        );

    public static readonly Gen<Stage> Chord = Gen.Int[-60, 60].Array[1, 8].Select(offsets => (Stage)new ChordStage(offsets.Distinct()));

    public static readonly Gen<Stage> Pattern = Gen.Select(
            Gen.Enum<PatternOrder>(),
            Gen.Int[0, 11],
            Gen.Int[1, 4],
            Gen.Int[5, 100],
            Gen.Int[0, 75],
            Gen.Bool
        )
        .Select(
            (order, step, octaves, length, swing, latch) =>
                (Stage)new PatternStage(order, StepLength.All[step], octaves, length, swing, latch)
        );

    public static readonly Gen<Stage> Thin = Gen.Int[1, 1000].Select(rate => (Stage)new ThinStage(rate));

    /// <summary>The stages of each sort, by its name.</summary>
    public static readonly IReadOnlyDictionary<string, Gen<Stage>> BySort = new Dictionary<string, Gen<Stage>>
    {
        ["Kinds"] = Kinds,
        ["Channels"] = Channels,
        ["Keys"] = Keys,
        ["Transpose"] = Transpose,
        ["Velocity"] = Velocity,
        ["Controllers"] = Controllers,
        ["Programs"] = Programs,
        ["Chord"] = Chord,
        ["Thin"] = Thin,
        ["Pattern"] = Pattern,
    };

    public static readonly Gen<Stage> Off = Gen.OneOf([.. BySort.Values]).Select(stage => (Stage)new OffStage(stage));

    /// <summary>Every stage that does not look at time.</summary>
    public static readonly Gen<Stage> WithoutTime = Gen.OneOf([
        .. StageSorts.All.Where(sort => !sort.Fresh.LooksAtTime).Select(sort => BySort[sort.Name]),
        Off,
    ]);

    /// <summary>Every stage.</summary>
    public static readonly Gen<Stage> Any = Gen.OneOf([.. BySort.Values, Off]);
}
