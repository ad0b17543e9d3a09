using System.Diagnostics;
using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Startup;

namespace Weiche.Bench;

/// <summary>Gear of a large room, served by the real application: opening it and making an edit, against a page with nothing
/// on it.</summary>
internal static class GearPage
{
    /// <summary>Milliseconds, each the median.</summary>
    /// <param name="Open">Opening Gear.</param>
    /// <param name="Edit">An edit, from the request to the new page.</param>
    /// <param name="Empty">A page with nothing on it.</param>
    internal sealed record Result(double Open, double Edit, double Empty);

    /// <summary>64 devices with 256 ports: sixteen interfaces of eight inputs and outputs, and what is cabled to them.</summary>
    internal static Studio Room()
    {
        var studio = Studio.Empty("Large room");
        for (var i = 0; i < 16; i++)
            studio = PassThrough.Apply(studio, new AddDevice($"I{i:00}, interface 8×8"));
        for (var i = 0; i < 48; i++)
        {
            studio = PassThrough.Apply(
                studio,
                new AddDevice(
                    $"M{i:00}, {(i % 3 == 0 ? "keyboard with sound" : "sound module")}, on I{i % 16:00} {1 + i / 16}, channels {1 + i % 16}"
                )
            );
        }
        return studio;
    }

    /// <summary>Measures.</summary>
    /// <param name="rounds">How often.</param>
    internal static async Task<Result> MeasureAsync(int rounds)
    {
        var folder = Directory.CreateTempSubdirectory("weiche-bench-");
        var app = WeicheApp.Create(
            new WeicheSettings
            {
                Port = 0,
                DataFolder = folder.FullName,
                First = () => [Room()],
            }
        );
        await app.StartAsync();
        using var client = new HttpClient { BaseAddress = new Uri(app.Urls.First()) };
        var page = await client.GetStringAsync("/gear");
        client.DefaultRequestHeaders.Add("X-Weiche-Token", Token(page));
        var device = app.Services.GetRequiredService<StudioDesk>().State.Studio.Devices[^1].Id;
        var (open, edit, empty) = (new List<double>(), new List<double>(), new List<double>());
        for (var i = 0; i < rounds; i++)
        {
            empty.Add(await Time(() => client.GetStringAsync("/takes")));
            open.Add(await Time(() => client.GetStringAsync("/gear")));
            edit.Add(await Time(() => RenameAsync(client, device, $"M {i}")));
        }
        await app.StopAsync();
        await app.DisposeAsync();
        folder.Delete(recursive: true);
        return new Result(Table.Median(open), Table.Median(edit), Table.Median(empty));
    }

    private static async Task<string> RenameAsync(HttpClient client, DeviceId device, string name)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/gear?handler=Rename");
        request.Headers.Add("HX-Request", "true");
        request.Content = new FormUrlEncodedContent([new("device", device.ToString()), new("name", name)]);
        using var answer = await client.SendAsync(request);
        answer.EnsureSuccessStatusCode();
        return await answer.Content.ReadAsStringAsync();
    }

    internal static string Token(string page)
    {
        var start = page.IndexOf("{\"X-Weiche-Token\"", StringComparison.Ordinal);
        if (start < 0)
            start = page.IndexOf("hx-headers='", StringComparison.Ordinal) + 12;
        return JsonDocument.Parse(page[start..(page.IndexOf('}', start) + 1)]).RootElement.GetProperty("X-Weiche-Token").GetString()!;
    }

    internal static async Task<double> Time(Func<Task<string>> ask)
    {
        var start = Stopwatch.GetTimestamp();
        await ask();
        return Stopwatch.GetElapsedTime(start).TotalMilliseconds;
    }
}
