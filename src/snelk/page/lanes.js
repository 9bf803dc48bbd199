// A lane for each agent: its alert states, why it had the target in view or not, its meter for it,
// and what it heard of it. With two runs each lane has a half for either, and where they differ.

const TALL = 44, FOLDED = 13; // px, of the lane of the chosen agent, and of another; twice that for two runs
const FOLDED_FROM = 4; // so many agents: of fewer all lanes are tall
const NAME_ROOM = 100, RIGHT_ROOM = 14; // px
const STATES = 0.48; // share of a lane that the alert states have

class LanesView {
  constructor(page) {
    this.page = page;
    this.agents = [...new Set(page.runs.flatMap((run) => run.agentNames))];
    this.names = document.getElementById("lane-names");
    this.cursor = document.getElementById("cursor");
    this.canvas = document.getElementById("lane-canvas");
    this.axis = document.getElementById("lane-axis");
    [this.start, this.end] = [page.start, page.end];
    this.patterns = new Map();
    this.buttons = this.agents.map((name) => {
      const button = document.createElement("button");
      button.textContent = button.title = name;
      button.onclick = () => page.choose({ agent: name });
      this.names.append(button);
      return button;
    });
    this.canvas.onclick = (event) => {
      const box = this.canvas.getBoundingClientRect();
      page.laneTapped(this.timeAt(event.clientX - box.left), this.rowAt(event.clientY - box.top));
    };
    this.legend();
  }

  // Where each lane lies: that of who is chosen is tall, the others are a line each.
  place() {
    const { page } = this, scale = page.scale, each = page.runs.length, row = this.agents.indexOf(page.agent);
    this.wide = document.getElementById("lane-scroll").clientWidth;
    const isFolded = (n) => n !== row && this.agents.length >= FOLDED_FROM && !page.unfolded;
    this.heights = this.agents.map((_, n) => (isFolded(n) ? FOLDED : TALL) * scale * each);
    this.tops = [];
    let top = 2;
    for (const height of this.heights) { this.tops.push(top); top += height; }
    this.tall = top + 2;
    this.left = NAME_ROOM * scale;
    this.inner = Math.max(this.wide - this.left - RIGHT_ROOM, 10);
    this.size(this.canvas, this.tall);
    this.size(this.axis, 30 * scale);
    document.getElementById("lane-inner").style.height = `${this.tall}px`;
    this.buttons.forEach((button, n) => {
      Object.assign(button.style, { top: `${this.tops[n]}px`, height: `${this.heights[n]}px`, lineHeight: `${this.heights[n]}px` });
      button.classList.toggle("folded", isFolded(n));
    });
    this.cursor.style.height = `${this.tall}px`;
  }

  size(canvas, tall) {
    const sharp = window.devicePixelRatio || 1, [width, height] = [Math.round(this.wide * sharp), Math.round(tall * sharp)];
    if (canvas.width !== width || canvas.height !== height) {
      Object.assign(canvas, { width, height });
      Object.assign(canvas.style, { width: `${this.wide}px`, height: `${tall}px` });
    }
    canvas.getContext("2d").setTransform(sharp, 0, 0, sharp, 0, 0);
  }

  px(t) { return this.left + ((t - this.start) / Math.max(this.end - this.start, 1e-9)) * this.inner; }
  // Heights count in lanes: 2.5 is the middle of the third.
  py(y) {
    const row = Math.min(Math.floor(y), this.agents.length - 1);
    return row < 0 ? 2 : this.tops[row] + (y - row) * this.heights[row];
  }
  timeAt(x) { return this.start + ((x - this.left) / this.inner) * (this.end - this.start); }
  rowAt(y) { return this.tops.findIndex((top, n) => y >= top && y < top + this.heights[n]); }

  // Which stretch is shown, s.
  show(start, end) {
    [this.start, this.end] = [start, end];
    this.draw();
  }

  move(t) {
    const share = (t - this.start) / Math.max(this.end - this.start, 1e-9);
    this.cursor.style.left = `${this.px(t) - 1}px`;
    this.cursor.style.visibility = share >= 0 && share <= 1 ? "visible" : "hidden";
  }

