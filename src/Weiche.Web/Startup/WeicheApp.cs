using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.HostFiltering;
using Microsoft.AspNetCore.SignalR;
using Serilog;
using Serilog.Events;
using Weiche.Data;
using Weiche.Files;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;
using Weiche.Web.Live;
using Weiche.Web.Pages;

namespace Weiche.Web.Startup;

/// <summary>Puts the application together.</summary>
public static class WeicheApp
{
    /// <summary>Opens the data folder and builds the application around the studio in it. It does not listen yet.</summary>
    /// <param name="settings">How it is started.</param>
    /// <exception cref="StartException">The data folder or what is in it cannot be used.</exception>
    public static WebApplication Create(WeicheSettings settings)
    {
        var desk = OpenDesk(settings);
        var builder = WebApplication.CreateBuilder(
            new WebApplicationOptions
            {
                ContentRootPath = AppContext.BaseDirectory,
                WebRootPath = Path.Combine(AppContext.BaseDirectory, "wwwroot"),
                ApplicationName = typeof(WeicheApp).Assembly.GetName().Name,
                EnvironmentName = Environments.Production,
                Args = ["--hostBuilder:reloadConfigOnChange=false"],
            }
        );
        builder.Environment.WebRootFileProvider = new StillFiles(builder.Environment.WebRootFileProvider);
        builder.WebHost.UseKestrel(options =>
        {
            options.Listen(System.Net.IPAddress.Loopback, settings.Port);
            options.Limits.MaxRequestBodySize = 1 << 20;
            options.AddServerHeader = false;
        });
        builder.Services.AddSerilog(
            new LoggerConfiguration()
                .MinimumLevel.Information()
                .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
                // The keys guard forms against other sites on one's own machine; they lie beside the data they guard.
                .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", LogEventLevel.Error)
                .WriteTo.File(
                    Path.Combine(settings.DataFolder, "weiche-.log"),
                    rollingInterval: RollingInterval.Day,
                    retainedFileCountLimit: 7,
                    fileSizeLimitBytes: 10 << 20,
                    formatProvider: System.Globalization.CultureInfo.InvariantCulture
                )
                .CreateLogger(),
            dispose: true
        );
        // Made by a factory, so that the container closes it, and the database with it, at the very end.
        builder.Services.AddSingleton(_ => desk);
        builder.Services.AddSingleton(settings.RawPlaces);
        builder.Services.AddSingleton(settings.Time);
        builder.Services.AddSingleton<WatchLog>();
        builder.Services.AddSingleton<HeldFinder>();
        builder.Services.AddHostedService(services => services.GetRequiredService<WatchLog>());
        builder.Services.AddSingleton(services => new LoadMeter(services.GetRequiredService<StudioDesk>(), settings.Time));
        builder.Services.AddHostedService(services => services.GetRequiredService<LoadMeter>());
        builder.Services.AddHostedService(services => new Tidier(services.GetRequiredService<StudioDesk>(), settings.Time));
        builder.Services.AddSingleton<EchoWatch>();
        builder.Services.AddHostedService(services => services.GetRequiredService<EchoWatch>());
        builder.Services.AddHostedService<LeverWatch>();
        builder.Services.AddSingleton(services => new TapeDeck(services.GetRequiredService<StudioDesk>(), settings.Time));
        builder.Services.AddHostedService(services => services.GetRequiredService<TapeDeck>());
        builder.Services.AddSingleton(services => new TakeShelf(
            services.GetRequiredService<StudioDesk>(),
            services.GetRequiredService<TapeDeck>(),
            settings.Time
        ));
        builder.Services.AddHostedService(services => services.GetRequiredService<TakeShelf>());
        builder.Services.AddSingleton<SpokenLog>();
        builder.Services.AddRazorPages(options => options.Conventions.ConfigureFilter(new PlainPosts()));
        // Kept with the data, so that a page that is open keeps working when Weiche is started again.
        builder
            .Services.AddDataProtection()
            .SetApplicationName("Weiche")
            .PersistKeysToFileSystem(new DirectoryInfo(Path.Combine(settings.DataFolder, "keys")));
        builder.Services.AddRouting(options => options.LowercaseUrls = true);
        builder.Services.AddAntiforgery(options =>
        {
            options.HeaderName = "X-Weiche-Token";
            options.Cookie.Name = "weiche-token";
            options.Cookie.SameSite = SameSiteMode.Strict;
        });
        builder
            .Services.AddSignalR(options => options.MaximumReceiveMessageSize = 4096)
            .AddJsonProtocol(options => options.PayloadSerializerOptions.PropertyNamingPolicy = JsonNamingPolicy.CamelCase);
        builder.Services.Configure<HostFilteringOptions>(options =>
        {
            options.AllowedHosts = Doors.Hosts;
            options.AllowEmptyHosts = false;
            options.IncludeFailureMessage = false;
        });
        builder.Services.Configure<HostOptions>(options => options.ShutdownTimeout = TimeSpan.FromSeconds(2));

        var app = builder.Build();
        // The container makes what it is asked for: asking once means it is closed with the rest.
        app.Services.GetRequiredService<StudioDesk>();
        var hub = app.Services.GetRequiredService<IHubContext<LiveHub>>();
        desk.Browsers.Tell = (connection, port, bytes) => _ = hub.Clients.Client(connection).SendAsync("playPort", port, bytes);
        // It listens from the start: who spoke before the page was opened is known too.
        app.Services.GetRequiredService<SpokenLog>();
        app.UseExceptionHandler("/fault");
        app.UseStatusCodePagesWithReExecute("/fault", "?status={0}");
        app.UseHostFiltering();
        app.UseDoors();
        app.UseStaticFiles(
            new StaticFileOptions
            {
                // Every reference carries a hash of the file, so a browser may keep it.
                OnPrepareResponse = context =>
                    context.Context.Response.Headers.CacheControl = context.Context.Request.Query.ContainsKey("v")
                        ? "public, max-age=31536000, immutable"
                        : "no-cache",
            }
        );
        app.UseRouting();
        app.UseAntiforgery();
        app.MapRazorPages();
        app.MapHub<LiveHub>("/live");
        return app;
    }

