// Takes: the reel is dragged over, the chosen take is drawn and moved about in, a part of it is chosen, and what is played is followed.

import { say } from "./page.js";
import { lookAgain } from "./swap.js";

const names = 132;
const head = 22;
const shortest = 2000;
const smallestLane = 16;
const lineupsHigh = 30;
const many = 8000;
const reelPause = 2500;

export function startTakes(live) {
  // What is looked at, by take: it stays when the page is asked for anew.
  const views = new Map();
  let [picture, shownFor, pending, loaded] = [null, "", 0, 0];
  let frame = null;
  let colours = null;
  let followed = null;

  const page = () => document.querySelector("[data-page=takes]");
  const canvas = () => document.getElementById("take-canvas");
  const view = () => {
    const id = page()?.dataset.take ?? "0";
    if (!views.has(id)) views.set(id, { from: 0, to: 0, part: null });
    return views.get(id);
  };

  // ---- the head of every page

  live.whileOn(
    "Takes",
    () => true,
    (next) => {
      const before = frame;
      frame = { ...next, at: performance.now() };
      const link = document.querySelector("nav a[href='/takes']");
      link?.classList.toggle("recording", next.records !== null);
      link?.classList.toggle("playing", next.plays);
      if (link)
        link.title = `Takes (6)${next.records === null ? "" : `: recorded for ${next.records}`}${next.plays ? `: a take ${next.waits ? "waits for the clock" : "plays"}` : ""}`;
      if (!page()) return;
      if (String(next.reel) !== page().dataset.reel) refreshReel();
      text(document.querySelector("#record [data-rec]"), next.records === null ? "Record" : `Stop recording · ${next.records}`);
      document.getElementById("record-stop").value = String(next.records !== null);
      text(document.getElementById("take-where"), saidOf(next));
      const play = document.getElementById("take-play");
      const here = next.plays && String(next.playedTake) === page().dataset.take;
      if (play && play.classList.contains("on") !== here) refresh();
      const grows = next.recordedTake !== null && String(next.recordedTake) === page().dataset.take;
      if (grows && next.reel !== before?.reel && performance.now() - loaded > 1500) load(true);
      if (here || before?.plays) draw();
    },
  );

  function saidOf(now) {
    if (now.records !== null && String(now.recordedTake) === page().dataset.take) return now.count;
    if (!now.plays) return "";
    const elsewhere = String(now.playedTake) !== page().dataset.take ? "another take plays, " : "";
    return now.waits ? `${elsewhere}waits for the clock` : `${elsewhere}bar ${now.said}`;
  }

  let asked = 0;
  function refresh() {
    asked ||= setTimeout(() => {
      asked = 0;
      if (page() && !isBusy()) lookAgain();
    }, 60);
  }

  // The reel goes on while it is looked at, to what came last; what is being dragged or typed is left alone until it is let go of.
  let [reelAsked, reelShown] = [0, 0];
  function refreshReel() {
    reelAsked ||= setTimeout(
      () => {
        reelAsked = 0;
        if (!page()) return;
        reelShown = performance.now();
        if (isBusy() || reelPart) refreshReel();
        else refresh();
      },
      Math.max(0, reelShown + reelPause - performance.now()),
    );
  }

  const isBusy = () =>
    Boolean(
      document.querySelector("[data-dragging], .takes details[open], dialog[open]") ||
      document.activeElement?.matches(".takes input:not([type=radio], [type=checkbox], [type=range]), .takes select"),
    );

  // ---- the reel

  let reelPart = null;
  document.addEventListener("pointerdown", (event) => {
    const reel = event.target.closest?.("#reel");
    if (!reel || event.button !== 0) return;
    const box = reel.getBoundingClientRect();
    const at = (x) => Math.max(0, Math.min(1, (x - box.left) / box.width));
    const begin = at(event.clientX);
    reel.dataset.dragging = "";
    reel.setPointerCapture(event.pointerId);
    const move = (moved) => showReelPart(begin, at(moved.clientX));
    const end = () => {
      delete reel.dataset.dragging;
      reel.removeEventListener("pointermove", move);
      if (reelPart && reelPart[1] - reelPart[0] < 0.004) chooseOnReel(reel, begin);
    };
    reel.addEventListener("pointermove", move);
    for (const name of ["pointerup", "pointercancel"]) reel.addEventListener(name, end, { once: true });
    showReelPart(begin, begin);
  });

  // A press alone chooses what was played there, from silence to silence.
  function chooseOnReel(reel, at) {
    const bars = [...reel.querySelectorAll("svg rect[class^=strip]")]
      .map((bar) => [Number(bar.getAttribute("x")) / 1200, (Number(bar.getAttribute("x")) + Number(bar.getAttribute("width"))) / 1200])
      .sort((one, other) => one[0] - other[0]);
    const gap = 8e6 / (Number(reel.dataset.to) - Number(reel.dataset.from));
    const runs = [];
    for (const [from, to] of bars) {
      if (runs.length > 0 && from - runs.at(-1)[1] < gap) runs.at(-1)[1] = Math.max(to, runs.at(-1)[1]);
      else runs.push([from, to]);
    }
    const run = runs.find(([from, to]) => at >= from - 0.005 && at <= to + 0.005);
    if (run) showReelPart(run[0] - 0.001, run[1] + 0.001);
    else showReelPart(0, 0);
  }

  function showReelPart(one, other) {
    const reel = document.getElementById("reel");
    if (!reel) return;
    const [from, to] = [Math.max(0, Math.min(one, other)), Math.min(1, Math.max(one, other))];
    reelPart = to > from ? [from, to] : null;
    const part = document.getElementById("reel-part");
    part.setAttribute("x", from * 1200);
    part.setAttribute("width", (to - from) * 1200);
    const keep = document.getElementById("keep-part");
    if (keep) keep.hidden = !reelPart;
    const span = (Number(reel.dataset.to) - Number(reel.dataset.from)) / 1e6;
    reel.setAttribute(
      "aria-valuetext",
      reelPart ? `${lengthOf((to - from) * span)} chosen, from ${lengthOf((1 - from) * span)} ago` : "nothing is chosen",
    );
    if (keep && reelPart) keep.textContent = `Keep this · ${lengthOf((to - from) * span)}`;
  }

  document.addEventListener("keydown", (event) => {
    if (event.target.id !== "reel") return;
    const step = 0.01;
    const [from, to] = reelPart ?? [1 - step * 3, 1];
    const by = { ArrowLeft: -step, ArrowRight: step }[event.key];
    if (by) showReelPart(event.shiftKey ? from : from + by, event.shiftKey ? to + by : reelPart ? to : to);
    else if (event.key === "Escape") showReelPart(0, 0);
    else if (event.key === "Enter" && reelPart) document.getElementById("keep-part").click();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });

  // What is chosen is sent with what is done to it.
  document.body.addEventListener("htmx:configRequest", (event) => {
    const from = event.target.closest?.("[data-reel-part]");
    const reel = document.getElementById("reel");
    if (from && reelPart && reel) {
      const [begin, span] = [Number(reel.dataset.from), Number(reel.dataset.to) - Number(reel.dataset.from)];
      event.detail.parameters.from = Math.round(begin + reelPart[0] * span);
      event.detail.parameters.to = Math.round(begin + reelPart[1] * span);
      reelPart = null;
    }
    if (event.target.closest?.("[data-range]") && view().part) {
      event.detail.parameters.from = Math.round(view().part[0] * 100);
      event.detail.parameters.to = Math.round(view().part[1] * 100);
    }
  });

  // ---- files

  for (const name of ["dragenter", "dragover"]) {
    document.addEventListener(name, (event) => {
      if (!page() || ![...(event.dataTransfer?.types ?? [])].includes("Files")) return;
      event.preventDefault();
      page().classList.add("dropping");
    });
  }
  document.addEventListener("dragleave", (event) => {
    if (!event.relatedTarget) page()?.classList.remove("dropping");
  });
  document.addEventListener("drop", (event) => {
    if (!page() || !event.dataTransfer?.files.length) return;
    event.preventDefault();
    page().classList.remove("dropping");
    bring([...event.dataTransfer.files]);
  });
  document.addEventListener("change", (event) => {
    if (event.target.id === "bring-file") bring([...event.target.files]);
  });

  async function bring(files) {
    for (const file of files) {
      if (file.size > 64 * 2 ** 20) {
        say(`${file.name} is larger than 64 MiB: it is not read`);
        continue;
      }
      const body = new FormData();
      body.append("file", file);
      body.append("take", page()?.dataset.take ?? "0");
      say(`Reading ${file.name} …`);
      try {
        const answer = await fetch("/takes?handler=Bring", {
          method: "POST",
          body,
          headers: {
            ...JSON.parse(document.body.getAttribute("hx-headers")),
            "HX-Request": "true",
            "HX-Target": "fragment",
            "HX-Current-URL": location.href,
          },
        });
        const template = document.createElement("template");
        template.innerHTML = await answer.text();
        const fresh = template.content.getElementById("fragment");
        if (!fresh || !page()) {
          say(`${file.name} could not be brought: nothing was added`);
          continue;
        }
        page().replaceWith(fresh);
        htmx.process(fresh);
        fresh.dispatchEvent(new CustomEvent("htmx:afterSwap", { bubbles: true, detail: {} }));
        const address = answer.headers.get("HX-Replace-Url");
        if (address) history.replaceState(null, "", address);
        say("");
      } catch {
        say("Weiche does not answer: nothing was added");
      }
    }
  }

  // ---- the take

  async function load(quiet = false) {
    const at = page();
    const id = at?.dataset.take;
    if (!id || id === "0" || !canvas()) return;
    const query = previewOf();
    const wanted = `${id} ${at.dataset.sign} ${query}`;
    if (wanted === shownFor && !quiet) {
      draw();
      return;
    }
    const mine = ++pending;
    loaded = performance.now();
    const answer = await fetch(`/takes?handler=Picture&take=${id}${query}`, { headers: { "HX-Request": "true" } });
    if (!answer.ok || mine !== pending) return;
    read(await answer.arrayBuffer());
    shownFor = wanted;
    const state = view();
    // What is recorded is followed to its end.
    if (state.to <= 0 || (frame?.recordedTake !== null && String(frame?.recordedTake) === id))
      [state.from, state.to] = [0, Math.max(picture.length, 10000)];
    draw();
  }

  function previewOf() {
    const form = document.getElementById("tidy-form");
    if (!form || document.getElementById("tidy-look")?.getAttribute("aria-pressed") !== "true") return "";
    const values = new FormData(form);
    const part = view().part;
    return `&parts=${values.get("parts")}&ends=${values.get("ends") ?? "false"}&strength=${values.get("strength")}&swing=${values.get("swing")}${part ? `&from=${Math.round(part[0] * 100)}&to=${Math.round(part[1] * 100)}` : ""}`;
  }

  function read(buffer) {
    const length = new DataView(buffer).getInt32(0, true);
    const json = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
    const numbers = new Int32Array(buffer, 4 + length);
    let at = 0;
    const take = (count) => numbers.subarray(at, (at += count));
    picture = { ...json, noteData: take(json.notes * 3), outlineData: take(json.outlines * 3) };
    for (const lane of picture.lanes) {
      lane.points = take(lane.count * 2);
      // A bend is seen from its middle, as far as it goes.
      let far = 0;
      for (let i = 1; i < lane.points.length; i += 2) far = Math.max(far, Math.abs((lane.points[i] & 0xffff) - lane.middle));
      lane.far = lane.middle > 0 ? Math.max(256, far) : lane.most;
    }
    // Those that begin before a moment and may go on: the longest note says how far back to look.
    let longest = 0;
    for (let i = 0; i < picture.noteData.length; i += 3) longest = Math.max(longest, picture.noteData[i + 1] - picture.noteData[i]);
    picture.longest = longest;
    layRows();
  }

  // Each track a row as high as its keys are many, its controllers below it; the lineups at the bottom.
  let rows = [];
  function layRows() {
    rows = [];
    picture.tracks.forEach((track, index) => {
      const lanes = picture.lanes.filter((lane) => lane.track === index).slice(0, 4);
      if (track.low >= 0 || track.exclusives.length > 0 || lanes.length === 0)
        rows.push({
          kind: track.low >= 0 ? "keys" : "dump",
          track: index,
          weight: track.low >= 0 ? Math.max(2, Math.min(8, (track.high - track.low) / 5 + 1.5)) : 1,
        });
      for (const lane of lanes) rows.push({ kind: "lane", track: index, lane, weight: lane.isPedal ? 0.7 : 1.2 });
    });
    if (picture.lineups.length > 0) rows.push({ kind: "lineups", track: -1 });
  }

  function place(height) {
    // Rows never get so low that nothing can be told: those take of the others; what does not fit then is left out, the first stay.
    let [room, open] = [height - head - 1, rows.filter((row) => row.kind !== "lineups")];
    for (const row of rows) {
      if (row.kind !== "lineups") continue;
      row.height = lineupsHigh;
      room -= lineupsHigh;
    }
    for (let settled = false; !settled;) {
      const all = open.reduce((sum, row) => sum + row.weight, 0);
      settled = true;
      for (const row of open) {
        row.height = Math.max(0, (room * row.weight) / all);
        if (row.height >= smallestLane) continue;
        row.height = smallestLane;
        settled = false;
      }
      if (!settled) {
        room -= open.filter((row) => row.height === smallestLane).reduce((sum, row) => sum + row.height, 0);
        open = open.filter((row) => row.height !== smallestLane);
      }
    }
    // More tracks than there is room for are scrolled through.
    const state = view();
    const over = Math.max(0, Math.round(rows.reduce((sum, row) => sum + row.height, 0) - (height - head - 1)));
    state.top = Math.max(0, Math.min(over, state.top ?? 0));
    let y = head - state.top;
    for (const row of rows) {
      row.y = y;
      y += row.height;
    }
    return over;
  }

  function readColours() {
    // light-dark() is resolved by an element that has it.
    const probe = document.createElement("i");
    page().append(probe);
    const of = (css) => {
      probe.style.setProperty("color", css);
      return getComputedStyle(probe).color;
    };
    colours = {
      strips: [0, 1, 2, 3, 4, 5].map((index) => of(`var(--color-strip-${index})`)),
      ink: of("var(--color-ink)"),
      soft: of("var(--color-ink-soft)"),
      edge: of("var(--color-edge)"),
      line: of("var(--color-line)"),
      amber: of("var(--color-amber)"),
      red: of("var(--color-red)"),
      slit: of("var(--color-slit)"),
    };
    probe.remove();
  }

  const xOf = (time, state, width) => names + ((time - state.from) / (state.to - state.from)) * (width - names);
  const timeAt = (x, state, width) => state.from + ((x - names) / (width - names)) * (state.to - state.from);

  let scheduled = 0;
  function draw() {
    scheduled ||= requestAnimationFrame(() => {
      scheduled = 0;
      paint();
    });
  }

  function paint() {
    const board = canvas();
    if (!board || !picture || !page()) return;
    const [width, height, dense] = [board.clientWidth, board.clientHeight, devicePixelRatio || 1];
    if (width === 0) return;
    if (board.width !== Math.round(width * dense) || board.height !== Math.round(height * dense))
      [board.width, board.height] = [Math.round(width * dense), Math.round(height * dense)];
    const pen = board.getContext("2d");
    pen.setTransform(dense, 0, 0, dense, 0, 0);
    pen.clearRect(0, 0, width, height);
    if (!colours) readColours();
    const state = view();
    const over = place(height);
    const x = (time) => xOf(time, state, width);
    pen.font = "12px Overpass, sans-serif";

    // Bars, as far as there is room for their numbers.
    pen.lineWidth = 1;
    let lastNumber = -100;
    let lastLine = -100;
    for (const [at, number] of picture.bars) {
      const where = x(at);
      if (where < names - 1 || where > width) continue;
      if (where - lastLine < 8) continue;
      lastLine = where;
      pen.strokeStyle = colours.edge;
      pen.beginPath();
      pen.moveTo(Math.round(where) + 0.5, head - 4);
      pen.lineTo(Math.round(where) + 0.5, height);
      pen.stroke();
      if (where < lastNumber) continue;
      lastNumber = where + Math.max(34, pen.measureText(String(number)).width + 14);
      pen.fillStyle = colours.ink;
      pen.fillText(String(number), where + 3, 13);
    }
    pen.strokeStyle = colours.line;
    pen.beginPath();
    pen.moveTo(names, head - 0.5);
    pen.lineTo(width, head - 0.5);
    pen.stroke();

    if (state.part) {
      const [from, to] = state.part.map(x);
      pen.fillStyle = colours.amber;
      pen.globalAlpha = 0.2;
      pen.fillRect(Math.max(names, from), head, Math.min(width, to) - Math.max(names, from), height - head);
      pen.globalAlpha = 1;
      pen.strokeStyle = colours.amber;
      pen.lineWidth = 2;
      pen.strokeRect(Math.max(names, from), head, Math.min(width, to) - Math.max(names, from), height - head - 1);
      pen.lineWidth = 1;
    }

    pen.save();
    pen.beginPath();
    pen.rect(names, head, width - names, height - head);
    pen.clip();
    const rowOf = new Map(rows.filter((row) => row.kind === "keys").map((row) => [row.track, row]));
    notes(pen, picture.noteData, rowOf, state, x, width, false);
    notes(pen, picture.outlineData, rowOf, state, x, width, true);
    for (const row of rows) {
      if (row.kind === "lane") drawLane(pen, row, state, x);
      if (row.kind === "dump") {
        pen.fillStyle = colours.strips[picture.tracks[row.track].strip];
        for (const at of picture.tracks[row.track].exclusives) pen.fillRect(x(at), row.y + row.height / 2 - 5, 4, 10);
      }
      if (row.kind === "lineups") drawLineups(pen, row, x);
    }
    for (const mark of picture.marks) {
      const where = x(mark.at);
      if (where < names || where > width) continue;
      pen.fillStyle = colours.red;
      pen.fillRect(where, head, 1.5, height - head);
      pen.fillText(mark.text, where + 4, head + 12);
    }
    pen.restore();

    // Names on the left, and what divides the rows.
    pen.save();
    pen.beginPath();
    pen.rect(0, head, width, height - head);
    pen.clip();
    for (const [index, row] of rows.entries()) {
      pen.strokeStyle = colours.edge;
      pen.beginPath();
      pen.moveTo(0, Math.round(row.y + row.height) + 0.5);
      pen.lineTo(width, Math.round(row.y + row.height) + 0.5);
      if (index < rows.length - 1) pen.stroke();
      if (row.track >= 0) {
        pen.fillStyle = colours.strips[picture.tracks[row.track].strip];
        pen.fillRect(0, row.y + 3, 4, row.height - 6);
      }
      pen.fillStyle = row.kind === "lane" ? colours.soft : colours.ink;
      if (row.kind === "lane") pen.fillText(clip(row.lane.name), 10, row.y + Math.min(row.height - 3, 14));
      else if (row.kind === "lineups") pen.fillText("lineup", 10, row.y + 14);
      else if (row.height > 34) {
        pen.fillStyle = colours.soft;
        pen.fillText(picture.tracks[row.track].keys || `${picture.tracks[row.track].count} messages`, 10, row.y + 34);
      }
    }
    pen.restore();
    nameTracks();
    if (over > 0) {
      const hidden = rows.filter((row) => row.track >= 0 && row.kind !== "lane" && (row.y + row.height > height || row.y < head)).length;
      pen.fillStyle = colours.soft;
      pen.fillText(`${hidden} more: ↑ ↓`, 8, 13);
    }

    // Where it is played.
    if (frame?.plays && String(frame.playedTake) === page().dataset.take && !frame.waits) {
      const now = frame.place + frame.rate * (performance.now() - frame.at);
      const where = x(now);
      if (followed !== frame.playedTake) {
        // Begun where it is not seen: there one looks first.
        followed = frame.playedTake;
        if (where < names || where > width) show(now - (state.to - state.from) * 0.05, now + (state.to - state.from) * 0.95);
      }
      if (where >= names && where <= width) {
        pen.fillStyle = colours.red;
        pen.fillRect(where - 1, head - 6, 2, height - head + 6);
      } else if (now > state.to && now < state.to + (state.to - state.from)) {
        // The page turns with what is played.
        const span = state.to - state.from;
        [state.from, state.to] = [state.to, state.to + span];
      }
      draw();
    }
    if (!frame?.plays) followed = null;
    showPart();
  }

  const clip = (name) => (name.length > 17 ? `${name.slice(0, 16)}…` : name);

  function notes(pen, data, rowOf, state, x, width, outline) {
    const pixel = (state.to - state.from) / (width - names);
    // The first that can still be seen.
    let [low, high] = [0, data.length / 3];
    const first = state.from - picture.longest;
    while (!outline && low < high) {
      const middle = (low + high) >> 1;
      if (data[middle * 3] < first) low = middle + 1;
      else high = middle;
    }
    if (outline) low = 0;
    else if (picture.notes > many && visible(data, low, state) > many) {
      dots(pen, data, low, rowOf, state, width);
      return;
    }
    for (let track = -1, i = low * 3; i < data.length; i += 3) {
      const from = data[i];
      if (!outline && from > state.to) break;
      const to = data[i + 1];
      if (to < state.from || from > state.to) continue;
      const what = data[i + 2];
      const at = what >>> 18;
      const row = rowOf.get(at);
      if (!row) continue;
      if (at !== track || track < 0) {
        track = at;
        pen.fillStyle = colours.strips[picture.tracks[track].strip];
        pen.strokeStyle = colours.soft;
      }
      const { low: lowest, high: highest } = picture.tracks[at];
      const step = Math.min(14, (row.height - 10) / (highest - lowest + 1));
      const y = row.y + row.height - 5 - (row.height - 10 - step * (highest - lowest + 1)) / 2 - ((what & 127) - lowest + 1) * step;
      const left = x(from);
      const wide = Math.max(1.5, (to - from) / pixel);
      const tall = Math.max(1.5, Math.min(step - 0.5, 8));
      if (outline) pen.strokeRect(left, y, wide, tall);
      else if (state.part && from >= state.part[0] && from < state.part[1]) {
        pen.fillStyle = colours.amber;
        pen.fillRect(left, y, wide, tall);
        pen.fillStyle = colours.strips[picture.tracks[track].strip];
        pen.fillRect(left, y, Math.min(2, wide), tall);
      } else pen.fillRect(left, y, wide, tall);
    }
  }

  function visible(data, low, state) {
    let [first, last] = [low, data.length / 3];
    while (first < last) {
      const middle = (first + last) >> 1;
      if (data[middle * 3] <= state.to) first = middle + 1;
      else last = middle;
    }
    return first - low;
  }

  // So many that hardly any is wider than a pixel are set pixel by pixel: a hundred thousand in a few milliseconds.
  let dotted = null;
  function dots(pen, data, low, rowOf, state, width) {
    const [wide, high] = [Math.ceil(width - names), Math.ceil(canvas().clientHeight)];
    dotted ??= document.createElement("canvas");
    [dotted.width, dotted.height] = [wide, high];
    const paper = dotted.getContext("2d");
    const image = paper.createImageData(wide, high);
    const pixels = new Uint32Array(image.data.buffer);
    const [amber, ...strips] = [colours.amber, ...colours.strips].map((css) => {
      const [r, g, b] = css.match(/[\d.]+/g).map(Number);
      return ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0;
    });
    const scale = wide / (state.to - state.from);
    for (let i = low * 3; i < data.length && data[i] <= state.to; i += 3) {
      if (data[i + 1] < state.from) continue;
      const what = data[i + 2];
      const track = what >>> 18;
      const row = rowOf.get(track);
      if (!row) continue;
      const { low: lowest, high: highest, strip } = picture.tracks[track];
      const step = Math.min(14, (row.height - 10) / (highest - lowest + 1));
      const y = Math.round(
        row.y + row.height - 5 - (row.height - 10 - step * (highest - lowest + 1)) / 2 - ((what & 127) - lowest + 1) * step,
      );
      const from = Math.max(0, Math.floor((data[i] - state.from) * scale));
      const to = Math.min(wide, Math.max(from + 1, Math.round((data[i + 1] - state.from) * scale)));
      const tall = Math.max(1, Math.min(step - 0.5, 8)) | 0;
      const colour = state.part && data[i] >= state.part[0] && data[i] < state.part[1] ? amber : strips[strip];
      for (let line = Math.max(0, y); line < Math.min(high, y + tall); line++) pixels.fill(colour, line * wide + from, line * wide + to);
    }
    paper.putImageData(image, 0, 0);
    pen.drawImage(dotted, names, 0);
  }

  function drawLane(pen, row, state, x) {
    const { lane } = row;
    const points = lane.points;
    const y = (value) =>
      lane.middle > 0
        ? row.y + row.height / 2 - (((value & 0xffff) - lane.middle) / lane.far) * (row.height / 2 - 3)
        : row.y + row.height - 4 - ((value & 0xffff) / lane.most) * (row.height - 8);
    pen.strokeStyle = colours.strips[picture.tracks[row.track].strip];
    pen.fillStyle = colours.strips[picture.tracks[row.track].strip];
    pen.lineWidth = 2;
    if (lane.isPedal) {
      let down = -1;
      for (let i = 0; i <= points.length; i += 2) {
        const at = i < points.length ? points[i] : picture.length;
        const on = i < points.length && (points[i + 1] & 0xffff) >= 64;
        if (down >= 0 && !on) {
          pen.fillRect(x(down), row.y + row.height / 2 - 3, Math.max(2, x(at) - x(down)), 6);
          down = -1;
        } else if (on && down < 0) down = at;
      }
      pen.lineWidth = 1;
      return;
    }
    // Fingers, each on a channel of its own, lie over each other.
    const last = new Map();
    pen.beginPath();
    for (let i = 0; i < points.length; i += 2) {
      const [at, value] = [points[i], points[i + 1]];
      const channel = value >>> 16;
      const before = last.get(channel);
      last.set(channel, [at, value]);
      if (!before || at < state.from) continue;
      if (before[0] > state.to) break;
      pen.moveTo(x(before[0]), y(before[1]));
      pen.lineTo(x(at), y(before[1]));
      pen.lineTo(x(at), y(value));
    }
    for (const [at, value] of last.values()) {
      pen.moveTo(x(at), y(value));
      pen.lineTo(x(picture.length), y(value));
    }
    pen.stroke();
    pen.lineWidth = 1;
  }

  function drawLineups(pen, row, x) {
    const y = row.y + row.height - 6;
    picture.lineups.forEach((lineup, index) => {
      const [from, to] = [x(lineup.at), x(picture.lineups[index + 1]?.at ?? picture.length)];
      pen.fillStyle = colours.line;
      pen.fillRect(from, y - 3.5, to - from, 7);
      pen.fillStyle = index % 2 === 0 ? colours.slit : colours.amber;
      pen.fillRect(from, y - 1.5, to - from, 3);
      pen.fillStyle = colours.ink;
      pen.fillText(lineup.name, Math.max(names + 3, from + 4), y - 8);
    });
  }

  function nameTracks() {
    for (const element of document.querySelectorAll(".track-name")) {
      const row = rows.find((each) => each.track === Number(element.dataset.track));
      if (row && row.y >= head - 1 && row.y + 18 < canvas().clientHeight) {
        element.style.top = `${row.y}px`;
        delete element.dataset.out;
      } else element.dataset.out = "";
    }
  }

  // What is chosen is named by its bars and counted.
  let shownPart = "";
  function showPart() {
    const state = view();
    const sign = `${shownFor} ${state.part}`;
    if (sign === shownPart) return;
    shownPart = sign;
    const [title, count] = [document.getElementById("part-title"), document.getElementById("part-count")];
    if (!title) return;
    const [from, to] = state.part ?? [0, picture.length + 1];
    let chosen = 0;
    for (let i = 0; i < picture.noteData.length; i += 3) if (picture.noteData[i] >= from && picture.noteData[i] < to) chosen++;
    text(title, state.part ? `Bars ${barAt(from)} to ${barAt(to - 1)}` : "All of it");
    text(
      count,
      `${chosen === picture.notes ? "" : `${chosen} of `}${picture.notes} notes · ${lengthOf((Math.min(to, picture.length) - from) / 10000)}${picture.missing > 0 ? ` · ${picture.missing} messages are missing: Weiche could not follow` : ""}`,
    );
    for (const part of ["take-cut"]) document.getElementById(part)?.toggleAttribute("disabled", !state.part);
  }

  function barAt(time) {
    let number = picture.bars[0]?.[1] ?? 1;
    for (const [at, each] of picture.bars) {
      if (at > time) break;
      number = each;
    }
    return number;
  }

  function lengthOf(seconds) {
    const whole = Math.max(0, Math.round(seconds));
    const [minutes, rest] = [Math.floor(whole / 60), String(whole % 60).padStart(2, "0")];
    return minutes < 60 ? `${minutes}:${rest}` : `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}:${rest}`;
  }

  // What is chosen lies on bar lines where one is near.
  function snapped(time, width) {
    const state = view();
    const near = ((state.to - state.from) / (width - names)) * 7;
    const line = picture.bars.find(([at]) => Math.abs(at - time) < near);
    return line ? line[0] : Math.max(0, time);
  }

  document.addEventListener("pointerdown", (event) => {
    if (event.target.id !== "take-canvas" || event.button > 1 || !picture) return;
    const board = event.target;
    const box = board.getBoundingClientRect();
    const state = view();
    const x = event.clientX - box.left;
    board.focus({ preventScroll: true });
    board.setPointerCapture(event.pointerId);
    board.dataset.dragging = "";
    // The bars above are taken hold of to move; below a part is chosen.
    const pans = event.clientY - box.top < head || event.button === 1 || event.ctrlKey;
    const [start, before] = [timeAt(x, state, box.width), { ...state }];
    const move = (moved) => {
      const here = moved.clientX - box.left;
      if (pans) {
        const by = ((here - x) / (box.width - names)) * (before.to - before.from);
        show(before.from - by, before.to - by);
      } else if (Math.abs(here - x) > 3) {
        const ends = [snapped(start, box.width), snapped(timeAt(here, state, box.width), box.width)].sort((one, other) => one - other);
        state.part = ends[1] > ends[0] ? ends : null;
        draw();
      }
    };
    const end = (ended) => {
      delete board.dataset.dragging;
      board.removeEventListener("pointermove", move);
      if (!pans && ended.type === "pointerup" && Math.abs(ended.clientX - box.left - x) <= 3) state.part = null;
      if (previewOf()) load();
      draw();
    };
    board.addEventListener("pointermove", move);
    for (const name of ["pointerup", "pointercancel"]) board.addEventListener(name, end, { once: true });
  });

  document.addEventListener(
    "wheel",
    (event) => {
      if (event.target.id !== "take-canvas" || !picture) return;
      event.preventDefault();
      const state = view();
      const span = state.to - state.from;
      if (event.offsetX < names) scroll(event.deltaY / 2);
      else if (event.ctrlKey || event.metaKey || (!event.shiftKey && Math.abs(event.deltaY) > Math.abs(event.deltaX)))
        zoom(event.deltaY > 0 ? 1.2 : 1 / 1.2, timeAt(event.offsetX, state, canvas().clientWidth));
      else show(state.from + (span * (event.deltaX + event.deltaY)) / 1000, state.to + (span * (event.deltaX + event.deltaY)) / 1000);
    },
    { passive: false },
  );

  function scroll(by) {
    view().top = (view().top ?? 0) + by;
    draw();
  }

  function zoom(by, around) {
    const state = view();
    const middle = around ?? (state.part ? (state.part[0] + state.part[1]) / 2 : (state.from + state.to) / 2);
    show(middle - (middle - state.from) * by, middle + (state.to - middle) * by);
  }

  function show(from, to) {
    const state = view();
    const most = Math.max(10000, picture.length * 1.05);
    const span = Math.max(shortest, Math.min(most, to - from));
    const begin = Math.max(-span * 0.02, Math.min(from, most - span));
    [state.from, state.to] = [begin, begin + span];
    draw();
  }

  document.addEventListener("keydown", (event) => {
    if (event.target.id !== "take-canvas" || !picture || event.altKey) return;
    const state = view();
    const span = state.to - state.from;
    const bars = picture.bars.map(([at]) => at);
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (way && event.shiftKey) {
      // By bars: where nothing is chosen the first bar that is seen.
      const [from, to] = state.part ?? [
        bars.findLast((at) => at <= Math.max(0, state.from)) ?? 0,
        bars.findLast((at) => at <= Math.max(0, state.from)) ?? 0,
      ];
      const next = way > 0 ? (bars.find((at) => at > to + 1) ?? picture.length) : (bars.findLast((at) => at < to - 1) ?? 0);
      state.part = next > from ? [from, next] : null;
      draw();
      if (previewOf()) load();
    } else if (way && event.ctrlKey && state.part) {
      const by = way * (state.part[1] - state.part[0]);
      state.part = state.part[0] + by >= 0 ? state.part.map((at) => at + by) : state.part;
      draw();
    } else if (way) show(state.from + (way * span) / 8, state.to + (way * span) / 8);
    else if (event.key === "ArrowDown" || event.key === "ArrowUp") scroll(event.key === "ArrowDown" ? 60 : -60);
    else if (event.key === "+" || event.key === "=") zoom(1 / 1.4);
    else if (event.key === "-") zoom(1.4);
    else if (event.key === "0" || event.key === "Home") show(0, picture.length);
    else if (event.key === "Escape") {
      state.part = null;
      draw();
      if (previewOf()) load();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  });

  // ---- tidying is seen before it is done

  let [isTried, triedOn] = [false, document.getElementById("tidy-form")?.dataset.kept];
  document.addEventListener("input", (event) => {
    if (!event.target.closest?.("#tidy-form")) return;
    isTried = true;
    showTidy();
    load();
  });
  document.addEventListener("click", (event) => {
    if (event.target.id !== "tidy-look") return;
    isTried = !isTried;
    showTidy();
    load();
  });
  document.addEventListener("submit", (event) => {
    if (event.target.id === "tidy-form") isTried = false;
  });
  function showTidy() {
    const form = document.getElementById("tidy-form");
    if (!form) return;
    const grid = Number(form.querySelector("[name=grid]:checked")?.value ?? 16);
    document.getElementById("tidy-parts").value = document.getElementById("grid-triplets").checked ? (grid * 3) / 2 : grid;
    text(document.getElementById("tidy-by"), `${document.getElementById("tidy-strength").value} %`);
    document.getElementById("tidy-look").setAttribute("aria-pressed", String(isTried));
    text(document.getElementById("tidy-says"), isTried ? "as it would be; outlines: as it is" : "what it was stays as an outline");
  }

  document.body.addEventListener("htmx:afterSwap", (event) => {
    if (event.target.id === "rehearsed" || event.detail.target?.id === "rehearsed") document.getElementById("rehearsed-box").showModal();
    if (!page()) return;
    shownPart = "";
    if (reelPart) showReelPart(...reelPart);
    if (document.getElementById("tidy-form")?.dataset.kept !== triedOn) isTried = false;
    triedOn = document.getElementById("tidy-form")?.dataset.kept;
    showTidy();
    load();
  });
  addEventListener("resize", draw);
  document.getElementById("theme")?.addEventListener("click", () => {
    colours = null;
    draw();
  });
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    colours = null;
    draw();
  });

  function text(element, said) {
    if (element && element.textContent !== said) element.textContent = said;
  }

  load();
}
