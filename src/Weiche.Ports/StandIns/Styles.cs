namespace Weiche.Ports.StandIns;

/// <summary>What a stand-in plays by itself, for a musician whose hands are busy.</summary>
public enum Style
{
    /// <summary>A note, held.</summary>
    Hold,

    /// <summary>A phrase, over and over.</summary>
    Phrase,

    /// <summary>A chord, struck every two seconds.</summary>
    Chord,

    /// <summary>The modulation wheel, up and down.</summary>
    Sweep,

    /// <summary>A storm of messages: notes and controllers as fast as a busy player sends them, a thousand a second.</summary>
    Storm,
}

/// <summary>Plays a stand-in without hands.</summary>
/// <remarks>Started and stopped from any thread; it plays on one of its own.</remarks>
public sealed class Styles : IDisposable
{
    private const int BeatsOfChord = 8;
    private static readonly TimeSpan Beat = TimeSpan.FromMilliseconds(250);
    private static readonly TimeSpan Rush = TimeSpan.FromMilliseconds(10);
    private static readonly int[] Steps = [0, 3, 7, 12, 10, 7, 3, 5];

    private readonly Lock _gate = new();
    private readonly Player _player;
    private readonly TimeProvider _time;
    private readonly Dictionary<Style, ITimer?> _playing = [];
    private readonly int _middle;

    /// <summary>Styles of a player.</summary>
    internal Styles(Player player, TimeProvider time)
    {
        _player = player;
        _time = time;
        var middle = Math.Clamp(60, player.Lowest, player.Highest);
        _middle = middle + 12 > player.Highest ? player.Lowest : middle;
    }

    /// <summary>Whether a style is being played.</summary>
    /// <param name="style">The style.</param>
    public bool IsPlaying(Style style)
    {
        lock (_gate)
            return _playing.ContainsKey(style);
    }

    /// <summary>Begins or ends a style. What it holds ends with it.</summary>
    /// <param name="style">The style.</param>
    /// <param name="on">Whether it shall be played.</param>
    public void Play(Style style, bool on)
    {
        lock (_gate)
        {
            if (on == _playing.ContainsKey(style) || !Enum.IsDefined(style))
                return;
            if (on)
            {
                var step = 0;
                if (style == Style.Hold)
                    _player.Press(Hand(style), _middle, 96);
                var every = style is Style.Sweep or Style.Storm ? Rush : Beat;
                _playing[style] = style == Style.Hold ? null : _time.CreateTimer(_ => Step(style, step++), null, TimeSpan.Zero, every);
                return;
            }
            _playing.Remove(style, out var timer);
            timer?.Dispose();
            _player.LetGo(Hand(style));
            if (style == Style.Sweep)
                _player.Modulate(0);
        }
    }

    /// <summary>Ends all of them.</summary>
    public void Dispose()
    {
        foreach (var style in Enum.GetValues<Style>())
            Play(style, false);
    }

    private static string Hand(Style style) => "by itself: " + style;

    private void Step(Style style, int step)
    {
        lock (_gate)
        {
            // A timer's last call may come when the style has ended.
            if (!_playing.ContainsKey(style))
                return;
            switch (style)
            {
                case Style.Phrase:
                    _player.LetGo(Hand(style));
                    _player.Press(Hand(style), _middle + Steps[step % Steps.Length], 80 + step % 3 * 16);
                    break;
                case Style.Chord when step % BeatsOfChord == 0:
                    foreach (var offset in (int[])[0, 4, 7])
                        _player.Press(Hand(style), _middle + offset, 90);
                    break;
                case Style.Chord when step % BeatsOfChord == BeatsOfChord - 2:
                    _player.LetGo(Hand(style));
                    break;
                case Style.Sweep:
                    _player.Modulate(Math.Abs(step * 2 % 254 - 127));
                    break;
                case Style.Storm:
                    for (var i = 0; i < 5; i++)
                    {
                        var key = _middle + (step * 5 + i) % 12;
                        _player.Press(Hand(style), key, 64);
                        _player.Release(Hand(style), key);
                    }
                    break;
            }
        }
    }
}