    private static StudioDesk OpenDesk(WeicheSettings settings)
    {
        StudioStore? store = null;
        try
        {
            store = StudioStore.Open(settings.DataFolder);
            var (stored, unreadable) = LastReadable(store);
            if (stored is null)
            {
                var now = settings.Time.GetUtcNow().UtcDateTime;
                foreach (var studio in settings.First())
                {
                    var added = store.Import(studio, now);
                    stored ??= added;
                }
                store.Opened(stored!.Id, now);
                if (settings.WithTakes)
                    FirstTakes.Add(store, stored.Id, StudioJson.Read(stored.Document), now);
            }
            var notice = string.Join(' ', new[] { store.Notice, unreadable }.OfType<string>());
            if (notice.Length > 0)
                Console.Error.WriteLine(notice);
            var desk = new StudioDesk(
                store,
                stored,
                settings.Time,
                settings.RawPlaces,
                settings.StandIns is not null,
                settings.AsksForUrgency,
                settings.Systems,
                notice.Length > 0 ? notice : null
            );
            if (settings.StandIns is { Count: > 0 } named)
                desk.StandIns.Room!.PlugOnly(named.Select(Room.Named).OfType<string>());
            return desk;
        }
        catch (StoreException exception)
        {
            store?.Dispose();
            throw new StartException(exception.Message, exception);
        }
    }

    /// <summary>The studio that was worked on last of those that can be read, and what to say of those that cannot.</summary>
    private static (StoredStudio? Stored, string? Unreadable) LastReadable(StudioStore store)
    {
        string? unreadable = null;
        foreach (var (id, name) in store.ByLastWork())
        {
            if (store.WhyUnreadable(id) is not { } why)
                return (store.Find(id), unreadable);
            unreadable ??=
                $"“{name}”, which was open last, cannot be read: {why} It is left as it is; Studio offers its last version that "
                + "can be read.";
        }
        return (null, unreadable);
    }
}
