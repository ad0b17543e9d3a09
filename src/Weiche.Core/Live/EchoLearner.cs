using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>Learns from the tap, beside the music, what devices send again that they were sent: the same, or changed alike each
/// time.</summary>
/// <remarks>
/// <para>It looks at note-ons. What was sent to a device and comes from it a moment later is counted for the change that would make the one
/// of the other, if it comes after the same time as before. Where nearly everything that was sent came back so, often enough to be no
/// chance, it is an echo that nobody declared.</para>
/// <para>What came from the device itself before it was sent there explains nothing to a person: a sequencer that is played through Weiche
/// looks like its own echo. For the guard it counts all the same, since that proves before it stops.</para>
/// <para>Not for several threads at once.</para>
/// </remarks>
public sealed class EchoLearner
{
    /// <summary>So often something must have come back to be no chance.</summary>
    public const int TimesToKnow = 12;

    private const int MomentsToKnow = 8;
    private const int SentKept = 64;
    private const int NewestTried = 8;
    private const int MostRelations = 512;
    private const int CountedMost = 128;
    private static readonly MidiSpan Longest = MidiSpan.FromMilliseconds(400);
    private static readonly MidiSpan Unsteady = MidiSpan.FromMilliseconds(4);

    private readonly Dictionary<DeviceId, Queue<Sent>> _sent = [];
    private readonly Dictionary<Change, Relation> _relations = [];
    private readonly Dictionary<(PortId To, int Channel), List<Relation>> _byDestination = [];
    private readonly List<Relation> _met = [];
    private Studio? _studio;
    private Dictionary<PortId, DeviceId> _devices = [];
    private MidiTime _now;
    private DeviceId _cameFrom;
    private bool _isMade;
    private long _number;

    private readonly record struct Sent(PortId To, int Channel, int Key, int Velocity, MidiTime Time, long Number, bool IsOwn);

    private readonly record struct Change(PortId To, PortId From, int SentChannel, int CameChannel, int Keys, int Velocity);

    // What takes long is not for that reason less steady: within a wide window anything comes by chance.
    private static readonly MidiSpan MostUnsteady = MidiSpan.FromMilliseconds(30);

    private struct Tally
    {
        internal int Came;
        internal int Of;

        /// <summary>At how many moments something was sent that came: chords may fit one another by chance, all their keys at
        /// once.</summary>
        internal int Moments;

        // One more than the time, so that 0 stands for none.
        private long _lastMoment;

        internal void Take(long sentAt)
        {
            Came++;
            if (_lastMoment == sentAt + 1)
                return;
            _lastMoment = sentAt + 1;
            Moments++;
        }

        internal void Halve() => (Came, Of, Moments) = (Came / 2, Of / 2, Moments / 2);

        internal readonly bool IsSure(int pending) => Came >= TimesToKnow && Moments >= MomentsToKnow && Came * 10 >= (Of - pending) * 9;
    }

    private sealed class Relation(Change change)
    {
        internal readonly Change Change = change;
        internal Tally All;
        internal Tally Foreign;
        internal double Delay;
        internal long Last;

        /// <summary>How many came at another time since the last that came after the delay.</summary>
        internal int Elsewhere;

        internal void Begin(long delay, bool isOwn) =>
            (Delay, All, Foreign, Elsewhere) = (delay, new Tally { Of = 1 }, new Tally { Of = isOwn ? 0 : 1 }, 0);
    }

    /// <summary>From now on messages run through this studio. What was learned of its ports before is kept.</summary>
    /// <param name="studio">The studio.</param>
    public void Use(Studio studio)
    {
        if (_studio is not null && ReferenceEquals(_studio, studio))
            return;
        if (_studio is null || _studio.Devices != studio.Devices || _studio.Cables != studio.Cables)
            _devices = studio.Ports.Where(port => !port.Device.PassesOn()).ToDictionary(port => port.Id, port => port.Device.Id);
        _studio = studio;
    }

    /// <summary>Forgets all: another studio is open.</summary>
    public void Forget()
    {
        _sent.Clear();
        _relations.Clear();
        _byDestination.Clear();
    }

    /// <summary>Takes the next record of the tap.</summary>
    /// <param name="record">The record.</param>
    public void Take(in TapRecord record)
    {
        if (record.Event is TapEvent.Played)
            (_now, _cameFrom) = (record.Time, default);
        // What Weiche made itself came from no device.
        if (record.Event is TapEvent.Made)
            _now = record.Time;
        var isMade = _isMade;
        _isMade = record.Event is TapEvent.Made;
        if (record.Event is not (TapEvent.Came or TapEvent.Delivered))
            return;
        if (record.Event == TapEvent.Came)
            _now = record.Time;
        var known = _devices.TryGetValue(record.Port, out var device);
        if (record.Event == TapEvent.Came)
            _cameFrom = device;
        var message = record.Message;
        if (!known || !message.IsNoteOn)
            return;
        if (record.Event == TapEvent.Came)
            Came(device, record.Port, message);
        else
            Delivered(device, record.Port, message, !isMade && _cameFrom == device);
    }

