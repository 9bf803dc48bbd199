// The map of one run. Bokeh draws the ground, the axes, and moves and zooms; what moves is drawn on
// a canvas above it, as a figure of that many parts could not be filled anew for every frame.

const TAIL = 8; // s
const NOISE_SHOWN = 0.8; // s
const CLUE = [[0, 1], [-0.95, -0.7], [0.95, -0.7]];
const DART = [[1, 0], [-0.75, 0.65], [-0.4, 0], [-0.75, -0.65]];
const FAINTNESS = 0.15;
// Instead of the number of a floor: not known.
const ANY_FLOOR = -2;
const DOOR = "#a5370c";
const FONT = "system-ui, 'DejaVu Sans', sans-serif";

const LAYERS = {
  cones: { key: "1", words: "what each cone sees of a body's middle, walls cut out" },
  rays: { key: "2", words: "who has whom in view; for the chosen agent also why not" },
  noise: { key: "3", words: "noises of the last 0.8 s, and how far they carry in the open" },
  light: { key: "4", words: "light of lamps" },
  belief: { key: "5", words: "believed positions of targets that are out of view, with the uncertainty" },
  search: { key: "6", words: "points and likelihood of a search" },
  paths: { key: "7", words: "paths: the last 8 s of everybody, all of the chosen agent and target" },
  territory: { key: "8", words: "edges of territories" },
  names: { key: "9", words: "names" },
  reach: { key: "0", words: "circles of touch (dots) and catching (dashes), and × the goal with its circle of arrival" },
};

// Whether a door stands open; from the tick on that is after the one at which it was opened.
function isOpen(door, t) { return door.open.some(([from, to]) => t > from + 1e-9 && t <= to + 1e-9); }

class MapView {
  constructor(run, doc, view, page) {
    this.run = run;
    this.page = page;
    this.plot = doc.get_model_by_name(`${run.key}.map`);
    this.view = view;
    this.colours = run.names.map((_, c) => {
      const a = run.agents.indexOf(c);
      return a < 0 ? page.ink : page.palette[a % page.palette.length];
    });
    this.canvas = document.getElementById(`canvas-${run.key}`);
    this.pen = this.canvas.getContext("2d");
    this.seen = new Map();
    this.floor = -1;
    this.widths = new Map();
    this.labels = [...run.labels].sort((a, b) => b.size - a.size);
    for (const range of [this.plot.x_range, this.plot.y_range]) {
      range.change.connect(() => { if (!this.framing) this.fitted = false; this.again(); });
    }
  }

  // Show another run of the same level.
  become(run, page) {
    Object.assign(this, { run, page });
    delete this.noiseTimes;
    this.seen.clear();
  }

  // Make faint what is on other floors than one, by name; nothing if there is no such floor.
  showFloor(name) {
    this.floor = this.run.floors.indexOf(name);
    for (const renderer of this.plot.renderers.filter((each) => each.name === "ground")) {
      const { data } = renderer.data_source;
      const shown = Array.from(data.storeys, (on) => this.floor < 0 || on.length === 0 || on.includes(this.floor));
      const share = (n) => (shown[n] ? 1 : FAINTNESS);
      renderer.data_source.data = { ...data, line_alpha: shown.map((_, n) => share(n)), fill_alpha: shown.map((_, n) => data.own_fill[n] * share(n)) };
    }
  }

  // How much is left of what is on a floor, by number; of what runs of long ago do not say, all.
  shareOn(on) { return this.floor < 0 || on === this.floor || on === ANY_FLOOR ? 1 : FAINTNESS; }

  // The same, of a number that is kept where there is more than one floor.
  shareAt(name, ...at) { return this.floor < 0 || !this.run.has(name) ? 1 : this.shareOn(this.run.at(name, ...at)); }

  // Whether somebody is on another floor than the one that is shown.
  elsewhere(c, t) { return this.floor >= 0 && this.run.at("floor", c, this.run.tickAt(t)) !== this.floor; }

