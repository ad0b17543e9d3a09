using System.Net;
using AngleSharp.Dom;
using AngleSharp.Html.Parser;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.SignalR.Client;
using Microsoft.Extensions.DependencyInjection;
using Weiche.Core.Studios;
using Weiche.Files;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;
using Weiche.Web.Startup;

namespace Weiche.Web.Tests;

/// <summary>A running Weiche with a small studio or the whole dome, in this process, on a free port, with a fresh folder.</summary>
internal sealed class House : IAsyncDisposable
{
    private readonly WebApplication _app;
    private bool _ownsFolder;

    private House(WebApplication app, string folder, bool ownsFolder)
    {
        _app = app;
        _ownsFolder = ownsFolder;
        Folder = folder;
        Address = new Uri(app.Urls.First());
        Client = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false }) { BaseAddress = Address };
    }

    public string Folder { get; }

    public Uri Address { get; }

    public HttpClient Client { get; }

    public StudioDesk Desk => _app.Services.GetRequiredService<StudioDesk>();

    public Studio Studio => Desk.State.Studio;

    public Weiche.Web.Live.TakeShelf Shelf => _app.Services.GetRequiredService<Weiche.Web.Live.TakeShelf>();

    public Weiche.Web.Live.TapeDeck Deck => _app.Services.GetRequiredService<Weiche.Web.Live.TapeDeck>();

    public Weiche.Web.Live.WatchLog Watch => _app.Services.GetRequiredService<Weiche.Web.Live.WatchLog>();

    /// <summary>Every handler of posts: its address and what it takes.</summary>
    public IEnumerable<(string Address, IReadOnlyList<System.Reflection.ParameterInfo> Takes)> PostHandlers() =>
        _app
            .Services.GetRequiredService<Microsoft.AspNetCore.Mvc.Infrastructure.IActionDescriptorCollectionProvider>()
            .ActionDescriptors.Items.OfType<Microsoft.AspNetCore.Mvc.RazorPages.PageActionDescriptor>()
            .SelectMany(page =>
            {
                var model = typeof(WeicheApp).Assembly.GetType(
                    "Weiche.Web" + page.RelativePath.Replace(".cshtml", "Model", StringComparison.Ordinal).Replace('/', '.')
                );
                return (model?.GetMethods() ?? [])
                    .Where(method => method.Name.StartsWith("OnPost", StringComparison.Ordinal))
                    .Select(method =>
                        (
                            $"/{page.AttributeRouteInfo!.Template}?handler={method.Name["OnPost".Length..].Replace("Async", "", StringComparison.Ordinal)}",
                            (IReadOnlyList<System.Reflection.ParameterInfo>)method.GetParameters()
                        )
                    );
            });

    public static string FreshFolder() => Directory.CreateTempSubdirectory("weiche-test-").FullName;

    public static async Task<House> Open(string? folder = null, bool demo = true, bool dome = false, bool takes = false, bool room = false)
    {
        var app = WeicheApp.Create(
            new WeicheSettings
            {
                Port = 0,
                DataFolder = folder ?? FreshFolder(),
                StandIns = dome || room ? [] : null,
                WithTakes = takes,
                First = () =>
                    dome ? [DemoStudio.Create(), DemoStudio.CreateEmpty()] : [demo ? SmallStudio.Create() : Studio.Empty("My studio")],
            }
        );
        await app.StartAsync();
        var settings = app.Services.GetRequiredService<StudioDesk>();
        return new House(app, folder ?? Path.GetDirectoryName(settings.DatabaseFile)!, folder is null);
    }

    /// <summary>A page as a document.</summary>
    public async Task<IDocument> Get(string path, HttpStatusCode status = HttpStatusCode.OK)
    {
        using var answer = await Client.GetAsync(path);
        if (answer.StatusCode == HttpStatusCode.InternalServerError)
            Assert.Fail($"{path} failed:\n{Log()}");
        Assert.Equal(status, answer.StatusCode);
        return await new HtmlParser().ParseDocumentAsync(await answer.Content.ReadAsStringAsync());
    }

    /// <summary>What Weiche has written down.</summary>
    private string Log()
    {
        using var file = new FileStream(
            Directory.GetFiles(Folder, "weiche-*.log").Single(),
            FileMode.Open,
            FileAccess.Read,
            FileShare.ReadWrite
        );
        using var reader = new StreamReader(file);
        return reader.ReadToEnd();
    }

    /// <summary>Posts a form as a page's script does, with the token of a page fetched before.</summary>
    public async Task<(HttpStatusCode Status, IDocument Page)> Post(string path, params (string Name, object Value)[] values)
    {
        var page = await Get("/gear");
        using var request = new HttpRequestMessage(HttpMethod.Post, path);
        request.Headers.Add("HX-Request", "true");
        request.Headers.Add("X-Weiche-Token", Token(page));
        request.Content = new FormUrlEncodedContent(values.Select(value => KeyValuePair.Create(value.Name, value.Value.ToString()!)));
        using var answer = await Client.SendAsync(request);
        return (answer.StatusCode, await new HtmlParser().ParseDocumentAsync(await answer.Content.ReadAsStringAsync()));
    }

    public static string Token(IDocument page) =>
        System.Text.Json.JsonDocument.Parse(page.Body!.GetAttribute("hx-headers")!).RootElement.GetProperty("X-Weiche-Token").GetString()!;

    public async Task<HubConnection> Connect()
    {
        var hub = new HubConnectionBuilder().WithUrl(new Uri(Address, "/live")).Build();
        await hub.StartAsync();
        return hub;
    }

    public PortId From(string device) => Studio.Sources.First(port => port.Device.Name == device).Id;

    public PortId To(string device) => Studio.Destinations.First(port => port.Device.Name == device).Id;

    public StandIn StandIn(string title) => Desk.StandIns.All.Values.First(standIn => standIn.Kit.Title == title);

    public Device Device(string name) => Studio.Devices.First(device => device.Name == name);

    public Route Route(string from, string to) => Studio.Routes.First(route => route.From == From(from) && route.To == To(to));

    /// <summary>Waits until something is so; fails when it never becomes so.</summary>
    public static async Task Until(Func<bool> isSo, string what)
    {
        for (var i = 0; i < 1000; i++)
        {
            if (isSo())
                return;
            await Task.Delay(10);
        }
        Assert.Fail("This never came to be: " + what);
    }

    /// <summary>Takes its folder along when it goes: before that it may still write there.</summary>
    public void TakesItsFolderAlong() => _ownsFolder = true;

    public async ValueTask DisposeAsync()
    {
        Client.Dispose();
        await _app.StopAsync();
        await _app.DisposeAsync();
        if (_ownsFolder)
            Directory.Delete(Folder, recursive: true);
    }
}
