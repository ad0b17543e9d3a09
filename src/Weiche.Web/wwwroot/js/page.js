// Keeps the changing part of the page right: in step with other windows, with the focus where it was.

import { isHeld, isUnasked, look, lookAgain } from "./swap.js";

const retryAfter = 60;

let asked = 0;
const waiting = [];

// Does something when no answer is on its way: an answer replaces the very part of the page that another one is meant for.
// What is asked for meanwhile is done in the order in which it was asked for.
export function whenAnswered(act) {
  waiting.push(act);
  goOn();
}

function goOn() {
  while (asked === 0 && waiting.length > 0) waiting.shift()();
}

export function startPage(live) {
  let version = 0;
  let roll = null;
  let stopped = null;
  let timer = 0;
  let edited = false;

  document.body.addEventListener("htmx:beforeRequest", () => {
    asked++;
  });
  document.body.addEventListener("htmx:afterRequest", () => {
    asked--;
    setTimeout(goOn, 0);
  });
  // A request that never reached Weiche, or that it could not take, is said in the head of the page.
  document.body.addEventListener("htmx:sendError", () => say("Weiche does not answer: nothing was changed"));
  document.body.addEventListener("htmx:responseError", (event) =>
    say(event.detail.xhr.status === 400 ? "This page is out of date: reload it" : "That did not work: nothing was changed"),
  );
  document.body.addEventListener("htmx:afterSwap", () => {
    edited = false;
    nameUndo();
    nameFinding();
    showNotice();
  });
  document.body.addEventListener("weiche:said", (event) => say(event.detail.value));
  document.body.addEventListener("input", (event) => {
    if (event.target.closest("#fragment")) edited = true;
  });
  document.body.addEventListener("focusout", () => setTimeout(refresh, 0));

  live.onFrame((frame) => {
    version = frame.version;
    roll = frame.roll;
    stopped = frame.guard.stopped;
    refresh();
  });

  // Another window has changed the studio. What a person is typing here is not taken away under their hands.
  function refresh() {
    clearTimeout(timer);
    const fragment = document.getElementById("fragment");
    if (!fragment) return;
    const other = version > Number(fragment.dataset.version);
    const vanished = roll !== null && fragment.dataset.roll !== undefined && roll > Number(fragment.dataset.roll);
    const tripped = stopped !== null && fragment.dataset.stopped !== undefined && stopped !== Number(fragment.dataset.stopped);
    if (!other && !vanished && !tripped) return;
    if (isTyping()) return;
    if (asked > 0 || isHeld() || document.querySelector("[data-dragging]")) {
      timer = setTimeout(refresh, retryAfter);
      return;
    }
    lookAgain();
  }

  // Undo and redo say what they would do, whichever window it was done in.
  function nameUndo() {
    const fragment = document.getElementById("fragment");
    if (!fragment) return;
    for (const [id, word, key] of [
      ["undo", "Undo", "u"],
      ["redo", "Redo", "r"],
    ]) {
      const edit = fragment.dataset[id];
      const button = document.getElementById(id);
      button.disabled = !edit;
      button.title = edit ? `${word}: ${edit} (${key})` : `Nothing to ${id}`;
    }
  }

  // What a person should know stands below the head until the next edit, or until it is put away in this window.
  const notice = document.getElementById("notice");
  function showNotice() {
    const { notice: text, noticeAt, noticeCircuit } = document.getElementById("fragment")?.dataset ?? {};
    notice.dataset.at = noticeAt ?? "";
    document.getElementById("notice-text").textContent = text ?? "";
    document.getElementById("notice-checks").hidden = !noticeCircuit;
    notice.hidden = !text || sessionStorage.getItem("notice-away") === noticeAt;
  }
  document.getElementById("notice-away").addEventListener("click", () => {
    sessionStorage.setItem("notice-away", notice.dataset.at);
    notice.hidden = true;
  });
  if (notice.dataset.at && sessionStorage.getItem("notice-away") === notice.dataset.at) notice.hidden = true;

  // The finding that is looked at stands in the address: a reload shows the same.
  function nameFinding() {
    const address = document.querySelector("#fragment.checks")?.dataset.address;
    if (address) history.replaceState(history.state, "", address);
  }

  const isTyping = () =>
    edited && document.activeElement?.matches("#fragment :is(textarea, input:not([type=checkbox], [type=radio], [type=range]))");

  // A person may have begun to type since the page was asked for anew.
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    if (isUnasked(event.detail) && isTyping()) event.detail.shouldSwap = false;
  });

  const theme = document.getElementById("theme");
  theme.addEventListener("click", () => {
    const root = document.documentElement;
    const dark = root.dataset.theme ? root.dataset.theme === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
    root.dataset.theme = dark ? "light" : "dark";
    document.cookie = `weiche-theme=${root.dataset.theme};path=/;max-age=31536000;samesite=strict`;
  });

  // The plan is laid out for the width there is.
  function measure() {
    const width = String(document.documentElement.clientWidth);
    if (document.cookie.includes(`weiche-width=${width}`)) return false;
    document.cookie = `weiche-width=${width};path=/;max-age=31536000;samesite=strict`;
    return true;
  }
  function lay() {
    if (measure() && document.querySelector(".plan, .gear")) {
      look();
    }
  }
  if (document.documentElement.clientWidth === 1280) measure();
  else lay();
  addEventListener("resize", () => {
    clearTimeout(timer);
    timer = setTimeout(lay, 150);
  });
}

export function say(text) {
  const state = document.getElementById("link-state");
  state.textContent = text;
  setTimeout(() => {
    if (state.textContent === text) state.textContent = "";
  }, 6000);
}