  // Fit the level into the frame, a metre as long in x as in y.
  fit() {
    const [x0, y0, x1, y1] = this.run.bounds, { width, height } = this.view.frame.bbox;
    this.frame((x0 + x1) / 2, (y0 + y1) / 2, Math.max((x1 - x0) / width, (y1 - y0) / height) * 1.02);
    this.fitted = true;
  }

  frame(x, y, metresPerPixel) {
    const bbox = this.view.frame.bbox, width = bbox.width * metresPerPixel, height = bbox.height * metresPerPixel;
    this.framing = true;
    this.plot.x_range.setv({ start: x - width / 2, end: x + width / 2 });
    this.plot.y_range.setv({ start: y - height / 2, end: y + height / 2 });
    this.framing = this.fitted = false;
  }

  // Closer or farther, about a place.
  zoom(factor, x, y) {
    const { x_range, y_range } = this.plot, about = (middle, end) => middle + factor * (end - middle);
    x_range.setv({ start: about(x, x_range.start), end: about(x, x_range.end) });
    y_range.setv({ start: about(y, y_range.start), end: about(y, y_range.end) });
  }

  // After the frame has changed its shape: the level fits again if it did, else the same middle.
  reshape() {
    if (this.fitted) { this.fit(); return; }
    const { x_range: x, y_range: y } = this.plot, { width, height } = this.view.frame.bbox;
    this.frame((x.start + x.end) / 2, (y.start + y.end) / 2, Math.max((x.end - x.start) / width, (y.end - y.start) / height));
  }

  // The canvas lies over the frame of the figure, whatever room its axes take.
  place() {
    const { left, top, width, height } = this.view.frame.bbox, sharp = window.devicePixelRatio || 1;
    const box = [left, top, width, height].map((pixels) => `${pixels}px`), style = box.join();
    if (style !== this.style || sharp !== this.sharp) {
      [this.style, this.sharp] = [style, sharp];
      // Only these: whether it takes the pointer, and the cursor over it, stay.
      [this.canvas.style.left, this.canvas.style.top, this.canvas.style.width, this.canvas.style.height] = box;
      [this.canvas.width, this.canvas.height] = [Math.round(width * sharp), Math.round(height * sharp)];
    }
    [this.width, this.height] = [width, height];
    const { x_range: x, y_range: y } = this.plot;
    this.scale = (x.end - x.start) / Math.max(width, 1); // m a pixel
    this.pen.setTransform(sharp, 0, 0, sharp, 0, 0);
    this.pen.clearRect(0, 0, width, height);
    this.x0 = x.start;
    this.y1 = y.end;
    this.perMetreX = width / (x.end - x.start);
    this.perMetreY = height / (y.end - y.start);
  }

  px(x) { return (x - this.x0) * this.perMetreX; }
  py(y) { return (this.y1 - y) * this.perMetreY; }

  again() { if (this.t !== undefined) this.draw(this.t, this.smooth); }

  draw(t, smooth) {
    [this.t, this.smooth] = [t, smooth];
    this.place();
    const { run, page } = this, on = page.layers;
    this.poses = run.names.map((_, c) => run.pose(c, t, smooth));
    this.weights = this.weigh(t);
    this.drawn = {}; // how many of each were drawn, by layer
    this.marks = []; // what names keep clear of: [left, top, right, bottom]
    if (page.whatif) page.whatif.under(this);
    this.drawDoors(t);
    if (on.light) this.drawLight();
    if (on.search) this.drawSearch(t);
    if (on.cones) this.drawCones(t);
    if (on.territory) this.drawTerritories();
    if (on.reach) this.drawReaches(t);
    if (on.paths) this.drawPaths(t);
    if (on.noise) this.drawNoise(t);
    if (on.rays) this.drawRays(t);
    if (on.belief) this.drawBeliefs(t);
    this.drawBodies();
    if (on.names) this.drawNames(t);
    if (page.whatif) page.whatif.over(this);
  }