  // Everything anew for the target that is chosen.
  draw() {
    const { page } = this, target = page.target;
    const data = {
      bands: { left: [], right: [], bottom: [], top: [], fill_color: [], hatch_pattern: [], hatch_color: [] },
      states: { left: [], right: [], bottom: [], top: [], fill_color: [] },
      state_names: { x: [], y: [], text: [], text_color: [] },
      heard: { x0: [], y0: [], x1: [], y1: [] }, unheard: { x: [], y: [] },
      contacts: { left: [], right: [], bottom: [], top: [] },
      reactions: { left: [], right: [], bottom: [], top: [] }, meters: { xs: [], ys: [] }, meters_before: { xs: [], ys: [] },
      game: { left: [], right: [], bottom: [], top: [] }, game_heard: { x0: [], y0: [], x1: [], y1: [] },
      apart: { left: [], right: [], bottom: [], top: [] },
      differ: { left: [], right: [], bottom: [], top: [] }, chosen: { left: [], right: [], bottom: [], top: [] },
    };
    const halves = page.runs.length;
    this.place();
    this.letters = this.inner / Math.max(this.end - this.start, 1e-9) / (5.6 * page.scale);
    this.agents.forEach((agent, row) => {
      page.runs.forEach((run, half) => {
        const top = row + 0.06 + (half * 0.9) / halves, height = 0.88 / halves;
        if (run.agentNames.includes(agent)) this.lane(data, run, agent, target, top, height);
      });
      if (halves > 1) this.differences(data.differ, agent, target, row);
    });
    const row = this.agents.indexOf(page.agent);
    if (row >= 0) Object.assign(data.chosen, { left: [this.start], right: [this.end], bottom: [row + 1], top: [row] });
    this.columns = data;
    this.paint(data);
    this.buttons.forEach((button, n) => button.classList.toggle("chosen", n === row));
    document.getElementById("lane-words").textContent = `Lanes: state; ${target}:`;
  }

  lane(data, run, agent, target, top, height) {
    const a = run.agentNames.indexOf(agent), c = run.names.indexOf(target);
    const states = height * STATES, middle = top + states, low = top + height;
    const ladder = run.ladders[agent], { start: from, end: to } = this;
    if (ladder) {
      ladder.entered.forEach((entry, n) => {
        const until = n + 1 < ladder.entered.length ? ladder.entered[n + 1].t : run.end;
        if (until < from || entry.t > to) return;
        const left = Math.max(entry.t, from), right = Math.min(until, to);
        const state = run.profiles[agent].states[entry.state];
        const rank = Math.min(Math.max(state.rank, 0), this.page.ranks.length - 1);
        push(data.states, { left, right, bottom: middle, top, fill_color: this.page.ranks[rank] });
        if (state.name.length + 1 <= (right - left) * this.letters && this.roomy(top, height)) {
          push(data.state_names, { x: left, y: top + states / 2, text: state.name, text_color: rank >= 4 ? "white" : this.page.ink });
        }
      });
    }
    for (const [left, right] of ladder ? ladder.reactions : []) {
      if (right >= from && left <= to) push(data.reactions, { left, right, bottom: middle, top: middle - 0.35 * states });
    }
    if (c < 0 || c === run.agents[a]) return;
    this.bands(data.bands, run, a, c, middle, low);
    if (this.page.before) this.before(data, this.page.before, agent, target, top, middle, low);
    if (this.page.facts.game) this.game(data, agent, target, middle, low);
    const meter = this.hasCurves(top) ? run.pair("meters", a, c) : undefined;
    if (meter !== undefined) {
      const first = Math.max(run.tickAt(from), run.from("meters", meter)), last = run.tickAt(to);
      const xs = [], ys = [], step = Math.max(Math.floor((last - first + 1) / 1500), 1);
      for (let tick = first; tick <= last; tick += step) {
        xs.push(run.timeOf(tick));
        ys.push(low - run.at("meter.value", meter, tick) * (low - middle));
      }
      push(data.meters, { xs, ys });
    }
    if (run.profile(a).hears) {
      const { rows, times } = heardRows(run, a, c);
      rows.forEach((n, place) => {
        if (times[place] < from || times[place] > to) return;
        if (run.at("heard.heard", n)) push(data.heard, { x0: times[place], x1: times[place], y0: low, y1: low - 0.55 * (low - middle) });
        else if (this.hasCurves(top)) push(data.unheard, { x: times[place], y: low - 0.06 });
      });
    }
    for (const sense of run.contacts) {
      const pair = run.pair(sense, a, c);
      if (pair === undefined) continue;
      const begin = Math.max(run.tickAt(from), run.from(sense, pair));
      stretches(run.tickAt(to) + 1 - begin, (n) => run.at(`${sense}.result`, pair, begin + n) === -1, (first, last, felt) => {
        if (felt) push(data.contacts, { left: run.timeOf(begin + first), right: run.timeOf(begin + last), bottom: middle + 0.3 * (low - middle), top: middle });
      });
    }
  }

