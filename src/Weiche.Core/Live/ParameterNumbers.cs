using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>Which registered or non-registered parameter is selected at a destination on each channel, and which one each source means
/// (MIDI 1.0 Detailed Specification, "Registered and Non-Registered Parameter Numbers"): where another source's selection came between, the
/// selection is sent again before the data.</summary>
/// <remarks>Of a source that has selected half a parameter number the other half is nothing, not what another source selected: its data
/// then moves nothing.</remarks>
internal sealed class ParameterNumbers
{
    private readonly Selection[] _selected = new Selection[Channel.Count];
    private readonly Dictionary<PortId, Selection[]> _selectedBy = [];

    /// <summary>The parameter that is selected on a channel.</summary>
    private struct Selection
    {
        private const byte Unknown = 0xFF;

        private byte _high;
        private byte _low;
        private byte _numbers;

        // What selects no parameter that there is (“null function”).
        private const byte Nothing = 127;

        /// <summary>Whether anything is selected, be it half.</summary>
        public readonly bool IsAny => _numbers != 0;

        /// <summary>Takes one of the controllers 98 to 101.</summary>
        public void Take(int controller, int value)
        {
            var numbers = (byte)(controller < 100 ? 98 : 100);
            if (numbers != _numbers)
                (_numbers, _high, _low) = (numbers, Unknown, Unknown);
            if (controller == numbers)
                _low = (byte)value;
            else
                _high = (byte)value;
        }

        public readonly bool IsSame(Selection other) => _numbers == other._numbers && _high == other._high && _low == other._low;

        public readonly MidiMessage High(int channel) => MidiMessage.Raw(0xB0 | channel, _numbers + 1, _high == Unknown ? Nothing : _high);

        public readonly MidiMessage Low(int channel) => MidiMessage.Raw(0xB0 | channel, _numbers, _low == Unknown ? Nothing : _low);
    }

    /// <summary>Whether a message selects a parameter or moves it.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal static bool Concerns(in MidiMessage message) =>
        (message.Status & 0xF0) == 0xB0 && message.Data1 is 6 or 38 or 96 or 97 or (>= 98 and <= 101);

    /// <summary>Takes a message that <see cref="Concerns"/> parameters.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">The source it came from.</param>
    /// <param name="high">What must be sent before it, first.</param>
    /// <param name="low">What must be sent before it, second.</param>
    /// <returns>Whether anything must be sent before it.</returns>
    internal bool MustSelect(in MidiMessage message, PortId source, out MidiMessage high, out MidiMessage low)
    {
        var channel = message.ChannelIndex;
        (high, low) = (default, default);
        if (message.Data1 is >= 98 and <= 101)
        {
            if (!_selectedBy.TryGetValue(source, out var selections))
                _selectedBy.Add(source, selections = new Selection[Channel.Count]);
            selections[channel].Take(message.Data1, message.Data2);
            _selected[channel].Take(message.Data1, message.Data2);
            return false;
        }
        if (!_selectedBy.TryGetValue(source, out var own) || !own[channel].IsAny || own[channel].IsSame(_selected[channel]))
            return false;
        _selected[channel] = own[channel];
        (high, low) = (own[channel].High(channel), own[channel].Low(channel));
        return true;
    }
}
