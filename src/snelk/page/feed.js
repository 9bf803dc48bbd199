// A game that goes on: what comes of it is appended to the run, and the page follows it, or stays
// where one looks while it goes on.

const DELAY = 0.7; // s behind the game, so that there is always something to move to
const SHOWN = 60; // s of the game that the lanes show
const MOST_HELD = 300e6; // bytes of numbers; then the older half is forgotten

class Feed {
  constructor(page, address) {
    this.page = page;
    this.run = page.runs[0];
    this.address = address;
    this.button = document.getElementById("follow");
    this.told = document.getElementById("feed");
    this.button.hidden = this.told.hidden = false;
    this.button.onclick = () => this.follow();
    const asked = new URLSearchParams(location.hash.slice(1));
    this.asked = asked.has("t") && Number.isFinite(Number(asked.get("t"))) ? Number(asked.get("t")) : null;
    this.following = this.asked === null;
    this.queue = Promise.resolve();
    this.over = "";
    this.most = MOST_HELD;
  }

  open() {
    const socket = new WebSocket(this.address);
    socket.onmessage = (message) => { this.queue = this.queue.then(() => this.take(JSON.parse(message.data))); };
    socket.onclose = () => this.ended("the game is no longer served; the last state stays visible");
    this.tell();
    setInterval(() => this.tell(), 500);
    if (this.following) this.follow();
  }

  async take(piece) {
    if (piece.anew) { location.reload(); return; }
    if (piece.over) { this.ended(piece.over); return; }
    const arrays = piece.numbers ? await unpack(piece.numbers, piece.index) : null;
    const { page, run } = this, begins = !this.heard;
    this.heard = true;
    if (begins) forget(run);
    appendTo(run, piece, arrays);
    thin(run, this.most);
    if (begins) page.events.rows = [];
    page.events.add(piece.events);
    if (begins) page.events.draw();
    if (!arrays) return;
    this.began = true;
    page.reaches(run.start, run.end);
    this.latest = performance.now();
    page.maps.forEach((map) => { delete map.noiseTimes; });
    this.place(true);
    if (this.asked !== null && page.end >= this.asked) {
      page.t = this.asked; // the moment of the address has come
      this.asked = null;
    }
    if (!page.playing) page.go(page.t);
  }

  follow() {
    this.following = true;
    this.asked = null;
    this.page.t = Math.max(this.page.end - DELAY, this.page.start);
    if (!this.page.playing) this.page.play();
    this.tell();
  }

  stay() {
    this.following = false;
    this.tell();
  }

  // How fast to go on, so that it stays a little behind the game, however long a tick of it takes.
  pace() {
    const behind = this.page.end - this.page.t;
    if (behind > 4) this.page.t = this.page.end - DELAY;
    return Math.min(behind / DELAY, 4);
  }

  frame(t) { this.place(false, t); }

  // The stretch that the lanes show: the last minute, or that around the moment.
  place(always, t = this.page.t) {
    const { page } = this, { start, end } = page.lanes;
    const last = Math.max(page.end, page.start + SHOWN);
    let from = this.following ? last - SHOWN : start;
    if (!this.following && (t < start || t > end)) from = Math.min(Math.max(t - SHOWN / 2, page.start), last - SHOWN);
    if (from !== start || from + SHOWN !== end || always) page.lanes.show(from, from + SHOWN);
  }

  ended(text) {
    if (this.over) return;
    this.over = text;
    this.tell();
  }

  tell() {
    const { page, button } = this;
    button.setAttribute("aria-pressed", String(this.following && !this.over));
    button.textContent = this.following && !this.over ? "● follows" : "○ follow";
    const waits = (performance.now() - (this.latest || performance.now())) / 1000;
    const behind = page.end - page.t;
    this.told.textContent = this.over || (waits > 2 ? `no news since ${fixed(page.end, 1)} s`
      : this.following ? "" : `the game is ${fixed(behind, 1)} s ahead`);
  }
}

// What happened in a run is told anew.
function forget(run) {
  Object.assign(run, { first: null, events: [], searches: [] });
  for (const door of run.doors) door.open = [];
  for (const ladder of Object.values(run.ladders)) Object.assign(ladder, { entered: [], away: [], reactions: [], times: null });
}