  // The alert states and the meter with today's numbers, while others are tried.
  before(data, base, agent, target, top, middle, low) {
    const a = base.agentNames.indexOf(agent), c = base.names.indexOf(target), ladder = base.ladders[agent];
    (ladder ? ladder.entered : []).forEach((entry, n) => {
      const right = n + 1 < ladder.entered.length ? ladder.entered[n + 1].t : base.end;
      const rank = Math.min(Math.max(base.profiles[agent].states[entry.state].rank, 0), this.page.ranks.length - 1);
      push(data.states, { left: entry.t, right, bottom: top + 0.28 * (middle - top), top, fill_color: this.page.ranks[rank] });
    });
    const meter = this.hasCurves(top) ? base.pair("meters", a, c) : undefined;
    if (meter === undefined) return;
    const xs = [], ys = [], step = Math.max(Math.floor(base.ticks / 600), 1);
    for (let tick = 0; tick < base.ticks; tick += step) {
      xs.push(base.timeOf(tick));
      ys.push(low - base.at("meter.value", meter, tick) * (low - middle));
    }
    push(data.meters_before, { xs, ys });
  }

  // What the game's own code sensed, and where it parts from Snelk.
  game(data, agent, target, middle, low) {
    const { sensed, mismatches } = this.page.facts.game, tall = low - middle;
    for (const sense of ["sight", ...this.page.run.contacts]) {
      for (const [left, right] of sensed[[agent, target, sense].join("\t")] || []) {
        push(data.game, sense === "sight" ? { left, right, bottom: low, top: low - 0.3 * tall } : { left, right, bottom: middle + 0.45 * tall, top: middle + 0.3 * tall });
      }
    }
    for (const [x] of sensed[[agent, target, "hearing"].join("\t")] || []) push(data.game_heard, { x0: x, x1: x, y0: low - 0.6 * tall, y1: middle });
    for (const each of mismatches.filter((each) => each.agent === agent && each.target === target)) {
      const wide = each.end > each.start ? 0 : 0.1;
      push(data.apart, { left: each.start - wide, right: each.end + wide, bottom: low, top: middle });
    }
  }

  // Whether a lane has room for curves and dots: one that is folded has none.
  hasCurves(top) { return this.heights[Math.floor(top)] >= 2 * FOLDED; }
  roomy(top, height) { return height * STATES * this.heights[Math.floor(top)] >= 8 * this.page.scale; }

  // All of it, in the order in which it lies.
  paint(data) {
    const pen = this.pen = this.canvas.getContext("2d"), { page } = this, { ink, noise } = page;
    pen.clearRect(0, 0, this.wide, this.tall);
    pen.fillStyle = "#fff";
    pen.fillRect(this.left, 0, this.inner, this.tall);
    this.boxes(data.chosen, () => "#fff6d6");
    this.boxes(data.bands, (n) => data.bands.fill_color[n], (n) => this.pattern(data.bands.hatch_pattern[n], data.bands.hatch_color[n]));
    this.boxes(data.game, () => "#d98e32");
    this.lines(data.game_heard, "#d98e32", 1.8);
    this.boxes(data.apart, null, () => this.pattern("/", "#d55e00"), "#d55e00", 1.5);
    this.boxes(data.states, (n) => data.states.fill_color[n], null, ink, 0.5);
    this.boxes(data.differ, () => "#1a1a1a");
    Object.assign(pen, { font: `${9.5 * page.scale}px ${FONT}`, textBaseline: "middle", textAlign: "left" });
    data.state_names.x.forEach((x, n) => {
      pen.fillStyle = data.state_names.text_color[n];
      pen.fillText(data.state_names.text[n], this.px(x) + 3, this.py(data.state_names.y[n]));
    });
    this.lines(data.heard, noise, 1.8);
    pen.fillStyle = noise;
    data.unheard.x.forEach((x, n) => pen.fillRect(this.px(x) - 1, this.py(data.unheard.y[n]) - 1, 2, 2));
    this.boxes(data.contacts, () => "#00694d");
    this.boxes(data.reactions, () => "#d55e00", null, "#fff", 1);
    pen.setLineDash([3, 3]);
    this.curves(data.meters_before, "#6d6a64", 1);
    pen.setLineDash([]);
    this.curves(data.meters, ink, 1.3);
    Object.assign(pen, { strokeStyle: "#c9c7c0", lineWidth: 1 });
    pen.strokeRect(this.left + 0.5, 0.5, this.inner - 1, this.tall - 1);
    this.drawAxis();
  }