  // Who leads the eye: 2 for who is chosen, 1 for who matters now, 0 for all else.
  weigh(t) {
    const { run, page } = this, found = run.names.map(() => (page.alike ? 2 : 0));
    if (page.alike) return found;
    const matters = (c) => { found[c] = Math.max(found[c], 1); };
    run.agents.forEach((self, a) => {
      if (!this.poses[self]) return;
      const stay = run.stay(run.names[self], t);
      if (stay && run.profiles[run.names[self]].states[stay.state].rank > 0) matters(self);
      const look = run.lookAt(a, t);
      if (look < 0) return;
      run.names.forEach((_, c) => { if (c !== self && this.poses[c] && run.slot(a, c, look) >= 0 && run.reasonAt(a, c, look) === -1) { matters(self); matters(c); } });
    });
    for (const c of [run.agents[page.a], page.c]) if (c >= 0) found[c] = 2;
    return found;
  }

  // Fit who is chosen and who matters into the frame.
  zoomToAction() {
    const who = (this.poses || []).filter((pose, c) => pose && this.weights[c] > 0);
    if (!who.length) { this.fit(); return; }
    const xs = who.map((pose) => pose.x), ys = who.map((pose) => pose.y), { width, height } = this.view.frame.bbox;
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    this.frame((x0 + x1) / 2, (y0 + y1) / 2, Math.max((x1 - x0 + 8) / width, (y1 - y0 + 8) / height));
  }

  // Letters as large as the page has them.
  letter() {
    const size = `${10 * this.page.scale}px`;
    for (const axis of [...this.plot.below, ...this.plot.left]) axis.setv({ major_label_text_font_size: size, axis_label_text_font_size: size });
    this.widths.clear();
  }

  keepFree(x, y, pixels) { this.marks.push([x - pixels, y - pixels, x + pixels, y + pixels]); }

  count(layer) { this.drawn[layer] = (this.drawn[layer] || 0) + 1; }

  // A path through places in m, as [x, y] or as two lists.
  trace(points, closed) {
    const { pen } = this;
    pen.beginPath();
    points.forEach(([x, y], n) => { if (n) pen.lineTo(this.px(x), this.py(y)); else pen.moveTo(this.px(x), this.py(y)); });
    if (closed) pen.closePath();
  }

  stroke(colour, width, dash = []) {
    Object.assign(this.pen, { strokeStyle: colour, lineWidth: width });
    this.pen.setLineDash(dash);
    this.pen.stroke();
    this.pen.setLineDash([]);
  }

  fillWith(colour, alpha = 1) {
    Object.assign(this.pen, { fillStyle: colour, globalAlpha: alpha });
    this.pen.fill();
    this.pen.globalAlpha = 1;
  }

  circle(x, y, pixels) {
    this.pen.beginPath();
    this.pen.arc(this.px(x), this.py(y), Math.max(pixels, 0), 0, 2 * Math.PI);
  }

  // What an eye sees, kept as long as it neither moves nor turns.
  seenFrom(name, eye, heading, fov, range, height) {
    const { run } = this, open = run.doors.map((door) => isOpen(door, this.t));
    const key = [eye.x, eye.y, eye.z, heading, fov, range, height, ...open].join();
    const kept = this.seen.get(name);
    if (kept && kept.key === key) return kept.region;
    const shut = run.doors.filter((_, n) => !open[n]);
    const pieces = [...run.pieces, ...shut.flatMap((door) => door.pieces)];
    const triangles = [...run.triangles, ...shut.flatMap((door) => door.triangles)];
    const region = visible(pieces, triangles, eye, heading, fov, range, height);
    this.seen.set(name, { key, region });
    return region;
  }

  // The middle of the lowest body that an agent cares about, m above the ground.
  middle(a) {
    const { run, poses } = this, heights = [];
    poses.forEach((pose, c) => { if (pose && c !== run.agents[a] && run.cares(a, c)) heights.push(pose.height / 2); });
    return heights.length ? Math.min(...heights) : 0.5;
  }

