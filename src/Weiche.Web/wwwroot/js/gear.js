// Gear: cables plugged by press and press, by drag or by keys; ports found by playing; ports switched one after the other.

import { whenAnswered } from "./page.js";
import { send } from "./swap.js";

const spokeAfter = 120;

export function startGear(live) {
  let picked = null;
  let from = null;

  const gear = () => document.querySelector(".gear");
  const jackOf = (element) => element?.closest?.("[data-jack]");
  const chosen = () => new URLSearchParams(location.search).get("device") ?? "";
  const post = (handler, values, page = "/gear") => whenAnswered(() => send(`${page}?handler=${handler}`, { device: chosen(), ...values }));

  function pick(jack) {
    picked = jack?.dataset.jack ?? null;
    mark();
  }

  // What is picked stays so over a swap; where it may go is shown.
  function mark() {
    const jacks = [...document.querySelectorAll("[data-jack]")];
    const own = jacks.find((jack) => jack.dataset.jack === picked);
    if (!own) picked = null;
    for (const jack of jacks) {
      jack.classList.toggle("picked", jack === own);
      jack.classList.toggle("fits", Boolean(own) && jack.dataset.sends !== own.dataset.sends && !jack.dataset.plugged);
    }
  }

  function press(jack) {
    if (picked === null) pick(jack);
    else if (picked === jack.dataset.jack) pick(null);
    else {
      const one = picked;
      picked = null;
      post("Plug", { one, other: jack.dataset.jack }, "/gear/cabling");
    }
  }

  document.addEventListener("pointerdown", (event) => {
    from = gear() && event.button === 0 ? jackOf(event.target) : null;
    if (from) from.releasePointerCapture?.(event.pointerId);
  });
  document.addEventListener("pointerup", (event) => {
    if (!from || !gear()) return;
    const to = jackOf(document.elementFromPoint(event.clientX, event.clientY));
    if (to === from) press(from);
    else if (to) post("Plug", { one: from.dataset.jack, other: to.dataset.jack }, "/gear/cabling");
    from = null;
  });

  document.addEventListener("keydown", (event) => {
    if (!gear() || event.ctrlKey || event.metaKey || event.altKey) return;
    const jack = jackOf(document.activeElement);
    if (jack && (event.key === "Enter" || event.key === " ")) press(jack);
    else if (jack?.dataset.plugged && (event.key === "Delete" || event.key === "Backspace"))
      post("Unplug", { jack: jack.dataset.jack }, "/gear/cabling");
    else if (event.key === "Escape" && picked !== null) pick(null);
    else if (event.key === "Escape" && gear().dataset.stepping) post("Step", { port: gear().dataset.stepping, stop: true });
    else if (event.target.matches?.("input:not([type=range]), textarea, select") || event.repeat) return;
    else if (event.key === "x") whenAnswered(() => post("Step", { port: gear().dataset.stepping || 0 }));
    else return;
    event.preventDefault();
  });

  // Whoever leaves while ports are switched off one after the other leaves none off.
  addEventListener("pagehide", () => {
    const port = gear()?.dataset.stepping;
    if (!port) return;
    const form = new FormData();
    form.set("port", port);
    form.set("stop", "true");
    form.set("__RequestVerificationToken", JSON.parse(document.body.getAttribute("hx-headers"))["X-Weiche-Token"]);
    navigator.sendBeacon("/gear?handler=Step", form);
  });

  // A finger that is pressed and let go makes a click too: it has been dealt with.
  document.addEventListener(
    "click",
    (event) => {
      if (jackOf(event.target) && gear()) event.preventDefault();
    },
    true,
  );
  document.body.addEventListener("htmx:afterSwap", mark);

  // While a port is being found, the list follows who speaks.
  let timer = 0;
  function follow() {
    if (timer || !document.getElementById("spoke")) return;
    timer = setTimeout(() => {
      timer = 0;
      if (document.getElementById("spoke")) htmx.ajax("GET", "/gear?handler=Spoke", { target: "#spoke", swap: "outerHTML" });
    }, spokeAfter);
  }
  live.onFrame((frame) => {
    if (frame.ports.some((port) => port.ran) || frame.unnamed.length > 0) follow();
  });
}
