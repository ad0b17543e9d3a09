using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Browser;
using Weiche.Ports.Carrying;
using Weiche.Ports.Virtual;

namespace Weiche.Core.Tests.Ports;

/// <summary>Pages that offer devices, honest ones and others.</summary>
public sealed class BrowserDriverTests : IDisposable
{
    private static readonly BrowserPort[] Spatz = [new("i", "Spatz", true), new("o", "Spatz", false)];

    private readonly Junction _junction;
    private readonly BrowserDriver _driver;
    private readonly PortPark _park;
    private readonly List<(string, string, string)> _told = [];
    private Studio _studio = Rooms.Of("stars");

    public BrowserDriverTests()
    {
        _junction = new Junction(_studio, new StudioClock(TimeProvider.System));
        _driver = new BrowserDriver(_junction, TimeProvider.System)
        {
            Tell = (connection, port, bytes) =>
            {
                lock (_told)
                    _told.Add((connection, port, Convert.ToHexString(bytes)));
            },
        };
        _park = new PortPark(_junction, TimeProvider.System, new VirtualDriver(_junction), _driver);
        _park.Match(_studio);
    }

    public void Dispose()
    {
        _park.Dispose();
        _junction.Dispose();
    }

    [Fact]
    public void What_a_page_sends_is_taken_for_its_own_ports_alone_and_nothing_that_is_false_does_harm()
    {
        Assert.Null(_driver.Offer("page", "abc", 0, Spatz));
        Assert.Null(_driver.Offer("other", "def", 0, [new("i", "Meise", true)]));
        Take("Spatz");
        Take("Meise");
        foreach (var time in new[] { double.NaN, double.PositiveInfinity, -1e300, 1e300, -5, 0, 1e12 })
            _driver.Played("page", "i", time, [0x90, 60, 90]);
        _driver.Played("page", "o", 0, [0x90, 61, 90]);
        _driver.Played("page", "none", 0, [0x90, 61, 90]);
        _driver.Played("nobody", "i", 0, [0x90, 61, 90]);
        _driver.Played("page", "i", 0, []);
        _driver.Played("page", "i", 0, new byte[100_000]);
        _driver.Played("page", "i", 0, [0xF7, 1, 2, 3]);
        Until(() => Count("Spatz") == 7, () => $"{Count("Spatz")} {_driver.Sentence}");
        Assert.Equal(0, Count("Meise"));
        Assert.Contains("messages were no messages, or too many", _driver.Sentence, StringComparison.Ordinal);
        Assert.Contains(
            "64 ports at most",
            _driver.Offer("page", "abc", 0, [.. Enumerable.Range(0, 65).Select(i => new BrowserPort($"{i}", "x", true))]),
            StringComparison.Ordinal
        );
        Assert.NotNull(_driver.Offer("page", "a b", 0, Spatz));
        Assert.NotNull(_driver.Offer("page", "", 0, Spatz));
    }

    [Fact]
    public void A_million_messages_are_as_many_as_there_is_room_for_and_the_music_goes_on()
    {
        Assert.Null(_driver.Offer("page", "abc", 50, Spatz));
        Take("Spatz");
        for (var i = 0; i < 1_000_000; i++)
            _driver.Played("page", "i", i, [0xB0, 1, (byte)(i & 127)]);
        var source = _studio.From("stars");
        _junction.Receive(source, [0x90, 60, 90]);
        Assert.Equal(1, _junction.Compiled.Meter(source)!.CountOf(MessageKind.Note));
        Until(() => Count("Spatz") > 0);
    }

    [Fact]
    public void What_is_played_at_even_times_and_told_unevenly_comes_evenly()
    {
        Assert.Null(_driver.Offer("page", "abc", 20, Spatz));
        Take("Spatz");
        Edit(new LayRoute(_studio.From("Spatz"), _studio.To("stars")));
        var tap = _junction.Tap.Published;
        var random = new Random(7);
        var begun = _junction.Clock.Now;
        for (var i = 0; i < 60; i++)
        {
            // Told up to 12 ms after it was played.
            var played = i * 15.0;
            while ((_junction.Clock.Now - begun).Microseconds < played * 1_000 + random.Next(0, 12_000))
                Thread.SpinWait(50);
            _driver.Played("page", "i", 5_000 + played, [0xB0, 1, (byte)i]);
        }
        Until(() => Count("Spatz") == 60);
        var buffer = new Weiche.Core.Live.TapRecord[4_096];
        var read = _junction.Tap.Read(ref tap, buffer, out _);
        var times = buffer[..read]
            .Where(record => record.Event == Weiche.Core.Live.TapEvent.Came && record.Port == _studio.From("Spatz"))
            .Select(record => record.Time.Microseconds)
            .ToArray();
        Assert.Equal(60, times.Length);
        var strays = times.Skip(20).Zip(times.Skip(21), (one, next) => Math.Abs(next - one - 15_000)).Order().ToArray();
        // On a busy machine some come late all the same.
        Assert.True(strays[strays.Length / 2] < 1_000, string.Join(' ', strays));
    }

    [Fact]
    public void Of_two_pages_of_one_browser_one_plays_and_the_other_when_that_has_gone()
    {
        Assert.Null(_driver.Offer("one", "abc", 0, Spatz));
        Assert.Null(_driver.Offer("two", "abc", 0, Spatz));
        Assert.Single(_driver.Units);
        Take("Spatz");
        _driver.Played("one", "i", 0, [0x90, 60, 90]);
        _driver.Played("two", "i", 0, [0x90, 60, 90]);
        Until(() => Count("Spatz") == 1);
        _junction.Send(_studio.To("Spatz"), [0x90, 64, 90]);
        Until(() => Told([("two", "o", "90405A")]));
        _driver.Gone("two");
        _driver.Played("one", "i", 1, [0x80, 60, 0]);
        Until(() => Count("Spatz") == 2);
        _junction.Send(_studio.To("Spatz"), [0x80, 64, 0]);
        Until(() => Told([("two", "o", "90405A"), ("one", "o", "804000")]));
        Assert.True(_park.PresenceOf(_studio.Devices[^1].Id) is { Present: true });
    }

    private bool Told((string, string, string)[] what)
    {
        lock (_told)
            return _told.SequenceEqual(what);
    }

    private long Count(string name) => _junction.Compiled.Meter(_studio.From(name))!.Messages;

    private void Take(string name)
    {
        Until(() => _park.State.Call.New.Any(unit => unit.Says == name));
        Edit(new AddDevice($"{name}, keyboard", _park.State.Call.New.First(unit => unit.Says == name)));
        Assert.True(_park.PresenceOf(_studio.Devices[^1].Id) is { Present: true });
    }

    private void Edit(StudioEdit edit)
    {
        _studio = _studio.Must(edit);
        _junction.Swap(_junction.Prepare(_studio));
        _park.Match(_studio);
    }

    private static void Until(Func<bool> isSo, Func<string>? instead = null)
    {
        for (var i = 0; i < 800 && !isSo(); i++)
            Thread.Sleep(10);
        Assert.True(isSo(), instead?.Invoke());
    }
}
