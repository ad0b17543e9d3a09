// The bench: stand-ins played by mouse, by touch and by the computer's keys, and what they hold.

// The lower two rows of letters, by place on the keyboard whatever is printed there: C to B.
const places = ["KeyZ", "KeyS", "KeyX", "KeyD", "KeyC", "KeyV", "KeyG", "KeyB", "KeyH", "KeyN", "KeyJ", "KeyM"];
const usualVelocity = 96;
const bendReach = 8191;
const remembered = "weiche-bench";

export function startBench(live) {
  const bench = document.getElementById("bench");
  const button = document.getElementById("bench-button");
  const players = [...bench.querySelectorAll("[data-player]")];
  let current = players[0] ?? null;
  const octaves = new Map();
  const pointers = new Map();
  const typed = new Map();

  const keyboard = () => current?.querySelector(".keyboard");
  const device = () => current.dataset.player;

  function open(opened, focus) {
    bench.hidden = !opened;
    button.setAttribute("aria-expanded", String(opened));
    sessionStorage.setItem(remembered, opened ? (current?.dataset.player ?? "none") : "");
    if (!opened) letGo();
    else if (focus) keyboard()?.focus();
  }

  function choose(id) {
    letGo();
    current = players.find((player) => player.dataset.player === id) ?? players[0];
    for (const player of players) player.hidden = player !== current;
    for (const choice of bench.querySelectorAll("[data-play]")) {
      const chosen = choice.dataset.play === current.dataset.player;
      choice.classList.toggle("strong", chosen);
      choice.setAttribute("aria-pressed", String(chosen));
    }
    label();
  }

  function lowest() {
    const board = keyboard();
    const [low, high] = [Number(board.dataset.lowest), Number(board.dataset.highest)];
    const middle = Math.min(60, high - 11);
    const wanted = octaves.get(board) ?? Math.max(low, middle - ((middle - low) % 12));
    return Math.max(low, Math.min(wanted, high - ((high - low) % 12)));
  }

  function label() {
    const board = keyboard();
    if (!board) return;
    for (const letter of board.querySelectorAll("[data-letter]")) {
      const place = places[Number(letter.dataset.letter) - lowest()];
      letter.textContent = place ? place.slice(3) : "";
    }
  }

  function press(key, velocity) {
    live.send("Press", device(), key, velocity);
    keyboard().querySelector(`[data-key="${key}"]`)?.classList.add("down");
  }

  function release(key) {
    if ([...pointers.values(), ...typed.values()].includes(key)) return;
    live.send("Release", device(), key);
    keyboard().querySelector(`[data-key="${key}"]`)?.classList.remove("down");
  }

  function letGo() {
    if (!current) return;
    const keys = new Set([...pointers.values(), ...typed.values()]);
    pointers.clear();
    typed.clear();
    keys.forEach(release);
    if (spaceDown) sustain((spaceDown = false));
  }

  // Lower on the key is louder, as far from a real key's hinge.
  function velocityAt(key, y) {
    const box = key.getBoundingClientRect();
    return Math.round(Math.max(20, Math.min(127, 30 + (97 * (y - box.top)) / box.height)));
  }

  function keyAt(event) {
    const key = document.elementFromPoint(event.clientX, event.clientY);
    return key?.closest("[data-player]") === current && key.dataset.key ? key : null;
  }

  // A finger on the surface: along it the key, across it the slide; what presses hard says so, a mouse presses middling.
  const fingers = new Map();
  function touch(event, surface, finger) {
    const box = surface.getBoundingClientRect();
    const [low, high] = [Number(surface.dataset.lowest), Number(surface.dataset.highest)];
    const key = low - 0.5 + ((event.clientX - box.left) / box.width) * (high - low + 1);
    const slide = Math.round(127 * (1 - Math.max(0, Math.min(1, (event.clientY - box.top) / box.height))));
    const pressure = event.pressure > 0 && event.pressure !== 0.5 ? Math.round(127 * event.pressure) : 80;
    live.send("Touch", device(), finger, Math.max(low, Math.min(high, key)), pressure, slide);
  }
  bench.addEventListener("pointerdown", (event) => {
    const surface = event.target.closest("[data-surface]");
    if (!surface || event.button !== 0) return;
    event.preventDefault();
    surface.focus({ preventScroll: true });
    surface.setPointerCapture(event.pointerId);
    fingers.set(event.pointerId, surface);
    touch(event, surface, 1000 + (event.pointerId % 1000));
  });
  bench.addEventListener("pointermove", (event) => {
    const surface = fingers.get(event.pointerId);
    if (surface) touch(event, surface, 1000 + (event.pointerId % 1000));
  });
  for (const ending of ["pointerup", "pointercancel"]) {
    bench.addEventListener(ending, (event) => {
      if (fingers.delete(event.pointerId)) live.send("Lift", device(), 1000 + (event.pointerId % 1000));
    });
  }

  bench.addEventListener("pointerdown", (event) => {
    const key = event.target.closest("[data-key]");
    if (!key || event.button !== 0) return;
    event.preventDefault();
    keyboard().focus({ preventScroll: true });
    key.releasePointerCapture?.(event.pointerId);
    pointers.set(event.pointerId, Number(key.dataset.key));
    press(Number(key.dataset.key), velocityAt(key, event.clientY));
  });

  document.addEventListener("pointermove", (event) => {
    const before = pointers.get(event.pointerId);
    if (before === undefined) return;
    const key = keyAt(event);
    if (!key || Number(key.dataset.key) === before) return;
    pointers.set(event.pointerId, Number(key.dataset.key));
    release(before);
    press(Number(key.dataset.key), velocityAt(key, event.clientY));
  });

  for (const ending of ["pointerup", "pointercancel"]) {
    document.addEventListener(ending, (event) => {
      const key = pointers.get(event.pointerId);
      if (key === undefined) return;
      pointers.delete(event.pointerId);
      release(key);
    });
  }

  let spaceDown = false;
  bench.addEventListener("keydown", (event) => {
    if (!event.target.closest(".keyboard") || event.ctrlKey || event.metaKey || event.altKey) return;
    const place = places.indexOf(event.code);
    // The bench stays open; its keys are the page's again.
    if (event.key === "Escape") document.activeElement.blur();
    else if (event.code === "Space") {
      if (!event.repeat) sustain((spaceDown = true));
    } else if (event.key === "ArrowLeft" || event.key === "ArrowRight") shift(event.key === "ArrowLeft" ? -12 : 12);
    else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      if (!event.repeat) bend(event.key === "ArrowUp" ? bendReach : -bendReach);
    } else if (place >= 0) {
      if (!event.repeat) type(event.code, lowest() + place);
    } else return;
    event.preventDefault();
  });

  document.addEventListener("keyup", (event) => {
    if (event.code === "Space" && spaceDown) sustain((spaceDown = false));
    if ((event.key === "ArrowUp" || event.key === "ArrowDown") && event.target.closest?.(".keyboard")) bend(0);
    const key = typed.get(event.code);
    if (key === undefined) return;
    typed.delete(event.code);
    release(key);
  });

  // Who gets the keys is seen on the bench.
  for (const change of ["focusin", "focusout"]) {
    bench.addEventListener(change, (event) =>
      bench.classList.toggle("plays", change === "focusin" && Boolean(event.target.closest(".keyboard"))),
    );
  }

  // A window that loses the focus never hears the keys come up.
  addEventListener("blur", letGo);
  bench.addEventListener("focusout", (event) => {
    if (event.target.closest(".keyboard") && typed.size > 0) letGo();
  });

  function type(code, key) {
    if (key > Number(keyboard().dataset.highest) || typed.has(code)) return;
    typed.set(code, key);
    press(key, usualVelocity);
  }

  function shift(by) {
    octaves.set(keyboard(), lowest() + by);
    octaves.set(keyboard(), lowest());
    label();
  }

  function bend(value) {
    const wheel = current.querySelector("[data-bend]");
    if (!wheel) return;
    wheel.value = value;
    live.send("Bend", device(), value);
  }

  function sustain(down) {
    const pedal = current.querySelector("[data-sustain]");
    if (!pedal) return;
    pedal.setAttribute("aria-pressed", String(down));
    live.send("Sustain", device(), down);
  }

  bench.addEventListener("input", (event) => {
    if (event.target.matches("[data-bend]")) live.send("Bend", device(), Number(event.target.value));
    if (event.target.matches("[data-control]"))
      live.send("Control", device(), Number(event.target.dataset.control), Number(event.target.value));
    if (event.target.matches("[data-breath]")) live.send("Blow", device(), Number(event.target.value));
  });
  // The bend wheel springs back.
  bench.addEventListener("change", (event) => {
    if (event.target.matches("[data-bend]")) bend(0);
    if (event.target.matches("[data-breath]")) {
      event.target.value = 0;
      live.send("Blow", device(), 0);
    }
    if (event.target.matches("[data-program]") && event.target.value) live.send("Program", device(), Number(event.target.value) - 1);
    if (event.target.matches("[data-plug]")) live.send("Plug", device(), event.target.value);
  });

  bench.addEventListener("click", (event) => {
    const choice = event.target.closest("[data-play]");
    if (choice) {
      choose(choice.dataset.play);
      open(true, true);
    }
    const habit = event.target.closest("[data-switch], [data-style]");
    if (habit) {
      const on = habit.getAttribute("aria-pressed") !== "true";
      habit.setAttribute("aria-pressed", String(on));
      const state = habit.querySelector("[data-state]");
      if (state) state.textContent = on ? "on" : "off";
      if (habit.dataset.style) live.send("Style", device(), habit.dataset.style, on);
      else live.send("Switch", device(), habit.dataset.switch, on);
    }
    const pedal = event.target.closest("[data-sustain]");
    if (pedal) sustain(pedal.getAttribute("aria-pressed") !== "true");
  });
  button.addEventListener("click", () => open(bench.hidden, true));

  live.onFrame((frame) => frame.hearings.forEach(hear));

  function hear(hearing) {
    const place = bench.querySelector(`[data-heard="${hearing.standIn}"]`);
    if (!place) return;
    const keys = hearing.names;
    const sky = place.dataset.display === "true";
    place.classList.toggle("holding", keys.length > 0);
    place.querySelector("[data-held-keys]").textContent =
      keys.length > 0 ? keys.slice(0, 12).join(" ") + (keys.length > 12 ? ` +${keys.length - 12}` : "") : sky ? "no cue" : "nothing held";
    const more = [];
    if (hearing.sustained) more.push("sustain");
    if (hearing.bend !== 0) more.push(`bend ${hearing.bend > 0 ? "+" : "−"}${Math.abs(hearing.bend)}`);
    if (hearing.modulation > 0) more.push(`modulation ${hearing.modulation}`);
    if (!sky && hearing.programs) more.push(hearing.programs);
    if (hearing.more) more.push(hearing.more);
    place.querySelector("[data-held-more]").textContent = more.join(" · ");
    const stars = place.querySelectorAll("[data-star]");
    stars.forEach((star) =>
      star.classList.toggle(
        "lit",
        hearing.keys.some((key) => key % stars.length === Number(star.dataset.star)),
      ),
    );
  }

  if (current) {
    const before = sessionStorage.getItem(remembered);
    choose(before || current.dataset.player);
    if (before) open(true, false);
  }
}