  boxes(columns, fill, hatch = null, line = null, width = 1) {
    const { pen } = this;
    columns.left.forEach((left, n) => {
      const x = this.px(left), y = this.py(columns.top[n]), wide = Math.max(this.px(columns.right[n]) - x, 0.5), tall = this.py(columns.bottom[n]) - y;
      const drawn = [fill && fill(n), hatch && hatch(n)];
      for (const style of drawn.filter(Boolean)) { pen.fillStyle = style; pen.fillRect(x, y, wide, tall); }
      if (line) { Object.assign(pen, { strokeStyle: line, lineWidth: width }); pen.strokeRect(x, y, wide, tall); }
    });
  }

  lines(columns, colour, width) {
    const { pen } = this;
    Object.assign(pen, { strokeStyle: colour, lineWidth: width });
    pen.beginPath();
    columns.x0.forEach((x, n) => { pen.moveTo(this.px(x), this.py(columns.y0[n])); pen.lineTo(this.px(columns.x1[n]), this.py(columns.y1[n])); });
    pen.stroke();
  }

  curves(columns, colour, width) {
    const { pen } = this;
    Object.assign(pen, { strokeStyle: colour, lineWidth: width });
    columns.xs.forEach((xs, n) => {
      pen.beginPath();
      xs.forEach((x, m) => { if (m) pen.lineTo(this.px(x), this.py(columns.ys[n][m])); else pen.moveTo(this.px(x), this.py(columns.ys[n][m])); });
      pen.stroke();
    });
  }

  // A hatch, so that nothing is told by colour alone; drawn once.
  pattern(hatch, colour) {
    if (hatch === " ") return null;
    const key = `${hatch} ${colour}`;
    if (!this.patterns.has(key)) {
      const tile = document.createElement("canvas"), size = 6, pen = (tile.width = tile.height = size, tile.getContext("2d"));
      Object.assign(pen, { strokeStyle: colour, fillStyle: colour, lineWidth: 0.9 });
      const line = (...ends) => { pen.beginPath(); pen.moveTo(ends[0], ends[1]); pen.lineTo(ends[2], ends[3]); pen.stroke(); };
      const up = (x) => line(x, size, x + size, 0), down = (x) => line(x, 0, x + size, size);
      if (hatch === "/" || hatch === "x") [-size, 0, size].forEach((x) => { up(x); up(x + 3); });
      if (hatch === "\\" || hatch === "x") [-size, 0, size].forEach((x) => { down(x); down(x + 3); });
      if (hatch === "-") line(0, 3, size, 3);
      if (hatch === "." || hatch === "o") { pen.beginPath(); pen.arc(3, 3, hatch === "." ? 1 : 1.8, 0, 2 * Math.PI); if (hatch === ".") pen.fill(); else pen.stroke(); }
      this.patterns.set(key, this.pen.createPattern(tile, "repeat"));
    }
    return this.patterns.get(key);
  }

  drawAxis() {
    const pen = this.axis.getContext("2d"), { scale, ink } = this.page, long = this.end - this.start;
    pen.clearRect(0, 0, this.wide, 30 * scale);
    Object.assign(pen, { font: `${10 * scale}px ${FONT}`, fillStyle: ink, strokeStyle: ink, textBaseline: "top", textAlign: "center", lineWidth: 1 });
    const rough = long / Math.max(this.inner / (70 * scale), 1), digits = 10 ** Math.floor(Math.log10(Math.max(rough, 1e-6)));
    const step = [1, 2, 5, 10].map((each) => each * digits).find((each) => each >= rough) || 10 * digits;
    for (let n = Math.ceil(this.start / step - 1e-9); n * step <= this.end + 1e-9; n++) {
      const x = this.px(n * step);
      pen.fillRect(x - 0.5, 0, 1, 4);
      pen.fillText(short(Number((n * step).toPrecision(8))), x, 5);
    }
    pen.fillText("time, s", this.left + this.inner / 2, 5 + 12 * scale);
  }

