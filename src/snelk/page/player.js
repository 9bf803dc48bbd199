// The page itself: what is chosen, time, keys, and drawing a frame.

const SPEEDS = [0.1, 0.25, 0.5, 1, 2, 4, 8];
const FRAMES_KEPT = 300;

class Page {
  constructor(facts, runs) {
    Object.assign(this, { facts, runs, ink: facts.ink, palette: facts.palette, ranks: facts.ranks, styles: facts.styles,
      noise: facts.noise, lamplight: facts.lamplight, likely: facts.likely });
    this.run = this.firstRun = runs[0];
    this.start = Math.min(...runs.map((run) => run.start));
    this.end = Math.max(...runs.map((run) => run.end));
    this.step = Math.min(...runs.map((run) => run.dt));
    this.t = this.start;
    this.playing = false;
    this.frames = [];
    this.drawing = [];
    this.layers = Object.fromEntries(Object.keys(LAYERS).map((name) => [name, true]));
    [this.agent, this.target] = facts.first;
  }

  get a() { return this.run.agentNames.indexOf(this.agent); }
  get c() { return this.run.names.indexOf(this.target); }

  // The night with today's numbers, while others are tried.
  get before() { return this.bench && this.bench.differs ? this.bench.base : null; }

  // How large letters are, of what they are on a small screen.
  get scale() { return this.letters || (this.letters = parseFloat(getComputedStyle(document.body).fontSize) / 12.5); }

  // Whether a run has ended before the moment shown.
  over(run) { return this.t > run.end + run.dt; }

  async open() {
    const embed = async (item, id) => {
      const [view] = await Bokeh.embed.embed_item(item, id);
      return [Bokeh.documents[Bokeh.documents.length - 1], view];
    };
    this.maps = [];
    for (const run of this.runs) {
      const [doc, view] = await embed(this.facts.figures[run.key], `map-${run.key}`);
      this.maps.push(new MapView(run, doc, view, this.viewOf(run)));
    }
    this.lanes = new LanesView(this);
    this.panel = new WhyPanel(this);
    this.events = new EventList(this);
    this.feed = this.facts.feed ? new Feed(this, this.facts.feed) : null;
    this.bench = this.facts.tune ? new Bench(this, this.facts.tune) : null;
    this.link();
    this.controls();
    this.maps.forEach((map) => map.letter());
    await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
    this.maps.forEach((map) => map.fit());
    this.readHash();
    this.events.move(this.t, true);
    this.choose({ agent: this.agent, target: this.target });
    // A map gets another shape by what grows beside it, too, with the window as it was.
    const watch = new ResizeObserver(() => this.resized());
    [document.body, ...this.maps.map((map) => map.canvas.parentElement)].forEach((each) => watch.observe(each));
    this.resized();
    document.body.dataset.ready = "yes";
    if (this.feed) this.feed.open();
    if (this.bench) this.bench.open();
  }

  // What a map asks of the page, with the numbers of its own run.
  viewOf(run) {
    const page = this;
    return {
      get a() { return run.agentNames.indexOf(page.agent); }, get c() { return run.names.indexOf(page.target); },
      get layers() { return page.layers; }, get scale() { return page.scale; }, get alike() { return page.alike; }, get whatif() { return page.bench && page.bench.whatif; }, get base() { return page.before; }, ink: page.ink, palette: page.palette, styles: page.styles,
      noise: page.noise, lamplight: page.lamplight, likely: page.likely,
    };
  }

  // Two maps move and zoom together.
  link() {
    if (this.maps.length < 2) return;
    for (const name of ["x_range", "y_range"]) {
      const [one, other] = this.maps.map((map) => map.plot[name]);
      const follow = (from, to) => () => { if (to.start !== from.start || to.end !== from.end) to.setv({ start: from.start, end: from.end }); };
      for (const [from, to] of [[one, other], [other, one]]) {
        from.properties.start.change.connect(follow(from, to));
        from.properties.end.change.connect(follow(from, to));
      }
    }
  }

