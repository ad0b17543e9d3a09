// Puts a new fragment in the place of the old one. A plan of hundreds of tracks is thousands of elements, of which an edit
// mostly changes a few: those alone are exchanged. What was scrolled stays where it was.

const scrolled = [
  ".board",
  ".crossings",
  ".strip",
  ".gear-panels",
  ".roll",
  ".loose",
  ".watch-ports",
  ".watch-scroll",
  ".trace-steps",
  ".many-list",
  ".roster",
];

const place = { target: "#fragment", swap: "outerHTML" };

const unasked = "X-Weiche-Unasked";

const pressable = "button, summary, [role=button], [type=checkbox], [type=radio]";

// A finger's press is told as one only some time after it was lifted.
const pressAfter = 60;

const down = new Set();
const holding = new Set();

// What came while a hand held: something has changed elsewhere; and the last answer to what a person did.
let missed = false;
let waiting = null;

// What a hand holds, a button, a fader or a frame, is not taken away under it: the press would be lost.
export const isHeld = () => holding.size > 0;

function startHolding() {
  const hold = (who, target) => {
    if (!target.closest?.("#fragment")) return;
    for (const hands of [down, holding]) hands.add(who);
  };
  const letGo = (who) => {
    down.delete(who);
    setTimeout(() => {
      if (!down.has(who)) holding.delete(who);
      if (!isHeld()) catchUp();
    }, pressAfter);
  };
  document.addEventListener(
    "pointerdown",
    (event) => {
      if (event.isPrimary) for (const hands of [down, holding]) hands.clear();
      // A menu swallows that another button was let go of.
      if (event.button === 0) hold(event.pointerId, event.target);
    },
    true,
  );
  for (const end of ["pointerup", "pointercancel"]) document.addEventListener(end, ({ pointerId }) => letGo(pointerId), true);
  // The space bar presses when it comes up again.
  document.addEventListener("keydown", ({ code, target }) => code === "Space" && target.matches(pressable) && hold(code, target), true);
  document.addEventListener("keyup", ({ code }) => code === "Space" && letGo(code), true);
  addEventListener("blur", () => letGo("Space"));
}

function catchUp() {
  const [answer, isOld] = [waiting, missed];
  waiting = null;
  missed = false;
  if (answer) putInPlace(answer);
  if (isOld) lookAgain();
}

const here = () => location.pathname + location.search;

// Fetches the part of the page anew; as it is looked at if no address is said.
export function look(address = here()) {
  return htmx.ajax("GET", address, place);
}

// The same because something has changed elsewhere, which nobody here asked for.
export function lookAgain() {
  return htmx.ajax("GET", here(), { ...place, headers: { [unasked]: "true" } });
}

export const isUnasked = (detail) => unasked in (detail.requestConfig?.headers ?? {});

// Sends what a person did without a form; the answer takes the place of the part.
export function send(address, values) {
  return htmx.ajax("POST", address, { ...place, source: document.getElementById("fragment"), values });
}

// What steps on may be pressed again before the answer is there, which then takes the button's place: it is sent again after it.
function startRepeating() {
  const sent = new Map();
  document.addEventListener(
    "click",
    (event) => {
      const step = sent.get(event.target.closest?.("[data-repeats]"));
      if (!step) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      step.more++;
    },
    true,
  );
  document.body.addEventListener("htmx:beforeRequest", ({ detail: { requestConfig } }) => {
    const { elt, path, formData } = requestConfig;
    if (elt.matches("[data-repeats]")) sent.set(elt, { address: path, values: formData, more: 0 });
  });
  document.body.addEventListener("htmx:afterRequest", async ({ detail: { requestConfig } }) => {
    const step = sent.get(requestConfig.elt);
    sent.delete(requestConfig.elt);
    for (; step?.more > 0; step.more--) await send(step.address, step.values);
  });
}

export function startSwap() {
  startHolding();
  startRepeating();
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    const { detail } = event;
    if (!detail.shouldSwap || detail.target?.id !== "fragment") return;
    const isToWait = isUnasked(detail) ? isHeld() : down.size > 0;
    if (!isToWait) {
      [waiting, missed] = [null, false];
      detail.shouldSwap = !putInPlace(detail);
      return;
    }
    detail.shouldSwap = false;
    if (isUnasked(detail)) missed = true;
    else waiting = detail;
  });
}

