using Weiche.Core.Live;
using Weiche.Ports.Carrying;

namespace Weiche.Bench;

/// <summary>What open pages do: they read the tap and the meters 30 times a second.</summary>
internal sealed class Onlookers : IDisposable
{
    private readonly List<Timer> _timers = [];

    internal Onlookers(Junction junction, int pages)
    {
        for (var page = 0; page < pages; page++)
        {
            var records = new TapRecord[4096];
            var from = 0L;
            _timers.Add(
                new Timer(
                    _ =>
                    {
                        junction.Tap.Read(ref from, records, out var _);
                        foreach (var port in junction.Compiled.Studio.Ports)
                            _ = junction.Compiled.Meter(port.Id)!.Messages;
                    },
                    null,
                    34,
                    34
                )
            );
        }
    }

    public void Dispose() => _timers.ForEach(timer => timer.Dispose());
}
