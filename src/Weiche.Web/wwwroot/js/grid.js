// The grid by keys and by pointing: arrows move, Shift takes several, Space lays or switches, Enter opens.

import { look, send } from "./swap.js";

export function startGrid() {
  let at = null;
  let anchor = null;

  const cells = () => document.getElementById("grid-cells");
  const limit = (value, most) => Math.max(0, Math.min(most - 1, value));
  const range = () => ({
    top: Math.min(at.row, anchor.row),
    bottom: Math.max(at.row, anchor.row),
    left: Math.min(at.column, anchor.column),
    right: Math.max(at.column, anchor.column),
  });

  function head(side, index) {
    return document.querySelectorAll(side === "row" ? ".grid-left .grid-head" : ".grid-top .grid-head")[index];
  }

  const cellAt = (row, column) => cells().querySelector(`[data-cell="${row}:${column}"]`);
  // How wide and how high a place is.
  const step = () => {
    const { across, down } = document.querySelector(".crossings").dataset;
    return { across: Number(across), down: Number(down) };
  };

  function cover(rect, { top, bottom, left, right }) {
    const { across, down } = step();
    for (const [name, value] of [
      ["x", left * across],
      ["y", top * down],
      ["width", (right - left + 1) * across],
      ["height", (bottom - top + 1) * down],
    ])
      rect.setAttribute(name, value);
  }

  function through({ row, column }) {
    const via = cells().querySelector(`[data-via="${row}:${column}"]`);
    return via ? `through ${via.dataset.by}` : "no route";
  }

  function show(scroll) {
    const grid = cells();
    if (!grid || !at) return;
    const cursor = grid.querySelector(".grid-cursor");
    cover(cursor, { top: at.row, bottom: at.row, left: at.column, right: at.column });
    const { top, bottom, left, right } = range();
    cover(grid.querySelector(".grid-range"), range());
    document.querySelectorAll(".grid-head.here").forEach((element) => element.classList.remove("here"));
    const [row, column] = [head("row", at.row), head("column", at.column)];
    row.classList.add("here");
    column.classList.add("here");
    const cell = cellAt(at.row, at.column);
    const count = (bottom - top + 1) * (right - left + 1);
    document.getElementById("grid-say").textContent =
      count > 1
        ? `${count} places: Space lays or switches them all.`
        : `${row.dataset.name} → ${column.dataset.name}: ${cell ? cell.dataset.words : through(at)}`;
    if (scroll) reveal();
  }

  // What stands under the heads is not seen: the place is scrolled out from there.
  function reveal() {
    const grid = document.querySelector(".crossings");
    const { across, down } = step();
    const [x, y] = [at.column * across, at.row * down];
    const room = [
      grid.clientWidth - document.querySelector(".grid-left").clientWidth,
      grid.clientHeight - document.querySelector(".grid-top").clientHeight,
    ];
    grid.scrollLeft = Math.min(x, Math.max(grid.scrollLeft, x + across - room[0]));
    grid.scrollTop = Math.min(y, Math.max(grid.scrollTop, y + down - room[1]));
  }

  function move(rows, columns, extend) {
    const grid = document.querySelector(".crossings");
    at ??= { row: 0, column: 0 };
    at = { row: limit(at.row + rows, Number(grid.dataset.rows)), column: limit(at.column + columns, Number(grid.dataset.columns)) };
    if (!extend || !anchor) anchor = at;
    show(true);
  }

  // One press does the same to all: if all are on they go off, else they go on.
  function toggle() {
    const { top, bottom, left, right } = range();
    const places = [];
    let allOn = true;
    for (let row = top; row <= bottom; row++) {
      for (let column = left; column <= right; column++) {
        places.push(`${head("row", row).dataset.row}:${head("column", column).dataset.column}`);
        if (cellAt(row, column)?.dataset.on !== "1") allOn = false;
      }
    }
    send("/plan?handler=Cells", { cells: places.join(","), on: !allOn });
  }

  const steps = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    PageUp: [-12, 0],
    PageDown: [12, 0],
    Home: [0, -9999],
    End: [0, 9999],
  };

  document.addEventListener(
    "keydown",
    (event) => {
      if (event.target.id !== "grid-cells" || event.ctrlKey || event.metaKey || event.altKey) return;
      if (steps[event.key]) move(...steps[event.key], event.shiftKey);
      else if (event.key === " " && at) toggle();
      else if (event.key === "Enter" && at) cellAt(at.row, at.column)?.click();
      else if (event.key === "Escape" && at) {
        anchor = at;
        show(false);
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    true,
  );

  function placeOf(event) {
    const box = cells().getBoundingClientRect();
    const grid = document.querySelector(".crossings").dataset;
    const { across, down } = step();
    return {
      row: limit(Math.floor((event.clientY - box.y) / down), Number(grid.rows)),
      column: limit(Math.floor((event.clientX - box.x) / across), Number(grid.columns)),
    };
  }

  document.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || !event.target.closest?.("#grid-cells")) return;
    at = placeOf(event);
    if (!event.shiftKey || !anchor) anchor = at;
    show(false);
  });
  document.addEventListener("pointermove", (event) => {
    if (event.buttons !== 1 || !at || !event.target.closest?.("#grid-cells")) return;
    at = placeOf(event);
    show(false);
  });
  // A press on a place without a route lays one there; a press on a route opens it.
  document.addEventListener("dblclick", (event) => {
    if (event.target.closest?.("#grid-cells") && at && !cellAt(at.row, at.column)) toggle();
  });
  document.addEventListener("click", (event) => {
    const cell = event.target.closest?.("[data-cell-route]");
    if (!cell) return;
    event.preventDefault();
    if (event.shiftKey) return;
    const address = cell.getAttribute("href");
    history.replaceState(null, "", address);
    look(address);
  });
  document.addEventListener("dragstart", (event) => {
    if (event.target.closest?.("#grid-cells")) event.preventDefault();
  });

  document.body.addEventListener("htmx:afterSwap", () => {
    if (!cells()) return;
    if (at) show(false);
    if (document.activeElement === document.body) cells().focus({ preventScroll: true });
  });
}
