// A lane for each agent: its alert states, why it had the target in view or not, its meter for it,
// and what it heard of it. With two runs each lane has a half for either, and where they differ.

const LEAST = 19; // px, of a lane
const STATES = 0.48; // share of a lane that the alert states have

class LanesView {
  constructor(doc, page) {
    this.doc = doc;
    this.page = page;
    this.plot = doc.get_model_by_name("lanes");
    this.agents = [...new Set(page.runs.flatMap((run) => run.agentNames))];
    this.names = document.getElementById("lane-names");
    this.cursor = document.getElementById("cursor");
    this.plot.x_range.setv({ start: page.start, end: page.end });
    this.rows = Math.max(this.agents.length, 4); // so that the lane of one is no wall
    this.plot.y_range.setv({ start: this.rows, end: 0 });
    const height = this.agents.length * LEAST * page.runs.length + 36;
    document.getElementById("lane-inner").style.minHeight = `max(100%, ${height}px)`;
    this.buttons = this.agents.map((name) => {
      const button = document.createElement("button");
      button.textContent = button.title = name;
      button.onclick = () => page.choose({ agent: name });
      this.names.append(button);
      return button;
    });
    this.legend();
  }

  fill(name, data) { this.doc.get_model_by_name(`lanes.${name}`).data_source.data = data; }

  get left() { return this.plot.outer_width - this.plot.inner_width - 14; }

  // Names and cursor lie over the figure; they are put where its frame is.
  place() {
    const top = 2, each = this.plot.inner_height / this.rows;
    this.buttons.forEach((button, n) => {
      button.style.top = `${top + n * each}px`;
      button.style.lineHeight = button.style.height = `${each}px`;
    });
    this.cursor.style.height = `${this.plot.inner_height}px`;
    this.cursor.style.top = `${top}px`;
  }

  // Which stretch is shown, s.
  show(start, end) {
    this.plot.x_range.setv({ start, end });
    this.draw();
  }

  move(t) {
    const { start, end } = this.plot.x_range;
    const share = (t - start) / Math.max(end - start, 1e-9);
    this.cursor.style.left = `${this.left + share * this.plot.inner_width - 1}px`;
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
    this.letters = this.plot.inner_width / Math.max(this.plot.x_range.end - this.plot.x_range.start, 1e-9) / 5.6;
    this.agents.forEach((agent, row) => {
      page.runs.forEach((run, half) => {
        const top = row + 0.06 + (half * 0.9) / halves, height = 0.88 / halves;
        if (run.agentNames.includes(agent)) this.lane(data, run, agent, target, top, height);
      });
      if (halves > 1) this.differences(data.differ, agent, target, row);
    });
    const row = this.agents.indexOf(page.agent);
    const { start, end } = this.plot.x_range;
    Object.assign(data.chosen, { left: [start], right: [end], bottom: [row + 1], top: [row] });
    for (const [name, columns] of Object.entries(data)) this.fill(name, columns);
    this.buttons.forEach((button, n) => button.classList.toggle("chosen", n === row));
    document.getElementById("lane-words").textContent = `Lanes: state; ${target}:`;
  }

  lane(data, run, agent, target, top, height) {
    const a = run.agentNames.indexOf(agent), c = run.names.indexOf(target);
    const states = height * STATES, middle = top + states, low = top + height;
    const ladder = run.ladders[agent], { start: from, end: to } = this.plot.x_range;
    if (ladder) {
      ladder.entered.forEach((entry, n) => {
        const until = n + 1 < ladder.entered.length ? ladder.entered[n + 1].t : run.end;
        if (until < from || entry.t > to) return;
        const left = Math.max(entry.t, from), right = Math.min(until, to);
        const state = run.profiles[agent].states[entry.state];
        const rank = Math.min(Math.max(state.rank, 0), this.page.ranks.length - 1);
        push(data.states, { left, right, bottom: middle, top, fill_color: this.page.ranks[rank] });
        if (state.name.length + 1 <= (right - left) * this.letters && this.roomy(height)) {
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
    const meter = run.pair("meters", a, c);
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
        else push(data.unheard, { x: times[place], y: low - 0.06 });
      });
    }
    for (const sense of ["touch", "zone"]) {
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
    const meter = base.pair("meters", a, c);
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
    for (const sense of ["sight", "touch", "zone"]) {
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

  roomy(height) { return (height * STATES * this.plot.inner_height) / this.rows >= 8; }

  bands(data, run, a, c, middle, low) {
    if (!run.has(`${a}.look`)) return;
    const looks = run.column(`${a}.look`), { start: from, end: to } = this.plot.x_range;
    const timeOf = (look) => (look < looks.length ? run.start + looks[look] * run.look_dt : run.end);
    const begin = Math.max(run.lookAt(a, from), 0), count = run.lookAt(a, to) + 1 - begin;
    stretches(count, (n) => run.reasonAt(a, c, begin + n), (first, last, gate) => {
      const style = this.page.styles[run.reasonName(gate)];
      push(data, { left: Math.max(timeOf(begin + first), from), right: Math.min(timeOf(begin + last), to), bottom: low, top: middle,
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
      return { state: stay && stay.name, seen: look >= 0 && c !== run.agents[a] && run.reasonAt(a, c, look) === -1,
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
        item.title = { game: "what the game's own code senses", mismatch: "where the game and Snelk part" }[text];
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