// Its numbers begin with a piece: of what was before nothing is held.
function beginWith(run, { first, start }) {
  for (const name of Object.keys(run.arrays)) delete run.arrays[name];
  Object.assign(run, { first, start, ticks: 0, heardSince: first ? start : null, since: {}, looks: {}, kept: {}, texts: {}, places: {} });
  for (const list of ["sounds", "noise_words", "likelihoods", ...run.ofPairs]) run[list] = [];
  run.pairs = Object.fromEntries(run.ofPairs.map((fact) => [fact, new Map()]));
}

// What is known up to a time, and what is new or was still open then.
function joined(spans, fresh, after) { return [...spans.filter((span) => span[1] < after - 2e-9), ...fresh]; }

// A list that grows, and where each of the words of a part of it stands there.
function wordsIn(known, part) {
  return part.map((word) => { if (!known.includes(word)) known.push(word); return known.indexOf(word); });
}

function appendTo(run, piece, arrays) {
  const { after } = piece;
  for (const [agent, { entered, away, reactions }] of Object.entries(piece.ladders)) {
    const ladder = run.ladders[agent];
    ladder.entered.push(...entered);
    ladder.away = joined(ladder.away, away, after);
    ladder.reactions = joined(ladder.reactions, reactions, after);
  }
  piece.doors.forEach((open, n) => { run.doors[n].open = joined(run.doors[n].open, open, after); });
  run.events.push(...piece.events);
  run.searches.push(...piece.searches);
  if (!arrays) return;
  if (run.first === null || run.first + run.ticks !== piece.first) beginWith(run, piece);
  run.end = piece.end;
  const key = `${run.key}.`, of = (name) => arrays[key + name];
  const recode = (name, places) => { const column = of(name); if (column) column.values.forEach((value, n) => { if (value >= 0) column.values[n] = places[value]; }); };
  recode("heard.what", wordsIn(run.sounds, piece.sounds));
  recode("noise.what", wordsIn(run.noise_words, piece.noise_words));
  for (const [name, known] of Object.entries(piece.texts)) recode(name, wordsIn(run.texts[name] = run.texts[name] || [], known));
  for (const [agent, known] of Object.entries(piece.places)) {
    recode(`${run.agentNames.indexOf(agent)}.place`, wordsIn(run.places[agent] = run.places[agent] || [], known));
  }
  for (const [a, targets] of Object.entries(piece.kept)) {
    const kept = run.kept[a] = run.kept[a] || [];
    const looks = of(`${a}.look`); // counted from the first tick that is held
    if (looks) looks.values.forEach((tick, n) => { looks.values[n] = tick + piece.window - run.first; });
    const since = run.since[a] = run.since[a] || [];
    targets.forEach((c) => { if (!kept.includes(c)) { kept.push(c); since[kept.length - 1] = run.looks[a] || 0; } });
  }
  const rows = {};
  for (const fact of run.ofPairs) {
    rows[fact] = (piece[fact] || []).map(([a, c]) => {
      const pair = `${a} ${c}`, known = run.pairs[fact];
      if (!known.has(pair)) {
        (run.since[fact] = run.since[fact] || [])[known.size] = run.ticks;
        (run[fact] = run[fact] || [])[known.size] = [a, c];
        known.set(pair, known.size);
      }
      return known.get(pair);
    });
  }
  const base = run.likelihoods.length;
  run.likelihoods.push(...piece.likelihoods);
  for (const [name, along] of Object.entries(piece.along)) {
    const part = of(name), [first] = name.split(".");
    if (name.startsWith("likely.")) {
      const [, n, what] = name.split(".");
      run.arrays[`${key}likely.${Number(n) + base}.${what}`] = part;
      continue;
    }
    if (name === "heading") unwind(run, part);
    const facts = run.ofPairs.find((fact) => fact === first || fact === `${first}s`);
    const at = facts ? rows[facts] : along === "look" && part.shape.length > 1 ? piece.kept[first].map((c) => run.kept[first].indexOf(c)) : null;
    appendArray(run.arrays, key + name, part, at, { tick: run.ticks, look: run.looks[first] || 0, row: null }[along]);
  }
  const added = Math.round((piece.end - piece.start) / run.dt) + 1;
  run.ticks += added;
  for (const a of run.agents.keys()) if (run.has(`${a}.look`)) run.looks[a] = run.shape(`${a}.look`)[0];
  for (const [name, along] of Object.entries(run.along = { ...run.along, ...piece.along })) {
    const length = { tick: run.ticks, look: run.looks[name.split(".")[0]] }[along];
    if (length !== undefined) widen(run.arrays[key + name], length); // of what did not come this time
  }
  delete run.heardOf;
}

