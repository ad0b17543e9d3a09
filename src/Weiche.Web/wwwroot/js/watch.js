// Puts new lines on top of Watch as they come, and holds still when asked.

import { figure } from "./lamps.js";
import { isUnasked } from "./swap.js";

const mostLines = 120;
// Nobody reads faster: what comes meanwhile is fetched together.
const pause = 90;

export function startWatch(live) {
  let asking = false;
  let asked = 0;
  let wanted = 0;
  let frozen = false;
  // While it is frozen: the list, and up to where it goes.
  let kept = null;

  live.onFrame((frame) => {
    wanted = frame.watch;
    fetchLines();
    for (const { port, now, highest } of frame.loads) showLoad(port, now, highest);
  });

  function showLoad(port, now, highest) {
    for (const place of document.querySelectorAll(`[data-load="${port}"]`)) {
      const capacity = Number(place.dataset.capacity);
      const share = (bytes) => Math.round((100 * bytes) / capacity);
      place.querySelector("b").textContent = capacity ? `${share(now)} %` : `${figure(now)} B/s`;
      if (!capacity) continue;
      place.querySelector("small").textContent = String(share(highest));
      place.querySelector(".load-now").setAttribute("width", Math.min(100, share(now)));
      place.classList.toggle("full", share(now) >= 90);
    }
  }

  async function fetchLines() {
    const lines = document.getElementById("watch-lines");
    const fragment = document.getElementById("fragment");
    if (!lines || frozen || asking || performance.now() - asked < pause || wanted <= Number(fragment.dataset.newest)) return;
    asking = true;
    asked = performance.now();
    try {
      const answer = await fetch(`${fragment.dataset.lines}&after=${fragment.dataset.newest}`);
      if (!answer.ok) return;
      const text = await answer.text();
      if (!lines.isConnected || frozen) return;
      fragment.dataset.newest = answer.headers.get("X-Weiche-Newest");
      lines.insertAdjacentHTML("afterbegin", text);
      while (lines.children.length > mostLines) lines.lastElementChild.remove();
      document.getElementById("watch-empty").hidden = lines.children.length > 0;
      const place = document.getElementById("watch-skipped");
      place.dataset.skipped = Number(place.dataset.skipped) + Number(answer.headers.get("X-Weiche-Skipped"));
      if (place.dataset.skipped > 0) place.textContent = ` · ${figure(place.dataset.skipped)} lines left out, too fast to read`;
    } catch {
      // No answer: the head of the page says so, and the next frame asks again.
    } finally {
      asking = false;
    }
    // What came meanwhile is fetched at once, not with the next frame, which may be the last for a while.
    setTimeout(fetchLines, pause);
  }

  function freeze() {
    frozen = !frozen;
    const button = document.getElementById("watch-freeze");
    button.setAttribute("aria-pressed", String(frozen));
    button.classList.toggle("strong", frozen);
    button.firstChild.textContent = frozen ? "Frozen " : "Freeze ";
    kept = { lines: document.getElementById("watch-lines"), newest: document.getElementById("fragment").dataset.newest };
    fetchLines();
  }

  document.addEventListener("click", (event) => {
    if (event.target.closest("#watch-freeze")) freeze();
  });
  document.addEventListener("weiche:freeze", freeze);
  document.body.addEventListener("htmx:afterSwap", (event) => {
    if (!frozen || !document.getElementById("watch-freeze")) return;
    const { lines, newest } = kept;
    frozen = false;
    freeze();
    // What is looked at stands still although something has changed elsewhere.
    if (!isUnasked(event.detail)) return;
    document.getElementById("watch-lines").replaceWith(lines);
    document.getElementById("watch-empty").hidden = lines.children.length > 0;
    document.getElementById("fragment").dataset.newest = newest;
    kept = { lines, newest };
  });
}
