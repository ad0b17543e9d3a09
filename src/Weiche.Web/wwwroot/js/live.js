// The connection to the studio: frames come in, playing goes out. While the page is hidden no frames are asked for.

const retries = [0, 200, 500, 1000, 2000];

export function connect() {
  const state = document.getElementById("link-state");
  const listeners = [];
  const connection = new signalR.HubConnectionBuilder()
    .withUrl("/live", { skipNegotiation: true, transport: signalR.HttpTransportType.WebSockets })
    .withAutomaticReconnect({
      nextRetryDelayInMilliseconds: (retry) => retries[Math.min(retry.previousRetryCount, retries.length - 1)],
    })
    .configureLogging(signalR.LogLevel.None)
    .build();
  let frames = null;

  function look() {
    const wanted = connection.state === "Connected" && document.visibilityState === "visible";
    if (wanted && !frames) {
      frames = connection.stream("Lamps").subscribe({
        next: (frame) => listeners.forEach((listener) => listener(frame)),
        error: () => { frames = null; },
        complete: () => { frames = null; },
      });
    } else if (!wanted && frames) {
      frames.dispose();
      frames = null;
    }
  }

  function say(text) {
    state.textContent = text;
    document.documentElement.dataset.link = text === "" ? "up" : "down";
  }

  async function start() {
    try {
      await connection.start();
      say("");
      look();
    } catch {
      say("Weiche does not answer");
      setTimeout(start, 1000);
    }
  }

  connection.onreconnecting(() => { frames = null; say("Weiche does not answer"); });
  connection.onreconnected(() => { say(""); look(); });
  document.addEventListener("visibilitychange", look);
  start();

  return {
    onFrame: (listener) => listeners.push(listener),
    send: (method, ...values) => {
      if (connection.state === "Connected") connection.send(method, ...values);
    },
  };
}
