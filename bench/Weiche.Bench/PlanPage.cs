using System.Diagnostics;
using Microsoft.Extensions.DependencyInjection;
using Weiche.Core.Layout;
using Weiche.Core.Studios;
using Weiche.Web.Desk;
using Weiche.Web.Startup;

namespace Weiche.Bench;

/// <summary>Plan: how long its layout takes and how that grows, and how long an edit takes from the request to the new
/// picture, against a page with nothing on it.</summary>
internal static class PlanPage
{
    /// <summary>Milliseconds, each the median.</summary>
    /// <param name="Edit">An edit, from the request to the new picture.</param>
    /// <param name="Empty">A page with nothing on it.</param>
    internal sealed record Result(double Edit, double Empty);

    /// <summary>How long a studio takes to be laid out, ms, the median.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="side">By which side.</param>
    internal static double Layout(Studio studio, PlanSide side)
    {
        var look = new PlanLook(side);
        var times = new List<double>();
        for (var i = 0; i < 25; i++)
        {
            var start = Stopwatch.GetTimestamp();
            PlanLayout.Compute(studio, 1280, look);
            times.Add(Stopwatch.GetElapsedTime(start).TotalMilliseconds);
        }
        return Table.Median(times.Skip(10));
    }

    /// <summary>The exponent of the growth between two sizes: 1 where twice as many routes take twice as long.</summary>
    internal static double Exponent(double small, double large, double factor) => Math.Log(large / small) / Math.Log(factor);

    /// <summary>Switches a route off and on.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="rounds">How often.</param>
    internal static async Task<Result> MeasureAsync(Studio studio, int rounds)
    {
        var folder = Directory.CreateTempSubdirectory("weiche-bench-");
        var app = WeicheApp.Create(
            new WeicheSettings
            {
                Port = 0,
                DataFolder = folder.FullName,
                First = () => [studio],
            }
        );
        await app.StartAsync();
        using var client = new HttpClient { BaseAddress = new Uri(app.Urls.First()) };
        client.DefaultRequestHeaders.Add("X-Weiche-Token", GearPage.Token(await client.GetStringAsync("/plan")));
        var route = app.Services.GetRequiredService<StudioDesk>().State.Studio.Routes[0].Id;
        var (edit, empty) = (new List<double>(), new List<double>());
        for (var i = 0; i < rounds; i++)
        {
            empty.Add(await GearPage.Time(() => client.GetStringAsync("/takes")));
            edit.Add(await GearPage.Time(() => SwitchAsync(client, route, i % 2 == 1)));
        }
        await app.StopAsync();
        await app.DisposeAsync();
        folder.Delete(recursive: true);
        return new Result(Table.Median(edit), Table.Median(empty));
    }

    private static async Task<string> SwitchAsync(HttpClient client, RouteId route, bool on)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/plan?handler=Switch");
        request.Headers.Add("HX-Request", "true");
        request.Content = new FormUrlEncodedContent([new("route", route.ToString()), new("on", on ? "true" : "false")]);
        using var answer = await client.SendAsync(request);
        answer.EnsureSuccessStatusCode();
        return await answer.Content.ReadAsStringAsync();
    }
}
