// The connection to the studio: frames come in, playing goes out. While the page is hidden no frames are asked for.

const retries = [0, 200, 500, 1000, 2000];

export function connect() {
  const state = document.getElementById("link-state");
  const listeners = [];
  const ups = [];
  const connection = new signalR.HubConnectionBuilder()
    .withUrl("/live", { skipNegotiation: true, transport: signalR.HttpTransportType.WebSockets })
    .withAutomaticReconnect({
      nextRetryDelayInMilliseconds: (retry) => retries[Math.min(retry.previousRetryCount, retries.length - 1)],
    })
    .configureLogging(signalR.LogLevel.None)
    .build();
  let frames = null;

  // Other streams, each while somebody looks at what it is for.
  const streams = [];
  function lookAtOthers() {
    const isSeen = connection.state === "Connected" && document.visibilityState === "visible";
    for (const stream of streams) {
      const wanted = isSeen && stream.isWanted();
      if (wanted && !stream.runs) {
        stream.runs = connection.stream(stream.name).subscribe({
          next: stream.listener,
          error: () => {
            stream.runs = null;
          },
          complete: () => {
            stream.runs = null;
          },
        });
      } else if (!wanted && stream.runs) {
        stream.runs.dispose();
        stream.runs = null;
      }
    }
  }
  setInterval(lookAtOthers, 300);

  function look() {
    const wanted = connection.state === "Connected" && document.visibilityState === "visible";
    if (wanted && !frames) {
      frames = connection.stream("Lamps").subscribe({
        next: (frame) => listeners.forEach((listener) => listener(frame)),
        error: () => {
          frames = null;
        },
        complete: () => {
          frames = null;
        },
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
      ups.forEach((up) => up());
    } catch {
      say("Weiche does not answer");
      setTimeout(start, 1000);
    }
  }

  connection.onreconnecting(() => {
    frames = null;
    streams.forEach((stream) => {
      stream.runs = null;
    });
    say("Weiche does not answer");
  });
  connection.onreconnected(() => {
    say("");
    look();
    ups.forEach((up) => up());
  });
  document.addEventListener("visibilitychange", look);
  start();

  return {
    onFrame: (listener) => listeners.push(listener),
    whileOn: (name, isWanted, listener) => streams.push({ name, isWanted, listener, runs: null }),
    on: (name, listener) => connection.on(name, listener),
    whenUp: (listener) => ups.push(listener),
    ask: async (method, ...values) => (connection.state === "Connected" ? connection.invoke(method, ...values) : null),
    send: (method, ...values) => {
      if (connection.state === "Connected") connection.send(method, ...values);
    },
  };
}