// The page's numbers go on where they were; of a row that is new nothing is known before.
function appendArray(arrays, name, part, at, before) {
  const length = part.shape[part.shape.length - 1], rows = at ? Math.max(...at, -1) + 1 : part.shape.length > 1 ? part.shape[0] : 1;
  const inner = part.shape.length > 2 ? part.shape[1] : 1;
  const whole = arrays[name] || (arrays[name] = { values: new Int32Array(0), parts: part.parts, shape: [...part.shape.slice(0, -1), before || 0], room: 0 });
  if (part.shape.length > 1) grow(whole, Math.max(rows, whole.shape[0]), inner);
  const start = before === null ? whole.shape[whole.shape.length - 1] : before;
  widen(whole, start + length);
  const count = part.shape.length > 1 ? part.shape[0] : 1;
  for (let row = 0; row < count; row++) {
    for (let k = 0; k < inner; k++) {
      const from = (row * inner + k) * length, to = ((at ? at[row] : row) * inner + k) * whole.room + start;
      whole.values.set(part.values.subarray(from, from + length), to);
    }
  }
}

// Room for more rows, at the end.
function grow(whole, rows, inner) {
  whole.shape[0] = rows;
  const size = rows * inner * whole.room;
  if (size <= whole.values.length) return;
  const values = new Int32Array(size);
  values.set(whole.values);
  whole.values = values;
}

// Rows become so long; what is not told is 0.
function widen(whole, length) {
  if (!whole) return;
  const last = whole.shape.length - 1;
  whole.shape[last] = length;
  if (length <= whole.room) return;
  const rows = whole.shape.slice(0, -1).reduce((a, b) => a * b, 1), room = Math.max(2 * whole.room, length, 64);
  const values = new Int32Array(rows * room);
  for (let row = 0; row < rows && whole.room; row++) values.set(whole.values.subarray(row * whole.room, (row + 1) * whole.room), row * room);
  Object.assign(whole, { values, room });
}

// A heading goes on from where it was, without a jump of a whole turn.
function unwind(run, part) {
  const whole = run.arrays[`${run.key}.heading`], length = part.shape[1], turn = 360 * part.parts;
  if (!whole || !run.ticks) return;
  for (let c = 0; c < part.shape[0]; c++) {
    const last = whole.values[c * whole.room + run.ticks - 1], off = Math.round((last - part.values[c * length]) / turn) * turn;
    if (off) for (let n = 0; n < length; n++) part.values[c * length + n] += off;
  }
}

// Forget the older half of what is kept of each tick and look, once it is too much.
function thin(run, most) {
  const key = `${run.key}.`;
  const size = Object.values(run.arrays).reduce((sum, { values }) => sum + values.byteLength, 0);
  const gone = run.ticks >> 1;
  if (size <= most || gone < 2) return;
  const drop = (name, count) => {
    const whole = run.arrays[name], last = whole.shape.length - 1, left = whole.shape[last] - count;
    const rows = whole.shape.slice(0, -1).reduce((a, b) => a * b, 1), values = new Int32Array(rows * left);
    for (let row = 0; row < rows; row++) values.set(whole.values.subarray(row * whole.room + count, row * whole.room + count + left), row * left);
    whole.shape[last] = left;
    Object.assign(whole, { values, room: left });
  };
  for (const a of run.agents.keys()) {
    if (!run.has(`${a}.look`)) continue;
    const looks = run.column(`${a}.look`), count = Math.max(countUpTo(looks, gone) - 1, 0);
    for (const [name, kept] of Object.entries(run.along)) if (kept === "look" && name.startsWith(`${a}.`) && run.has(name)) drop(key + name, count);
    const { values } = run.arrays[`${key}${a}.look`];
    values.forEach((tick, n) => { values[n] = tick - gone; });
    run.looks[a] -= count;
    run.since[a] = (run.since[a] || []).map((look) => Math.max(look - count, 0));
  }
  for (const [name, kept] of Object.entries(run.along)) if (kept === "tick" && run.has(name)) drop(key + name, gone);
  for (const fact of Object.keys(run.pairs)) run.since[fact] = (run.since[fact] || []).map((tick) => Math.max(tick - gone, 0));
  run.ticks -= gone;
  run.first += gone;
  run.start += gone * run.dt;
}
