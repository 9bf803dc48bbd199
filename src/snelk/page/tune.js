// The workbench: what is tried, and what the server tells of it. A change replays the night, and
// shows it at the same moment. `base` is the night it is compared with; what differs is marked.

class Bench {
  constructor(page, tune) {
    Object.assign(this, { page, tune, address: tune.address });
    this.base = page.runs[0];
    this.today = new Map([
      ...tune.numbers.map((each) => [each.key, each.value]), ...tune.curves.map((each) => [each.key, each.points]),
      ...tune.conditions.map((each) => [each.key, each.value]), ...tune.handles.map((each) => [each.key, [each.x, each.y]]),
    ]);
    this.byKey = new Map(tune.numbers.map((number) => [number.key, number]));
    this.changes = {};
    this.against = {};
    this.history = [{}];
    this.place = 0;
    this.asked = 0; // the number of the last change
    this.flying = 0; // of which the night is waited for: there is never more than one
    this.shown = 0; // of which the night is drawn
    this.sentAt = new Map();
    this.delays = []; // ms from a change to its picture
    const by = (id) => document.getElementById(id);
    document.body.classList.add("tuning");
    [this.status, this.news] = [by("tune-status"), by("tune-news")];
    this.rows = new Rows(this, tune);
    this.trials = new Trials(this);
    this.finder = new Finder(this);
    this.whatif = new WhatIf(page, this);
    this.pending = this.fromHash();
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
    this.socket.onclose = () => this.tell("the workbench was closed: start snelk tune again; nothing was written", true);
    this.socket.onopen = () => { if (this.pending) this.become(this.pending); else this.rehearse(); };
    this.rows.draw();
    this.tell("");
  }

  // Today's night, which nobody is shown: so that the first change is drawn as soon as later ones.
  // Of a long one its beginning will do.
  rehearse() { this.say({ type: "try", n: 0, changes: {}, held: true, agent: this.page.agent, t: this.page.run.start }); }

