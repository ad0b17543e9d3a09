using Weiche.Core.Live;
using Weiche.Core.Studios;

namespace Weiche.Web.Tests.Browser;

/// <summary>Time in a real browser: started by a key from any page, tapped, held and let go; seen in a second window.</summary>
public sealed class TimeBrowserTests(Window window) : IClassFixture<Window>
{
    [Fact]
    public async Task Time_is_started_by_a_key_tapped_and_seen_in_another_window()
    {
        await using var house = await House.Open(dome: true);
        using var other = new Window();
        window.Go(house, "/plan");
        window.Key("k");
        window.Until(() => window.Has("#master-0"), "the page Time");
        window.Press("#master-0");
        window.Until(() => house.Studio.MasterNow() is { IsOwn: true }, "Weiche's own clock");
        other.Go(house, "/checks");
        window.Key("g");
        window.Until(() => house.Desk.Junction.Time.IsPlaying, "that it runs");
        other.Until(
            () =>
                other.Text("#time-lamp [data-place]").Length > 0
                && other
                    .Script<string>("return document.getElementById('time-lamp').dataset.look")
                    .Contains("playing", StringComparison.Ordinal),
            "the time in the other window"
        );
        window.Until(
            () => window.Script<long>("return document.querySelectorAll('.clock.master ellipse').length") > 1,
            "its beats in the picture"
        );
        // Tapped, it is played; the page offers to keep it.
        for (var i = 0; i < 4; i++)
        {
            window.Script<object?>(
                "const b = document.getElementById('time-tap'); for (const what of ['pointerdown', 'pointerup']) "
                    + "b.dispatchEvent(new PointerEvent(what, { bubbles: true, button: 0 })); return null"
            );
            await Task.Delay(250);
        }
        window.Until(() => window.Has("#tempo-keep"), "the tempo to keep");
        window.Press("#tempo-keep");
        window.Until(
            () => house.Studio.Time.Tempo == house.Desk.Junction.Time.Tempo && house.Studio.Time.Tempo.Hundredths != 8_400,
            "the tempo kept"
        );
        // Held, and let go with the page: the beat is where the hand was.
        window.Script<object?>(
            "document.getElementById('time-hold').dispatchEvent(new PointerEvent('pointerdown', { bubbles: true, button: 0 })); return null"
        );
        window.Until(() => house.Desk.Junction.Time.IsHeld, "that it is held");
        window.Script<object?>("document.dispatchEvent(new PointerEvent('pointerup', { bubbles: true })); return null");
        window.Until(() => !house.Desk.Junction.Time.IsHeld, "that it is let go");
        window.Key("g");
        window.Until(() => !house.Desk.Junction.Time.IsPlaying, "that it stands still");
        // A window that goes away lets go of what it holds.
        other.Go(house, "/time");
        other.Script<object?>(
            "document.getElementById('time-hold').dispatchEvent(new PointerEvent('pointerdown', { bubbles: true, button: 0 })); return null"
        );
        other.Until(() => house.Desk.Junction.Time.IsHeld, "that it is held there");
        other.Go(house, "/plan");
        other.Until(() => !house.Desk.Junction.Time.IsHeld, "that it is let go");
    }

    [Fact]
    public async Task A_pattern_is_put_on_a_route_and_plays_while_the_time_runs()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/time?handler=Master", ("clock", 0));
        var route = house.Route("Amsel 61", "Zinn").Id;
        window.Go(house, $"/plan?route={route}");
        window.Until(() => window.Has("#stage-line"), "the strip");
        window.Script<object?>(
            "const line = document.getElementById('stage-line'); line.value = 'pattern up 1/16'; line.form.requestSubmit(); return null"
        );
        window.Until(() => window.Has("[id^=order-]"), "the pattern's form");
        house.StandIn("Amsel 61").Player!.Press("hand", 48, 100);
        house.StandIn("Amsel 61").Player!.Press("hand", 52, 100);
        await house.Post("/time?handler=Work", ("what", "Start"));
        var seen = new HashSet<int>();
        await House.Until(
            () =>
            {
                foreach (var (_, key, _) in house.StandIn("Zinn").Listener!.Heard.Held)
                    seen.Add(key);
                return seen.Count >= 2;
            },
            "both keys, one after the other"
        );
        await house.Post("/time?handler=Work", ("what", "Stop"));
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count == 0, "that every note has ended");
    }
}