  drawCones(t) {
    const { run, page, poses } = this;
    run.agents.forEach((c, a) => {
      const pose = poses[c], awake = run.awakeAt(a, t);
      if (!pose || awake <= 0 || this.elsewhere(c, t) || !this.weights[c]) return;
      const eye = { x: pose.x, y: pose.y, z: pose.z + pose.height * pose.eyes }, height = pose.z + this.middle(a);
      run.conesAt(a, run.tickAt(t)).forEach((cone, k) => {
        const region = this.seenFrom(`${a} ${k}`, eye, pose.heading, cone.fov_whole, cone.range * awake, height);
        if (!region.outline) return;
        const chosen = a === page.a, quiet = !page.alike && !chosen;
        this.count("cones");
        this.trace(region.outline, true);
        if (!quiet) this.fillWith(this.colours[c], chosen ? 0.28 : 0.1);
        this.pen.globalAlpha = chosen ? 0.9 : 0.45;
        this.stroke(this.colours[c], chosen ? 1.4 : 0.8);
        this.pen.globalAlpha = 1;
        for (const patch of region.beyond) {
          this.trace(patch, true);
          if (quiet) { this.pen.globalAlpha = 0.3; this.stroke(this.colours[c], 0.7); this.pen.globalAlpha = 1; } else this.fillWith(this.colours[c], chosen ? 0.28 : 0.1);
        }
      });
    });
  }

  // Doors: shut a thick line, open a dotted one.
  drawDoors(t) {
    for (const door of this.run.doors) {
      const open = isOpen(door, t);
      for (const [ax, ay, bx, by] of door.lines) {
        this.trace([[ax, ay], [bx, by]]);
        this.stroke(DOOR, open ? 1.4 : 4, open ? [1.5, 3] : []);
        this.count("doors");
      }
    }
  }

  drawLight() {
    const { run, poses } = this;
    for (const [name, lamp] of Object.entries(run.lamps)) {
      const pose = poses[run.names.indexOf(name)];
      if (!pose) continue;
      const eye = { x: pose.x, y: pose.y, z: pose.z + pose.height / 2 };
      for (const share of [1, 0.66, 0.33]) {
        const { outline } = this.seenFrom(`${name} ${share}`, eye, 0, 360, lamp.reach * share, eye.z);
        this.trace(outline, true);
        this.fillWith(this.page.lamplight, 0.5 * lamp.light);
        this.count("light");
      }
    }
  }

  drawReaches(t) {
    const { run, page, poses } = this, tick = run.tickAt(t), metre = this.perMetreX;
    run.agents.forEach((c, a) => {
      const pose = poses[c], profile = run.profile(a);
      if (!pose || (!page.alike && a !== page.a)) return;
      const state = run.has(`${a}.state`) ? profile.states[run.at(`${a}.state`, tick)] : null;
      const ring = (x, y, metres, dash, left) => {
        this.circle(x, y, metres * metre);
        this.pen.globalAlpha = left;
        this.stroke(this.colours[c], 1.6, dash);
        this.pen.globalAlpha = 1;
        this.count("reach");
      };
      const here = this.elsewhere(c, t) ? FAINTNESS : 1;
      const feels = state ? state.touches : profile.touches;
      if (feels) ring(pose.x, pose.y, feels, [1.5, 2.5], here);
      if (state && state.catch) ring(pose.x, pose.y, state.catch, [7, 2], here);
      if (!state || !run.at(`${a}.goes`, tick)) return;
      const [x, y] = ["goal_x", "goal_y"].map((axis) => run.at(`${a}.${axis}`, tick));
      const there = this.shareAt(`${a}.goal_on`, tick);
      ring(x, y, state.arrive, [1.5, 4.5], there);
      this.pen.globalAlpha = there;
      for (const [dx, dy] of [[4, 4], [4, -4]]) {
        this.trace([[x - dx / metre, y - dy / metre], [x + dx / metre, y + dy / metre]], false);
        this.stroke(this.colours[c], 1.4);
      }
      this.pen.globalAlpha = 1;
    });
  }

  drawTerritories() {
    for (const { agent, rings } of this.run.territories) {
      const c = this.run.names.indexOf(agent);
      if (this.weights[c] < 2) continue;
      for (const ring of rings) {
        this.trace(ring, true);
        this.stroke(this.colours[c], 2, [8, 3, 2, 3]);
        this.count("territory");
      }
    }
  }