  say(message) {
    if (this.socket && this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  // What the address asks for, before it is written anew.
  fromHash() {
    const found = {};
    for (const text of new URLSearchParams(location.hash.slice(1)).getAll("set")) {
      const cut = text.lastIndexOf("=", text.search(/=[-\d."[{]/)), key = text.slice(0, cut);
      let value;
      try { value = JSON.parse(text.slice(cut + 1)); } catch { continue; }
      const listed = Array.isArray(value) && value.every((each) => each && Number.isFinite(each.t) && (each.of || Array.isArray(each.at)));
      const known = key[0] === "+" ? listed : this.today.has(key);
      if (known && !this.isToday(key, value)) found[key] = value;
    }
    return Object.keys(found).length ? found : null;
  }

  isToday(key, value) {
    const today = this.today.get(key);
    if (typeof today === "number") return Math.abs(today - value) < 1e-12;
    return today === undefined ? !value.length : JSON.stringify(today) === JSON.stringify(value);
  }

  now(key) { return key in this.changes ? this.changes[key] : this.today.get(key); }

  // Anything is set to a value; `done` when the hand lets go.
  set(key, value, done) {
    const changes = { ...this.changes };
    if (this.isToday(key, value)) delete changes[key]; else changes[key] = value;
    this.try(changes, !done);
    if (done) this.keep();
  }

  // A number is turned.
  turn(key, value, done) {
    const number = this.byKey.get(key);
    const legal = Number.isFinite(value) && (number.low === null || value > number.low || (value === number.low && !number.open_low)) && (number.high === null || value <= number.high);
    if (!legal) { this.tell(`${key} must be ${range(number)}`, true); return; }
    const changes = { ...this.changes };
    const set = (name, to) => { if (this.isToday(name, to)) delete changes[name]; else changes[name] = to; };
    set(key, value);
    // What holds somebody in view is never stricter than what takes it into view: it follows.
    const [, place, hold, name] = key.match(/^(.*\.)?(hold_)?([^.]+)$/), other = `${place || ""}${hold ? "" : "hold_"}${name}`;
    let follows = "";
    if (this.byKey.has(other)) {
      const theirs = other in changes ? changes[other] : this.byKey.get(other).value, [held, gained] = hold ? [value, theirs] : [theirs, value];
      if (name.startsWith("min_") ? held > gained : held < gained) { set(other, value); follows = `${other.split(".").pop()} follows`; }
    }
    this.try(changes, !done);
    if (follows) this.tell(follows);
    if (done) this.keep();
  }

  try(changes, held = false) {
    this.changes = changes;
    this.asked++;
    this.sentAt.set(this.asked, performance.now());
    this.held = held;
    if (!this.flying) this.fly();
    this.tell("");
    if (held) this.page.writeHash(); else this.page.writeHashNow();
  }

  fly() {
    this.flying = this.asked;
    this.say({ type: "try", n: this.asked, changes: this.changes, against: this.against, held: this.held, agent: this.page.agent, t: this.page.t });
  }

  // The picture of a change is there, or it is none: now the next.
  landed(n) {
    if (n !== this.flying) return;
    this.flying = 0;
    if (this.asked !== n) this.fly();
    else if (this.resting) this.rest();
  }

  // What is tried becomes a step that can be undone, and all of it is worked out.
  keep() {
    if (JSON.stringify(this.history[this.place]) !== JSON.stringify(this.changes)) {
      this.history.splice(this.place + 1, Infinity, this.changes);
      this.place = this.history.length - 1;
    }
    if (this.held) this.rest();
    this.rows.draw();
  }

  rest() {
    this.resting = this.flying > 0;
    if (!this.resting) this.say({ type: "rest", n: this.asked, changes: this.changes, against: this.against });
  }

  // Once keys have rested for a while.
  keepSoon() {
    clearTimeout(this.keeps);
    this.keeps = setTimeout(() => this.keep(), 600);
  }

  // The smallest changes that would turn an answer are asked for once it rests.
  wonder(agent, target, t) {
    const key = JSON.stringify([agent, target, fixed(t, 3), this.shown]);
    if (this.wondered === key) return;
    this.wondered = key;
    this.offers = null;
    clearTimeout(this.wonders);
    this.wonders = setTimeout(() => this.say({ type: "smallest", agent, target, t, changes: this.changes, n: this.asked }), 250);
  }

  become(changes) {
    this.try(changes);
    this.keep();
  }

  step(by) {
    const to = this.place + by;
    if (to < 0 || to >= this.history.length) return;
    this.place = to;
    this.try(this.history[to]);
    this.rows.draw();
  }

  // What is tried, beside another night, on two maps in another tab.
  openBoth(against) {
    this.tab = window.open("", "_blank");
    if (this.tab) this.tab.document.write("Computing both…");
    this.say({ type: "both", n: this.asked, changes: this.changes, against });
  }

  // Hold what is tried against another night than that of the files.
  holdAgainst(trial) {
    this.against = trial ? trial.changes : {};
    this.base = trial ? trial.run : this.first;
    this.try(this.changes);
  }

  get first() { return this.page.firstRun; }

  take(message, arrays) {
    const { type } = message;
    if (type === "anew") { this.page.writeHashNow(); location.reload(); return; } // with what is tried in its address
    if (type === "outdated") { document.getElementById("tune-outdated").hidden = !message.is; return; }
    if (type === "shown") { this.showDifference(message.difference); return; }
    if (type === "error") { this.wrong(message); return; }
    if (["here", "shade"].includes(type)) this.whatif.take(message);
    if (type === "smallest" && message.n === this.asked) { this.offers = message; this.page.panel.offer(message); }
    if (type === "both") this.showBoth(message.page);
    if (["progress", "fitted", "swept"].includes(type)) this.finder.take(message);
    if (type === "glance" || type === "whole") this.takeNight(message, arrays);
  }

  // What is wrong, told where it was asked.
  wrong({ text, n, answers }) {
    if (answers === "search") { this.finder.wrong({ text, n }); return; }
    if (answers === "here") this.whatif.landed({ n });
    if (answers === "try") { this.rows.wrong(text); this.landed(n); }
    this.tell(text, true);
  }

  takeNight(message, arrays) {
    const { page, base } = this;
    if (message.n < this.shown) return; // a later one is there
    // What is not told of it is as it was: of a glance that is much.
    const run = new Run({ ...page.facts.runs[0], ...message.facts }, arrays, page.facts.words);
    run.partial = message.type === "glance";
    if (run.partial && message.n === this.shown && !page.run.partial) return; // all of it is there; so also of a rehearsal
    this.show(run, message);
    this.shown = message.n;
    if (run.partial) {
      requestAnimationFrame(() => setTimeout(() => { // after the frame in which it is drawn
        if (this.sentAt.has(message.n)) this.delays.push(performance.now() - this.sentAt.get(message.n));
        for (const n of this.sentAt.keys()) if (n <= message.n) this.sentAt.delete(n);
        this.tell("");
        if (!message.more) this.landed(message.n);
      }));
    } else {
      this.tellNews(message);
      this.trials.told(message, run);
      if (this.changes["+noise"]) this.rows.drawPlaces();
      document.body.dataset.tried = String(message.n);
    }
    if (message.n === this.asked) this.rows.wrong("");
  }

  showBoth(name) {
    const { page } = this, token = new URLSearchParams(location.search).get("token");
    this.both = `${location.origin}/both?${new URLSearchParams({ token, page: name })}#${new URLSearchParams({ t: fixed(page.t, 3), agent: page.agent, target: page.target })}`;
    if (this.tab) this.tab.location.replace(this.both);
    else this.tell(`open ${this.both}`);
  }

  get differs() { return JSON.stringify(this.changes) !== JSON.stringify(this.against); }

  show(run, message) {
    const { page } = this;
    page.runs[0] = page.run = run;
    page.maps.forEach((map) => map.become(run, page.viewOf(run)));
    page.reaches(run.start, run.end);
    if (!run.partial) {
      page.events.rows = this.differs ? message.pairs : run.events.map((event) => ({ ...event, status: "" }));
      page.events.draw();
    }
    page.lanes.draw();
    page.go(page.t);
    this.whatif.ask();
    if (!run.partial) page.events.move(page.t, true);
  }

  // What is otherwise, once the whole night is there.
  tellNews({ first, verdicts, moved }) {
    const box = this.news;
    box.replaceChildren();
    if (first) {
      const button = make("button", `first difference at ${fixed(first.t, 2)} s: ${first.text}`);
      button.onclick = () => this.page.jump({ ...first, kind: "" });
      box.append(button);
    } else if (this.differs) {
      const others = this.page.events.rows.filter((row) => row.status && row.status !== "same").length;
      box.append(make("p", others ? `All sensing and decisions are the same; ${others} event${others > 1 ? "s differ" : " differs"}.` : "Nothing changes."));
    }
    for (const each of [...verdicts].sort((a, b) => (b.met !== b.before) - (a.met !== a.before) || a.met - b.met)) {
      if (each.met && each.before) continue;
      const turned = each.met !== each.before ? (each.met ? " (it was not)" : " (it was met)") : "";
      const line = make("p", `${each.met ? "✓ met" : "✗ not met"}${turned}: ${each.name}`, each.met ? "" : "fail");
      line.title = each.sentence;
      box.append(line);
    }
    const met = verdicts.filter((each) => each.met).length;
    if (verdicts.length) box.append(make("p", `${met} of ${verdicts.length} expectations are met`, "quiet"));
    if (moved.length) box.append(make("p", "What changed most:", "quiet"));
    for (const { measure, before, now, unit } of moved) box.append(make("p", `${measure}: ${amount(before, unit)} → ${amount(now, unit)}`, "quiet"));
  }

  showDifference(text) {
    const box = document.getElementById("tune-lines");
    box.replaceChildren(...(text || "nothing is changed").split("\n").map((line) => make("div", line, line.startsWith("+") ? "plus" : line.startsWith("-") ? "minus" : "")));
    document.getElementById("tune-do-write").disabled = !text;
    document.getElementById("tune-diff").showModal();
  }

  tell(text, wrong = false) {
    const count = Object.keys(this.changes).length, last = this.delays.slice(-30).sort((a, b) => a - b);
    const speed = last.length ? ` · shown after ${fixed(last[last.length >> 1], 0)} ms` : "";
    this.status.textContent = text || (count ? `${count} change${count > 1 ? "s" : ""} tried${speed}` : "Change a number: the replay follows. Nothing is written yet.");
    this.status.className = wrong ? "fail" : "quiet";
  }
}

// What a number may be, in words.
function range({ low, high, open_low, unit }) {
  const least = low === null ? "" : `${open_low ? "above" : "at least"} ${short(low)}`, most = high === null || high >= 1e5 ? "" : `at most ${short(high)}`;
  return `${[least, most].filter(Boolean).join(" and ") || "a number"}${unit ? ` ${unit}` : ""}`;
}

function amount(value, unit) { return value === null ? "none" : `${short(Number(value.toPrecision(3)))}${unit ? ` ${unit}` : ""}`; }
