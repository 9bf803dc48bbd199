// The workbench: numbers with sliders; a change replays the night, and shows it at the same moment.
// `base` is the night with the numbers of the files; what is otherwise is marked.

const MOST_ROWS = 60;

class Bench {
  constructor(page, { address, numbers }) {
    Object.assign(this, { page, address, numbers });
    this.base = page.runs[0];
    this.byKey = new Map(numbers.map((number) => [number.key, number]));
    this.changes = {};
    this.history = [{}];
    this.place = 0;
    this.asked = 0; // the number of the last change
    this.shown = 0; // of which the night is drawn
    this.sentAt = new Map();
    this.delays = []; // ms from a change to its picture
    // The numbers of the address, before it is written anew.
    const asked = new URLSearchParams(location.hash.slice(1)).getAll("set");
    const given = Object.fromEntries(asked.map((text) => [text.slice(0, text.lastIndexOf("=")), Number(text.slice(text.lastIndexOf("=") + 1))]));
    this.pending = Object.fromEntries(Object.entries(given).filter(([key, value]) => Number.isFinite(value) && this.byKey.has(key) && this.byKey.get(key).value !== value));
    if (!Object.keys(this.pending).length) this.pending = null;
    const by = (id) => document.getElementById(id);
    by("tune").hidden = false;
    document.body.classList.add("tuning");
    [this.rows, this.filter, this.status, this.news] = [by("tune-rows"), by("tune-filter"), by("tune-status"), by("tune-news")];
    this.filter.oninput = () => this.draw();
    by("tune-undo").onclick = () => this.step(-1);
    by("tune-redo").onclick = () => this.step(1);
    by("tune-reset").onclick = () => this.become({});
    by("tune-write").onclick = () => this.say({ type: "show", changes: this.changes });
    by("tune-do-write").onclick = () => { by("tune-diff").close(); this.say({ type: "write", changes: this.changes }); };
    by("tune-take").onclick = () => this.say({ type: "take in", changes: {} });
    by("tune-cancel").onclick = () => by("tune-diff").close();
    document.addEventListener("keydown", (event) => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
      event.preventDefault();
      this.step(event.shiftKey ? 1 : -1);
    });
  }

  open() {
    this.socket = new WebSocket(this.address);
    this.socket.binaryType = "arraybuffer";
    this.socket.onmessage = ({ data }) => {
      if (typeof data === "string") { this.take(JSON.parse(data), null); return; }
      // The length of the facts, the facts, and the numbers.
      const length = new DataView(data).getUint32(0, true), facts = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)));
      this.take(facts, unpackRaw(data, 4 + length, facts.index));
    };
    this.socket.onclose = () => this.tell("the workbench is closed: start snelk tune again; nothing of this was written");
    this.socket.onopen = () => { if (this.pending) this.become(this.pending); };
    this.draw();
    this.tell("");
  }

  say(message) {
    if (this.socket && this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  // A number is turned; `done` when the hand lets go.
  turn(key, value, done) {
    const number = this.byKey.get(key);
    const legal = Number.isFinite(value) && (number.low === null || value > number.low || (value === number.low && !number.open_low)) && (number.high === null || value <= number.high);
    if (!legal) { this.tell(`${key} must be ${this.range(number)}`); return; }
    const changes = { ...this.changes };
    const set = (name, to) => { if (Math.abs(to - this.byKey.get(name).value) < 1e-12) delete changes[name]; else changes[name] = to; };
    set(key, value);
    // What holds somebody in view is never stricter than what takes it into view: it follows.
    const [, place, hold, name] = key.match(/^(.*\.)?(hold_)?([^.]+)$/), other = `${place || ""}${hold ? "" : "hold_"}${name}`;
    let follows = "";
    if (this.byKey.has(other)) {
      const theirs = other in changes ? changes[other] : this.byKey.get(other).value, [held, gained] = hold ? [value, theirs] : [theirs, value];
      if (name.startsWith("min_") ? held > gained : held < gained) { set(other, value); follows = `${other.split(".").pop()} follows`; }
    }
    this.try(changes);
    if (follows) this.tell(follows);
    if (done) this.keep();
  }

  range({ low, high, open_low, unit }) {
    const least = low === null ? "" : `${open_low ? "above" : "at least"} ${short(low)}`, most = high === null || high >= 1e5 ? "" : `at most ${short(high)}`;
    return `${[least, most].filter(Boolean).join(" and ") || "a number"}${unit ? ` ${unit}` : ""}`;
  }

  try(changes) {
    this.changes = changes;
    this.asked++;
    this.sentAt.set(this.asked, performance.now());
    this.say({ type: "try", n: this.asked, changes });
    this.tell("");
    this.page.writeHash();
  }

  // What is tried becomes a step that can be undone.
  keep() {
    if (JSON.stringify(this.history[this.place]) === JSON.stringify(this.changes)) return;
    this.history.splice(this.place + 1, Infinity, this.changes);
    this.place = this.history.length - 1;
    this.draw();
  }

  become(changes) {
    this.try(changes);
    this.keep();
    this.draw();
  }

  step(by) {
    const to = this.place + by;
    if (to < 0 || to >= this.history.length) return;
    this.place = to;
    this.try(this.history[to]);
    this.draw();
  }

  take(message, arrays) {
    if (message.type === "anew") { location.reload(); return; } // with what is tried in its address
    if (message.type === "outdated") { document.getElementById("tune-outdated").hidden = !message.is; return; }
    if (message.type === "shown") { this.showDifference(message.difference); return; }
    if (message.type === "error") { this.tell(message.text); return; }
    if (message.type !== "glance" && message.type !== "whole") return;
    if (message.n < this.shown) return;
    const { page, base } = this;
    const run = new Run(message.facts, arrays, page.facts.words);
    Object.assign(run, { labels: base.labels, bounds: base.bounds, territories: base.territories, partial: message.type === "glance" });
    if (run.partial) for (const [agent, ladder] of Object.entries(run.ladders)) ladder.transitions = base.ladders[agent] ? base.ladders[agent].transitions : [];
    this.show(run, message);
    const sent = this.sentAt.get(message.n);
    if (run.partial && sent !== undefined) {
      this.delays.push(performance.now() - sent);
      for (const n of this.sentAt.keys()) if (n <= message.n) this.sentAt.delete(n);
    }
    this.shown = message.n;
    if (!run.partial) { this.tellNews(message); document.body.dataset.tried = String(message.n); }
    this.tell("");
  }

  show(run, message) {
    const { page } = this;
    page.runs[0] = page.run = run;
    page.maps.forEach((map) => map.become(run, page.viewOf(run)));
    page.reaches(run.start, run.end);
    const known = new Set(this.base.events.map((event) => `${fixed(event.t, 3)} ${event.text}`));
    page.events.rows = message.pairs || run.events.map((event) => ({ ...event, status: known.has(`${fixed(event.t, 3)} ${event.text}`) ? "same" : "only b" }));
    if (!Object.keys(this.changes).length) page.events.rows = run.events.map((event) => ({ ...event, status: "" }));
    page.events.draw();
    page.lanes.draw();
    page.go(page.t);
    page.events.move(page.t, true);
  }

  // What is otherwise than today, once the whole night is there.
  tellNews({ first, verdicts, moved }) {
    const box = this.news;
    box.replaceChildren();
    if (first) {
      const button = make("button", `first otherwise at ${fixed(first.t, 2)} s: ${first.text}`);
      button.onclick = () => this.page.jump({ ...first, kind: "" });
      box.append(button);
    } else if (Object.keys(this.changes).length) box.append(make("p", "The night is the same."));
    for (const each of [...verdicts].sort((a, b) => (b.met !== b.before) - (a.met !== a.before) || a.met - b.met)) {
      if (each.met && each.before) continue;
      const turned = each.met !== each.before ? (each.met ? " (it was not)" : " (it was met)") : "";
      const line = make("p", `${each.met ? "✓ met" : "✗ not met"}${turned}: ${each.name}`, each.met ? "" : "fail");
      line.title = each.sentence;
      box.append(line);
    }
    const met = verdicts.filter((each) => each.met).length;
    if (verdicts.length) box.append(make("p", `${met} of ${verdicts.length} expectations are met`, "quiet"));
    const number = (value, unit) => (value === null ? "none" : `${short(Number(value.toPrecision(3)))}${unit ? ` ${unit}` : ""}`);
    if (moved.length) box.append(make("p", "What moved most:", "quiet"));
    for (const { measure, before, now, unit } of moved) box.append(make("p", `${measure}: ${number(before, unit)} → ${number(now, unit)}`, "quiet"));
  }

  showDifference(text) {
    const box = document.getElementById("tune-lines");
    box.replaceChildren(...(text || "nothing is changed").split("\n").map((line) => make("div", line, line.startsWith("+") ? "plus" : line.startsWith("-") ? "minus" : "")));
    document.getElementById("tune-do-write").disabled = !text;
    document.getElementById("tune-diff").showModal();
  }

  tell(text) {
    const count = Object.keys(this.changes).length, last = this.delays.slice(-30).sort((a, b) => a - b);
    const speed = last.length ? ` · shown after ${fixed(last[last.length >> 1], 0)} ms` : "";
    this.status.textContent = text || (count ? `${count} number${count > 1 ? "s" : ""} tried${speed}` : "Turn a number: the night follows. Nothing is written yet.");
    this.status.className = text ? "fail" : "quiet";
  }

  // The numbers of who is chosen, or those that the search finds.
  draw() {
    const wanted = this.filter.value.trim().toLowerCase().split(/\s+/).filter(Boolean), agent = this.page.agent;
    const profile = this.base.profiles[agent] ? this.base.profiles[agent].name : "";
    const own = (key) => key.startsWith(`profiles.${profile}.`) || key.startsWith(`cast.${agent}.`);
    const rank = ({ key }) => (key in this.changes ? 0 : key.includes(".cones.") ? 1 : key.includes(".hearing.") || key.includes(".touch.") ? 2 : key.includes(".meter.") ? 3 : key.includes(".memory.") ? 4 : key.startsWith("cast.") ? 5 : 6);
    const found = this.numbers.filter((number) => number.key in this.changes || (wanted.length
      ? wanted.every((word) => `${number.key} ${number.text}`.toLowerCase().includes(word)) : own(number.key)));
    found.sort((a, b) => rank(a) - rank(b));
    this.rows.replaceChildren(...found.slice(0, MOST_ROWS).map((number) => this.row(number, profile)));
    if (found.length > MOST_ROWS) this.rows.append(make("p", `and ${found.length - MOST_ROWS} more: search for words of their names`, "quiet"));
    if (!found.length) this.rows.append(make("p", wanted.length ? "No number has these words." : `${agent} has no numbers of its own.`, "quiet"));
    document.getElementById("tune-undo").disabled = this.place === 0;
    document.getElementById("tune-redo").disabled = this.place === this.history.length - 1;
    for (const id of ["tune-write", "tune-reset"]) document.getElementById(id).disabled = !Object.keys(this.changes).length;
  }

  row(number, profile) {
    const { key, unit, text } = number, now = key in this.changes ? this.changes[key] : number.value;
    const row = make("div", "", key in this.changes ? "number changed" : "number");
    const label = make("label", key.replace(`profiles.${profile}.`, "").replace("cones.", "").replace("ladder.", "")), slider = make("input"), field = make("input");
    row.dataset.key = key;
    row.title = `${key}\n${text}\n${this.range(number)}; in the file ${short(number.value)}${unit ? ` ${unit}` : ""}`;
    Object.assign(slider, { type: "range", min: number.least, max: Math.max(number.most, now), step: number.whole ? 1 : "any", value: now });
    Object.assign(field, { type: "number", step: number.step, value: short(now) });
    slider.setAttribute("aria-label", `${key}${unit ? `, ${unit}` : ""}`);
    field.setAttribute("aria-label", slider.getAttribute("aria-label"));
    const snapped = () => Number((Math.round(Number(slider.value) / number.step) * number.step).toPrecision(10));
    const within = (value) => Math.min(Math.max(value, number.least), Math.max(number.most, now));
    slider.oninput = () => { field.value = short(within(snapped())); this.turn(key, within(snapped()), false); };
    slider.onchange = () => this.keep();
    slider.onkeydown = (event) => {
      const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
      event.stopPropagation();
      if (!by) return;
      event.preventDefault();
      slider.value = within(Number((Number(field.value) + by * number.step).toPrecision(10)));
      field.value = short(Number(slider.value));
      this.turn(key, Number(field.value), false);
    };
    field.onchange = () => { slider.value = field.value; this.turn(key, Number(field.value), true); };
    const back = make("button", "↺");
    back.title = `back to ${short(number.value)}`;
    back.hidden = !(key in this.changes);
    back.onclick = () => { this.turn(key, number.value, true); this.draw(); };
    row.append(label, slider, field, make("span", unit), back);
    return row;
  }
}