// Puts the part of an answer in the place of the one that is there. False if the answer has none.
function putInPlace(detail) {
  const { xhr, requestConfig } = detail;
  // Another answer may have taken the part's place since this one was asked for.
  const target = document.getElementById("fragment");
  const template = document.createElement("template");
  template.innerHTML = xhr.responseText;
  const fresh = template.content.getElementById("fragment");
  if (!fresh) return false;
  const address = xhr.getResponseHeader("HX-Replace-Url");
  if (address) history.replaceState(null, "", address);
  // What is looked at stands in the address: what is fetched anew is the same.
  else if (requestConfig.elt?.getAttribute?.("hx-push-url") === "true") history.replaceState(null, "", requestConfig.path);
  // What the fresh part wants the cursor in has it, unless the old one wanted the same.
  const wanted = fresh.querySelector("[autofocus]")?.id;
  const focus = wanted && !target.querySelector("[autofocus]") ? { id: wanted } : remember(target);
  const places = scrolled
    .map((css) => [css, target.querySelector(css)])
    .filter(([, part]) => part)
    .map(([css, part]) => [css, part.scrollLeft, part.scrollTop]);
  carry(target, fresh, isUnasked(detail));
  const shown = patch(target, fresh) ? target : fresh;
  if (shown === fresh) {
    target.replaceWith(fresh);
    htmx.process(fresh);
  }
  restore(focus);
  for (const [css, left, top] of places) shown.querySelector(css)?.scrollTo({ left, top, behavior: "instant" });
  for (const name of ["htmx:afterSwap", "htmx:afterSettle"])
    shown.dispatchEvent(new CustomEvent(name, { bubbles: true, detail: { ...detail, target: shown, elt: shown } }));
  return true;
}

// What a person chose or typed and has not sent is as it was: all of it where nobody asked for the fresh part, else what says that it is
// kept, and for what. What was opened stays open, what was picked picked.
function carry(target, fresh, all) {
  const keptFor = (field) => field.closest("[data-kept]")?.dataset.kept;
  for (const field of target.querySelectorAll("input[id]:not([type=file], [type=hidden]), select[id], textarea[id]")) {
    const next = fresh.querySelector(`#${CSS.escape(field.id)}`);
    const isKept = all || (keptFor(field) !== undefined && keptFor(field) === (next && keptFor(next)));
    if (!next || next.type !== field.type || !isKept || !isChanged(field)) continue;
    if (field.type === "checkbox" || field.type === "radio") next.checked = field.checked;
    else if (field.type !== "select-one" || [...next.options].some(({ value }) => value === field.value)) next.value = field.value;
  }
  if (!all) return;
  for (const { id } of target.querySelectorAll(".picked[id]")) fresh.querySelector(`#${CSS.escape(id)}`)?.classList.add("picked");
  const open = new Map(named(target).map(([name, details]) => [name, details.open]));
  for (const [name, details] of named(fresh)) details.open = open.get(name) ?? details.open;
}

// What can be opened, each by what stands on it and how many such there are before it.
function named(part) {
  const seen = {};
  return [...part.querySelectorAll("details")].map((details) => {
    const said = details.querySelector("summary")?.textContent.trim();
    seen[said] = (seen[said] ?? 0) + 1;
    return [`${said} ${seen[said]}`, details];
  });
}

function isChanged(field) {
  if (field.type === "checkbox" || field.type === "radio") return field.checked !== field.defaultChecked;
  if (field.type !== "select-one") return field.value !== field.defaultValue;
  return field.value !== ([...field.options].find((option) => option.defaultSelected) ?? field.options[0])?.value;
}

// A plan that is laid out as before keeps its picture: only what is drawn otherwise is drawn anew. False if it is not so.
function patch(target, fresh) {
  const [before, after] = [target.querySelector(":scope > .board > .tracks"), fresh.querySelector(":scope > .board > .tracks")];
  if (
    !before ||
    !after ||
    before.childElementCount !== after.childElementCount ||
    before.getAttribute("viewBox") !== after.getAttribute("viewBox") ||
    target.childElementCount !== fresh.childElementCount
  )
    return false;
  exchange(before, after);
  before.setAttribute("class", after.getAttribute("class"));
  for (const { name } of [...target.attributes]) if (!fresh.hasAttribute(name)) target.removeAttribute(name);
  for (const { name, value } of [...fresh.attributes]) target.setAttribute(name, value);
  const parts = [...fresh.children];
  [...target.children].forEach((part, index) => {
    // A field may hold what was typed, which no attribute tells: it is drawn anew.
    if (part.matches(".board")) return;
    part.replaceWith(parts[index]);
    htmx.process(parts[index]);
  });
  return true;
}

function exchange(before, after) {
  const others = [...after.children];
  [...before.children].forEach((part, index) => {
    if (!part.isEqualNode(others[index])) part.replaceWith(others[index]);
  });
}

// The focus, and what is marked in a field, stay where they were.
function remember(target) {
  const active = document.activeElement;
  if (!active?.id || !target.contains(active)) return null;
  return { id: active.id, start: active.selectionStart, end: active.selectionEnd };
}

function restore(focus) {
  const field = focus && document.getElementById(focus.id);
  if (!field) return;
  field.focus({ preventScroll: true });
  // What was refused is typed over, not gone on with.
  if (field.getAttribute("aria-invalid") === "true" && typeof field.select === "function") {
    field.select();
    return;
  }
  if (typeof focus.start !== "number" || typeof field.setSelectionRange !== "function") return;
  try {
    field.setSelectionRange(focus.start, focus.end);
  } catch {
    // Not every field can be marked.
  }
}
