// Puts a new fragment in the place of the old one. A plan of hundreds of tracks is thousands of elements: they are exchanged
// as a whole, without comparing each with the one before it.

export function startSwap() {
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    const { target, xhr, shouldSwap } = event.detail;
    if (!shouldSwap || target?.id !== "fragment") return;
    const template = document.createElement("template");
    template.innerHTML = xhr.responseText;
    const fresh = template.content.getElementById("fragment");
    if (!fresh) return;
    event.detail.shouldSwap = false;
    const address = xhr.getResponseHeader("HX-Replace-Url");
    if (address) history.replaceState(null, "", address);
    const focus = remember(target);
    target.replaceWith(fresh);
    htmx.process(fresh);
    restore(focus);
    for (const name of ["htmx:afterSwap", "htmx:afterSettle"]) fresh.dispatchEvent(new CustomEvent(name, { bubbles: true, detail: { ...event.detail, target: fresh, elt: fresh } }));
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
  if (typeof focus.start !== "number" || typeof field.setSelectionRange !== "function") return;
  try {
    field.setSelectionRange(focus.start, focus.end);
  } catch {
    // Not every field can be marked.
  }
}
