using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests.Browser;

/// <summary>Devices of the computer that shows the page, made up in the browser: what a page gets of them is what the Web MIDI API
/// gives.</summary>
public sealed class BrowserPortsTests
{
    private const string MadeUp = """
        const send = (bytes) => madeUp.heard.push([...bytes].join(" "));
        const port = (id, name, type) => ({ id, name, type, state: "connected", onmidimessage: null, send });
        const ways = { input: new Map(), output: new Map() };
        window.madeUp = {
          heard: [],
          plug(id, name, type) { ways[type].set(id, port(id, name, type)); this.access?.onstatechange?.({}); },
          play(id, ...bytes) { ways.input.get(id).onmidimessage?.({ timeStamp: performance.now(), data: new Uint8Array(bytes) }); },
        };
        madeUp.plug("i1", "Spatz 25", "input");
        madeUp.plug("o1", "Spatz 25", "output");
        navigator.requestMIDIAccess = async () => (madeUp.access = { inputs: ways.input, outputs: ways.output, onstatechange: null });
        """;

    [Fact]
    public async Task A_keyboard_at_this_browser_is_taken_in_played_and_heard_goes_with_the_page_and_comes_back_as_itself()
    {
        await using var house = await House.Open(demo: false);
        using var window = new Window();
        window.Driver.ExecuteCdpCommand("Page.addScriptToEvaluateOnNewDocument", new Dictionary<string, object?> { ["source"] = MadeUp });
        window.Go(house, "/");
        window.Until(() => window.Driver.Url.EndsWith("/gear", StringComparison.Ordinal), "Gear, where an empty studio begins");
        window.Press("#browser-ports-on");
        window.Until(() => window.Text("#first-steps").Contains("Spatz 25", StringComparison.Ordinal), "the device of the browser");
        // From nothing to the first route: what plays, a port for a program that listens, the route.
        window.Press(".first-steps li.now .first-unit");
        window.Until(() => house.Studio.Devices.Length == 1, "the keyboard");
        window.Press("#first-virtual-to");
        window.Until(() => house.Studio.Devices.Length == 2, "the virtual port");
        window.Press("#first-lay");
        window.Until(() => house.Studio.Routes.Length == 1, "the route");
        var route = house.Studio.Routes[0];
        window.Script<object?>("madeUp.play('i1', 0x90, 60, 90); return null");
        window.Until(() => house.Desk.Junction.Compiled.Meter(route.To)!.Held == 1, "the note");
        // What is sent to it is played there, each message whole.
        var spatz = house.Studio.Devices[0].FirstPort(PortDirection.Destination)!.Value;
        house.Desk.Junction.Send(spatz, [0x90, 64, 1, 0x80, 64, 0]);
        window.Until(() => window.Script<string>("return madeUp.heard.join()") == "144 64 1,128 64 0", "what it was sent");
        // From one page to the next its note ends, and it stays.
        window.Go(house, "/plan");
        window.Until(() => house.Desk.Junction.Compiled.Meter(route.To)!.Held == 0, "the end of the note");
        await Task.Delay(2_500);
        Assert.True(house.Desk.Park.PresenceOf(house.Studio.Devices[0].Id) is { Present: true });
        window.Script<object?>("madeUp.play('i1', 0x90, 62, 90); return null");
        window.Until(() => house.Desk.Junction.Compiled.Meter(route.To)!.Held == 1, "a note from the next page");
        // Without a page it is missing.
        window.Driver.Navigate().GoToUrl("about:blank");
        window.Until(() => house.Desk.Park.PresenceOf(house.Studio.Devices[0].Id) is { Present: false }, "nobody");
        Assert.Equal(0, house.Desk.Junction.Compiled.Meter(route.To)!.Held);
        window.Go(house, "/watch");
        window.Until(() => house.Desk.Park.PresenceOf(house.Studio.Devices[0].Id) is { Present: true }, "the same again");
        var passed = house.Desk.Junction.Compiled.Meter(route.Id)!.Passed;
        window.Script<object?>("madeUp.play('i1', 0x90, 64, 90); madeUp.play('i1', 0x80, 64, 0); return null");
        window.Until(() => house.Desk.Junction.Compiled.Meter(route.Id)!.Passed == passed + 2, "a note as before");
        // Taken back it is missing, too.
        window.Go(house, "/gear");
        window.Until(() => window.Text("#browser-ports-on") == "take them back", "the way back");
        window.Press("#browser-ports-on");
        window.Until(() => house.Desk.Park.PresenceOf(house.Studio.Devices[0].Id) is { Present: false }, "nobody again");
        Assert.DoesNotContain(window.Errors(), error => error.Contains(house.Address.Authority, StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_browser_without_devices_for_pages_says_so_and_one_that_does_not_allow_it_says_how()
    {
        await using var house = await House.Open(demo: false);
        using var window = new Window();
        window.Driver.ExecuteCdpCommand(
            "Page.addScriptToEvaluateOnNewDocument",
            new Dictionary<string, object?>
            {
                ["source"] =
                    "if (location.search === '?refused=1') navigator.requestMIDIAccess = async () => { throw new Error('no'); }; "
                    + "else Navigator.prototype.requestMIDIAccess = undefined;",
            }
        );
        window.Go(house, "/gear");
        window.Press("#browser-ports-on");
        window.Until(() => window.Text("#browser-ports-say").Contains("no Web MIDI", StringComparison.Ordinal), "why not");
        window.Go(house, "/gear?refused=1");
        window.Press("#browser-ports-on");
        window.Until(() => window.Text("#browser-ports-say").Contains("press again and allow", StringComparison.Ordinal), "how");
    }
}