  controls() {
    const by = (id) => document.getElementById(id);
    this.slider = by("slider");
    Object.assign(this.slider, { min: this.start, max: this.end, step: this.step });
    this.slider.oninput = () => { this.pause(); this.go(Number(this.slider.value)); };
    by("play").onclick = () => this.toggle();
    by("back").onclick = () => this.tick(-1);
    by("forward").onclick = () => this.tick(1);
    by("previous").onclick = () => this.jump(this.events.step(this.t, -1));
    by("next").onclick = () => this.jump(this.events.step(this.t, 1));
    this.speed = by("speed");
    this.speed.append(...SPEEDS.map((speed) => new Option(`×${speed}`, speed, speed === 1, speed === 1)));
    const names = [...new Set(this.runs.flatMap((run) => run.names))];
    by("agent").append(...this.lanes.agents.map((name) => new Option(name)));
    by("target").append(...names.map((name) => new Option(name)));
    by("agent").onchange = (event) => this.choose({ agent: event.target.value });
    by("target").onchange = (event) => this.choose({ target: event.target.value });
    if (this.runs.length > 1) {
      for (const run of this.runs) {
        const button = make("button", run.key.toUpperCase());
        button.id = `side-${run.key}`;
        button.title = `Explain run ${run.key.toUpperCase()} (B changes)`;
        button.onclick = () => this.tellOf(run);
        by("sides").append(button);
      }
    }
    for (const [name, { key, words: meaning }] of Object.entries(LAYERS)) {
      const button = make("button", name);
      button.title = `${meaning} (${key})`;
      button.dataset.layer = name;
      button.setAttribute("aria-pressed", "true");
      button.onclick = () => this.switch(name);
      by("layers").append(button);
    }
    const floors = [...new Set(this.runs.flatMap((run) => run.offered))];
    by("floor-choice").hidden = floors.length < 2;
    by("floor").append(new Option("all", ""), ...floors.map((name) => new Option(name)));
    by("floor").onchange = (event) => this.showFloor(event.target.value);
    document.querySelectorAll("[data-tab]").forEach((tab) => { tab.onclick = () => this.showTab(tab.dataset.tab); });
    this.showTab("numbers");
    by("alike").onclick = () => this.showAlike(!this.alike);
    by("dark").onclick = () => this.showDark(!this.isDark);
    by("zoom").onclick = () => this.zoom();
    this.showDark(matchMedia("(prefers-color-scheme: dark)").matches);
    this.keys();
    by("help-button").onclick = () => by("help").showModal();
    document.addEventListener("keydown", (event) => this.pressed(event));
  }

