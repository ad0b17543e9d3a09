// The chosen route's stages, played and drawn: keys pressed or pointed at, a velocity curve drawn, what moves shown moving.

import { figure } from "./lamps.js";
import { isUnasked, send } from "./swap.js";

const dotsKept = 24;

export function startStrip(live) {
  const kinds = new Map();
  const values = new Map();
  let dots = [];
  let capture = null;

  const strip = () => document.querySelector(".strip[data-sources]");
  const isMine = (port) => strip()?.dataset.sources.split(" ").includes(String(port));

  function post(handler, sent) {
    const route = document.querySelector(".plan")?.dataset.route;
    return send(`/plan/stages?handler=${handler}`, { route, ...sent });
  }

  live.onFrame((frame) => {
    for (const { port, kind, count } of frame.kinds) {
      if (!kinds.has(port)) kinds.set(port, new Map());
      kinds.get(port).set(kind, count);
    }
    if (frame.kinds.length > 0) showKinds();
    for (const { port, status, first, second } of frame.recent) hear(port, status, first, second);
    if (frame.recent.length > 0) showMoving();
  });

  function hear(port, status, first, second) {
    if (!isMine(port)) return;
    const kind = status & 0xf0;
    if (kind === 0x90 && second > 0) {
      dots.push([second, first]);
      dots = dots.slice(-dotsKept);
      if (capture) played(first);
    }
    if (kind === 0xb0) move(String(first), second);
    if (kind === 0xe0) move("bend", second);
    if (kind === 0xd0) move("pressure", first);
  }

  function move(control, value) {
    values.delete(control);
    values.set(control, value);
  }

  function showKinds() {
    for (const place of document.querySelectorAll("[data-kind-count]")) {
      const sum = strip()
        .dataset.sources.split(" ")
        .reduce((all, port) => all + (kinds.get(Number(port))?.get(Number(place.dataset.kindCount)) ?? 0), 0);
      if (sum > 0) place.textContent = figure(sum);
    }
  }

  function showMoving() {
    for (const place of document.querySelectorAll("[data-velocity-dots]")) {
      place.replaceChildren(
        ...dots.map(([velocity, key], index) => {
          const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
          // What came is on the way along; where its key lies says how far up.
          for (const [name, value] of [
            ["cx", velocity],
            ["cy", 122 - (key / 127) * 116],
            ["r", 2.6],
            ["opacity", 0.3 + (0.7 * (index + 1)) / dots.length],
          ])
            dot.setAttribute(name, value);
          return dot;
        }),
      );
    }
    for (const rule of document.querySelectorAll("[data-control]")) {
      const value = values.get(rule.dataset.control);
      if (value === undefined) continue;
      const { inLow, inHigh, outLow, outHigh } = rule.dataset;
      const along =
        Number(inHigh) === Number(inLow)
          ? value >= Number(inLow)
            ? 1
            : 0
          : (Math.max(Number(inLow), Math.min(Number(inHigh), value)) - Number(inLow)) / (Number(inHigh) - Number(inLow));
      rule.querySelector(".meter b").style.width = `${(value / 127) * 100}%`;
      const out = rule.querySelector(".meter.out b");
      if (out) out.style.width = `${((Number(outLow) + along * (Number(outHigh) - Number(outLow))) / 127) * 100}%`;
    }
    for (const place of document.querySelectorAll("[data-moved]")) {
      const ruled = new Set([...document.querySelectorAll("[data-control]")].map((rule) => rule.dataset.control));
      const loose = [...values]
        .filter(([control]) => !ruled.has(control))
        .slice(-4)
        .reverse();
      place.replaceChildren(
        ...loose.map(([control, value]) => {
          const button = document.createElement("button");
          Object.assign(button, { type: "button", className: "small-button", textContent: `${control} = ${value}` });
          button.addEventListener("click", () => writeRule(place, control));
          return button;
        }),
      );
    }
  }

  function writeRule(place, control) {
    const field = place.closest(".stage").querySelector(".rule");
    field.value = `${field.value ? `${field.value}, ` : ""}${control}→`;
    field.focus();
  }

  // A key that is played comes here as the stages before make it; one that they stop does not.
  function played(key) {
    const arrives = document.querySelector(`[data-keys-stage="${capture.stage}"]`)?.dataset.arrives;
    const here = arrives ? Number(arrives.split(" ")[key]) : key;
    if (here >= 0) captured(here);
  }

  // Two keys, played or pressed on the drawing, make a zone.
  function captured(key) {
    const stage = document.querySelector(`[data-keys-stage="${capture.stage}"]`);
    if (!stage || capture.first === undefined) {
      capture.first = key;
      showCapture();
      return;
    }
    const ends = [capture.first, key].sort((one, other) => one - other);
    capture = null;
    setKeys(stage, ends);
  }

  function setKeys(stage, [low, high]) {
    const was = stage.closest(".stage").querySelector("input[name=was]").value;
    post("Set", { stage: stage.dataset.keysStage, name: "Keys", was, rule: `${stage.dataset.outside ? "not " : ""}${low} – ${high}` });
  }

  // What the two keys are waited for is said by the stage that waits for them, and by no other.
  function showCapture() {
    const stage = capture && document.querySelector(`[data-keys-stage="${capture.stage}"]`);
    if (!stage) capture = null;
    for (const button of document.querySelectorAll("[data-play-keys]")) {
      const waits = stage?.closest(".stage").contains(button) ?? false;
      button.setAttribute("aria-pressed", String(waits));
      button.classList.toggle("strong", waits);
      button.textContent = !waits ? "Play two keys" : capture.first === undefined ? "Press the lowest key …" : "Now the other end.";
    }
    for (const key of document.querySelectorAll("[data-map-key].first")) key.classList.remove("first");
    stage?.querySelector(`[data-map-key="${capture.first}"]`)?.classList.add("first");
  }

  document.addEventListener("click", (event) => {
    const button = event.target.closest?.("[data-play-keys]");
    if (!button) return;
    const stage = button.closest(".stage").querySelector("[data-keys-stage]").dataset.keysStage;
    capture = capture?.stage === stage ? null : { stage };
    showCapture();
  });

  let pressed = null;
  document.addEventListener("pointerdown", (event) => {
    const key = event.target.closest?.("[data-map-key]");
    if (!key || event.button !== 0) return;
    const stage = key.closest("[data-keys-stage]");
    pressed = { stage, key: Number(key.dataset.mapKey) };
    key.releasePointerCapture?.(event.pointerId);
    event.preventDefault();
  });
  // While a finger or the mouse is down, the name of the key under it is told: keys are narrow.
  const nameOf = (key) => key.querySelector("title")?.textContent.split(" ")[0] ?? "";
  document.addEventListener("pointermove", (event) => {
    if (!pressed) return;
    const over = document.elementFromPoint(event.clientX, event.clientY)?.closest?.("[data-map-key]");
    const begun = pressed.stage.querySelector(`[data-map-key="${pressed.key}"]`);
    if (!over || !begun) return;
    const ends = [begun, over].sort((one, other) => one.dataset.mapKey - other.dataset.mapKey).map(nameOf);
    pressed.stage.closest(".stage").querySelector(".sign-text").textContent = ends[0] === ends[1] ? ends[0] : `${ends[0]} – ${ends[1]}`;
  });
  document.addEventListener("click", (event) => {
    const step = event.target.closest?.("[data-key-step]");
    if (!step) return;
    const stage = step.closest(".stage").querySelector("[data-keys-stage]");
    const [end, by] = step.dataset.keyStep.split(" ");
    const ends = { low: Number(stage.dataset.low), high: Number(stage.dataset.high) };
    ends[end] = Math.max(0, Math.min(127, ends[end] + Number(by)));
    if (ends.low <= ends.high) setKeys(stage, [ends.low, ends.high]);
  });

  document.addEventListener("pointerup", (event) => {
    if (!pressed) return;
    const { stage, key } = pressed;
    pressed = null;
    const up = document.elementFromPoint(event.clientX, event.clientY)?.closest?.("[data-map-key]");
    if (up && Number(up.dataset.mapKey) !== key) {
      // Dragged from one end to the other.
      setKeys(
        stage,
        [key, Number(up.dataset.mapKey)].sort((one, other) => one - other),
      );
      return;
    }
    if (capture?.stage !== stage.dataset.keysStage) capture = { stage: stage.dataset.keysStage };
    captured(key);
  });

  // A velocity curve is drawn; Weiche finds the rule that comes closest.
  let line = null;
  function pointOf(event) {
    const box = line.svg.getBoundingClientRect();
    const limit = (value) => Math.max(1, Math.min(127, Math.round(value)));
    return [limit(((event.clientX - box.x) / box.width) * 128), limit(127 - ((event.clientY - box.y) / box.height) * 127)];
  }
  document.addEventListener("pointerdown", (event) => {
    const stage = event.target.closest?.("[data-velocity-stage]");
    if (!stage || event.button !== 0) return;
    line = { stage, svg: stage.querySelector("svg"), points: new Map() };
    event.preventDefault();
  });
  document.addEventListener("pointermove", (event) => {
    if (!line || event.buttons === 0) return;
    const [comes, becomes] = pointOf(event);
    line.points.set(comes, becomes);
    line.svg.querySelector(".drawn").setAttribute(
      "points",
      [...line.points]
        .sort(([one], [other]) => one - other)
        .map(([x, y]) => `${x},${127 - y}`)
        .join(" "),
    );
  });
  document.addEventListener("pointerup", () => {
    if (!line) return;
    const { stage, points, svg } = line;
    line = null;
    svg.querySelector(".drawn").setAttribute("points", "");
    if (points.size < 2) return;
    post("Draw", {
      stage: stage.dataset.velocityStage,
      was: stage.dataset.was,
      points: [...points].map(([comes, becomes]) => `${comes}:${becomes}`).join(","),
    });
  });

  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && capture) {
      capture = null;
      showCapture();
    }
  });
  document.body.addEventListener("htmx:afterSwap", (event) => {
    // Whoever looks elsewhere has given up what they began; what changes elsewhere ends nothing.
    if (!isUnasked(event.detail)) capture = null;
    if (strip()) {
      showCapture();
      showKinds();
      showMoving();
    }
  });
  startFolding(strip);
}

