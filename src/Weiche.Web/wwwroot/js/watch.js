// Puts new lines on top of Watch as they come, and holds still when asked.

const mostLines = 300;

export function startWatch(live) {
  let asking = false;
  let wanted = 0;
  let frozen = false;
  let skipped = 0;

  live.onFrame((frame) => {
    wanted = frame.watch;
    fetchLines();
  });

  function newest(lines) {
    return Number(lines.firstElementChild?.dataset.number ?? 0);
  }

  async function fetchLines() {
    const lines = document.getElementById("watch-lines");
    if (!lines || frozen || asking || wanted <= newest(lines)) return;
    asking = true;
    try {
      const answer = await fetch(`/watch?handler=Lines&after=${newest(lines)}`);
      if (!answer.ok) return;
      const text = await answer.text();
      if (!lines.isConnected || frozen) return;
      lines.insertAdjacentHTML("afterbegin", text);
      while (lines.children.length > mostLines) lines.lastElementChild.remove();
      document.getElementById("watch-empty").hidden = lines.children.length > 0;
      skipped += Number(answer.headers.get("X-Weiche-Skipped"));
      if (skipped > 0) document.getElementById("watch-skipped").textContent = ` · ${skipped} too fast to list`;
    } catch {
      // No answer: the head of the page says so, and the next frame asks again.
    } finally {
      asking = false;
    }
    // What came meanwhile is fetched at once, not with the next frame, which may be the last for a while.
    requestAnimationFrame(fetchLines);
  }

  function freeze() {
    frozen = !frozen;
    const button = document.getElementById("watch-freeze");
    button.setAttribute("aria-pressed", String(frozen));
    button.classList.toggle("strong", frozen);
    button.firstChild.textContent = frozen ? "Frozen " : "Freeze ";
    fetchLines();
  }

  document.addEventListener("click", (event) => {
    if (event.target.closest("#watch-freeze")) freeze();
  });
  document.addEventListener("weiche:freeze", freeze);
  document.body.addEventListener("htmx:afterSwap", () => {
    const button = document.getElementById("watch-freeze");
    if (frozen && button) {
      frozen = false;
      freeze();
    }
  });
}
