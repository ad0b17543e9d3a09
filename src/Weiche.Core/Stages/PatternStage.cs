using System.Collections.Immutable;
using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>In which order a pattern plays the keys that are held.</summary>
public enum PatternOrder
{
    /// <summary>From the lowest to the highest.</summary>
    Up,

    /// <summary>From the highest to the lowest.</summary>
    Down,

    /// <summary>Up and down again, the ends once.</summary>
    ThereAndBack,

    /// <summary>In the order in which they were pressed.</summary>
    AsPlayed,

    /// <summary>All at once; the octaves one after the other.</summary>
    Chord,
}

/// <summary>How long a step is: a part of a whole note, as it is, dotted, or three in the time of two.</summary>
/// <param name="Part">4, 8, 16 or 32.</param>
/// <param name="Kind">' ' for as it is, '.' for dotted, 't' for a triplet.</param>
public readonly record struct StepLength(int Part, char Kind)
{
    /// <summary>Half pulses of the clock in a step, at least 4: a dotted thirty-second is four pulses and a half.</summary>
    internal int HalfPulses => 8 * Tempo.PulsesABeat / Part * (Kind == '.' ? 3 : 2) / (Kind == 't' ? 3 : 2);

    /// <summary>As one writes it: "1/16", "1/8.", "1/8t".</summary>
    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"1/{Part}{(Kind == ' ' ? "" : Kind)}");

    /// <summary>All that there are, the longest first.</summary>
    public static IReadOnlyList<StepLength> All { get; } =
    [.. new[] { 4, 8, 16, 32 }.SelectMany(part => new[] { '.', ' ', 't' }.Select(kind => new StepLength(part, kind)))];
}

/// <summary>
/// Makes a figure of the keys that are held, in time with the studio's clock: one step after the other while that runs. All other messages
/// pass.
/// </summary>
/// <remarks>
/// What it plays depends on time; for the checks each key that is held gives that key and its octaves, with the velocity that it was struck
/// with. It starts with the next step, and ends every note that it made: when the step is over, when the time stops, when its route is
/// left.
/// </remarks>
public sealed record PatternStage : Stage
{
    /// <summary>What is to be known of Pattern stages as a sort.</summary>
    public static StageSort AsSort { get; } = new PatternSort();

    /// <summary>The most octaves that a figure goes through.</summary>
    public const int MostOctaves = 4;

    /// <summary>The most that every second step may come late, in hundredths of a step.</summary>
    public const int MostSwing = 75;

