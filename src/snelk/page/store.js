// What was packed by packing.py, unpacked; and a run that can be asked about any moment.

async function unpack(text, index) {
  const bytes = Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  const raw = new Uint8Array(await new Response(stream).arrayBuffer());
  const found = {};
  for (const [name, { parts, shape, planes, start }] of Object.entries(index)) {
    const size = shape.reduce((a, b) => a * b, 1);
    const row = shape.length ? shape[shape.length - 1] : 1;
    const values = new Int32Array(size);
    let sum = 0;
    for (let n = 0; n < size; n++) {
      let code = 0;
      for (let plane = planes - 1; plane >= 0; plane--) code = code * 256 + raw[start + plane * size + n];
      const step = code % 2 ? -(code + 1) / 2 : code / 2;
      sum = n % row === 0 ? step : sum + step;
      values[n] = sum;
    }
    found[name] = { values, parts, shape, room: row };
  }
  return found;
}

// What the machine itself sends: the numbers as they are, see packing.py.
function unpackRaw(buffer, start, index) {
  const kinds = { i1: Int8Array, i2: Int16Array, i4: Int32Array }, found = {};
  for (const [name, { parts, shape, kind, start: from }] of Object.entries(index)) {
    const size = shape.reduce((a, b) => a * b, 1);
    found[name] = { values: new kinds[kind](buffer, start + from, size), parts, shape, room: shape.length ? shape[shape.length - 1] : 1 };
  }
  return found;
}

// The number of values in `sorted` that are at most `value`.
function countUpTo(sorted, value) {
  let low = 0, high = sorted.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle] <= value) low = middle + 1; else high = middle;
  }
  return low;
}

class Run {
  constructor(facts, arrays, words) {
    Object.assign(this, facts);
    this.arrays = arrays;
    this.words = words;
    this.agentNames = this.agents.map((c) => this.names[c]);
    const pairs = (list) => new Map((list || []).map(([a, c], n) => [`${a} ${c}`, n]));
    this.contacts = Object.keys(words.contact_gates); // senses that have a bar in the lanes
    this.ofPairs = ["meters", "beliefs", ...this.contacts]; // facts that are of an agent and a target
    this.pairs = Object.fromEntries(this.ofPairs.map((fact) => [fact, pairs(this[fact])]));
    this.since = {}; // of pairs that are not kept from the beginning: from which look or tick on
  }

  // One number: its name and its place along each axis. Rows may have room for more than they hold.
  at(name, ...place) {
    const { values, parts, shape, room } = this.arrays[`${this.key}.${name}`], last = shape.length - 1;
    let n = 0;
    place.forEach((index, axis) => { n = n * (axis === last ? room : shape[axis]) + index; });
    return values[n] / parts;
  }

  has(name) { return `${this.key}.${name}` in this.arrays; }

  shape(name) { return this.arrays[`${this.key}.${name}`].shape; }

  // All numbers of one axis, not divided into parts.
  column(name) {
    const { values, shape } = this.arrays[`${this.key}.${name}`];
    return values.length === shape[0] ? values : values.subarray(0, shape[0]);
  }

  tickAt(t) {
    return Math.min(Math.max(Math.floor((t - this.start) / this.dt + 1e-6), 0), this.ticks - 1);
  }

  timeOf(tick) { return this.start + tick * this.dt; }

  present(c, tick) { return this.at("present", c, tick) === 1; }

  // Where somebody is at a time, between two ticks if `smooth`; null while absent.
  pose(c, t, smooth = false) {
    const tick = this.tickAt(t);
    if (!this.present(c, tick)) return null;
    const next = Math.min(tick + 1, this.ticks - 1);
    const share = smooth && this.present(c, next) ? Math.min(Math.max((t - this.timeOf(tick)) / this.dt, 0), 1) : 0;
    const between = (name) => {
      const here = this.at(name, c, tick);
      return share ? here + share * (this.at(name, c, next) - here) : here;
    };
    const posture = this.at("posture", c, tick);
    return { x: between("x"), y: between("y"), z: between("z"), heading: between("heading"), posture,
             height: this.bodies[c].heights[posture], eyes: this.bodies[c].eyes };
  }

  // The number of an agent's last look at or before a time; -1 if it has no cones.
  lookAt(a, t) {
    if (!this.has(`${a}.look`)) return -1;
    const looks = this.column(`${a}.look`);
    return Math.max(countUpTo(looks, (t - this.start) / this.look_dt + 1e-6) - 1, 0);
  }

  // The last tick, up to one, at which either became absent after a look and before the next; -1 for
  // none. What the look found holds until then.
  goneAt(a, c, look, until = Infinity) {
    const looks = this.column(`${a}.look`), tickOf = (n) => this.tickAt(this.start + looks[n] * this.look_dt);
    const there = (tick) => this.present(this.agents[a], tick) && this.present(c, tick);
    const next = look + 1 < looks.length ? tickOf(look + 1) : this.ticks, first = tickOf(look) + 1;
    for (let tick = Math.min(next - 1, until); tick >= first; tick--) if (there(tick - 1) && !there(tick)) return tick;
    return -1;
  }

  profile(a) { return this.profiles[this.agentNames[a]]; }

  // The limits of an agent's cones at a tick: its alert state may have limits of its own.
  conesAt(a, tick) {
    const profile = this.profile(a);
    const state = this.has(`${a}.state`) ? profile.states[this.at(`${a}.state`, tick)] : null;
    return (state && state.cones) || profile.cones;
  }

  // Where a target stands among those that are kept of an agent; -1 if it is not kept, as many
  // are left out of a page of hundreds that never sensed each other.
  slot(a, c, look = Infinity) {
    const slot = (this.kept[a] || []).indexOf(c);
    return look >= this.from(a, slot) ? slot : -1;
  }

  from(what, n) { return (this.since[what] || [])[n] || 0; }

  // Where a pair stands among those of which meters, beliefs and the like are kept.
  pair(fact, a, c, tick = Infinity) {
    const n = this.pairs[fact].get(`${a} ${c}`);
    return n === undefined || tick < this.from(fact, n) ? undefined : n;
  }

  // The gate that decides over all cones: in view is -1, else the one that came farthest.
  reasonAt(a, target, look) {
    const c = this.slot(a, target, look);
    if (c < 0) return this.words.gates.indexOf(this.cares(a, target) ? "range" : "cares");
    const cones = this.shape(`${a}.result`)[1];
    let gate = -2;
    for (let k = 0; k < cones; k++) {
      const result = this.at(`${a}.result`, c, k, look);
      if (result === -1) return -1;
      gate = Math.max(gate, result);
    }
    return gate;
  }

  reasonName(gate) { return gate === -1 ? "in_view" : gate < 0 ? "blind" : this.words.gates[gate]; }

  awakeAt(a, t) {
    const look = this.lookAt(a, t);
    return look < 0 ? 0 : this.at(`${a}.awake`, look);
  }

  // The stay in an alert state at a time; a transition takes effect after its tick.
  stay(agent, t) {
    const ladder = this.ladders[agent];
    if (!ladder) return null;
    const entered = ladder.entered;
    if (!ladder.times || ladder.times.length !== entered.length) ladder.times = entered.map((entry) => entry.t);
    const n = Math.max(countUpTo(ladder.times, t - 2e-9) - 1, 0);
    return { ...entered[n], name: this.profiles[agent].states[entered[n].state].name };
  }

  cares(a, c) { return this.profile(a).notices.includes(this.teams[c]); }
}