  drawPaths(t) {
    const { run, page } = this;
    if (page.base) for (const c of new Set([run.agents[page.a], page.c])) if (c >= 0) this.drawBefore(page.base, c);
    for (const c of new Set([run.agents[page.a], page.c])) if (c >= 0) this.drawWay(c, 0, run.ticks - 1, 500, 0.9, 0.6);
    run.names.forEach((_, c) => this.drawWay(c, run.tickAt(t - TAIL), run.tickAt(t), 40, this.weights[c] ? 2.4 : 1, this.elsewhere(c, t) ? FAINTNESS : [0.3, 0.5, 0.8][this.weights[c]]));
  }

  // The way of somebody with today's numbers, and where it was at this moment.
  drawBefore(base, c) {
    const step = Math.max(Math.floor(base.ticks / 500), 1), points = [];
    for (let tick = 0; tick < base.ticks; tick += step) if (base.present(c, tick)) points.push([base.at("x", c, tick), base.at("y", c, tick)]);
    if (points.length < 2) return;
    this.trace(points, false);
    this.stroke("#6d6a64", 1, [3, 3]);
    const then = base.pose(c, this.t, this.smooth);
    if (!then) return;
    this.circle(then.x, then.y, 5);
    this.stroke("#6d6a64", 1.4, [2, 2]);
    this.count("before");
  }

  // Counted back from the last tick, so that a tail does not wobble.
  drawWay(c, first, last, most, width, alpha) {
    const step = Math.max(Math.floor((last - first) / most), 1), points = [];
    for (let tick = last; tick >= first; tick -= step) {
      if (this.run.present(c, tick)) points.push([this.run.at("x", c, tick), this.run.at("y", c, tick)]);
    }
    if (points.length < 2) return;
    this.trace(points, false);
    this.pen.globalAlpha = alpha;
    this.stroke(this.colours[c], width);
    this.pen.globalAlpha = 1;
    this.count("paths");
  }

  drawNoise(t) {
    const { run } = this;
    const times = this.noiseTimes || (this.noiseTimes = Array.from(run.column("noise.t"), (v) => v / 1000));
    for (let n = countUpTo(times, t - NOISE_SHOWN); n < times.length && times[n] <= t + 1e-6; n++) {
      this.circle(run.at("noise.x", n), run.at("noise.y", n), run.at("noise.reach", n) * this.perMetreX);
      this.pen.globalAlpha = Math.max(1 - (t - times[n]) / NOISE_SHOWN, 0.15) * this.shareAt("noise.on", n);
      this.stroke(this.page.noise, 1.4, [2, 3]);
      this.pen.globalAlpha = 1;
      this.count("noise");
    }
  }

  drawRays(t) {
    const { run, page, poses } = this;
    run.agents.forEach((self, a) => {
      const look = run.lookAt(a, t);
      if (look < 0 || !poses[self]) return;
      run.names.forEach((_, c) => {
        if (c === self || !poses[c] || (this.elsewhere(self, t) && this.elsewhere(c, t))) return;
        const gate = run.reasonAt(a, c, look), chosen = a === page.a && c === page.c;
        if (gate !== -1 && !chosen && !(a === page.a && run.cares(a, c))) return;
        const reason = run.reasonName(gate);
        if (["present", "cares", "awake", "blind"].includes(reason)) return;
        const blocked = reason === "line_of_sight" && run.has(`${a}.wall`) && run.at(`${a}.wall`, run.slot(a, c), look) >= 0;
        const end = blocked ? wallPlace(run, a, c, look) : [poses[c].x, poses[c].y];
        this.ray(poses[self], end, page.styles[reason], blocked ? 1 : gate === -1 ? 0.86 : 0.55, chosen);
      });
    });
  }

  ray(from, end, style, share, chosen) {
    this.trace([[from.x, from.y], end], false);
    this.stroke(style.colour, chosen ? 2.6 : this.page.alike ? 1.4 : 1, style.dash);
    const x = this.px(from.x + share * (end[0] - from.x)), y = this.py(from.y + share * (end[1] - from.y));
    this.text(style.sign, x, y, chosen ? 15 : 12, style.colour, "center");
    this.keepFree(x, y, 5);
    this.count("rays");
  }

