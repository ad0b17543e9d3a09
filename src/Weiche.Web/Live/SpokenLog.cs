using System.Collections.Concurrent;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>What a port last sent.</summary>
/// <param name="Port">The source, or null for one that has no name yet.</param>
/// <param name="Unit">What is plugged in and has no name yet, or null.</param>
/// <param name="Name">The port, or what it calls itself and where it is.</param>
/// <param name="Words">The message: kind, channel.</param>
public sealed record Spoken(DevicePort? Port, Unit? Unit, string Name, string Words);

/// <summary>Remembers who spoke last: the lines of Watch for ports that have a name, and what comes from those that have none
/// yet.</summary>
public sealed class SpokenLog
{
    private const int Shown = 6;

    private readonly WatchLog _watch;
    private readonly StudioClock _clock;
    private readonly ConcurrentDictionary<string, long> _counts = new();
    private readonly ConcurrentDictionary<string, (SpokeUp Spoke, long At)> _unnamed = new();

    /// <summary>A log.</summary>
    /// <param name="desk">The running studio.</param>
    /// <param name="watch">The lines of Watch.</param>
    public SpokenLog(StudioDesk desk, WatchLog watch)
    {
        _watch = watch;
        _clock = desk.Junction.Clock;
        desk.StandIns.Spoke += Hear;
    }

    /// <summary>How often each thing without a name has spoken, clock and active sensing left out.</summary>
    public IReadOnlyDictionary<string, long> Counts => _counts;

    private void Hear(SpokeUp spoke)
    {
        if (spoke.Bytes is [0xF8 or 0xFE, ..])
            return;
        _unnamed[spoke.Unit] = (spoke, _clock.Now.Microseconds);
        _counts.AddOrUpdate(spoke.Unit, 1, (_, count) => count + 1);
    }

    /// <summary>Who spoke, the latest first, each once.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="room">What is plugged in.</param>
    public IReadOnlyList<Spoken> Latest(Studio studio, RoomState room)
    {
        var named = _watch
            .LastFrom()
            .Where(item => studio.FindPort(item.Port) is not null)
            .Select(item =>
                (Spoken: new Spoken(studio.FindPort(item.Port), null, studio.FindPort(item.Port)!.Value.Label, item.Words), item.At)
            );
        var unnamed = room
            .Call.New.Where(unit => _unnamed.ContainsKey(unit.Key))
            .Select(unit =>
                (
                    Spoken: new Spoken(
                        null,
                        unit,
                        $"{unit.Place}, says “{unit.Says}”",
                        InWords(_unnamed[unit.Key].Spoke.Bytes, studio.KeyNaming)
                    ),
                    _unnamed[unit.Key].At
                )
            );
        return [.. named.Concat(unnamed).OrderByDescending(item => item.At).Take(Shown).Select(item => item.Spoken)];
    }

    private static string InWords(byte[] bytes, KeyNaming names)
    {
        var words = new Reading(names);
        new StreamParser(new SysExPool(1, 1)).Parse(bytes, ref words);
        return words.Text;
    }

    private sealed class Reading(KeyNaming names) : IMessageSink
    {
        public string Text { get; private set; } = "something that is no whole message";

        public void Accept(in MidiMessage message) =>
            Text = MessageText.Words(message, names) + (message.HasChannel ? $", channel {message.ChannelIndex + 1}" : "");
    }
}
