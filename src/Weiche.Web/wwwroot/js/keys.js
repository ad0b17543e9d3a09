// One key for each thing that is done often. Typing in a field and playing the bench are left alone.

import { say, whenAnswered } from "./page.js";

const pages = { 1: "/gear", 2: "/plan", 3: "/watch", 4: "/checks", 5: "/lineups", 6: "/takes" };

// Who gets the keys that are typed: a field that has the cursor; the bench, while its keyboard has it, which says so; a dialog; else the
// page, as shortcuts. What is pressed to be written into a field (data-expects) has the keys from that moment on.
export function startKeys() {
  const dialog = document.getElementById("keys");
  document.getElementById("keys-button").addEventListener("click", () => dialog.showModal());

  let expected = null;
  document.addEventListener("click", (event) => {
    const pressed = event.target.closest?.("[data-expects]");
    if (pressed) expected = { field: pressed.dataset.expects, path: pressed.getAttribute("hx-get"), typed: "" };
  });
  document.body.addEventListener("htmx:afterSwap", (event) => {
    // Another answer may come first: the field that is meant comes with its own.
    if (!expected || event.detail.requestConfig?.path !== expected.path) return;
    const { field: id, typed } = expected;
    expected = null;
    const field = document.getElementById(id);
    if (!field) return;
    field.focus();
    field.value += typed;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
  for (const failed of ["htmx:responseError", "htmx:sendError"])
    document.body.addEventListener(failed, () => {
      expected = null;
    });

  // Before anything else on the page sees them.
  document.addEventListener(
    "keydown",
    (event) => {
      if (!expected || event.ctrlKey || event.metaKey || event.altKey || event.key.length !== 1) return;
      expected.typed += event.key;
      event.preventDefault();
      event.stopImmediatePropagation();
    },
    true,
  );

  document.addEventListener("keydown", (event) => {
    // What the bench has taken for a note or a wheel is taken.
    if (event.defaultPrevented || event.altKey || dialog.open) return;
    if (event.target.matches?.("input:not([type=range]), textarea, select")) {
      if (event.key === "Escape") event.target.blur();
      return;
    }
    if (event.ctrlKey || event.metaKey) {
      const back = { z: "undo", Z: "redo", y: "redo" }[event.key];
      if (back) {
        actions[back === "undo" ? "u" : "r"]();
        event.preventDefault();
      }
      return;
    }
    const act = actions[event.key];
    if (!act || event.repeat) return;
    if (act() !== false) event.preventDefault();
  });

  // A choice that is gone through by keys is taken with Enter, or when it is left, and not at the first letter; Esc leaves it as it was.
  // One that is made by hand is taken at once.
  let byKeys = false;
  let chosen = null;
  document.addEventListener(
    "pointerdown",
    () => {
      byKeys = false;
    },
    true,
  );
  document.addEventListener(
    "keydown",
    (event) => {
      if (!event.target.matches?.("select[hx-post]")) return;
      byKeys = true;
      if (event.key === "Enter") take();
      if (event.key === "Escape" && chosen) {
        chosen.field.value = chosen.before;
        chosen = null;
      }
    },
    true,
  );
  document.addEventListener("focusin", (event) => {
    if (event.target.matches?.("select[hx-post]")) event.target.dataset.before = event.target.value;
  });
  document.addEventListener(
    "change",
    (event) => {
      if (!byKeys || event.detail?.isTaken || !event.target.matches?.("select[hx-post]")) return;
      chosen = { field: event.target, before: event.target.dataset.before };
      event.stopPropagation();
    },
    true,
  );
  // What is gone through goes on in the part that was fetched anew, if it is there and as it was.
  document.body.addEventListener("htmx:afterSwap", () => {
    const field = chosen && document.getElementById(chosen.field.id);
    if (field?.value !== chosen?.field.value) chosen = null;
    if (!chosen) return;
    field.dataset.before = chosen.before;
    chosen.field = field;
  });
  document.addEventListener("focusout", take);
  function take() {
    const field = chosen?.field;
    chosen = null;
    if (field?.isConnected && field.value !== field.dataset.before)
      field.dispatchEvent(new CustomEvent("change", { bubbles: true, detail: { isTaken: true } }));
  }

  const press = (id) => {
    const button = document.getElementById(id);
    if (!button) return false;
    button.click();
    return true;
  };

  // What changes the studio waits for the answer to what was pressed before: only then is its button there, or another's.
  const change = (id) => {
    if (!document.getElementById(id)) return false;
    whenAnswered(() => press(id));
    return true;
  };

  // Whether there is something to undo is Weiche's to know, not the button's, which another window's edit has not reached yet.
  const step = (id) => {
    whenAnswered(() => document.getElementById(id).form.requestSubmit());
    return true;
  };

  const stepTake = (id) => {
    const button = document.getElementById(id);
    if (button?.disabled) say(`${button.title}. What was done to the studio is undone by the button in the head.`);
    return Boolean(button) && change(id);
  };

  const actions = {
    b: () => press("bench-button"),
    // On Takes they are the take's own: it says so on its buttons.
    u: () => stepTake("take-undo") || step("undo"),
    r: () => stepTake("take-redo") || step("redo"),
    h: () => {
      location.href = "/history";
      return true;
    },
    f: () => press("find"),
    t: () => press("test-note") || press("trace"),
    v: () => press(document.querySelector(".way[aria-current] + .way")?.id ?? "look-arrivals"),
    "/": () => {
      const find =
        document.getElementById("find-letters") ?? document.getElementById("watch-find") ?? document.getElementById("roster-find");
      if (!find) {
        location.href = "/plan#find";
        return true;
      }
      find.focus();
      find.select();
      return true;
    },
    d: () => {
      const first = document.querySelector(".drawer select, .drawer button:not(:disabled), .drawer input:not([type=hidden])");
      first?.focus();
      return Boolean(first);
    },
    o: () => change("route-switch"),
    s: () => change("route-solo"),
    y: () => change("route-only"),
    m: () => press("balance") || press("balance-close"),
    n: () => change("next-lineup"),
    N: () => change("back-lineup"),
    l: () => change("route-duty"),
    g: () => press("time-go"),
    G: () => press("time-again"),
    p: () => press("time-one-tap"),
    k: () => {
      location.href = "/time";
      return true;
    },
    w: () => press("keep-since") || press("keep-it"),
    e: () => press("record") || press("record-it"),
    Delete: () => change("route-remove"),
    ".": () => press("quiet"),
    "?": () => dialog.showModal(),
    a: () => {
      const letters = document.getElementById("lay-letters");
      if (!letters) {
        location.href = "/plan#lay";
        return true;
      }
      letters.focus();
      letters.select();
      return true;
    },
    " ": () => {
      if (!document.activeElement?.matches("button, a, input, summary, [role=button]") && document.getElementById("take-play"))
        return change("take-play");
      if (document.activeElement?.matches("button, a, [role=button]") || !document.getElementById("watch-freeze")) return false;
      document.dispatchEvent(new CustomEvent("weiche:freeze"));
      return true;
    },
  };
  for (const [key, page] of Object.entries(pages))
    actions[key] = () => {
      location.href = page;
      return true;
    };

  if (location.hash === "#lay" || location.hash === "#find") {
    document.getElementById(location.hash === "#lay" ? "lay-letters" : "find-letters")?.focus();
    history.replaceState(null, "", location.pathname + location.search);
  }
}