  text(text, x, y, pixels, colour, align = "left") {
    const { pen } = this;
    Object.assign(pen, { font: `${pixels * this.page.scale}px ${FONT}`, textAlign: align, textBaseline: "middle", fillStyle: colour, strokeStyle: "#ffffffcc", lineWidth: 3, lineJoin: "round" });
    pen.strokeText(text, x, y);
    pen.fillText(text, x, y);
  }

  drawBeliefs(t) {
    const { run } = this, tick = run.tickAt(t);
    (run.beliefs || []).forEach(([a], n) => {
      const source = run.at("belief.source", n, tick);
      if (tick < run.from("beliefs", n) || source < 0 || ["sensed", "grace"].includes(run.words.sources[source])) return;
      const x = run.at("belief.x", n, tick), y = run.at("belief.y", n, tick), colour = this.colours[run.agents[a]];
      if (!this.weights[run.agents[a]]) return;
      const left = this.shareAt("belief.on", n, tick);
      this.pen.globalAlpha = (this.weights[run.agents[a]] < 2 ? 0.45 : 1) * left;
      this.circle(x, y, run.at("belief.uncertainty", n, tick) * this.perMetreX);
      this.stroke(colour, 1.2, [5, 3]);
      this.circle(x, y, 7);
      const faint = this.pen.globalAlpha;
      this.fillWith("white", 0.7 * left);
      this.pen.globalAlpha = faint;
      this.stroke(colour, 1.5);
      this.text("?", this.px(x), this.py(y), 11, colour, "center");
      this.pen.globalAlpha = 1;
      this.keepFree(this.px(x), this.py(y), 7);
      this.count("belief");
    });
  }

  drawSearch(t) {
    const { run } = this;
    run.agents.forEach((c, a) => {
      const lines = run.searches.filter((line) => line.agent === a && line.t <= t + 1e-9);
      if (!lines.length || lines[lines.length - 1].what === "ended") return;
      this.drawCells(a, t);
      let first = lines.length - 1;
      while (first > 0 && !["began", "moved"].includes(lines[first].what)) first--;
      for (const { what, x, y, on } of lines.slice(first)) {
        if (!["planned", "visited", "looked"].includes(what)) continue;
        const left = this.shareOn(on);
        this.pen.beginPath();
        this.pen.rect(this.px(x) - 4.5, this.py(y) - 4.5, 9, 9);
        this.fillWith(what === "planned" ? "white" : this.colours[c], left);
        this.pen.globalAlpha = left;
        this.stroke(this.colours[c], 1.5);
        this.pen.globalAlpha = 1;
        this.count("search");
      }
    });
  }

  drawCells(a, t) {
    const { run } = this;
    let shown = -1;
    run.likelihoods.forEach((shot, n) => { if (shot.agent === a && shot.t <= t + 1e-9 && shot.t > t - 2) shown = n; });
    if (shown < 0) return;
    const wide = run.likelihoods[shown].cell * this.perMetreX, tall = run.likelihoods[shown].cell * this.perMetreY;
    for (let n = 0; n < run.shape(`likely.${shown}.x`)[0]; n++) {
      const x = this.px(run.at(`likely.${shown}.x`, n)), y = this.py(run.at(`likely.${shown}.y`, n));
      const on = this.floor < 0 ? ANY_FLOOR : run.at(`likely.${shown}.on`, n);
      this.pen.globalAlpha = (0.1 + 0.75 * run.at(`likely.${shown}.share`, n)) * this.shareOn(on);
      this.pen.fillStyle = this.page.likely;
      this.pen.fillRect(x - wide / 2, y - tall / 2, wide, tall);
      this.count("search");
    }
    this.pen.globalAlpha = 1;
  }