  // Keys: what is shown in the help, and what each does.
  keys() {
    const around = (list, now, by) => list[(list.indexOf(now) + by + list.length) % list.length];
    const names = [...new Set(this.runs.flatMap((run) => run.names))];
    const speedBy = (by) => {
      this.speed.selectedIndex = Math.min(Math.max(this.speed.selectedIndex + by, 0), SPEEDS.length - 1);
    };
    const rows = [
      ["Space", "play or pause", { " ": () => this.toggle() }],
      ["← →", "one tick back or forward; with Shift one second", {
        ArrowLeft: (event) => (event.shiftKey ? this.go(this.t - 1) : this.tick(-1)),
        ArrowRight: (event) => (event.shiftKey ? this.go(this.t + 1) : this.tick(1)) }],
      ["P N", "previous or next event in the list", {
        p: () => this.jump(this.events.step(this.t, -1)), n: () => this.jump(this.events.step(this.t, 1)) }],
      ["↑ ↓", "choose the agent above or below", {
        ArrowUp: () => this.choose({ agent: around(this.lanes.agents, this.agent, -1) }),
        ArrowDown: () => this.choose({ agent: around(this.lanes.agents, this.agent, 1) }) }],
      ["T", "choose the next target", { t: () => this.choose({ target: around(names.filter((name) => name !== this.agent), this.target, 1) }) }],
      ["+ −", "faster or slower", { "+": () => speedBy(1), "-": () => speedBy(-1) }],
      ["Home End", "to the start or the end", { Home: () => this.go(this.start), End: () => this.go(this.end) }],
      ["L", "show the next floor, or all", { l: () => this.showFloor(around(["", ...this.run.offered], document.getElementById("floor").value, 1)) }],
      ["F", "fit the level into the map", { f: () => this.maps.forEach((map) => map.fit()) || this.go(this.t) }],
      ["Z", "zoom to the chosen pair and those that matter now", { z: () => this.zoom() }],
      ["E", "draw everybody alike, or highlight the chosen pair and those that matter now", { e: () => this.showAlike(!this.alike) }],
      ["D", "dark or light", { d: () => this.showDark(!this.isDark) }],
      ["0 … 9", "switch a layer of the map", Object.fromEntries(Object.entries(LAYERS).map(([name, { key }]) => [key, () => this.switch(name)]))],
      ["click", "on the map: the agent, with Shift the target; on a lane: agent and moment", {}],
      ["?", "this list", { "?": () => document.getElementById("help").showModal() }],
    ];
    if (this.bench) {
      const { whatif } = this.bench, modes = Object.entries(MODES);
      rows.splice(1, 0, ["Ctrl+Z", "undo; with Shift redo", {}],
        [modes.map(([, { key }]) => key.toUpperCase()).join(" "), `a pointer on the map: ${modes.map(([name]) => name).join(", ")}`, Object.fromEntries(modes.map(([name, { key }]) => [key, () => whatif.become(name)]))],
        ["[ ] < >", "move the stand-in left, right, down, up by 0.5 m", Object.fromEntries([["[", -1, 0], ["]", 1, 0], [">", 0, 1], ["<", 0, -1]].map(([key, x, y]) => [key, () => { whatif.become("stand-in", true); whatif.nudge(x * 0.5, y * 0.5); }]))],
        ["Enter", "keep the stand-in where it is, or release it", { Enter: () => whatif.drop() }]);
    }
    if (this.feed) rows.splice(1, 0, ["G", "follow the game live", { g: () => this.feed.follow() }]);
    if (this.runs.length > 1) rows.splice(5, 0, ["B", "explain the other run", { b: () => this.tellOf(this.runs.find((run) => run !== this.run)) }]);
    this.bound = Object.assign({}, ...rows.map((row) => row[2]));
    for (const [keys, meaning] of rows) {
      const row = make("tr"), cell = make("td");
      keys.split(" ").forEach((key) => cell.append(make("kbd", key), " "));
      row.append(cell, make("td", meaning));
      document.getElementById("keys").append(row);
    }
    const legend = document.getElementById("legend");
    for (const [name, { words: meaning }] of Object.entries(LAYERS)) legend.append(make("p", `${name}: ${meaning}`));
    for (const [reason, style] of Object.entries(this.styles)) {
      if (style.sign) legend.append(make("p", `${style.sign} a ray that is ${this.facts.words.reasons[reason]}`));
    }
    if (this.runs.length > 1) legend.append(make("p", "events: = in both runs, → in both at different times, A or B only in one"));
    if (this.bench) legend.append(make("p", "grey and dashed, and the narrow strip above a lane: the numbers in the files; events: + only now, – only before, → at another time"));
    if (this.facts.game) legend.append(make("p", "orange at the foot of a lane: what the game's own code senses; hatched: where it and Snelk part"));
    for (const text of this.facts.legend) legend.append(make("p", text));
  }

