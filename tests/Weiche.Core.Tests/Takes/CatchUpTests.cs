using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Takes;

public sealed class CatchUpTests
{
    /// <summary>What an instrument would know of a channel: told by hearing messages one after the other.</summary>
    private sealed class Instrument
    {
        private readonly Dictionary<int, int> _controllers = [];
        private readonly Dictionary<(bool, int), (int, int)> _parameters = [];
        private int _program = -1;
        private (int, int) _bank = (-1, -1);
        private int _bend = 8192;
        private int _pressure;
        private bool _registered = true;
        private (int High, int Low) _number = (127, 127);

        internal void Hear(MidiMessage message)
        {
            switch (message.Status & 0xF0)
            {
                case 0xC0:
                    (_program, _bank) = (message.Data1, (_controllers.GetValueOrDefault(0, -1), _controllers.GetValueOrDefault(32, -1)));
                    break;
                case 0xD0:
                    _pressure = message.Data1;
                    break;
                case 0xE0:
                    _bend = message.Data1 | message.Data2 << 7;
                    break;
                case 0xB0 when message.Data1 is 98 or 99 or 100 or 101:
                    var registered = message.Data1 >= 100;
                    if (registered != _registered)
                        _number = (127, 127);
                    _registered = registered;
                    _number = message.Data1 % 2 == 1 ? (message.Data2, _number.Low) : (_number.High, message.Data2);
                    break;
                case 0xB0 when message.Data1 is 6 or 38:
                    if (_number == (127, 127))
                        break;
                    var key = (_registered, _number.High << 7 | _number.Low);
                    var (coarse, fine) = _parameters.GetValueOrDefault(key, (-1, -1));
                    _parameters[key] = message.Data1 == 6 ? (message.Data2, fine) : (coarse, message.Data2);
                    break;
                case 0xB0 when message.Data1 == 121:
                    foreach (var each in new[] { 1, 33, 2, 34, 4, 36, 11, 43, 64, 65, 66, 67 })
                        _controllers.Remove(each);
                    (_bend, _pressure, _number) = (8192, 0, (127, 127));
                    break;
                case 0xB0 when message.Data1 < 120 && message.Data1 is not (96 or 97):
                    _controllers[message.Data1] = message.Data2;
                    break;
            }
        }

        internal string Knows() =>
            string.Join(
                ' ',
                _controllers.Where(each => each.Key is not (0 or 32)).OrderBy(each => each.Key).Select(each => $"{each.Key}={each.Value}")
            )
            + $" | {_program} of {_bank} | {_bend} {_pressure} | "
            + string.Join(' ', _parameters.OrderBy(each => each.Key).Select(each => $"{each.Key}={each.Value}"));
    }

    [Fact]
    public void Begun_anywhere_an_instrument_knows_what_it_would_have_known_and_no_note_is_struck()
    {
        var message = Gen.OneOf(
            Gen.Select(
                    Gen.OneOf(
                        Gen.Const(0),
                        Gen.Const(32),
                        Gen.Const(1),
                        Gen.Const(7),
                        Gen.Const(11),
                        Gen.Const(64),
                        Gen.Const(66),
                        Gen.Const(74),
                        Gen.Const(6),
                        Gen.Const(38),
                        Gen.Const(98),
                        Gen.Const(99),
                        Gen.Const(100),
                        Gen.Const(101),
                        Gen.Const(121),
                        Gen.Const(123)
                    ),
                    Gen.Int[0, 127]
                )
                .Select((control, value) => MidiMessage.FromBytes(0xB0, control, value)),
            Gen.Int[0, 127].Select(program => MidiMessage.FromBytes(0xC0, program)),
            Gen.Int[0, 127].Select(pressure => MidiMessage.FromBytes(0xD0, pressure)),
            Gen.Select(Gen.Int[0, 127], Gen.Int[0, 127]).Select((low, high) => MidiMessage.FromBytes(0xE0, low, high)),
            Gen.Int[0, 127].Select(key => MidiMessage.FromBytes(0x90, key, 80))
        );
        Gen.Select(message.Array[0, 60], Gen.Int[0, 60])
            .Sample(
                (messages, at) =>
                {
                    var take = new Take
                    {
                        Tracks = [new TakeTrack("one")],
                        Events = [.. messages.Select((each, index) => new TakeEvent(new MidiSpan(index), 0, each))],
                        Length = new MidiSpan(60),
                    };
                    var (played, caught) = (new Instrument(), new Instrument());
                    foreach (var each in messages.Take(at))
                        played.Hear(each);
                    var sent = CatchUp.At(take, new MidiSpan(at));
                    foreach (var each in sent)
                        caught.Hear(each.Message);
                    Assert.Equal(played.Knows(), caught.Knows());
                    Assert.DoesNotContain(sent, each => each.Message.IsNoteOn || each.Message.IsNoteOff);
                },
                iter: 5_000
            );
    }
}