// Where a strip is wider than the window, stages fold to their names until it fits: the one opened or touched last stays open.
function startFolding(strip) {
  let open = null;
  let before = {};
  const keyOf = (stage) => `${document.querySelector(".plan")?.dataset.route}:${[...strip().querySelectorAll(".stage")].indexOf(stage)}`;

  function fit() {
    const whole = strip();
    if (!whole) return;
    const stages = [...whole.querySelectorAll(".stage")];
    for (const stage of stages) stage.classList.remove("folded");
    for (const button of whole.querySelectorAll(".unfold")) button.remove();
    const real = stages.filter((stage) => !stage.matches(".add"));
    // One that was added just now is what is wanted, whatever has the cursor.
    const route = document.querySelector(".plan")?.dataset.route;
    const added = route === before.route && real.length > before.count ? real.at(-1) : null;
    if (added) open = keyOf(added);
    before = { route, count: real.length };
    const kept =
      added ??
      stages.find((stage) => stage.contains(document.activeElement)) ??
      stages.find((stage) => keyOf(stage) === open) ??
      real.at(-1);
    for (const stage of [...stages].sort((one, other) => other.matches(".add") - one.matches(".add"))) {
      if (whole.scrollWidth <= whole.clientWidth) break;
      if (stage === kept) continue;
      stage.classList.add("folded");
      const button = Object.assign(document.createElement("button"), {
        type: "button",
        className: "small-button unfold",
        textContent: stage.matches(".add") ? "+ stage" : "open",
      });
      (stage.querySelector(":scope > header") ?? stage).append(button);
    }
  }

  document.addEventListener("click", (event) => {
    const stage = event.target.closest?.(".stage.folded");
    if (!stage || event.target.closest("input")) return;
    open = keyOf(stage);
    document.activeElement?.blur?.();
    fit();
    (stage.querySelector(".field, button, select") ?? stage).focus({ preventScroll: true });
  });
  document.addEventListener("focusin", (event) => {
    const stage = event.target.closest?.(".strip .stage");
    if (stage && !stage.classList.contains("folded")) open = keyOf(stage);
  });
  document.body.addEventListener("htmx:afterSettle", fit);
  window.addEventListener("resize", fit);
  document.fonts?.ready.then(fit);
  fit();
}
