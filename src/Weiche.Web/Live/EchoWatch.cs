using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>Looks on at the music for echoes that nobody declared, and tells the guard of those that change what they repeat.</summary>
/// <remarks>It listens on a timer's thread; what it learned may be asked from any request.</remarks>
/// <param name="desk">The running studio.</param>
public sealed class EchoWatch(StudioDesk desk) : Ticker(Interval, TimeProvider.System)
{
    private static readonly TimeSpan Interval = TimeSpan.FromMilliseconds(25);

    private readonly Lock _gate = new();
    private readonly EchoLearner _learner = new();
    private readonly TapRecord[] _buffer = new TapRecord[4096];
    private WayBack[] _followed = [];
    private int _studio;
    private long _next;

    /// <summary>What comes back though nobody said so, as far as it was heard often enough.</summary>
    public IReadOnlyList<WayBack> Found()
    {
        lock (_gate)
            return _studio == desk.State.StudioId ? _learner.Found() : [];
    }

    /// <summary>Takes over what the engine has written down since the last time.</summary>
    public void Read()
    {
        lock (_gate)
        {
            var state = desk.State;
            if (state.StudioId != _studio)
            {
                // Ids of one studio say nothing in another.
                _learner.Forget();
                if (_followed.Length > 0)
                    desk.Junction.Follow(_followed = []);
                _studio = state.StudioId;
            }
            _learner.Use(state.Studio);
            var from = _next;
            int count;
            do
            {
                count = desk.Junction.Tap.Read(ref _next, _buffer, out _);
                foreach (ref readonly var record in _buffer.AsSpan(0, count))
                    _learner.Take(record);
            } while (count == _buffer.Length);
            if (_next == from)
                return;
            var changed = _learner.Changed();
            // The counts go up all the time: only another way, or another change, is news to the guard.
            if (
                changed.Select(way => (way.To, way.From, way.Change)).SequenceEqual(_followed.Select(way => (way.To, way.From, way.Change)))
            )
                return;
            _followed = [.. changed];
            desk.Junction.Follow(_followed);
        }
    }

    /// <inheritdoc/>
    private protected override void Tick() => Read();
}
