using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Files;

/// <summary>What was played in the demo studio before anybody came: a rehearsal of the dome's evening, the same each time.</summary>
public static class DemoTakes
{
    private const int Quarter = 625_000;

    /// <summary>A stretch of playing.</summary>
    /// <param name="Name">What it is called as a take; empty for what is only on the reel.</param>
    /// <param name="Begin">When it begins.</param>
    /// <param name="End">When it ends.</param>
    /// <param name="Pages">Its pages.</param>
    public sealed record Stretch(string Name, MidiTime Begin, MidiTime End, IReadOnlyList<TapePage> Pages);

    /// <summary>The takes: "Comet, first go" and "Drums for Dawn".</summary>
    /// <param name="studio">The demo studio.</param>
    /// <param name="begin">When the first begins.</param>
    public static IReadOnlyList<Stretch> Takes(Studio studio, MidiTime begin) =>
        [
            Play("Comet, first go", studio, begin, bars: 32, seed: 7, keys: true, fingers: true, pads: false, lineups: true),
            Play(
                "Drums for Dawn",
                studio,
                begin + MidiSpan.Second * 180,
                bars: 16,
                seed: 11,
                keys: false,
                fingers: false,
                pads: true,
                lineups: false
            ),
        ];

    /// <summary>What is on the reel.</summary>
    /// <param name="studio">The demo studio.</param>
    /// <param name="now">When it ends.</param>
    public static IReadOnlyList<Stretch> Reel(Studio studio, MidiTime now) =>
        [
            Play("", studio, now - MidiSpan.Second * 1640, bars: 40, seed: 3, keys: true, fingers: false, pads: false, lineups: false),
            Play("", studio, now - MidiSpan.Second * 1290, bars: 60, seed: 5, keys: true, fingers: false, pads: true, lineups: false),
            Play("", studio, now - MidiSpan.Second * 820, bars: 64, seed: 9, keys: true, fingers: true, pads: false, lineups: false),
            Play("", studio, now - MidiSpan.Second * 330, bars: 100, seed: 13, keys: true, fingers: true, pads: true, lineups: false),
        ];

    private static Stretch Play(
        string name,
        Studio studio,
        MidiTime begin,
        int bars,
        int seed,
        bool keys,
        bool fingers,
        bool pads,
        bool lineups
    )
    {
        var events = new List<(long At, string From, byte[] Bytes)>();
        var chance = new Random(seed);
        if (keys)
            Keys(events, chance, bars);
        if (fingers)
            Fingers(events, chance, bars);
        if (pads)
            Pads(events, chance, bars);
        var length = bars * 4L * Quarter;
        return new Stretch(
            name,
            begin,
            begin + new MidiSpan(length),
            Write(studio, begin, length, lineups, [.. events.Where(each => each.At >= 0 && each.At < length).OrderBy(each => each.At)])
        );
    }

    /// <summary>Broken chords with a tune above them, with the hand's own timing, and the pedal on each chord.</summary>
    private static void Keys(List<(long At, string From, byte[] Bytes)> events, Random chance, int bars)
    {
        int[][] chords =
        [
            [45, 52, 57, 60, 64],
            [41, 48, 53, 57, 60],
            [48, 55, 60, 64, 67],
            [43, 50, 55, 59, 62],
        ];
        int[] tune = [76, 79, 72, 74, 76, 69, 72, 71];
        for (var bar = 0; bar < bars; bar++)
        {
            var chord = chords[bar / 2 % 4];
            var start = bar * 4L * Quarter;
            if (bar % 2 == 0)
            {
                Add(events, start + 60_000, "Amsel 61", 0xB0, 64, 127);
                Add(events, start + 8L * Quarter - 120_000, "Amsel 61", 0xB0, 64, 0);
            }
            for (var eighth = 0; eighth < 8; eighth++)
            {
                if (chance.NextDouble() < 0.12)
                    continue;
                Note(
                    events,
                    start + eighth * Quarter / 2 + chance.Next(-26_000, 34_000),
                    Quarter / 2 - chance.Next(20_000, 120_000),
                    "Amsel 61",
                    0,
                    chord[eighth % 8 < 5 ? eighth % 5 : 8 - eighth],
                    52 + chance.Next(0, 36)
                );
            }
            if (bar % 4 != 3)
                Note(
                    events,
                    start + (bar % 3) * Quarter + chance.Next(-20_000, 30_000),
                    2L * Quarter - 90_000,
                    "Amsel 61",
                    0,
                    tune[bar % 8],
                    74 + chance.Next(0, 30)
                );
        }
    }

