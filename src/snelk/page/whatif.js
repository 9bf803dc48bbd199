// What if here? A stand-in at the pointer, a noise that is dropped, a place that is moved, a door
// that is opened: at the moment shown.

const MODES = {
  look: { key: "v", words: "look: the map moves and zooms" },
  "stand-in": { key: "i", words: "a stand-in of the chosen target's kind at the pointer: who would sense it, by how much, how soon" },
  noise: { key: "j", words: "click: make a noise there, now" },
  move: { key: "m", words: "drag a character, a spot, a corner of a route, a zone or a wall; click a door to open or shut it, now" },
};
const GRIP = 7; // px

class WhatIf {
  constructor(page, bench) {
    Object.assign(this, { page, bench, mode: "look", place: null, told: null, shades: [], asked: 0, answered: 0, waits: false, stance: "" });
    this.map = page.maps[0];
    this.readout = document.getElementById("readout");
    const modes = document.getElementById("modes");
    modes.hidden = false;
    for (const [name, { key, words: meaning }] of Object.entries(MODES)) {
      const button = make("button", name);
      button.title = `${meaning} (${key.toUpperCase()})`;
      button.dataset.mode = name;
      button.onclick = () => this.become(name);
      modes.append(button);
    }
    this.kind = make("select");
    this.kind.setAttribute("aria-label", "kind of noise");
    this.kind.append(...bench.tune.noise_kinds.map((kind) => new Option(kind)));
    this.posture = make("select");
    this.posture.setAttribute("aria-label", "stance of the stand-in");
    this.posture.append(new Option("as it is", ""), ...bench.tune.stances.map((stance) => new Option(stance)));
    this.posture.onchange = () => { this.stance = this.posture.value; this.ask(); };
    modes.append(this.kind, this.posture);
    const { canvas } = this.map;
    canvas.onpointermove = (event) => this.moved(this.at(event), event);
    canvas.onpointerdown = (event) => { canvas.setPointerCapture(event.pointerId); this.pressed(this.at(event)); };
    canvas.onpointerup = () => this.released();
    canvas.onpointerleave = ({ clientX, clientY }) => {
      const { left, top, right, bottom } = canvas.getBoundingClientRect();
      const inside = clientX > left && clientX < right && clientY > top && clientY < bottom; // what lies over it
      if (this.mode === "stand-in" && !this.pinned && !inside) this.leave();
    };
    canvas.onwheel = (event) => {
      event.preventDefault();
      this.map.zoom(event.deltaY > 0 ? 1.15 : 1 / 1.15, ...this.at(event));
    };
    this.become("look");
  }

  get target() { return this.dragged || this.page.target; }

  become(mode, again = false) {
    if (again && this.mode === mode) return;
    this.mode = mode;
    document.querySelectorAll("#modes button").forEach((button) => button.setAttribute("aria-pressed", String(button.dataset.mode === mode)));
    this.map.canvas.style.pointerEvents = mode === "look" ? "none" : "auto";
    this.map.canvas.style.cursor = { "stand-in": "crosshair", noise: "cell", move: "grab" }[mode] || "";
    this.kind.hidden = mode !== "noise";
    this.posture.hidden = mode !== "stand-in";
    this.leave();
    if (mode !== "look" && this.page.playing) this.page.pause();
  }

  leave() {
    Object.assign(this, { place: null, told: null, shades: [], pinned: false });
    this.readout.hidden = true;
    this.map.again();
  }

  at(event) {
    const box = this.map.canvas.getBoundingClientRect();
    return [this.map.x0 + (event.clientX - box.left) / this.map.perMetreX, this.map.y1 - (event.clientY - box.top) / this.map.perMetreY];
  }

  // The place that is tried, moved by keys.
  nudge(dx, dy) {
    if (this.mode !== "stand-in") return;
    const c = this.page.c, pose = this.page.run.pose(c, this.page.t);
    const [x, y] = this.place || (pose ? [pose.x, pose.y] : [this.map.x0, this.map.y1]);
    this.pinned = true;
    this.moved([x + dx, y + dy], null);
  }

  drop() {
    if (this.place) { this.pinned = !this.pinned; this.map.again(); }
  }

  get handles() {
    return this.bench.tune.handles.map((handle) => {
      const [x, y] = this.bench.now(handle.key);
      return { ...handle, x, y };
    });
  }

  near(list, [x, y], pixels) {
    let best = null, far = pixels * this.map.scale;
    for (const each of list) {
      const away = Math.hypot(each.x - x, each.y - y);
      if (away < far) { best = each; far = away; }
    }
    return best;
  }