    /// <summary>What comes back, sent by others: what a person should know.</summary>
    public IReadOnlyList<WayBack> Found() =>
        [
            .. _relations
                .Values.Where(relation => relation.Foreign.IsSure(PendingOf(relation, foreign: true)))
                // A run up the keys looks like an echo of the key before, too: what comes unchanged and soonest is the likelier.
                .OrderBy(relation => ChangeOf(relation).IsNone ? 0 : 1)
                .ThenBy(relation => relation.Delay)
                .Select(relation => WayOf(relation, relation.Foreign)),
        ];

    /// <summary>What comes back changed, whoever sent it: what the guard follows.</summary>
    public IReadOnlyList<WayBack> Changed() =>
        [
            .. _relations
                .Values.Where(relation => !ChangeOf(relation).IsNone && relation.All.IsSure(PendingOf(relation, foreign: false)))
                .Select(relation => WayOf(relation, relation.All)),
        ];

    private static EchoChange ChangeOf(Relation relation) =>
        new(
            Channel.FromIndex(relation.Change.SentChannel),
            Channel.FromIndex(relation.Change.CameChannel),
            relation.Change.Keys,
            relation.Change.Velocity
        );

    private static WayBack WayOf(Relation relation, Tally tally) =>
        new(relation.Change.To, relation.Change.From, new MidiSpan((long)relation.Delay))
        {
            Change = ChangeOf(relation),
            Came = tally.Came,
            Of = Math.Max(tally.Came, tally.Of),
        };

    /// <summary>How many that were sent just now may still come back.</summary>
    private int PendingOf(Relation relation, bool foreign) =>
        !_devices.TryGetValue(relation.Change.To, out var device) || !_sent.TryGetValue(device, out var sent)
            ? 0
            : sent.Count(each =>
                each.To == relation.Change.To
                && each.Channel == relation.Change.SentChannel
                && each.Number > relation.Last
                && !(foreign && each.IsOwn)
                && (_now - each.Time).Microseconds <= relation.Delay + ToleranceOf(relation)
            );

    private static double ToleranceOf(Relation relation) =>
        Math.Clamp(relation.Delay / 2, Unsteady.Microseconds, MostUnsteady.Microseconds);

    private void Delivered(DeviceId device, PortId to, in MidiMessage message, bool isOwn)
    {
        var sent = new Sent(to, message.ChannelIndex, message.Data1, message.Data2, _now, ++_number, isOwn);
        if (!_sent.TryGetValue(device, out var queue))
            _sent.Add(device, queue = new Queue<Sent>(SentKept));
        if (queue.Count == SentKept)
            queue.Dequeue();
        queue.Enqueue(sent);
        if (!_byDestination.TryGetValue((to, sent.Channel), out var relations))
            return;
        for (var i = relations.Count - 1; i >= 0; i--)
        {
            var relation = relations[i];
            relation.All.Of++;
            if (!sent.IsOwn)
                relation.Foreign.Of++;
            if (relation.All.Of >= CountedMost)
            {
                relation.All.Halve();
                relation.Foreign.Halve();
            }
            // What hardly ever comes was chance.
            if (relation.All.Of >= TimesToKnow && relation.All.Came * 2 < relation.All.Of)
                Drop(relation);
        }
    }

    private void Came(DeviceId device, PortId from, in MidiMessage message)
    {
        if (!_sent.TryGetValue(device, out var queue))
            return;
        _met.Clear();
        var number = 0;
        foreach (var sent in queue.Reverse())
        {
            var after = _now - sent.Time;
            if (after > Longest)
                break;
            var change = new Change(
                sent.To,
                from,
                sent.Channel,
                message.ChannelIndex,
                message.Data1 - sent.Key,
                message.Data2 - sent.Velocity
            );
            if (_relations.TryGetValue(change, out var relation))
            {
                if (sent.Number <= relation.Last || _met.Contains(relation))
                    continue;
                if (Math.Abs(after.Microseconds - relation.Delay) <= ToleranceOf(relation))
                    relation.Delay += (after.Microseconds - relation.Delay) / 4;
                else if (++relation.Elsewhere < relation.All.Came)
                    continue;
                // The first that came may have been late: it is begun with anew.
                else
                    relation.Begin(after.Microseconds, sent.IsOwn);
            }
            else
            {
                if (number++ >= NewestTried || _relations.Count >= MostRelations && !DropOne())
                    continue;
                relation = new Relation(change);
                relation.Begin(after.Microseconds, sent.IsOwn);
                _relations.Add(change, relation);
                if (!_byDestination.TryGetValue((sent.To, sent.Channel), out var list))
                    _byDestination.Add((sent.To, sent.Channel), list = []);
                list.Add(relation);
            }
            relation.All.Take(sent.Time.Microseconds);
            if (!sent.IsOwn)
                relation.Foreign.Take(sent.Time.Microseconds);
            relation.Elsewhere = 0;
            relation.Last = sent.Number;
            _met.Add(relation);
        }
    }

    private bool DropOne()
    {
        if (_relations.Values.Where(relation => !relation.All.IsSure(0)).MinBy(relation => relation.Last) is not { } oldest)
            return false;
        Drop(oldest);
        return true;
    }

    private void Drop(Relation relation)
    {
        _relations.Remove(relation.Change);
        _byDestination[(relation.Change.To, relation.Change.SentChannel)].Remove(relation);
    }
}