  drawBodies() {
    const { run, page, poses } = this, size = 8 * this.scale * page.scale;
    poses.forEach((pose, c) => {
      if (!pose) return;
      const far = this.elsewhere(c, this.t);
      const turn = run.clues.includes(c) ? 0 : (pose.heading * Math.PI) / 180;
      const cos = Math.cos(turn) * size, sin = Math.sin(turn) * size;
      const senses = run.agents.includes(c);
      if (c === run.agents[page.a] || c === page.c) {
        this.circle(pose.x, pose.y, 14 * page.scale);
        this.stroke(page.ink, 2, c === page.c ? [4, 4] : []);
      }
      this.trace((run.clues.includes(c) ? CLUE : DART).map(([x, y]) => [pose.x + x * cos - y * sin, pose.y + x * sin + y * cos]), true);
      const weight = this.weights[c];
      // Who matters is an outline, all else quiet.
      this.fillWith(weight < 2 || !senses ? (weight ? "white" : "#a9a59c") : this.colours[c], far ? 2 * FAINTNESS : weight ? 1 : 0.6);
      this.stroke(weight === 1 && senses ? this.colours[c] : weight < 2 && !senses ? "#77736b" : senses && !far ? "white" : page.ink, far ? 0.5 : weight === 1 ? 2 : 1.2);
      this.count("bodies");
    });
  }

  widthOf(text, pixels) {
    const key = `${pixels} ${text}`;
    if (!this.widths.has(key)) {
      this.pen.font = `${pixels * this.page.scale}px ${FONT}`;
      this.widths.set(key, this.pen.measureText(text).width);
    }
    return this.widths.get(key);
  }

  // Names of everybody, then of walls and zones, each where there is room.
  drawNames(t) {
    const { run, poses } = this, taken = [...this.marks];
    const free = (box) => box[0] >= 0 && box[1] >= 0 && box[2] <= this.width && box[3] <= this.height
      && !taken.some((other) => box[0] < other[2] && box[2] > other[0] && box[1] < other[3] && box[3] > other[1]);
    const place = (x, y, text, colour, pixels, spots) => {
      const width = this.widthOf(text, pixels), half = pixels * this.page.scale * 0.6;
      for (const [dx, dy] of spots(width)) {
        const box = [this.px(x) + dx, this.py(y) + dy - half, this.px(x) + dx + width, this.py(y) + dy + half];
        if (!free(box)) continue;
        taken.push(box);
        this.text(text, box[0], this.py(y) + dy, pixels, colour);
        this.count("names");
        return true;
      }
      return false;
    };
    poses.forEach((pose) => { if (pose) taken.push([this.px(pose.x) - 6, this.py(pose.y) - 6, this.px(pose.x) + 6, this.py(pose.y) + 6]); });
    const beside = (w) => [[11, 0], [-11 - w, 0], [-w / 2, -16], [-w / 2, 16], [9, -13], [9, 13], [-9 - w, -13], [-9 - w, 13], [-w / 2, -29], [-w / 2, 29]];
    // The chosen ones first: it is them that one looks for.
    const chosen = [run.agents[this.page.a], this.page.c];
    const order = run.names.map((_, c) => c).sort((c, d) => chosen.includes(d) - chosen.includes(c) || this.weights[d] - this.weights[c]);
    for (const c of order) {
      const pose = poses[c];
      if (!pose || this.elsewhere(c, t)) continue;
      const stay = run.stay(run.names[c], t);
      const note = stay ? stay.name : pose.posture ? run.words.postures[pose.posture] : "";
      const name = run.names[c].length > 24 ? `${run.names[c].slice(0, 23)}…` : run.names[c];
      const tried = note && this.weights[c] ? [`${name}: ${note}`, name] : [name];
      tried.some((text) => place(pose.x, pose.y, text, this.weights[c] ? this.colours[c] : "#77736b", this.weights[c] ? 12 : 10, beside));
    }
    const here = ({ on }) => this.floor < 0 || on.length === 0 || on.includes(this.floor);
    for (const { x, y, text } of this.labels.filter(here)) place(x, y, text, "#5c5339", 10, (w) => [[-w / 2, 0], [-w / 2, 12], [-w / 2, -12]]);
  }

  // Who stands nearest to a place, within 18 pixels; -1 for nobody.
  nearest(x, y) {
    let best = -1, far = 18 * this.scale;
    (this.poses || []).forEach((pose, c) => {
      const distance = pose ? Math.hypot(pose.x - x, pose.y - y) : Infinity;
      if (distance < far) { best = c; far = distance; }
    });
    return best;
  }
}