  doorAt([x, y]) {
    return this.page.run.doors.find((door) => door.lines.some(([ax, ay, bx, by]) => {
      const length = (bx - ax) ** 2 + (by - ay) ** 2, along = length ? Math.min(Math.max(((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / length, 0), 1) : 0;
      return Math.hypot(ax + along * (bx - ax) - x, ay + along * (by - ay) - y) < 9 * this.map.scale;
    }));
  }

  pressed(place) {
    const { page, bench } = this, t = Number(fixed(page.run.timeOf(page.run.tickAt(page.t)), 6)), tidy = place.map((v) => Number(fixed(v, 3)));
    if (this.mode === "noise") bench.set("+noise", [...(bench.changes["+noise"] || []), { t, kind: this.kind.value, at: tidy }], true);
    if (this.mode === "stand-in") this.drop();
    if (this.mode !== "move") return;
    // A corner that is hit goes before a door, and a door before a corner that is only near.
    const door = this.doorAt(place);
    this.grip = this.near(this.handles, place, door ? 0.75 * GRIP : 2 * GRIP);
    if (this.grip) return;
    if (door) {
      // A second click at the same moment takes the first back: a door turns from the next tick on.
      const turned = bench.changes["+change"] || [], others = turned.filter((each) => each.of !== door.name || each.t !== t);
      bench.set("+change", others.length < turned.length ? others : [...turned, { t, of: door.name, to: isOpen(door, page.t) ? "shut" : "open" }], true);
      return;
    }
    // Who goes where a track or its mind leads stands in for itself.
    const c = this.map.nearest(...place);
    if (c >= 0) this.dragged = page.run.names[c];
  }

  moved(place, event) {
    if (this.mode === "move") {
      if (this.grip) {
        this.bench.set(this.grip.key, place.map((v) => Number(fixed(v, 2))), false);
        this.map.again();
        if (this.grip.kind === "at") this.dragged = this.grip.name; // and who would sense it there
      }
      this.over_ = this.grip || this.near(this.handles, place, 2 * GRIP);
      if (!this.grip && event && !this.dragged) this.map.again();
      if (!this.dragged) return;
    } else if (this.mode !== "stand-in" || (this.pinned && event)) return;
    this.place = place;
    this.ask();
    this.map.again();
  }

  released() {
    if (this.grip) this.bench.keep();
    if (this.dragged) { this.dragged = null; this.leave(); }
    this.grip = null;
  }

  // Ask about the place; only the latest is answered, and never two at once.
  ask() {
    if (!this.place) return;
    if (this.asked !== this.answered) { this.waits = true; return; }
    this.waits = false;
    this.asked++;
    const { page, bench } = this, [x, y] = this.place, floor = document.getElementById("floor").value || null;
    bench.say({ type: "here", n: this.asked, t: page.run.timeOf(page.run.tickAt(page.t)), x, y, floor, target: this.target, stance: this.stance || null, changes: bench.changes });
  }

  take(message) {
    if (message.type === "shade") {
      if (message.n !== this.asked || !this.place) return;
      if (message.first) this.shades = [];
      this.shades.push(message);
      this.map.again();
      return;
    }
    this.told = message;
    this.tell();
    this.landed(message);
  }

  landed({ n }) {
    if (n !== this.asked || this.answered === n) return;
    this.answered = n;
    if (this.waits) this.ask();
  }

  // Who would sense it: the soonest first.
  tell() {
    const { told, readout } = this;
    readout.hidden = !told || !this.place;
    if (readout.hidden) return;
    const soon = (each) => (each.after === null ? 1e6 - 1e3 * each.highest - (each.gate === "in_view") * 100 + (each.distance || 1e3) : each.after);
    const every = [...told.noticing].sort((a, b) => soon(a) - soon(b));
    const senses = every.filter((each) => each.after !== null || each.highest > 0 || each.felt || each.gate === "in_view");
    const rows = every.slice(0, Math.max(senses.length, 3));
    const table = make("table"), head = make("tr");
    for (const text of ["", "sees it", "share in view", "noticed"]) head.append(make("th", text));
    table.append(head);
    for (const each of rows.slice(0, 6)) {
      const row = make("tr", "", each.after !== null ? "soon" : each.gate === "in_view" ? "" : "quiet");
      const sees = each.felt ? "feels it" : each.gate === "in_view" ? `yes (${each.cone})` : each.gate ? `no: ${this.page.facts.words.reasons[each.gate] || words(each.gate)}` : "has no eyes";
      const after = each.after === null ? (each.highest > 0 ? `${percent(each.highest)} of the meter in 10 s` : "–") : each.after === 0 ? "at once" : `after ${fixed(each.after, 1)} s`;
      for (const text of [each.agent, sees, each.exposure === null ? "–" : percent(each.exposure), after]) row.append(make("td", text));
      table.append(row);
    }
    readout.replaceChildren(make("b", `${told.target}, ${told.stance}, at (${told.place.map((v) => fixed(v, 1)).slice(0, 2).join(", ")}) m from ${fixed(told.t, 1)} s on`), table);
    if (every.length > Math.min(rows.length, 6)) readout.append(make("div", `and ${every.length - Math.min(rows.length, 6)} others that do not`, "quiet"));
    const legend = make("div", "", "quiet");
    for (const [colour, text] of [["#b3470ab0", "noticed within 10 s, darker is sooner; dots: within 2 s"], ["#0072b240", "in view"]]) {
      const swatch = make("i");
      swatch.style.background = colour;
      legend.append(swatch, `${text}  `);
    }
    readout.append(legend);
    if (!rows.length) readout.append(make("div", `nobody notices ${told.target}`, "quiet"));
    const { map } = this, [x, y] = this.place, box = readout.getBoundingClientRect();
    const left = map.px(x) + 22 + box.width > map.width ? map.px(x) - box.width - 22 : map.px(x) + 22;
    const bbox = map.view.frame.bbox;
    readout.style.left = `${Math.max(left, 4) + bbox.left}px`;
    readout.style.top = `${Math.min(Math.max(map.py(y) - 20, 4), Math.max(map.height - box.height - 4, 4)) + bbox.top}px`;
  }

  // Under everybody: how soon a stand-in would be noticed at each place.
  under(map) {
    if (!this.place) return;
    const { pen } = map;
    for (const { x, y, cell, exposure, after } of this.shades) {
      const wide = Math.max(cell * map.perMetreX, 1) + 0.5;
      x.forEach((_, n) => {
        const seen = exposure[n] > 0, soon = after[n] !== null;
        if (!seen && !soon) return;
        const [left, top] = [map.px(x[n]) - wide / 2, map.py(y[n]) - wide / 2];
        pen.fillStyle = soon ? "#b3470a" : "#0072b2";
        pen.globalAlpha = soon ? 0.62 - 0.045 * Math.min(after[n], 10) : 0.06 + 0.18 * exposure[n];
        pen.fillRect(left, top, wide, wide);
        if (soon && after[n] <= 2 && wide > 5) { // and a mark, for who sees no colours
          pen.globalAlpha = 0.8;
          pen.fillStyle = "#5a1c00";
          pen.fillRect(map.px(x[n]) - 1, map.py(y[n]) - 1, 2, 2);
        }
      });
      map.count("shade");
    }
    pen.globalAlpha = 1;
  }

  over(map) {
    if (this.mode === "move") this.grips(map);
    for (const noise of this.bench.changes["+noise"] || []) {
      map.text("♪", map.px(noise.at[0]), map.py(noise.at[1]), 16, map.page.noise, "center");
    }
    this.movedCorners(map);
    if (!this.place) return;
    const [x, y] = this.place;
    map.circle(x, y, 9);
    map.fillWith("white", 0.85);
    map.stroke("#b3470a", 2.4, this.pinned ? [] : [3, 2]);
    map.text("☺", map.px(x), map.py(y), 13, "#b3470a", "center");
  }

  grips(map) {
    for (const { key, x, y } of this.handles) {
      const [left, top] = [map.px(x), map.py(y)], over = (this.grip || this.over_ || {}).key === key;
      map.pen.beginPath();
      map.pen.rect(left - GRIP / 2, top - GRIP / 2, GRIP, GRIP);
      map.fillWith(over ? "#f0b429" : "white", over ? 1 : 0.75);
      map.stroke(key in this.bench.changes ? "#b3470a" : "#4a453d", over ? 2 : 1);
      map.count("grips");
    }
    const over = this.grip || this.over_;
    if (over) map.text(`${over.kind} ${over.name}`, map.px(over.x) + 10, map.py(over.y) - 12, 12, "#22252a");
  }

  // Features with a corner elsewhere: their outline as it is tried.
  movedCorners(map) {
    const features = new Set(Object.keys(this.bench.changes).filter((key) => key.startsWith("level.")).map((key) => key.slice(0, key.lastIndexOf("."))));
    for (const feature of features) {
      const corners = this.handles.filter((handle) => handle.key.slice(0, handle.key.lastIndexOf(".")) === feature);
      if (corners.length < 2) continue;
      map.trace(corners.map(({ x, y }) => [x, y]), corners[0].closed);
      map.stroke("#b3470a", 2.4, [6, 3]);
    }
  }
}
