using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Tests.Live;

/// <summary>An engine whose time is told, with what goes out and when.</summary>
internal sealed class Evening : IByteTaker
{
    internal const int AllKeys = -1;

    private readonly List<(MidiTime At, PortId To, byte Byte)> _sent = new(200_000);

    internal Evening(Studio studio)
    {
        Studio = studio;
        Engine = new Engine(CompiledStudio.Compile(studio));
        Box = studio.From("box");
        Drain();
    }

    internal Studio Studio { get; private set; }

    internal Engine Engine { get; }

    internal PortId Box { get; }

    internal bool Keeps { get; init; } = true;

    /// <summary>A destination whose bytes nobody takes.</summary>
    internal PortId Away { get; set; }

    internal MidiTime Now { get; private set; }

    internal void GoOn(long milliseconds) => GoTo(Now + MidiSpan.FromMilliseconds(milliseconds));

    internal void GoTo(MidiTime until)
    {
        while (Engine.NextDue <= until)
        {
            Now = MidiTime.Later(Now, Engine.NextDue);
            Engine.Tick(Now);
            Drain();
        }
        Now = MidiTime.Later(Now, until);
    }

    internal void Send(string from, params byte[] bytes)
    {
        Engine.Receive(Studio.From(from), bytes, Now);
        Drain();
    }

    internal void Do(TimeWork what)
    {
        Engine.Do(what, Now);
        Drain();
    }

    internal void LetGo(TimeWork what)
    {
        Engine.LetGo(what, Now);
        Drain();
    }

    internal void Edit(StudioEdit edit)
    {
        Studio = Studio.Must(edit);
        Engine.Swap(Engine.Prepare(CompiledStudio.Compile(Studio, Engine.Compiled)), Now);
        Drain();
    }

    internal List<(MidiTime At, byte Byte)> BytesAt(string to) =>
        [.. _sent.Where(each => each.To == Studio.To(to)).Select(each => (each.At, each.Byte))];

    internal List<(MidiTime At, bool On, int Key, int Velocity)> NotesAt(string to)
    {
        var notes = new List<(MidiTime, bool, int, int)>();
        var bytes = BytesAt(to).Where(each => each.Byte < 0xF8).ToList();
        for (var i = 0; i + 2 < bytes.Count; i++)
        {
            var status = bytes[i].Byte;
            // All notes off ends them all.
            if (status == 0xB0 && bytes[i + 1].Byte == 123)
                notes.Add((bytes[i].At, false, AllKeys, 0));
            if ((status & 0xE0) != 0x80)
                continue;
            notes.Add((bytes[i].At, (status & 0xF0) == 0x90 && bytes[i + 2].Byte > 0, bytes[i + 1].Byte, bytes[i + 2].Byte));
            i += 2;
        }
        return notes;
    }

    internal List<MidiTime> PulsesAt(string to) => [.. BytesAt(to).Where(each => each.Byte == 0xF8).Select(each => each.At)];

    internal List<string> OrdersAt(string to)
    {
        var bytes = BytesAt(to).Where(each => each.Byte != 0xF8).Select(each => each.Byte).ToList();
        var orders = new List<string>();
        for (var i = 0; i < bytes.Count; i++)
            orders.Add(bytes[i] == 0xF2 ? $"F2 {bytes[++i]:X2} {bytes[++i]:X2}" : $"{bytes[i]:X2}");
        return orders;
    }

    public int Take(PortId destination, ReadOnlySpan<byte> bytes)
    {
        if (destination == Away)
            return IByteTaker.Away;
        if (!Keeps)
            return bytes.Length;
        foreach (var each in bytes)
            _sent.Add((Now, destination, each));
        return bytes.Length;
    }

    private void Drain()
    {
        var taker = this;
        Engine.Drain(ref taker, Now);
    }
}
