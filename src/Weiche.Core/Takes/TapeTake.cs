using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Takes;

/// <summary>Makes a take of pages of a tape.</summary>
public sealed class TapeTake : ITapeReader
{
    // Between two beats that are further apart the clock did something else.
    private static readonly MidiSpan LongestBeat = MidiSpan.Second * 20;

    private const long FurthestBar = 100_000;

    private readonly MidiTime _from;
    private readonly MidiTime _to;
    private readonly List<TakeEvent> _events = [];
    private readonly List<TakeTrack> _tracks = [];
    private readonly Dictionary<(PortId Port, bool WentOut), int> _byPort = [];
    private readonly Dictionary<int, int> _places = [];
    private readonly List<TapeBeat> _beats = [];
    private readonly List<TakeLineup> _lineups = [];
    private MidiTime _end;
    private long _missing;

    /// <summary>A take of what is between two moments.</summary>
    /// <param name="from">The first moment: there the take begins.</param>
    /// <param name="to">The moment after the last.</param>
    public TapeTake(MidiTime from, MidiTime to) => (_from, _to, _end) = (from, to, from);

    /// <summary>Whether there was more than a take may have.</summary>
    public bool IsCut { get; private set; }

    /// <summary>The take of what was read.</summary>
    /// <param name="length">How long it is; null for up to the last thing that was read.</param>
    public Take Make(MidiSpan? length = null)
    {
        // Only tracks with something on them.
        var used = _events.Select(each => each.Track).Distinct().Order().ToList();
        var places = used.Index().ToDictionary(each => each.Item, each => each.Index);
        var full = length ?? _end - _from;
        var lineups = new List<TakeLineup>();
        foreach (var each in _lineups)
        {
            // Of those before the beginning the last one.
            if (each.At <= MidiSpan.Zero)
                lineups.Clear();
            if (lineups.Count == 0 || lineups[^1].Name != each.Name)
                lineups.Add(each with { At = each.At < MidiSpan.Zero ? MidiSpan.Zero : each.At });
        }
        return new Take
        {
            Tracks = [.. used.Select(track => _tracks[track])],
            Events = [.. _events.Select(each => each with { Track = places[each.Track] }).OrderBy(each => each.At)],
            Tempo = TempoOf(_beats, _from),
            Lineups = [.. lineups.Where(each => each.At < full || each.At == MidiSpan.Zero)],
            Length = full,
            Missing = _missing,
        };
    }

    /// <inheritdoc/>
    public void Named(int track, int port, bool wentOut, string name)
    {
        var id = new PortId(port);
        if (!_byPort.TryGetValue((id, wentOut), out var place))
        {
            if (_tracks.Count == Take.MostTracks)
            {
                IsCut = true;
                _places.Remove(track);
                return;
            }
            _byPort.Add((id, wentOut), place = _tracks.Count);
            _tracks.Add(new TakeTrack(wentOut ? $"to {name}" : name, id, name) { WentOut = wentOut });
        }
        _places[track] = place;
    }

    /// <inheritdoc/>
    public void Message(MidiTime at, int track, MidiMessage message, ReadOnlySpan<byte> exclusive)
    {
        if (at < _from || at >= _to || !_places.TryGetValue(track, out var place))
            return;
        if (_events.Count == Take.MostEvents)
        {
            IsCut = true;
            return;
        }
        _end = MidiTime.Later(_end, at);
        _events.Add(
            message.Status == 0xF0
                ? TakeEvent.OfExclusive(at - _from, place, exclusive.ToArray())
                : new TakeEvent(at - _from, place, message)
        );
    }

    /// <inheritdoc/>
    public void Beat(TapeBeat beat)
    {
        if (beat.At < _to)
            _beats.Add(beat);
    }

    /// <inheritdoc/>
    public void Still(MidiTime at) { }

    /// <inheritdoc/>
    public void Lineup(MidiTime at, string name)
    {
        if (at < _to)
            _lineups.Add(new TakeLineup(at - _from, name));
    }

    /// <inheritdoc/>
    public void Missing(MidiTime at, long count)
    {
        if (at >= _from && at < _to)
            _missing += count;
    }

    /// <summary>Tempo and bars from where the beat was: between two beats that belong together it went evenly.</summary>
    private static TempoMap TempoOf(List<TapeBeat> beats, MidiTime from)
    {
        var (tempos, bars) = (new List<TempoPoint>(), new List<BarPoint>());
        var isNew = true;
        for (var i = 0; i < beats.Count; i++)
        {
            var beat = beats[i];
            var goesOn =
                i + 1 < beats.Count
                && beats[i + 1] is var next
                && next.Pulse > beat.Pulse
                && next.At - beat.At < LongestBeat
                && (next.At - beat.At).Microseconds * 24 / (next.Pulse - beat.Pulse) is > 1_000 and <= TempoMap.LongestQuarter;
            var at = beat.At - from;
            if (goesOn)
            {
                var (span, pulses) = ((beats[i + 1].At - beat.At).Microseconds, beats[i + 1].Pulse - beat.Pulse);
                var quarter = (int)Math.Round(span * 24.0 / pulses);
                var form = new BarPoint(at, 0, beat.Beats, beat.Unit);
                if (beats[i + 1].At > from && (isNew || bars.Count == 0 || (bars[^1].Beats, bars[^1].Unit) != (beat.Beats, beat.Unit)))
                    Begin(at, quarter, beat, form);
                if (tempos.Count == 0 || tempos[^1].Quarter != quarter)
                    tempos.Add(new TempoPoint(at < MidiSpan.Zero ? MidiSpan.Zero : at, quarter));
                isNew = beats[i + 1].At <= from;
            }
            else
            {
                isNew = true;
            }
        }
        return tempos.Count == 0 ? TempoMap.Usual : new TempoMap(tempos, bars);

        void Begin(MidiSpan at, int quarter, TapeBeat beat, BarPoint form)
        {
            var pulsesABar = beat.Beats * 96 / beat.Unit;
            if (pulsesABar <= 0)
                return;
            // The first bar line at or after the beginning; before the first beat that is known the clock is taken to have gone as it does
            // there.
            var toBegin = -at.Microseconds * 24.0 / quarter - 1e-6;
            var pulse = beat.Pulse + (long)Math.Ceiling(bars.Count == 0 ? toBegin : Math.Max(0, toBegin));
            var bar = (long)Math.Ceiling(pulse / (double)pulsesABar);
            var line = at + new MidiSpan((long)Math.Round((bar * pulsesABar - beat.Pulse) * (double)quarter / 24));
            if (line > MidiSpan.Zero && bars.Count == 0)
                bars.Add(form with { At = MidiSpan.Zero, Number = (int)Math.Clamp(bar, -FurthestBar, FurthestBar) });
            bars.Add(
                form with
                {
                    At = line < MidiSpan.Zero ? MidiSpan.Zero : line,
                    Number = (int)Math.Clamp(bar + 1, -FurthestBar, FurthestBar),
                }
            );
        }
    }
}