    /// <summary>A pattern.</summary>
    /// <param name="order">In which order the keys are played.</param>
    /// <param name="step">How long a step is.</param>
    /// <param name="octaves">Through how many octaves it goes, 1 to 4.</param>
    /// <param name="length">How long a note is, in hundredths of a step, 5 to 100.</param>
    /// <param name="swing">By how much every second step comes late, in hundredths of a step, 0 to 75.</param>
    /// <param name="latch">Whether it goes on with the keys that were held last when they are let go.</param>
    /// <exception cref="ArgumentOutOfRangeException">One of them is out of range.</exception>
    public PatternStage(PatternOrder order, StepLength step, int octaves = 1, int length = 50, int swing = 0, bool latch = false)
    {
        if (!StepLength.All.Contains(step))
            throw new ArgumentOutOfRangeException(nameof(step));
        if (!Enum.IsDefined(order))
            throw new ArgumentOutOfRangeException(nameof(order));
        ArgumentOutOfRangeException.ThrowIfLessThan(octaves, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(octaves, MostOctaves);
        ArgumentOutOfRangeException.ThrowIfLessThan(length, 5);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(length, 100);
        ArgumentOutOfRangeException.ThrowIfNegative(swing);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(swing, MostSwing);
        (Order, Step, Octaves, Length, Swing, Latch) = (order, step, octaves, length, swing, latch);
    }

    /// <summary>In which order the keys are played.</summary>
    public PatternOrder Order { get; }

    /// <summary>How long a step is.</summary>
    public StepLength Step { get; }

    /// <summary>Through how many octaves it goes, 1 to 4.</summary>
    public int Octaves { get; }

    /// <summary>How long a note is, in hundredths of a step, 5 to 100.</summary>
    public int Length { get; }

    /// <summary>By how much every second step comes late, in hundredths of a step, 0 to 75.</summary>
    public int Swing { get; }

    /// <summary>Whether it goes on with the keys that were held last when they are let go.</summary>
    public bool Latch { get; }

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override bool LooksAtTime => true;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names) => $"pattern {WordOf(Order)} {Step}";

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) =>
        message.IsNote ? "the figure is made of what is held" : "";

    internal override ImmutableArray<int> MovesKeysBy => [.. Enumerable.Range(0, Octaves).Select(octave => 12 * octave)];

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        if (!message.IsNote)
            return Pass(message, results);
        var count = 0;
        for (var octave = 0; octave < Octaves && message.Data1 + 12 * octave <= 127; octave++)
            results[count++] = message.WithData(message.Data1 + 12 * octave, message.Data2);
        return count;
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => Through(set, 1);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Through(set, -1);

    internal override MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        var builder = MessageSet.Builder.From(PreImage(twice));
        builder.AddMapped(once, MessageSet.NoteRow, row => ChordStage.Meeting(row, MovesKeysBy));
        return builder.ToSet();
    }

    internal override CompiledStage Compile() => new Compiled(this);

    private MessageSet Through(MessageSet set, int direction)
    {
        var builder = MessageSet.Builder.From(set, MessageSet.NoteRow);
        builder.AddMapped(set, MessageSet.NoteRow, row => ChordStage.Moved(row, MovesKeysBy, direction));
        return builder.ToSet();
    }

    private static string WordOf(PatternOrder order) =>
        order switch
        {
            PatternOrder.Up => "up",
            PatternOrder.Down => "down",
            PatternOrder.ThereAndBack => "there and back",
            PatternOrder.AsPlayed => "as played",
            _ => "chord",
        };

    /// <summary>The keys that are held, where in the figure it is, and what sounds of it.</summary>
    private sealed class Compiled : CompiledStage
    {
        private const int MostHeld = 32;
        private const int MostSounding = MostHeld * 2;

        private readonly PatternOrder _order;
        private readonly int _halfPulses;
        private readonly int _octaves;
        private readonly double _length;
        private readonly double _swing;
        private readonly bool _latch;
        private readonly Key[] _held = new Key[MostHeld];
        private readonly Note[] _sounding = new Note[MostSounding];

        // What a step begins and has not been let go of yet.
        private readonly Note[] _beginning = new Note[MostHeld];
        private int _heldCount;
        private int _downCount;
        private int _soundingCount;
        private int _beginningCount;
        private int _begun;
        private int _place;
        private MidiTime _stepAt = MidiTime.Never;
        private double _stepLasts;
        private bool _stepIsSecond;

        internal Compiled(PatternStage stage)
        {
            (_order, _halfPulses, _octaves, _latch) = (stage.Order, stage.Step.HalfPulses, stage.Octaves, stage.Latch);
            (_length, _swing) = (stage.Length / 100.0, stage.Swing / 100.0);
        }

        private struct Key
        {
            public MidiMessage On;
            public int Source;
            public bool IsDown;
        }

        private struct Note
        {
            public MidiMessage On;
            public int Source;
            public MidiTime Due;
        }

        internal override bool KeepsTime => true;

        internal override bool MakesNotes => true;

        internal override MidiTime NextDue
        {
            get
            {
                if (_begun < _beginningCount)
                    return MidiTime.Zero;
                var due = _stepAt;
                for (var i = 0; i < _soundingCount; i++)
                    due = MidiTime.Earlier(due, _sounding[i].Due);
                return due;
            }
        }

        internal override int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results)
        {
            if (!message.IsNote)
            {
                if (message.SilencesMore)
                    Silence(message, source);
                return Pass(message, results);
            }
            if (message.IsNoteOn)
                Press(message, source);
            else
                LetGo(message, source);
            return 0;
        }

        internal override void Beat(long position, MidiTime at, double interval)
        {
            // The step that begins within this pulse, if one does.
            var step = (2 * position + _halfPulses - 1) / _halfPulses;
            var into = step * _halfPulses - 2 * position;
            if (into >= 2)
                return;
            (_stepLasts, _stepIsSecond) = (_halfPulses / 2.0 * interval, (step & 1) != 0);
            _stepAt = new MidiTime(at.Microseconds + (long)(into / 2.0 * interval + (_stepIsSecond ? _swing * _stepLasts : 0)));
        }

        internal override void Halt()
        {
            (_stepAt, _beginningCount, _begun, _place) = (MidiTime.Never, 0, 0, 0);
            for (var i = 0; i < _soundingCount; i++)
                _sounding[i].Due = MidiTime.Zero;
        }

        internal override void Forget(int source)
        {
            for (var i = _heldCount - 1; i >= 0; i--)
            {
                if (source == AllSources || _held[i].Source == source)
                    Remove(i);
            }
            for (var i = 0; i < _soundingCount; i++)
            {
                if (source == AllSources || _sounding[i].Source == source)
                    _sounding[i].Due = MidiTime.Zero;
            }
            if (_heldCount == 0)
                Halt();
        }

        internal override void KeepOnly(ReadOnlySpan<bool> sources)
        {
            for (var i = _heldCount - 1; i >= 0; i--)
            {
                if ((uint)_held[i].Source >= (uint)sources.Length || !sources[_held[i].Source])
                    Forget(_held[i].Source);
                i = Math.Min(i, _heldCount);
            }
        }

        internal override void GoOnFrom(CompiledStage before)
        {
            if (before is not Compiled old)
                return;
            old._held.CopyTo(_held, 0);
            old._sounding.CopyTo(_sounding, 0);
            old._beginning.CopyTo(_beginning, 0);
            (_heldCount, _downCount, _soundingCount, _beginningCount, _begun) = (
                old._heldCount,
                old._downCount,
                old._soundingCount,
                old._beginningCount,
                old._begun
            );
            (_place, _stepAt, _stepLasts, _stepIsSecond) = (old._place, old._stepAt, old._stepLasts, old._stepIsSecond);
            // Without a latch what is not down any more is not held.
            for (var i = _heldCount - 1; i >= 0 && !_latch; i--)
            {
                if (!_held[i].IsDown)
                    Remove(i);
            }
        }

        internal override bool TryLetGo(MidiTime now, out int source, out MidiMessage message)
        {
            while (true)
            {
                if (_begun < _beginningCount)
                {
                    ref var note = ref _beginning[_begun++];
                    (source, message) = (note.Source, note.On);
                    if (_soundingCount < MostSounding)
                        _sounding[_soundingCount++] = note;
                    return true;
                }
                // What ends at a step ends before that begins.
                var ends = EndingBy(MidiTime.Earlier(now, _stepAt));
                if (ends >= 0)
                {
                    ref var note = ref _sounding[ends];
                    (source, message) = (note.Source, MidiMessage.Raw(0x80 | note.On.ChannelIndex, note.On.Data1, 64));
                    note = _sounding[--_soundingCount];
                    return true;
                }
                if (_stepAt > now)
                    break;
                BeginStep();
            }
            (source, message) = (0, default);
            return false;
        }

        private int EndingBy(MidiTime time)
        {
            var found = -1;
            for (var i = 0; i < _soundingCount; i++)
            {
                if (_sounding[i].Due <= time && (found < 0 || _sounding[i].Due < _sounding[found].Due))
                    found = i;
            }
            return found;
        }

        private void BeginStep()
        {
            var at = _stepAt;
            _stepAt = MidiTime.Never;
            (_beginningCount, _begun) = (0, 0);
            if (_heldCount == 0)
                return;
            // No longer than to the next step, which is nearer to one that came late.
            var end = new MidiTime(at.Microseconds + Math.Max(1, (long)(Math.Min(_length, _stepIsSecond ? 1 - _swing : 1) * _stepLasts)));
            if (_order == PatternOrder.Chord)
            {
                var octave = _place++ % _octaves;
                for (var i = 0; i < _heldCount; i++)
                    Begin(_held[i], octave, end);
                return;
            }
            var count = _heldCount * _octaves;
            var turns = _order == PatternOrder.ThereAndBack ? Math.Max(1, 2 * count - 2) : count;
            var place = _place++ % turns;
            if (place >= count)
                place = turns - place;
            if (_order == PatternOrder.Down)
                place = count - 1 - place;
            Begin(_order == PatternOrder.AsPlayed ? _held[place % _heldCount] : Nth(place % _heldCount), place / _heldCount, end);
        }

        private void Begin(in Key key, int octave, MidiTime end)
        {
            var number = key.On.Data1 + 12 * octave;
            if (number <= 127)
                _beginning[_beginningCount++] = new Note
                {
                    On = key.On.WithData(number, key.On.Data2),
                    Source = key.Source,
                    Due = end,
                };
        }

        /// <summary>The key that so many are lower than.</summary>
        private ref Key Nth(int rank)
        {
            for (var i = 0; i < _heldCount; i++)
            {
                var lower = 0;
                for (var other = 0; other < _heldCount; other++)
                {
                    if (_held[other].On.Data1 < _held[i].On.Data1 || (_held[other].On.Data1 == _held[i].On.Data1 && other < i))
                        lower++;
                }
                if (lower == rank)
                    return ref _held[i];
            }
            return ref _held[0];
        }

        private void Press(in MidiMessage message, int source)
        {
            // With a latch a hand that begins anew begins a new figure.
            if (_downCount == 0)
            {
                (_heldCount, _place) = (0, 0);
            }
            var known = Find(message, source);
            if (known < 0)
            {
                if (_heldCount == MostHeld)
                    return;
                known = _heldCount++;
                _held[known] = new Key { Source = source };
            }
            if (!_held[known].IsDown)
                _downCount++;
            (_held[known].On, _held[known].IsDown) = (message, true);
        }

        private void LetGo(in MidiMessage message, int source)
        {
            var known = Find(message, source);
            if (known < 0 || !_held[known].IsDown)
                return;
            if (!_latch)
            {
                Remove(known);
                return;
            }
            _held[known].IsDown = false;
            _downCount--;
        }

        private void Silence(in MidiMessage message, int source)
        {
            if (message.HasChannel && message.Data1 == 121)
                return;
            for (var i = _heldCount - 1; i >= 0; i--)
            {
                if (_held[i].Source == source && (!message.HasChannel || _held[i].On.ChannelIndex == message.ChannelIndex))
                    Remove(i);
            }
        }

        private int Find(in MidiMessage message, int source)
        {
            for (var i = 0; i < _heldCount; i++)
            {
                if (_held[i].Source == source && _held[i].On.Data1 == message.Data1 && _held[i].On.ChannelIndex == message.ChannelIndex)
                    return i;
            }
            return -1;
        }

        private void Remove(int at)
        {
            if (_held[at].IsDown)
                _downCount--;
            _heldCount--;
            for (var i = at; i < _heldCount; i++)
                _held[i] = _held[i + 1];
        }
    }

    private sealed class PatternSort()
        : StageSort<PatternStage>(
            "Pattern",
            "pattern",
            "A figure of the keys that are held, in time.",
            """
            "order": { "enum": ["up", "down", "thereAndBack", "asPlayed", "chord"] },
              "step": { "enum": ["1/4.", "1/4", "1/4t", "1/8.", "1/8", "1/8t", "1/16.", "1/16", "1/16t", "1/32.", "1/32", "1/32t"] },
              "octaves": { "type": "integer", "minimum": 1, "maximum": 4 },
              "length": { "type": "integer", "minimum": 5, "maximum": 100, "description": "Of a note, in hundredths of a step." },
              "swing": { "type": "integer", "minimum": 0, "maximum": 75, "description": "By how much every second step comes late, in hundredths of a step." },
              "latch": { "type": "boolean" }
            """,
            "\"order\", \"step\""
        )
    {
        public override Stage Fresh => new PatternStage(PatternOrder.Up, new StepLength(8, ' '));

        public override string Example => "up 1/16, 2 octaves, length 50, swing 20, latch";

        public override IReadOnlyList<string> LineWords => ["pattern", "arpeggio", "figure"];

        public override Stage Read(StageFields fields)
        {
            var (order, step) = (fields.Text("order"), fields.Text("step"));
            return new PatternStage(
                Orders.FirstOrDefault(each => JsonNamingPolicy.CamelCase.ConvertName(each.ToString()) == order, (PatternOrder)(-1))
                    is >= 0
                        and var found
                    ? found
                    : throw new FormatException($"A pattern goes up, down, thereAndBack, asPlayed or as a chord, not “{order}”."),
                StepOf(step) ?? throw new FormatException($"“{step}” is no step of a pattern: 1/4 to 1/32, with a dot or a t behind it."),
                fields.Number("octaves", 1, MostOctaves, 1),
                fields.Number("length", 5, 100, 50),
                fields.Number("swing", 0, MostSwing, 0),
                fields.Flag("latch", false)
            );
        }

        /// <summary>"up 1/16", "there and back 1/8t, 2 octaves, length 80, swing 20, latch".</summary>
        public override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage = null;
            problem = $"Write an order and a step, and what else there is, like {Example}.";
            var rest = (text ?? "").Trim().ToLowerInvariant();
            if (rest.Length > 100)
                return false;
            var order = PatternOrder.Up;
            foreach (var each in Orders)
            {
                if (!rest.StartsWith(WordOf(each), StringComparison.Ordinal))
                    continue;
                (order, rest) = (each, rest[WordOf(each).Length..]);
                break;
            }
            StepLength? step = null;
            var (octaves, length, swing, latch) = (1, 50, 0, false);
            var words = rest.Replace("%", "", StringComparison.Ordinal).Split([' ', ','], StringSplitOptions.RemoveEmptyEntries);
            for (var i = 0; i < words.Length; i++)
            {
                var next = i + 1 < words.Length ? words[i + 1] : "";
                if (
                    StepOf(
                        words[i]
                            + (
                                next is "dotted" ? "."
                                : next is "triplet" or "triplets" ? "t"
                                : ""
                            )
                    ) is
                    { } known
                )
                {
                    step = known;
                    if (next is "dotted" or "triplet" or "triplets")
                        i++;
                }
                else if (words[i] is "latch" or "hold")
                {
                    latch = true;
                }
                else if (words[i] is "length" or "len" or "gate")
                {
                    if (!TypedNumber.TryRead(next, 5, 100, out length))
                        return Wrong("A note of a pattern is 5 to 100 hundredths of a step long.", out problem);
                    i++;
                }
                else if (words[i] is "swing")
                {
                    if (!TypedNumber.TryRead(next, 0, MostSwing, out swing))
                        return Wrong($"Swing is 0 to {MostSwing} hundredths of a step.", out problem);
                    i++;
                }
                else if (next is "octave" or "octaves" or "oct")
                {
                    if (!TypedNumber.TryRead(words[i], 1, MostOctaves, out octaves))
                        return Wrong($"A pattern goes through 1 to {MostOctaves} octaves.", out problem);
                    i++;
                }
                else
                {
                    return false;
                }
            }
            if (step is not { } length1)
                return false;
            (stage, problem) = (new PatternStage(order, length1, octaves, length, swing, latch), "");
            return true;
        }

        public override bool TryRead(StageField field, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem) =>
            field("rule") is { } rule
                ? TryRead(rule, names, out stage, out problem)
                : TryRead(
                    $"{field("order")} {field("step")}, {field("octaves")} octaves, length {field("length")}, swing "
                        + $"{field("swing")}{(field("latch") is null ? "" : ", latch")}",
                    names,
                    out stage,
                    out problem
                );

        private protected override string TextOf(PatternStage stage, KeyNaming names) =>
            string.Create(
                CultureInfo.InvariantCulture,
                $"{WordOf(stage.Order)} {stage.Step}{(stage.Octaves == 1 ? "" : $", {stage.Octaves} octaves")}, length {stage.Length}{(stage.Swing == 0 ? "" : $", swing {stage.Swing}")}{(stage.Latch ? ", latch" : "")}"
            );

        private protected override void Write(PatternStage stage, Utf8JsonWriter writer)
        {
            writer.WriteString("order", JsonNamingPolicy.CamelCase.ConvertName(stage.Order.ToString()));
            writer.WriteString("step", stage.Step.ToString());
            if (stage.Octaves != 1)
                writer.WriteNumber("octaves", stage.Octaves);
            if (stage.Length != 50)
                writer.WriteNumber("length", stage.Length);
            if (stage.Swing != 0)
                writer.WriteNumber("swing", stage.Swing);
            if (stage.Latch)
                writer.WriteBoolean("latch", true);
        }

        private static readonly PatternOrder[] Orders = Enum.GetValues<PatternOrder>();

        private static StepLength? StepOf(string text) =>
            StepLength.All.Cast<StepLength?>().FirstOrDefault(each => each!.Value.ToString() == text);

        private static bool Wrong(string sentence, out string problem)
        {
            problem = sentence;
            return false;
        }
    }
}
