using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Takes;

/// <summary>What must be sent so that a take that is begun in the middle sounds as if it had been played from the beginning: programs with
/// their banks, parameters, controllers, bend, pressure and pedals as they are in force there. No note that began before is
/// struck.</summary>
public static class CatchUp
{
    private const int Banks = 0;
    private const int FineBanks = 32;

    /// <summary>The messages, at the moment from which on the take is played.</summary>
    /// <param name="take">The take.</param>
    /// <param name="at">That moment.</param>
    public static ImmutableArray<TakeEvent> At(Take take, MidiSpan at)
    {
        var states = new SortedDictionary<(int Track, int Channel), Standing>();
        foreach (var each in take.Events)
        {
            if (each.At >= at)
                break;
            if (!each.Message.HasChannel)
                continue;
            var key = (each.Track, each.Message.ChannelIndex);
            if (!states.TryGetValue(key, out var state))
                states.Add(key, state = new Standing());
            state.Take(each.Message);
        }
        return
        [
            .. states.SelectMany(each =>
                each.Value.Messages(each.Key.Channel).Select(message => new TakeEvent(at, each.Key.Track, message))
            ),
        ];
    }

    private sealed class Standing
    {
        private readonly int[] _controllers = [.. Enumerable.Repeat(-1, 120)];

        // In the order in which they were set; of each the numbers with which it was chosen, and its value.
        private readonly List<(bool Registered, int Number, int Coarse, int Fine)> _parameters = [];
        private (int Coarse, int Fine) _bankOfProgram = (-1, -1);
        private int _program = -1;
        private int _pressure = -1;
        private (int Low, int High)? _bend;
        private bool _registered = true;
        private int _number = 0x3FFF;

        internal void Take(in MidiMessage message)
        {
            switch (message.Status & 0xF0)
            {
                case 0xB0:
                    Control(message.Data1, message.Data2);
                    break;
                case 0xC0:
                    (_program, _bankOfProgram) = (message.Data1, (_controllers[Banks], _controllers[FineBanks]));
                    break;
                case 0xD0:
                    _pressure = message.Data1;
                    break;
                case 0xE0:
                    _bend = (message.Data1, message.Data2);
                    break;
            }
        }

        private void Control(int controller, int value)
        {
            switch (controller)
            {
                case 121:
                    Reset();
                    break;
                case >= 120:
                    break;
                case 98 or 99:
                    _number =
                        controller == 99
                            ? value << 7 | (_registered ? 0x7F : _number & 0x7F)
                            : (_registered ? 0x3F80 : _number & 0x3F80) | value;
                    _registered = false;
                    break;
                case 100 or 101:
                    _number =
                        controller == 101
                            ? value << 7 | (_registered ? _number & 0x7F : 0x7F)
                            : (_registered ? _number & 0x3F80 : 0x3F80) | value;
                    _registered = true;
                    break;
                case 6 or 38:
                    if (_number != 0x3FFF)
                        Enter(controller == 6, value);
                    break;
                case 96 or 97:
                    // Up and down by steps is not to be told from where it stood.
                    break;
                default:
                    _controllers[controller] = value;
                    break;
            }
        }

        private void Enter(bool coarse, int value)
        {
            var at = _parameters.FindIndex(each => each.Registered == _registered && each.Number == _number);
            var (hadCoarse, hadFine) = at < 0 ? (-1, -1) : (_parameters[at].Coarse, _parameters[at].Fine);
            if (at >= 0)
                _parameters.RemoveAt(at);
            _parameters.Add((_registered, _number, coarse ? value : hadCoarse, coarse ? hadFine : value));
        }

        /// <summary>What reset all controllers puts to rest (RP-015); bank, volume, pan and effects stay.</summary>
        private void Reset()
        {
            foreach (var controller in (ReadOnlySpan<int>)[1, 33, 2, 34, 4, 36, 11, 43, 64, 65, 66, 67])
                _controllers[controller] = -1;
            (_pressure, _bend, _number) = (-1, null, 0x3FFF);
        }

        internal IEnumerable<MidiMessage> Messages(int channel)
        {
            if (_program >= 0)
            {
                if (_bankOfProgram.Coarse >= 0)
                    yield return Controller(Banks, _bankOfProgram.Coarse);
                if (_bankOfProgram.Fine >= 0)
                    yield return Controller(FineBanks, _bankOfProgram.Fine);
                yield return MidiMessage.Raw(0xC0 | channel, _program, 0);
            }
            foreach (var bank in (int[])[Banks, FineBanks])
            {
                // Chosen since, for a program that comes later.
                if (
                    _controllers[bank] >= 0
                    && (_program < 0 || _controllers[bank] != (bank == Banks ? _bankOfProgram.Coarse : _bankOfProgram.Fine))
                )
                    yield return Controller(bank, _controllers[bank]);
            }
            foreach (var each in _parameters)
            {
                yield return Controller(each.Registered ? 101 : 99, each.Number >> 7);
                yield return Controller(each.Registered ? 100 : 98, each.Number & 0x7F);
                if (each.Coarse >= 0)
                    yield return Controller(6, each.Coarse);
                if (each.Fine >= 0)
                    yield return Controller(38, each.Fine);
            }
            if (_parameters.Count > 0 || _number != 0x3FFF)
            {
                yield return Controller(_registered ? 101 : 99, _number >> 7);
                yield return Controller(_registered ? 100 : 98, _number & 0x7F);
            }
            for (var controller = 1; controller < _controllers.Length; controller++)
            {
                if (controller != FineBanks && _controllers[controller] >= 0)
                    yield return Controller(controller, _controllers[controller]);
            }
            if (_pressure >= 0)
                yield return MidiMessage.Raw(0xD0 | channel, _pressure, 0);
            if (_bend is { } bend)
                yield return MidiMessage.Raw(0xE0 | channel, bend.Low, bend.High);

            MidiMessage Controller(int number, int value) => MidiMessage.Raw(0xB0 | channel, number, value);
        }
    }
}
