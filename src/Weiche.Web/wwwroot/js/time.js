// The time: the lamp in the head beats, the clocks on the page Time move, what is held is held.

import { say } from "./page.js";
import { lookAgain } from "./swap.js";

const litFor = 110;
const lastShown = 30000;
const scales = [0.5, 1, 2, 4, 8, 16, 32, 64, 150, 400, 1500];
const svg = "http://www.w3.org/2000/svg";

export function startTime(live) {
  const lamp = document.getElementById("time-lamp");
  let [beat, audio, clicking] = [null, null, false];

  // Stand-ins that follow the clock show where they are.
  const places = new Map();
  live.onFrame(({ time, hearings }) => {
    for (const { standIn, beat: at } of hearings) {
      if (at !== null && at !== places.get(standIn)) light(document.querySelector(`#bench [data-heard="${standIn}"]`), "on-beat");
      places.set(standIn, at);
    }
    if (!time) return;
    tell(time);
    if (time.beat !== beat && beat !== null && time.beat !== 0) {
      light(lamp);
      light(document.querySelector(".clock.master"));
      if (time.look === "counting") click(time.isFirst);
    }
    beat = time.beat;
  });

  function tell(time) {
    lamp.dataset.look = time.look;
    lamp.title = time.title;
    text(lamp.querySelector("b"), time.bpm);
    text(lamp.querySelector("[data-place]"), time.said);
    text(lamp.querySelector("small"), time.master);
    const page = document.querySelector("[data-page=time]");
    if (!page) return;
    const goes = time.look === "playing" || time.look === "counting";
    page.dataset.runs = String(!["none", "waits", "silent"].includes(time.look));
    text(document.getElementById("time-big"), time.place || "–");
    document.getElementById("time-start").setAttribute("aria-pressed", String(goes));
    document.getElementById("time-hold").classList.toggle("down", time.isHeld);
    const tempo = document.getElementById("time-tempo");
    if (
      (document.activeElement !== tempo || tempo.value === tempo.defaultValue) &&
      tempo.getAttribute("aria-invalid") === null &&
      tempo.value !== time.tempo
    )
      refresh();
  }

  function light(element, name = "beat") {
    if (!element) return;
    element.classList.add(name);
    setTimeout(() => element.classList.remove(name), litFor);
  }

  // The count-in can be heard once a hand has touched the page.
  document.addEventListener(
    "pointerdown",
    () => {
      clicking = true;
    },
    { once: true },
  );
  document.addEventListener(
    "keydown",
    () => {
      clicking = true;
    },
    { once: true },
  );
  function click(isFirst) {
    if (!clicking) return;
    audio ??= new AudioContext();
    const tone = new OscillatorNode(audio, { frequency: isFirst ? 1760 : 1174 });
    const gain = new GainNode(audio, { gain: 0.12 });
    gain.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + 0.06);
    tone.connect(gain).connect(audio.destination);
    tone.start();
    tone.stop(audio.currentTime + 0.07);
  }

  // What is tapped, held or nudged goes the quick way, from the press itself.
  let held = null;
  const work = (event) => event.target.closest?.("[data-time-work]");
  document.addEventListener("pointerdown", (event) => {
    const button = work(event);
    if (button && event.button === 0) press(button);
  });
  for (const end of ["pointerup", "pointercancel"]) document.addEventListener(end, letGo);
  document.addEventListener("keydown", (event) => {
    if (event.key !== " " && event.key !== "Enter") return;
    const button = work(event);
    if (!button) return;
    event.preventDefault();
    if (!event.repeat) press(button);
  });
  document.addEventListener("keyup", (event) => {
    if (event.key === " " || event.key === "Enter") letGo();
  });
  addEventListener("blur", letGo);

  function press(button) {
    held = button.dataset.timeWork;
    button.classList.add("down");
    live.ask("PressTime", held).then((problem) => {
      if (problem) say(problem);
    });
  }

  function letGo() {
    if (!held) return;
    live.send("LetTimeGo", held);
    for (const button of document.querySelectorAll(`[data-time-work=${held}]`)) button.classList.remove("down");
    held = null;
    refresh();
  }

  // A tap leaves another tempo than is written down: the page offers to keep it.
  let asked = 0;
  function refresh() {
    if (!document.querySelector("[data-page=time]")) return;
    asked ||= setTimeout(() => {
      asked = 0;
      const field = document.querySelector("#fragment input:focus");
      if (!held && (!field || field.value === field.defaultValue)) lookAgain();
    }, 400);
  }

  live.whileOn(
    "Clocks",
    () => document.querySelector("[data-page=time]") !== null,
    (frame) => {
      const rows = new Set();
      for (const clock of frame.clocks) {
        const row = document.querySelector(`[data-clock="${clock.id}"]`);
        if (row) show(row, clock);
        else refresh();
        rows.add(row);
      }
      for (const { id, leaves } of frame.leaves) text(document.querySelector(`[data-follower="${id}"] [data-leaves]`), leaves);
    },
  );

  function show(row, clock) {
    text(row.querySelector("[data-clock-bpm]"), clock.bpm || "–");
    text(row.querySelector("[data-clock-spread]"), clock.spread);
    text(row.querySelector("[data-clock-state]"), clock.state);
    row.classList.toggle("lost", clock.state.startsWith("silent"));
    row.classList.toggle("idle", clock.dots.length === 0);
    // One that is far off stands at the edge, and does not press all others flat.
    const offs = clock.dots.map(({ off }) => Math.abs(off)).sort((one, other) => one - other);
    const most = offs[Math.floor((offs.length - 1) * 0.95)] ?? 0;
    const scale = scales.find((each) => each >= most) ?? most;
    text(row.querySelector("[data-clock-scale]"), clock.dots.length > 0 ? `± ${scale} ms` : "");
    const picture = row.querySelector(".clock-dots");
    const wide = picture.clientWidth || 600;
    const dots = [...picture.querySelectorAll("ellipse")];
    clock.dots.forEach(({ ago, off }, index) => {
      const dot = dots[index] ?? picture.appendChild(document.createElementNS(svg, "ellipse"));
      dot.setAttribute("cx", (600 * (1 - ago / lastShown)).toFixed(1));
      dot.setAttribute("cy", (32 + Math.max(-1, Math.min(1, off / scale)) * 27).toFixed(1));
      dot.setAttribute("rx", ((4 * 600) / wide).toFixed(2));
      dot.setAttribute("ry", ((4 * 64) / (picture.clientHeight || 64)).toFixed(2));
    });
    dots.slice(clock.dots.length).forEach((dot) => dot.remove());
  }

  function text(element, said) {
    if (element && element.textContent !== said) element.textContent = said;
  }
}