  bands(data, run, a, c, middle, low) {
    if (!run.has(`${a}.look`)) return;
    const looks = run.column(`${a}.look`), { start: from, end: to } = this;
    const timeOf = (look) => (look < looks.length ? run.start + looks[look] * run.look_dt : run.end);
    const begin = Math.max(run.lookAt(a, from), 0), count = run.lookAt(a, to) + 1 - begin;
    const found = [];
    for (let n = begin; n < begin + count; n++) {
      found.push([timeOf(n), run.reasonAt(a, c, n)]);
      let first = -1; // of the ticks at which either became absent
      for (let gone = run.goneAt(a, c, n); gone >= 0; gone = run.goneAt(a, c, n, gone - 1)) first = gone;
      if (first >= 0) found.push([run.timeOf(first), run.words.gates.indexOf("present")]);
    }
    found.push([timeOf(begin + count), null]);
    stretches(found.length - 1, (n) => found[n][1], (first, last, gate) => {
      const style = this.page.styles[run.reasonName(gate)];
      push(data, { left: Math.max(found[first][0], from), right: Math.min(found[last][0], to), bottom: low, top: middle,
        fill_color: style.band, hatch_pattern: style.hatch, hatch_color: style.hatchColour });
    });
  }

  // Where the runs do not agree on an agent: its state, whether it has the target in view, its meter.
  differences(data, agent, target, row) {
    const [one, other] = this.page.runs;
    const now = (run, t) => {
      const a = run.agentNames.indexOf(agent), c = run.names.indexOf(target);
      if (a < 0 || c < 0) return null;
      const look = run.lookAt(a, t), meter = run.pair("meters", a, c), tick = run.tickAt(t);
      const stay = run.stay(agent, t);
      return { state: stay && stay.name, seen: look >= 0 && c !== run.agents[a] && run.reasonAt(a, c, look) === -1 && run.goneAt(a, c, look, tick) < 0,
        meter: meter === undefined ? 0 : run.at("meter.value", meter, tick) };
    };
    const end = Math.min(one.end, other.end), dt = Math.max(one.dt, other.dt, (end - one.start) / 3000);
    const differ = (n) => {
      const p = now(one, one.start + n * dt), q = now(other, one.start + n * dt);
      if (!p || !q) return p !== q;
      return p.state !== q.state || p.seen !== q.seen || Math.abs(p.meter - q.meter) > 0.02;
    };
    const count = Math.floor((end - one.start) / dt) + 1;
    stretches(count, differ, (first, last, unlike) => {
      if (unlike) push(data, { left: one.start + first * dt, right: Math.min(one.start + last * dt, end), bottom: row + 1, top: row + 0.955 });
    });
  }

  legend() {
    const box = document.getElementById("lane-legend");
    for (const [reason, text] of Object.entries(this.page.facts.words.reasons)) {
      if (["cares", "blind", "elevation", "present"].includes(reason)) continue;
      const swatch = document.createElement("i"), style = this.page.styles[reason], item = document.createElement("span");
      swatch.style.background = style.css;
      item.append(swatch, text);
      box.append(item);
    }
    const marks = document.createElement("span");
    const reacts = this.page.runs.some((run) => Object.values(run.ladders).some((ladder) => ladder.reactions.length));
    if (this.page.facts.game) {
      for (const [mark, text] of [["#d98e32", "game"], ["repeating-linear-gradient(135deg, #d55e00 0 2px, #fff 2px 5px)", "mismatch"]]) {
        const swatch = document.createElement("i"), item = document.createElement("span");
        swatch.style.background = mark;
        item.title = { game: "what the game's own code senses", mismatch: "where the game and Snelk disagree" }[text];
        item.append(swatch, text);
        box.prepend(item);
      }
    }
    marks.textContent = `▏heard  · not heard  ╱ meter${reacts ? "  ▬ reacts" : ""}${this.page.runs.length > 1 ? "  ▬ A and B differ" : ""}`;
    box.append(marks);
  }
}

function push(columns, row) { for (const [name, value] of Object.entries(row)) columns[name].push(value); }

// Calls `told` with each stretch of places that have the same value: first, one past the last, value.
function stretches(count, valueAt, told) {
  let first = 0, value = count ? valueAt(0) : null;
  for (let n = 1; n <= count; n++) {
    const now = n < count ? valueAt(n) : null;
    if (n < count && now === value) continue;
    told(first, n, value);
    first = n;
    value = now;
  }
}
