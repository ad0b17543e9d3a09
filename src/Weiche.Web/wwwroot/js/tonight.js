// Tonight: the name in force, kept right while levers work and after Weiche was started anew; the screen stays awake.
import { connect } from "./live.js";
import { isHeld, lookAgain, startSwap } from "./swap.js";

const live = connect();
startSwap();
let [version, roll, lamp] = [0, 0, null];
let asked = false;

// Whatever was edited, plugged in, pulled out, or is stopped by the guard.
function refresh() {
  const shown = document.getElementById("fragment").dataset;
  const isRight = version === Number(shown.version) && roll === Number(shown.roll) && (lamp ?? shown.lamp) === shown.lamp;
  if (asked || isRight || isHeld()) return;
  asked = true;
  lookAgain().finally(() => {
    asked = false;
  });
}

live.onFrame((frame) => {
  // After a restart it counts from elsewhere: other is enough.
  [version, roll, lamp] = [frame.version, frame.roll, frame.guard.words];
  const tempo = document.getElementById("tonight-tempo");
  const said = frame.time ? [frame.time.bpm && `${frame.time.bpm} bpm`, frame.time.said].filter(Boolean).join(" · ") : "";
  if (tempo && tempo.textContent !== said) tempo.textContent = said;
  refresh();
});

function tell() {
  const clock = document.getElementById("tonight-clock");
  if (clock) clock.textContent = new Date().toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false });
}
setInterval(tell, 1000);
tell();
document.body.addEventListener("htmx:afterSwap", tell);

document.addEventListener("keydown", (event) => {
  if (event.repeat || event.ctrlKey || event.metaKey || event.altKey) return;
  const id = { n: "tonight-next", N: "tonight-back", ArrowRight: "tonight-next", ArrowLeft: "tonight-back", ".": "quiet" }[event.key];
  if (!id) return;
  event.preventDefault();
  document.getElementById(id)?.click();
});

document.addEventListener("click", (event) => {
  if (!event.target.closest?.("#tonight-theme")) return;
  const root = document.documentElement;
  root.dataset.theme = root.dataset.theme === "light" ? "dark" : "light";
  document.cookie = `weiche-tonight=${root.dataset.theme};path=/;max-age=31536000;samesite=strict`;
});

// The screen stays awake as long as this is looked at, where the browser can do that.
async function stayAwake() {
  if (document.visibilityState !== "visible" || !navigator.wakeLock) return;
  try {
    await navigator.wakeLock.request("screen");
  } catch {
    // A low battery may forbid it.
  }
}
document.addEventListener("visibilitychange", stayAwake);
stayAwake();
