// Lights lamps and tracks for as long as messages run, and keeps the counts beside them.

const litFor = 140;

export function startLamps(live) {
  const lit = new Map();
  const held = new Map();

  function light(selector, name) {
    const until = performance.now() + litFor;
    for (const element of document.querySelectorAll(selector)) {
      element.classList.add(name);
      lit.set(element, { until, name });
    }
    if (lit.size > 0) requestAnimationFrame(dim);
  }

  let dimming = false;
  function dim() {
    if (dimming) return;
    dimming = true;
    const step = () => {
      const now = performance.now();
      for (const [element, { until, name }] of lit) {
        if (now < until && element.isConnected) continue;
        element.classList.remove(name);
        lit.delete(element);
      }
      if (lit.size > 0) requestAnimationFrame(step);
      else dimming = false;
    };
    step();
  }

  // A track gets its light when messages first run on it.
  function layGlow(route) {
    const glows = document.querySelector(".glows");
    const track = document.getElementById(`track-${route}`);
    if (!glows || !track || track.classList.contains("off") || glows.querySelector(`[data-track="${route}"]`)) return;
    const glow = document.createElementNS("http://www.w3.org/2000/svg", "path");
    glow.setAttribute("class", "glow");
    glow.setAttribute("d", track.querySelector(".hit").getAttribute("d"));
    glow.dataset.track = route;
    glows.append(glow);
  }

  function hold(port, count) {
    held.set(port, count);
    for (const element of document.querySelectorAll(`[data-held="${port}"]`)) {
      element.textContent = count > 0 ? `${count} held` : "";
    }
  }

  // What levers have switched is played so, whatever the studio has: it is drawn over what the page was given.
  let switched = [];
  const before = new Map();
  function showSwitched() {
    for (const over of document.querySelectorAll(".switched")) over.remove();
    for (const element of document.querySelectorAll("[data-switched]")) element.textContent = "";
    for (const [track, { off, count, words }] of before) {
      track.classList.toggle("off", off);
      count.textContent = words;
      count.dataset.count = track.dataset.route;
    }
    before.clear();
    for (const { route, on } of switched) {
      for (const element of document.querySelectorAll(`[data-switched="${route}"]`))
        element.textContent = element.classList.contains("sign") ? `lever: ${on ? "on" : "off"}` : `${on ? "on" : "off"} by a lever`;
      const track = document.getElementById(`track-${route}`);
      const count = track?.querySelector(".count[data-count]");
      if (!count) continue;
      before.set(track, { off: track.classList.contains("off"), count, words: count.textContent });
      track.classList.toggle("off", !on);
      count.textContent = on ? "lever: on" : "lever: off";
      count.removeAttribute("data-count");
      const over = document.createElementNS("http://www.w3.org/2000/svg", "path");
      over.setAttribute("class", `switched ${on ? "on" : "off"}`);
      // Only the row is its own; what leads there it may share with tracks that run.
      const { row, from, to } = track.dataset;
      over.setAttribute("d", on ? track.querySelector(".hit").getAttribute("d") : `M${from - 24} ${row}H${to}`);
      document.querySelector(".glows").before(over);
    }
  }

  const lamp = document.getElementById("guard-lamp");
  function guard({ words, title, look }) {
    if (lamp.textContent !== words) lamp.textContent = words;
    lamp.title = title;
    lamp.dataset.look = look;
  }

  const [box, now] = [document.getElementById("lineup-box"), document.getElementById("lineup-now")];
  function line(name) {
    if (now.textContent !== name) now.textContent = name;
    box.hidden = name === "";
  }

  live.onFrame((frame) => {
    for (const { port, ran, held: count } of frame.ports) {
      if (ran) light(`[data-lamps~="${port}"]`, "lit");
      hold(port, count);
    }
    guard(frame.guard);
    line(frame.lineup);
    if (frame.switched) {
      switched = frame.switched;
      showSwitched();
    }
    for (const unit of frame.unnamed) light(`[data-unit="${CSS.escape(unit)}"]`, "lit");
    for (const { route, passed } of frame.routes) {
      layGlow(route);
      light(`[data-track="${route}"]`, "lit");
      for (const element of document.querySelectorAll(`[data-count="${route}"]`)) element.textContent = figure(passed);
    }
    for (const { route, stage, came, out, stops, stopped } of frame.stages) {
      if (stops) light(`[data-sign="${route}:${stage}"]`, "stopping");
      if (stage === 0) for (const element of document.querySelectorAll(`[data-stage-in="${route}"]`)) element.textContent = figure(came);
      for (const element of document.querySelectorAll(`[data-stage-out="${route}:${stage}"]`)) element.textContent = figure(out);
      for (const element of document.querySelectorAll(`[data-stage-kept="${route}:${stage}"]`))
        element.textContent = kept(stopped, Number(element.closest("[data-message-bytes]").dataset.messageBytes));
    }
    for (const element of document.querySelectorAll("[data-background]")) element.textContent = figure(frame.background);
  });
  document.body.addEventListener("htmx:afterSwap", () => {
    held.forEach((count, port) => hold(port, count));
    if (switched.length > 0) showSwitched();
  });
}

const thousands = /\B(?=(\d{3})+$)/g;

// What a stage kept off the wire, as the page's own words have it.
function kept(messages, each) {
  const bytes = messages * each;
  if (bytes < 1) return "";
  return bytes < 1000 ? `−${Math.round(bytes)} B` : bytes < 1e6 ? `−${(bytes / 1000).toFixed(1)} kB` : `−${(bytes / 1e6).toFixed(1)} MB`;
}

export function figure(value) {
  return String(value).replace(thousands, "\u202f");
}
