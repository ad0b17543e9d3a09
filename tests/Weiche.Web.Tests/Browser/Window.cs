using System.Text.Json;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Interactions;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests.Browser;

/// <summary>A chromium without a screen, 1280 × 800, that logs every request it makes.</summary>
public sealed class Window : IDisposable
{
    private static readonly string[] Flags =
    [
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--window-size=1280,800",
        "--force-device-scale-factor=1",
    ];

    public Window()
    {
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
        options.AddArguments(Flags);
        options.SetLoggingPreference("performance", LogLevel.All);
        options.SetLoggingPreference("browser", LogLevel.All);
        Driver = new ChromeDriver(ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver"), options, TimeSpan.FromMinutes(1));
        Resize(1280, 800);
    }

    public ChromeDriver Driver { get; }

    public void Dispose() => Driver.Dispose();

    public void Resize(int width, int height) =>
        Driver.ExecuteCdpCommand(
            "Emulation.setDeviceMetricsOverride",
            new Dictionary<string, object?>
            {
                ["width"] = width,
                ["height"] = height,
                ["deviceScaleFactor"] = 1,
                ["mobile"] = false,
            }
        );

    public void Dark(bool dark) =>
        Driver.ExecuteCdpCommand(
            "Emulation.setEmulatedMedia",
            new Dictionary<string, object?>
            {
                ["features"] = new object[]
                {
                    new Dictionary<string, object?> { ["name"] = "prefers-color-scheme", ["value"] = dark ? "dark" : "light" },
                },
            }
        );

    /// <summary>Opens a page and waits until it is live.</summary>
    internal void Go(House house, string path)
    {
        Driver.Navigate().GoToUrl(new Uri(house.Address, path));
        AwaitLive();
    }

    internal void AwaitLive() =>
        Until(() => Script<string?>("return document.documentElement.dataset.link ?? null") == "up", "a live page");

    public IWebElement Find(string css) => Driver.FindElement(By.CssSelector(css));

    public bool Has(string css) => Driver.FindElements(By.CssSelector(css)).Count > 0;

    public string Text(string css) =>
        Script<string?>($"return document.querySelector({JsonSerializer.Serialize(css)})?.textContent ?? null")?.Trim() ?? "";

    /// <summary>Which version of the studio the page shows.</summary>
    public long Version() => Script<long>("return Number(document.getElementById('fragment').dataset.version)");

    /// <summary>Something is changed elsewhere, and the page shows it.</summary>
    internal void ChangeElsewhere(House house)
    {
        Assert.Null(house.Desk.Apply(new RenameStudio($"Version {house.Desk.State.Version}")).Problem);
        Until(() => Version() == house.Desk.State.Version, "what was changed elsewhere");
    }

    public T Script<T>(string script) => (T)Driver.ExecuteScript(script)!;

    public void Press(string css)
    {
        Until(() => Has(css), css);
        try
        {
            new Actions(Driver).MoveToElement(Find(css)).Click().Perform();
        }
        catch (StaleElementReferenceException)
        {
            // Drawn anew between the look and the press; nothing was pressed yet.
            new Actions(Driver).MoveToElement(Find(css)).Click().Perform();
        }
    }

    public void Hold(string css) => new Actions(Driver).MoveToElement(Find(css)).ClickAndHold().Perform();

    public void LetGo() => new Actions(Driver).Release().Perform();

    /// <summary>From now on what the page fetches is asked for only when <see cref="LetAnswersCome"/> says so.</summary>
    /// <param name="sent">What a person sends, too; else that goes at once.</param>
    public void HoldAnswers(bool sent = false) =>
        Driver.ExecuteScript(
            """
            const [all, { open, send }] = [arguments[0], XMLHttpRequest.prototype];
            window.heldAnswers = [];
            XMLHttpRequest.prototype.open = function (verb, ...rest) {
              this.isHeldBack = all || verb === "GET";
              return open.call(this, verb, ...rest);
            };
            XMLHttpRequest.prototype.send = function (...rest) {
              if (!this.isHeldBack) return send.apply(this, rest);
              window.heldAnswers.push(() => new Promise((come) => {
                this.addEventListener("loadend", come);
                send.apply(this, rest);
              }));
            };
            window.letAnswersCome = () => {
              Object.assign(XMLHttpRequest.prototype, { open, send });
              return Promise.all(window.heldAnswers.map((go) => go()));
            };
            """,
            sent
        );

    public bool HasHeldAnswer() => Script<bool>("return window.heldAnswers.length > 0");

    /// <summary>Returns when they have come.</summary>
    public void LetAnswersCome() => Driver.ExecuteAsyncScript("window.letAnswersCome().then(() => setTimeout(arguments[0], 0))");

    public void Key(string key) => new Actions(Driver).SendKeys(key).Perform();

    public void KeyDown(string code, string key) => Driver.ExecuteCdpCommand("Input.dispatchKeyEvent", KeyEvent("keyDown", code, key));

    public void KeyUp(string code, string key) => Driver.ExecuteCdpCommand("Input.dispatchKeyEvent", KeyEvent("keyUp", code, key));

    /// <summary>Writes down everything that lights up from now on; asked for with <see cref="HasLit"/>.</summary>
    public void WatchLamps() =>
        Driver.ExecuteScript(
            """
            window.litSeen = new Set();
            new MutationObserver((changes) => {
              for (const { target } of changes) {
                if (!target.classList.contains("lit") && !target.classList.contains("stopping")) continue;
                const { lamps, track, sign } = target.dataset;
                window.litSeen.add(lamps ? `lamp ${lamps}` : track ? `track ${track}` : `sign ${sign}`);
              }
            }).observe(document.body, { subtree: true, attributes: true, attributeFilter: ["class"] });
            """
        );

    public bool HasLit(string what) => Script<bool>($"return window.litSeen.has({JsonSerializer.Serialize(what)})");

    /// <summary>Waits until something is so; fails when it never becomes so.</summary>
    public void Until(Func<bool> isSo, string what)
    {
        for (var i = 0; i < 400; i++)
        {
            try
            {
                if (isSo())
                    return;
            }
            catch (WebDriverException)
            {
                // The element was replaced while it was looked at: look again.
            }
            Thread.Sleep(25);
        }
        Assert.Fail(
            $"This never came to be: {what}. The page says: {Text("#plan-say")} {Text("[role=alert]")} {Text("#link-state")} The "
                + $"console says: {string.Join(' ', Errors())} Last asked for: {string.Join(' ', LastAsked())}"
        );
    }

    /// <summary>What the browser did last: requests, answers, and what went over the live connection.</summary>
    private IEnumerable<string> LastAsked() =>
        Network()
            .TakeLast(40)
            .Select(message =>
                $"{message.GetProperty("method").GetString()![8..]} "
                + $"{(message.GetProperty("params").TryGetProperty("request", out var request) && request.TryGetProperty("url", out var address) ? address.GetString() : "")}"
            );

    /// <summary>What the browser wrote down about the network since it was last asked.</summary>
    private IEnumerable<JsonElement> Network() =>
        Driver
            .Manage()
            .Logs.GetLog("performance")
            .Select(entry => JsonDocument.Parse(entry.Message).RootElement.GetProperty("message"))
            .Where(message => message.GetProperty("method").GetString()!.StartsWith("Network.", StringComparison.Ordinal));

    /// <summary>The hosts that were asked for anything since the start.</summary>
    public IReadOnlyList<string> HostsAsked() =>
        [
            .. Network()
                .Where(message => message.GetProperty("method").GetString() is "Network.requestWillBeSent" or "Network.webSocketCreated")
                .Select(message => message.GetProperty("params"))
                .Select(values => new Uri(
                    (values.TryGetProperty("request", out var request) ? request : values).GetProperty("url").GetString()!
                ))
                .Where(address => address.Scheme is "http" or "https" or "ws" or "wss")
                .Select(address => address.Host)
                .Distinct(),
        ];

    /// <summary>What the page wrote to its console as an error, refused edits aside.</summary>
    public IReadOnlyList<string> Errors() =>
        [
            .. Driver
                .Manage()
                .Logs.GetLog("browser")
                .Where(entry => entry.Level == LogLevel.Severe && !entry.Message.Contains(" 422 ", StringComparison.Ordinal))
                .Select(entry => entry.Message),
        ];

    private static Dictionary<string, object?> KeyEvent(string type, string code, string key) =>
        new()
        {
            ["type"] = type,
            ["code"] = code,
            ["key"] = key,
        };
}
