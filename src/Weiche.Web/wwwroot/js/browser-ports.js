// The devices of the computer or tablet that shows the page: they are played through it, once a person has allowed that, and again whenever
// a page of this browser is open.

const memory = "weiche-browser-ports";

export function startBrowserPorts(live) {
  const known = JSON.parse(localStorage.getItem(memory) ?? "{}");
  known.browser ??= [...crypto.getRandomValues(new Uint8Array(9))].map((byte) => (byte % 36).toString(36)).join("");
  let access = null;
  let said = "";

  function remember(change) {
    Object.assign(known, change);
    localStorage.setItem(memory, JSON.stringify(known));
  }

  function show(sentence = said) {
    said = sentence;
    const button = document.getElementById("browser-ports-on");
    if (!button) return;
    button.textContent = access ? "take them back" : "devices of this browser";
    document.getElementById("browser-ports-say").textContent = said;
    document.getElementById("browser-smooth-row").hidden = !access;
    document.getElementById("browser-smooth").value = String(known.delay ?? 5);
  }

  async function offer() {
    if (!access) return;
    const ports = [...access.inputs.values()]
      .map((port) => ({ id: port.id, name: port.name ?? "", isSource: true }))
      .concat([...access.outputs.values()].map((port) => ({ id: port.id, name: port.name ?? "", isSource: false })))
      .filter((port) => (port.isSource ? access.inputs : access.outputs).get(port.id).state !== "disconnected");
    for (const input of access.inputs.values()) {
      input.onmidimessage = (event) => live.send("PortPlayed", input.id, event.timeStamp, btoa(String.fromCharCode(...event.data)));
    }
    const problem = await live.ask("OfferPorts", known.browser, known.delay ?? 5, ports);
    show(
      problem ?? (ports.length === 0 ? "No MIDI device is plugged into this computer or tablet yet; one that is appears by itself." : ""),
    );
  }

  async function begin() {
    if (!navigator.requestMIDIAccess) {
      show("This browser gives pages no MIDI devices (it has no Web MIDI): try another one.");
      return;
    }
    try {
      access = await navigator.requestMIDIAccess({ sysex: true });
    } catch {
      try {
        access = await navigator.requestMIDIAccess();
      } catch {
        remember({ on: false });
        show("It was not allowed: press again and allow MIDI devices for this page.");
        return;
      }
    }
    remember({ on: true });
    access.onstatechange = offer;
    await offer();
  }

  function end() {
    for (const input of access.inputs.values()) input.onmidimessage = null;
    access.onstatechange = null;
    access = null;
    remember({ on: false });
    live.send("TakePortsBack");
    show("");
  }

  live.on("playPort", (port, bytes) => {
    const output = access?.outputs.get(port);
    if (!output) return;
    try {
      output.send([...atob(bytes)].map((letter) => letter.charCodeAt(0)));
    } catch {
      // What this browser does not let through (system exclusive that was not allowed) is not played.
    }
  });
  live.whenUp(offer);
  document.addEventListener("click", (event) => {
    if (event.target.closest?.("#browser-ports-on")) access ? end() : begin();
  });
  document.addEventListener("change", (event) => {
    if (event.target.id !== "browser-smooth") return;
    remember({ delay: Number(event.target.value) });
    offer();
  });
  document.addEventListener("htmx:afterSettle", () => show());
  if (known.on) begin();
  else show();
}
