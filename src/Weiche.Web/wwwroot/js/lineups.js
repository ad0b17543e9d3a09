// The roster by keys (arrows move, Space presses), scrolled to the lineup in force; and a lever set by doing: the next thing that is
// pressed on any source becomes it.

import { look } from "./swap.js";

const noteOn = 0x90;
const control = 0xb0;
const program = 0xc0;
const half = 64;

export function startLineups(live) {
  let waits = false;

  const button = () => document.getElementById("lever-set");
  function wait(on) {
    waits = on;
    const set = button();
    if (!set) return;
    set.classList.toggle("amber", on);
    set.setAttribute("aria-pressed", on);
    set.textContent = on ? "Now press it …" : "Set a lever";
  }

  document.addEventListener("click", (event) => {
    if (event.target.closest?.("#lever-set")) wait(!waits);
  });
  document.addEventListener("keydown", (event) => {
    if (waits && event.key === "Escape") wait(false);
  });
  document.body.addEventListener("htmx:afterSwap", () => {
    if (waits) wait(true);
    showInForce();
  });

  // The column in force is brought into sight when it has become another one, not whenever somebody looks elsewhere.
  let shown = null;
  function showInForce() {
    const roster = document.getElementById("roster");
    const card = roster?.querySelector(".lineup-card.in-force");
    const number = card?.querySelector(".number")?.textContent ?? null;
    if (number === shown) return;
    shown = number;
    if (!card) return;
    const names = roster.querySelector(".roster-heads > span").offsetWidth;
    const room = roster.clientWidth - names;
    const from = card.offsetLeft - names - roster.scrollLeft;
    if (from < 0 || from + card.offsetWidth > room) roster.scrollLeft = card.offsetLeft - names - (room - card.offsetWidth) / 2;
  }
  showInForce();

  live.onFrame((frame) => {
    if (!waits || !button()) return;
    const pressed = frame.recent.find(({ status, second }) => {
      const kind = status & 0xf0;
      return (kind === noteOn && second > 0) || kind === program || (kind === control && second >= half);
    });
    if (!pressed) return;
    wait(false);
    look(`/lineups/levers?source=${pressed.port}&status=${pressed.status}&number=${pressed.first}`);
  });

  document.addEventListener("keydown", (event) => {
    const at = event.target.closest?.("[data-place]");
    const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key];
    if (!at || !step || event.ctrlKey || event.metaKey || event.altKey) return;
    const [row, column] = at.dataset.place.split(":").map(Number);
    const next = document.querySelector(`[data-place="${row + step[0]}:${column + step[1]}"]`);
    event.preventDefault();
    if (!next) return;
    at.tabIndex = -1;
    next.tabIndex = 0;
    next.focus();
  });
}
