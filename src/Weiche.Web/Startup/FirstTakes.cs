using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Takes;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Live;

namespace Weiche.Web.Startup;

/// <summary>Puts what was played in the demo studio into a new database, so that Takes has something to show.</summary>
internal static class FirstTakes
{
    private static readonly MidiSpan Ago = MidiSpan.Second * 3_600;

    /// <summary>Adds takes and a reel.</summary>
    /// <param name="store">The database.</param>
    /// <param name="studioId">The studio.</param>
    /// <param name="studio">The same.</param>
    /// <param name="now">Now, UTC.</param>
    internal static void Add(StudioStore store, int studioId, Studio studio, DateTime now)
    {
        var time = new MidiTime((now - DateTime.UnixEpoch).Ticks / TimeSpan.TicksPerMicrosecond);
        foreach (var stretch in DemoTakes.Takes(studio, time - Ago).Reverse())
        {
            var pages = RowsOf(stretch, studioId);
            var reader = new TapeTake(stretch.Begin, stretch.End);
            foreach (var page in stretch.Pages) TapePage.Read(page.Bytes, reader);
            var told = TakeShelf.Told(reader.Make(stretch.End - stretch.Begin));
            store.AddTake(new TakeRow { StudioId = studioId, Name = stretch.Name, At = now, Begin = stretch.Begin.Microseconds, End = stretch.End.Microseconds, Steps = "[]", Told = told }, pages);
        }
        foreach (var stretch in DemoTakes.Reel(studio, time)) store.WritePages(RowsOf(stretch, studioId));
    }

    private static List<PageRow> RowsOf(DemoTakes.Stretch stretch, int studioId) => [.. stretch.Pages.Select(page =>
    {
        var counter = new Counter();
        TapePage.Read(page.Bytes, counter);
        return new PageRow
        {
            StudioId = studioId, Begin = page.Begin.Microseconds, End = page.End.Microseconds, Count = page.Count, Data = page.Bytes.ToArray(),
            Ports = string.Join(',', counter.Counts.Select(count => string.Create(CultureInfo.InvariantCulture, $"{count.Key}:{count.Value}"))),
        };
    })];

    private sealed class Counter : ITapeReader
    {
        private readonly Dictionary<int, int> _ports = [];

        internal SortedDictionary<int, int> Counts { get; } = [];

        public void Named(int track, int port, bool wentOut, string name) => _ports[track] = port;

        public void Message(MidiTime at, int track, MidiMessage message, ReadOnlySpan<byte> exclusive) => Counts[_ports[track]] = Counts.GetValueOrDefault(_ports[track]) + 1;

        public void Beat(TapeBeat beat)
        {
        }

        public void Still(MidiTime at)
        {
        }

        public void Lineup(MidiTime at, string name)
        {
        }

        public void Missing(MidiTime at, long count)
        {
        }
    }
}
