// Pointing on the plan: press or drag from a source to a destination to lay a route, press a track to choose it,
// press channels to move them.

const dragAfter = 6;

export function startPlan() {
  let picked = null;
  let drag = null;

  const plan = () => document.querySelector(".plan");
  const say = (text) => {
    const place = document.getElementById("plan-say");
    place.className = "plan-say";
    place.textContent = text;
  };

  function pick(plate) {
    picked?.classList.remove("picked");
    picked = plate;
    const tracks = document.querySelector(".tracks");
    if (plate) {
      plate.classList.add("picked");
      tracks.dataset.choosing = plate.dataset.side;
      say(plate.dataset.side === "source"
        ? `From ${plate.dataset.name}: now press a destination. Esc lets go.`
        : `To ${plate.dataset.name}: now press a source. Esc lets go.`);
    } else if (tracks) {
      delete tracks.dataset.choosing;
      say("");
    }
  }

  function press(plate) {
    if (!picked || !picked.isConnected || picked.dataset.side === plate.dataset.side) {
      pick(picked === plate ? null : plate);
      return;
    }
    const other = picked;
    pick(null);
    layBetween(other, plate);
  }

  function layBetween(one, other) {
    const [from, to] = one.dataset.side === "source" ? [one, other] : [other, one];
    lay(from.dataset.port, to.dataset.port);
  }

  function post(handler, values) {
    const route = plan()?.dataset.route;
    return htmx.ajax("POST", `/plan?handler=${handler}`, {
      source: plan(),
      target: "#fragment",
      swap: "outerHTML",
      values: route ? { route, ...values } : values,
    });
  }

  function lay(from, to) {
    post("Lay", { from, to });
  }

  function choose(route) {
    const address = `/plan?route=${route}`;
    history.replaceState(null, "", address);
    htmx.ajax("GET", address, { target: "#fragment", swap: "outerHTML" });
  }

  // What the address says and what is chosen stay the same, so that a reload shows the same.
  document.body.addEventListener("htmx:afterSwap", () => {
    picked = null;
    if (!plan()) return;
    const route = plan().dataset.route;
    const address = route ? `/plan?route=${route}` : "/plan";
    if (location.pathname + location.search !== address) history.replaceState(null, "", address);
  });

  document.addEventListener("click", (event) => {
    const target = event.target.closest("[data-port], a[data-route], [data-lay-from], [data-channel-from], [data-channel-to]");
    if (!target || event.ctrlKey || event.metaKey) return;
    act(target, event);
  });

  document.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== " ") return;
    const target = event.target.closest?.("[data-port], [data-channel-from], [data-channel-to]");
    if (target) act(target, event);
  });

  function act(target, event) {
    event.preventDefault();
    if (target.dataset.port) {
      if (!drag?.moved) press(target);
    } else if (target.dataset.layFrom) {
      lay(target.dataset.layFrom, target.dataset.layTo);
    } else if (target.dataset.channelFrom) {
      pickChannel(target);
    } else if (target.dataset.channelTo) {
      moveChannel(target, event.shiftKey);
    } else {
      choose(target.dataset.route);
    }
  }

  function pickChannel(dot) {
    const stage = dot.closest("[data-channel-stage]");
    const before = stage.querySelector(".dot.picked");
    before?.classList.remove("picked");
    if (before !== dot) dot.classList.add("picked");
  }

  // Without a channel picked above, the one meant is the first that passes.
  function moveChannel(dot, also) {
    const stage = dot.closest("[data-channel-stage]");
    const from = stage.querySelector(".dot.picked") ?? stage.querySelector(`[data-channel-from="${dot.dataset.channelTo}"]`);
    post("Channel", { stage: stage.dataset.channelStage, from: from.dataset.channelFrom, to: dot.dataset.channelTo, also });
  }

  document.addEventListener("pointerdown", (event) => {
    drag = null;
    const plate = event.target.closest?.("[data-port]");
    if (!plate || event.button !== 0) return;
    drag = { plate, x: event.clientX, y: event.clientY, moved: false };
    plate.releasePointerCapture?.(event.pointerId);
  });

  document.addEventListener("pointermove", (event) => {
    if (!drag || event.buttons === 0) return;
    if (!drag.moved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < dragAfter) return;
    if (!drag.moved) pick(drag.plate);
    drag.moved = true;
    const tracks = drag.plate.ownerSVGElement;
    tracks.dataset.dragging = "";
    const place = tracks.getBoundingClientRect();
    tracks.querySelector(".drag-line").setAttribute(
      "d", `M${drag.x - place.x} ${drag.y - place.y}L${event.clientX - place.x} ${event.clientY - place.y}`);
  });

  document.addEventListener("pointerup", (event) => {
    if (!drag?.moved) return;
    const tracks = drag.plate.ownerSVGElement;
    delete tracks.dataset.dragging;
    tracks.querySelector(".drag-line").setAttribute("d", "");
    const plate = document.elementFromPoint(event.clientX, event.clientY)?.closest("[data-port]");
    const from = drag.plate;
    pick(null);
    if (plate && plate.dataset.side !== from.dataset.side) layBetween(from, plate);
    // The click that ends a drag presses nothing.
    setTimeout(() => { drag = null; }, 0);
  });

  document.addEventListener("dragstart", (event) => {
    if (event.target.closest?.(".tracks")) event.preventDefault();
  });

  document.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !plan()) return;
    if (picked) pick(null);
    document.getElementById("lay-matches")?.replaceChildren();
  });
}