    /// <summary>Long tones under five fingers, each on a channel of its own, that bend and swell.</summary>
    private static void Fingers(List<(long At, string From, byte[] Bytes)> events, Random chance, int bars)
    {
        int[] tones = [57, 60, 64, 67, 72];
        for (var bar = 4; bar + 4 < bars; bar += 2)
        {
            var finger = bar / 2 % 5;
            var (channel, start) = (finger + 1, bar * 4L * Quarter + chance.Next(-60_000, 60_000));
            Note(events, start, 11L * Quarter, "Fächer", channel, tones[finger], 64 + chance.Next(0, 30));
            for (var step = 0; step < 80; step++)
            {
                var at = start + step * 11L * Quarter / 80;
                var bend = 8192 + (int)(900 * Math.Sin(step / 5.0 + finger) * Math.Min(1, step / 20.0));
                Add(events, at + 300, "Fächer", 0xE0 | channel, bend & 0x7F, bend >> 7);
                Add(events, at + 600, "Fächer", 0xD0 | channel, (int)(60 + 50 * Math.Sin(step / 25.0)));
            }
            Add(events, start + 11L * Quarter + 900, "Fächer", 0xE0 | channel, 0, 64);
        }
    }

    private static void Pads(List<(long At, string From, byte[] Bytes)> events, Random chance, int bars)
    {
        for (var bar = 0; bar < bars; bar++)
        {
            for (var sixteenth = 0; sixteenth < 16; sixteenth++)
            {
                var at = (bar * 16L + sixteenth) * Quarter / 4;
                if (sixteenth is 0 or 7 or 10)
                    Hit(36, 104);
                if (sixteenth is 4 or 12)
                    Hit(38, 98);
                if (sixteenth % 2 == 0)
                    Hit(42, 60);
                if (sixteenth == 14 && bar % 4 == 3)
                    Hit(46, 88);

                void Hit(int key, int velocity) =>
                    Note(events, at + chance.Next(-18_000, 22_000), 90_000, "Kies", 9, key, velocity + chance.Next(-9, 10));
            }
        }
    }

    private static void Note(
        List<(long At, string From, byte[] Bytes)> events,
        long at,
        long length,
        string from,
        int channel,
        int key,
        int velocity
    )
    {
        Add(events, Math.Max(0, at), from, 0x90 | channel, key, velocity);
        Add(events, Math.Max(0, at) + length, from, 0x80 | channel, key, 64);
    }

    private static void Add(List<(long At, string From, byte[] Bytes)> events, long at, string from, params int[] bytes) =>
        events.Add((at, from, [.. bytes.Select(each => (byte)each)]));

    private static List<TapePage> Write(
        Studio studio,
        MidiTime begin,
        long length,
        bool lineups,
        List<(long At, string From, byte[] Bytes)> events
    )
    {
        var pages = new List<TapePage>();
        var ports = studio.Sources.ToDictionary(port => port.Name, port => port.Id);
        TapePage? page = null;
        var (tracks, pulse) = (new Dictionary<string, int>(), 0L);
        foreach (var (at, from, bytes) in events)
        {
            if (!ports.TryGetValue(from, out var port))
                continue;
            var time = begin + new MidiSpan(at);
            if (page is null || time - page.Begin >= MidiSpan.Second * 5)
            {
                pages.Add(page = new TapePage(time));
                tracks.Clear();
                page.WriteLineup(time, LineupAt(at));
                Beat(at / (Quarter / 24));
            }
            while ((pulse + 24) * (Quarter / 24.0) <= at)
                Beat(pulse + 24);
            if (!tracks.TryGetValue(from, out var track))
            {
                tracks.Add(from, track = tracks.Count);
                page.Name(track, port.Value, false, from);
            }
            if (lineups)
                page.WriteLineup(time, LineupAt(at));
            page.Write(time, track, MidiMessage.FromBytes(bytes[0], bytes[1], bytes.Length > 2 ? bytes[2] : 0));
        }
        return pages;

        void Beat(long number)
        {
            pulse = number;
            page!.Write(new TapeBeat(begin + new MidiSpan((long)(number * (Quarter / 24.0))), number, 4, 4));
        }

        string LineupAt(long at)
        {
            if (studio.Lineups.IsEmpty)
                return "";
            var place = !lineups ? Math.Min(1, studio.Lineups.Length - 1) : (int)(at * studio.Lineups.Length / Math.Max(1, length));
            return studio.NameOf(studio.Lineups[Math.Clamp(place, 0, studio.Lineups.Length - 1)].Id);
        }
    }
}
