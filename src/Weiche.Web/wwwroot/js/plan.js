// Pointing on the plan: press or drag from a source to a destination to lay a route, press a track to choose it,
// press channels to move them.

import { whenAnswered } from "./page.js";
import { isUnasked, look, send } from "./swap.js";

const dragAfter = 6;

export function startPlan() {
  let picked = null;
  let drag = null;
  let frame = null;

  const plan = () => document.querySelector(".plan");
  const say = (text) => {
    const place = document.getElementById("plan-say");
    place.classList.remove("problem");
    place.textContent = text;
  };

  function pick(plate) {
    picked?.classList.remove("picked");
    picked = plate;
    const tracks = document.querySelector(".tracks");
    if (plate) {
      plate.classList.add("picked");
      tracks.dataset.choosing = plate.dataset.side;
      say(
        plate.dataset.side === "source"
          ? `From ${plate.dataset.name}: now press a destination. Esc lets go.`
          : `To ${plate.dataset.name}: now press a source. Esc lets go.`,
      );
      const port = plate.dataset.port;
      if (/^\d+$/.test(port)) {
        offer("Only this", { focus: `port-${port}` }, "pick-focus");
        if (plate.dataset.side === "source") offer("Trace from here", { trace: "1", from: port, route: "" }, "pick-trace");
        else offer("What can reach it", { trace: "1", reach: port, route: "" }, "pick-reach");
      }
    } else if (tracks) {
      delete tracks.dataset.choosing;
      say("");
    }
  }

  // What else a plate that is picked can be asked for.
  function offer(text, change, id) {
    const button = document.createElement("button");
    Object.assign(button, { type: "button", className: "button", id, textContent: text });
    button.addEventListener("click", () => go(change));
    document.getElementById("plan-say").append(" ", button);
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

  function post(handler, values, page = "/plan") {
    const route = plan()?.dataset.route;
    return send(`${page}?handler=${handler}`, route ? { route, ...values } : values);
  }

  function lay(from, to) {
    post("Lay", { from, to });
  }

  // Everything that is looked at stands in the address: a reload, and another window, show the same.
  function go(change) {
    whenAnswered(() => goNow(change));
  }

  function goNow(change) {
    const address = new URL(plan().dataset.address, location.href);
    for (const [name, value] of Object.entries(change)) {
      if (value) address.searchParams.set(name, value);
      else address.searchParams.delete(name);
    }
    visit(address.pathname + address.search);
  }

  function visit(address) {
    history.replaceState(null, "", address);
    look(address);
  }

  const noTrace = { trace: "", from: "", msg: "", reach: "" };
  const chosen = () => (new URL(plan().dataset.address, location.href).searchParams.get("route") ?? "").split(",").filter(Boolean);

  function choose(route) {
    go({ ...noTrace, route });
  }

  // With Shift a route joins those that are chosen, or leaves them.
  function chooseToo(route) {
    const routes = chosen();
    go({ ...noTrace, route: (routes.includes(route) ? routes.filter((each) => each !== route) : [...routes, route]).join(",") });
  }

  // By finger there is no Shift: while this is on, a press chooses one more, and a finger draws a frame.
  let several = false;
  function showSeveral() {
    document.getElementById("several")?.setAttribute("aria-pressed", String(several));
    document.getElementById("several")?.classList.toggle("strong", several);
    document.body.classList.toggle("several", several);
  }
  document.addEventListener("click", (event) => {
    if (!event.target.closest?.("#several")) return;
    several = !several;
    showSeveral();
    if (several) say("Press tracks one after the other, or draw a frame round their rows.");
  });

  document.body.addEventListener("htmx:afterSwap", (event) => {
    // Who has pressed a source is not asked to press it again because something has changed elsewhere.
    const again = isUnasked(event.detail) && picked && document.getElementById(picked.id);
    picked = null;
    frame = null;
    if (again) pick(again);
    showSeveral();
    const address = document.getElementById("fragment")?.dataset.address;
    if (address && location.pathname + location.search !== address) history.replaceState(null, "", address);
  });

  document.addEventListener("click", (event) => {
    const target = event.target.closest(
      "[data-port], a[data-route], [data-lay-from], [data-channel-from], [data-channel-to], [data-plan-go], [data-find-set]",
    );
    if (!target || event.ctrlKey || event.metaKey) return;
    act(target, event);
  });

  document.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== " ") return;
    const target = event.target.closest?.("[data-port], [data-channel-from], [data-channel-to], a[data-route]");
    if (target && (target.dataset.port || !target.dataset.route || event.shiftKey)) act(target, event);
    // The first thing found is the one that is meant.
    if (event.key === "Enter" && event.target.id === "find-letters") {
      event.preventDefault();
      wanted = event.target.value.trim();
      takeFirst();
    }
  });

  // Enter may be faster than the answer: the first one found is taken as soon as it is there.
  let wanted = null;
  function takeFirst() {
    const found = document.querySelector("#find-matches [data-letters]");
    if (wanted === null || found?.dataset.letters !== wanted) return;
    wanted = null;
    document.querySelector("#find-matches .match")?.click();
  }
  document.body.addEventListener("htmx:afterSwap", takeFirst);

  document.addEventListener("change", (event) => {
    if (event.target.matches?.("[data-plan-reach]")) go({ ...noTrace, trace: "1", reach: event.target.value });
    if (event.target.id === "plan-lineup") go({ lineup: event.target.value });
  });

  function act(target, event) {
    event.preventDefault();
    if (target.dataset.port) {
      if (!drag?.moved) press(target);
    } else if (target.dataset.layFrom) {
      const { layFrom, layTo, layAnother, layLetters } = target.dataset;
      if (layLetters) post("Letters", { q: layLetters });
      else post("Lay", layAnother ? { from: layFrom, to: layTo, another: true } : { from: layFrom, to: layTo });
    } else if (target.dataset.channelFrom) {
      pickChannel(target);
    } else if (target.dataset.channelTo) {
      moveChannel(target, event.shiftKey);
    } else if (target.dataset.findSet) {
      go({ ...(target.dataset.findSet === "route" ? noTrace : {}), [target.dataset.findSet]: target.dataset.findValue });
    } else if (target.dataset.planGo !== undefined) {
      visit(target.getAttribute("href"));
    } else if (event.shiftKey || several) {
      chooseToo(target.dataset.route);
    } else {
      choose(target.dataset.route);
    }
  }

  function pickChannel(dot) {
    const stage = dot.closest("[data-channel-stage]");
    const before = stage.querySelector(".channel-dot.picked");
    before?.classList.remove("picked");
    if (before !== dot) dot.classList.add("picked");
  }

  // Without a channel picked above, the one meant is the first that passes.
  function moveChannel(dot, also) {
    const stage = dot.closest("[data-channel-stage]");
    const from = stage.querySelector(".channel-dot.picked") ?? stage.querySelector(`[data-channel-from="${dot.dataset.channelTo}"]`);
    post("Channel", { stage: stage.dataset.channelStage, from: from.dataset.channelFrom, to: dot.dataset.channelTo, also }, "/plan/stages");
  }

  document.addEventListener("pointerdown", (event) => {
    drag = null;
    const plate = event.target.closest?.("[data-port]");
    // A frame begins where nothing stands.
    if (
      !plate &&
      event.button === 0 &&
      (several || event.pointerType !== "touch") &&
      event.target.closest?.(".plan .tracks") &&
      !event.target.closest("a")
    ) {
      const tracks = event.target.closest(".tracks");
      const place = tracks.getBoundingClientRect();
      frame = { tracks, place, x: event.clientX - place.x, y: event.clientY - place.y, moved: false };
    }
    if (!plate || event.button !== 0) return;
    drag = { plate, x: event.clientX, y: event.clientY, moved: false };
    plate.releasePointerCapture?.(event.pointerId);
  });

  document.addEventListener("pointermove", (event) => {
    if (frame && event.buttons !== 0) drawFrame(event);
    if (!drag || event.buttons === 0) return;
    if (!drag.moved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < dragAfter) return;
    if (!drag.moved) pick(drag.plate);
    drag.moved = true;
    const tracks = drag.plate.ownerSVGElement;
    tracks.dataset.dragging = "";
    const place = tracks.getBoundingClientRect();
    tracks
      .querySelector(".drag-line")
      .setAttribute("d", `M${drag.x - place.x} ${drag.y - place.y}L${event.clientX - place.x} ${event.clientY - place.y}`);
  });

  function drawFrame(event) {
    const [x, y] = [event.clientX - frame.place.x, event.clientY - frame.place.y];
    frame.moved ||= Math.hypot(x - frame.x, y - frame.y) >= dragAfter;
    Object.assign(frame, {
      left: Math.min(x, frame.x),
      top: Math.min(y, frame.y),
      right: Math.max(x, frame.x),
      bottom: Math.max(y, frame.y),
    });
    if (!frame.moved) return;
    const rect = frame.tracks.querySelector(".frame");
    for (const [name, value] of [
      ["x", frame.left],
      ["y", frame.top],
      ["width", frame.right - frame.left],
      ["height", frame.bottom - frame.top],
    ])
      rect.setAttribute(name, value);
  }

  function endFrame() {
    const { tracks, left, top, right, bottom, moved } = frame;
    frame = null;
    tracks.querySelector(".frame").setAttribute("width", 0);
    if (!moved) return;
    const inside = [...tracks.querySelectorAll("a[data-route]")].filter(
      ({ dataset }) =>
        Number(dataset.row) >= top && Number(dataset.row) <= bottom && Number(dataset.to) >= left && Number(dataset.from) <= right,
    );
    if (inside.length > 0) go({ ...noTrace, route: inside.map((track) => track.dataset.route).join(",") });
    else say("No route has its row in that frame.");
  }

  document.addEventListener("pointerup", (event) => {
    if (frame) endFrame();
    if (!drag?.moved) return;
    const tracks = drag.plate.ownerSVGElement;
    delete tracks.dataset.dragging;
    tracks.querySelector(".drag-line").setAttribute("d", "");
    const plate = document.elementFromPoint(event.clientX, event.clientY)?.closest("[data-port]");
    const from = drag.plate;
    pick(null);
    if (plate && plate.dataset.side !== from.dataset.side) layBetween(from, plate);
    // The click that ends a drag presses nothing.
    setTimeout(() => {
      drag = null;
    }, 0);
  });

  document.addEventListener("dragstart", (event) => {
    if (event.target.closest?.(".tracks")) event.preventDefault();
  });

  document.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || !plan()) return;
    if (picked) pick(null);
    else if (chosen().length > 1) go({ route: "" });
    document.getElementById("lay-matches")?.replaceChildren();
    document.getElementById("find-matches")?.replaceChildren();
  });
}