  pressed(event) {
    const typing = /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName) && event.target.id !== "slider" && event.target.type !== "checkbox";
    if (typing || event.ctrlKey || event.metaKey || event.altKey || document.getElementById("help").open) return;
    const does = this.bound[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!does) return;
    event.preventDefault();
    does(event);
  }

  // A click chooses the agent; with Shift, or on somebody without senses, the target.
  tapped(side, x, y, held) {
    const map = this.maps.find((each) => each.run.key === side), c = map.nearest(x, y);
    if (c < 0) return;
    const name = map.run.names[c];
    if ((held && held.shift) || !map.run.agents.includes(c)) this.choose({ target: name });
    else this.choose({ agent: name });
  }

  laneTapped(x, row) {
    const agent = this.lanes.agents[row];
    this.pause();
    if (agent) this.choose({ agent });
    this.go(x);
  }

  choose({ agent = this.agent, target = this.target }) {
    if (agent === target && agent === this.agent) return; // nobody senses themselves
    if (agent === target) target = this.agent !== agent ? this.agent : this.run.names.find((name) => name !== agent) || target;
    Object.assign(this, { agent, target });
    document.getElementById("agent").value = agent;
    document.getElementById("target").value = target;
    this.lanes.draw();
    if (this.bench) { this.bench.rows.draw(); this.bench.whatif.ask(); }
    if (this.events.pairOnly.checked) this.events.draw();
    this.events.move(this.t, true);
    this.go(this.t);
  }

  tellOf(run) {
    this.run = run;
    this.go(this.t);
  }

  // Everybody in full, or only who is chosen, and a little of who matters.
  showAlike(is) {
    this.alike = this.unfolded = is;
    document.getElementById("alike").setAttribute("aria-pressed", String(is));
    this.lanes.draw();
    this.resized(); // lanes of another height leave the map another
  }

  showDark(is) {
    this.isDark = is;
    document.documentElement.classList.toggle("dark", is);
    document.getElementById("dark").setAttribute("aria-pressed", String(is));
  }

  zoom() {
    this.maps[0].zoomToAction();
    this.go(this.t);
  }

  // What can be tried: numbers, trials, or finding.
  showTab(name) {
    document.querySelectorAll("[data-tab]").forEach((tab) => tab.setAttribute("aria-selected", String(tab.dataset.tab === name)));
    document.querySelectorAll(".tab").forEach((tab) => { tab.hidden = tab.id !== `tab-${name}`; });
  }

  // Make faint what is on other floors; all alike if none is chosen.
  showFloor(name) {
    document.getElementById("floor").value = name;
    this.maps.forEach((map) => map.showFloor(name));
    this.go(this.t);
  }

  switch(layer) {
    this.layers[layer] = !this.layers[layer];
    document.querySelector(`[data-layer="${layer}"]`).setAttribute("aria-pressed", String(this.layers[layer]));
    this.go(this.t);
  }

  jump(event) {
    if (!event) return;
    this.pause();
    const names = this.lanes.agents;
    const agent = names.includes(event.agent) ? event.agent : this.agent;
    if (agent !== this.agent || (event.target && event.target !== this.target)) {
      this.choose({ agent, target: event.target || (this.target === agent ? this.agent : this.target) });
    }
    this.go(event.t);
  }

  tick(by) {
    this.pause();
    const n = Math.round((this.t - this.start) / this.step - (by < 0 ? -0.499 : 0.499));
    this.go(this.start + (n + by) * this.step);
  }

  // How far it goes, which grows while a game goes on.
  reaches(start, end) {
    [this.start, this.end] = [start, end];
    this.t = Math.min(Math.max(this.t, start), end);
    Object.assign(this.slider, { min: start, max: end });
    this.slider.value = this.t;
  }

  toggle() { if (this.playing) this.pause(); else this.play(); }

  play() {
    if (this.t >= this.end - 1e-9 && !this.feed) this.t = this.start;
    this.playing = true;
    this.frames = []; // ms from one to the next
    this.drawing = []; // ms of work for each
    this.marked = null;
    this.showPlaying();
    this.waiting = requestAnimationFrame((now) => this.frame(now));
  }

  pause() {
    if (this.feed) this.feed.stay();
    if (!this.playing) return;
    this.playing = false;
    cancelAnimationFrame(this.waiting);
    this.showPlaying();
    this.go(this.start + Math.floor((this.t - this.start) / this.step + 1e-6) * this.step);
  }

  showPlaying() { document.getElementById("play").textContent = this.playing ? "❚❚" : "▶"; }

  frame(now) {
    if (!this.playing) return;
    if (this.marked !== null) {
      const passed = now - this.marked;
      this.frames.push(passed);
      if (this.frames.length > FRAMES_KEPT) this.frames.shift();
      const share = this.feed && this.feed.following ? this.feed.pace() : Number(this.speed.value);
      this.t = Math.min(this.t + (passed / 1000) * share, this.end);
    }
    const still = this.feed && this.marked !== null && this.t === this.shown;
    this.marked = now;
    this.shown = this.t;
    if (still) { // nothing new has come
      this.waiting = requestAnimationFrame((later) => this.frame(later));
      return;
    }
    const began = performance.now();
    this.show(true);
    this.drawing.push(performance.now() - began);
    if (this.drawing.length > FRAMES_KEPT) this.drawing.shift();
    if (this.t >= this.end && !this.feed) { this.pause(); return; }
    this.waiting = requestAnimationFrame((later) => this.frame(later));
  }

  go(t) {
    this.t = Math.min(Math.max(t, this.start), this.end);
    this.show(this.playing);
    if (!this.playing && this.bench) this.writeHash(); // a night that follows the hand has no time for it
    else if (!this.playing) this.writeHashNow();
  }

  show(smooth) {
    for (const map of this.maps) map.draw(this.t, smooth);
    if (this.feed) this.feed.frame(this.t);
    this.lanes.move(this.t);
    this.slider.value = this.t;
    document.getElementById("time").textContent = `${fixed(this.t, 2)} / ${fixed(this.end, 1)} s`;
    for (const run of this.runs) {
      const button = document.getElementById(`side-${run.key}`);
      if (button) button.setAttribute("aria-pressed", String(run === this.run));
    }
    // While it plays the texts follow some times a second, one with a frame: nobody reads faster.
    const texts = [() => this.panel.draw(this.t), () => this.events.move(this.t), () => this.tellFrames()];
    if (!smooth) texts.forEach((tell) => tell());
    else if (performance.now() - this.told > 90 || this.told === undefined) {
      this.told = performance.now();
      this.turn = ((this.turn || 0) + 1) % texts.length;
      texts[this.turn]();
    }
  }

  tellFrames() {
    if (!this.frames.length) return;
    const told = (list) => {
      const sorted = [...list].sort((a, b) => a - b);
      return `${fixed(sorted[sorted.length >> 1], 0)} ms (at most ${fixed(sorted[sorted.length - 1], 0)})`;
    };
    document.getElementById("frame").textContent = `a frame every ${told(this.frames)}, drawn in ${told(this.drawing)}`;
  }

  resized() {
    clearTimeout(this.resizing);
    this.resizing = setTimeout(() => {
      this.maps.forEach((map) => map.reshape());
      this.letters = 0;
      this.maps.forEach((map) => map.letter());
      this.lanes.draw();
      this.go(this.t);
      this.events.move(this.t, true);
    }, 60);
  }

  // The moment is in the address, so that a link can be kept or sent.
  writeHash() {
    clearTimeout(this.writes);
    this.writes = setTimeout(() => this.writeHashNow(), 200);
  }

  writeHashNow() {
    clearTimeout(this.writes);
    const words_ = new URLSearchParams({ t: fixed(this.t, 3), agent: this.agent, target: this.target });
    for (const [key, value] of Object.entries(this.bench ? this.bench.changes : {})) words_.append("set", `${key}=${JSON.stringify(value)}`);
    for (const text of this.bench ? this.bench.trials.words : []) words_.append("trial", text);
    history.replaceState(null, "", `#${words_}`);
  }

  readHash() {
    const asked = new URLSearchParams(location.hash.slice(1)), t = Number(asked.get("t"));
    if (asked.has("t") && Number.isFinite(t)) this.t = Math.min(Math.max(t, this.start), this.end);
    if (this.lanes.agents.includes(asked.get("agent"))) this.agent = asked.get("agent");
    if (this.run.names.includes(asked.get("target"))) this.target = asked.get("target");
  }
}

let snelkPage = null;
(async () => {
  const facts = JSON.parse(document.getElementById("facts").textContent);
  const arrays = await unpack(document.getElementById("numbers").textContent.trim(), facts.index);
  snelkPage = new Page(facts, facts.runs.map((run) => new Run(run, arrays, facts.words)));
  window.snelkPage = snelkPage;
  await snelkPage.open();
})();
