// The map of one run: each frame fills the sources of the Bokeh figure with what holds at a time.

const TAIL = 8; // s
const NOISE_SHOWN = 0.8; // s
const DART = [[1, 0], [-0.75, 0.65], [-0.4, 0], [-0.75, -0.65]];

const LAYERS = {
  cones: { key: "1", words: "what each cone sees of a body's middle, walls cut out", parts: ["cones", "beyond"] },
  rays: { key: "2", words: "who has whom in view; of the chosen agent also why not", parts: ["rays", "ray_marks"] },
  noise: { key: "3", words: "noises of the last 0.8 s, as far as they carry in the open", parts: ["noise"] },
  light: { key: "4", words: "light of lamps", parts: ["light"] },
  belief: { key: "5", words: "where targets out of view are believed, with the uncertainty", parts: ["belief", "belief_marks", "doubt"] },
  search: { key: "6", words: "points of a search, and where it takes its target to be", parts: ["search", "likelihood"] },
  paths: { key: "7", words: "the last 8 s of everybody, and all of the chosen agent and target", parts: ["tails", "paths"] },
  territory: { key: "8", words: "edges of territories", parts: ["territory"] },
  names: { key: "9", words: "names", parts: ["names"] },
};

class MapView {
  constructor(run, doc, page) {
    this.run = run;
    this.page = page;
    this.doc = doc;
    this.plot = doc.get_model_by_name(`${run.key}.map`);
    this.colours = run.names.map((_, c) => {
      const a = run.agents.indexOf(c);
      return a < 0 ? page.ink : page.palette[a % page.palette.length];
    });
    this.parts = {};
    for (const { parts } of Object.values(LAYERS)) for (const name of parts) this.parts[name] = this.renderer(name);
    for (const name of ["bodies", "chosen"]) this.parts[name] = this.renderer(name);
    this.pen = document.createElement("canvas").getContext("2d");
    this.fixedLabels = this.groundLabels();
  }

  renderer(name) { return this.doc.get_model_by_name(`${this.run.key}.${name}`); }

  fill(name, data) { this.parts[name].data_source.data = data; }

  show(layer, on) { for (const name of LAYERS[layer].parts) this.parts[name].visible = on; }

  // Fit the level into the frame, a metre as long in x as in y.
  fit() {
    const [x0, y0, x1, y1] = this.run.bounds;
    this.frame((x0 + x1) / 2, (y0 + y1) / 2, Math.max((x1 - x0) / this.plot.inner_width, (y1 - y0) / this.plot.inner_height) * 1.02);
  }

  frame(x, y, metresPerPixel) {
    const width = this.plot.inner_width * metresPerPixel, height = this.plot.inner_height * metresPerPixel;
    this.plot.x_range.setv({ start: x - width / 2, end: x + width / 2 });
    this.plot.y_range.setv({ start: y - height / 2, end: y + height / 2 });
  }

  // After the frame has changed its shape: the same middle, a metre again as long both ways.
  reshape() {
    const { x_range: x, y_range: y } = this.plot;
    const scale = Math.max((x.end - x.start) / this.plot.inner_width, (y.end - y.start) / this.plot.inner_height);
    this.frame((x.start + x.end) / 2, (y.start + y.end) / 2, scale);
  }

  get scale() { return (this.plot.x_range.end - this.plot.x_range.start) / Math.max(this.plot.inner_width, 1); }

  draw(t, smooth) {
    const { run, page } = this;
    const poses = run.names.map((_, c) => run.pose(c, t, smooth));
    this.poses = poses;
    const on = page.layers;
    if (on.light) this.drawLight(poses);
    if (on.cones) this.drawCones(poses, t);
    if (on.paths) this.drawPaths(t);
    if (on.noise) this.drawNoise(t);
    if (on.rays) this.drawRays(poses, t);
    if (on.belief) this.drawBeliefs(t);
    if (on.search) this.drawSearch(t);
    this.drawBodies(poses);
    if (on.names) this.drawNames(poses, t);
  }

  middle(poses, a) {
    const heights = poses.filter((pose, c) => pose && run_cares(this.run, a, c)).map((pose) => pose.height / 2);
    return heights.length ? Math.min(...heights) : 0.5;
  }

  drawCones(poses, t) {
    const cones = { xs: [], ys: [], fill_color: [], line_color: [], fill_alpha: [] };
    const beyond = { xs: [], ys: [], fill_color: [], fill_alpha: [] };
    this.run.agents.forEach((c, a) => {
      const pose = poses[c], awake = this.run.awakeAt(a, t);
      if (!pose || awake <= 0) return;
      const eye = { x: pose.x, y: pose.y, z: pose.z + pose.height * pose.eyes };
      for (const cone of this.run.profile(a).cones) {
        const seen = visible(this.run.pieces, eye, pose.heading, cone.fov_whole, cone.range * awake, pose.z + this.middle(poses, a));
        if (!seen.outline) continue;
        cones.xs.push(seen.outline.map((p) => p[0]));
        cones.ys.push(seen.outline.map((p) => p[1]));
        cones.fill_color.push(this.colours[c]);
        cones.line_color.push(this.colours[c]);
        const alpha = a === this.page.a ? 0.3 : 0.09;
        cones.fill_alpha.push(alpha);
        for (const patch of seen.beyond) {
          beyond.fill_alpha.push(alpha);
          beyond.xs.push(patch.map((p) => p[0]));
          beyond.ys.push(patch.map((p) => p[1]));
          beyond.fill_color.push(this.colours[c]);
        }
      }
    });
    this.fill("cones", cones);
    this.fill("beyond", beyond);
  }

  drawLight(poses) {
    const data = { xs: [], ys: [], fill_alpha: [] };
    for (const [name, lamp] of Object.entries(this.run.lamps)) {
      const pose = poses[this.run.names.indexOf(name)];
      if (!pose) continue;
      const z = pose.z + pose.height / 2;
      for (const share of [1, 0.66, 0.33]) {
        const { outline } = visible(this.run.pieces, { x: pose.x, y: pose.y, z }, 0, 360, lamp.reach * share, z);
        data.xs.push(outline.map((p) => p[0]));
        data.ys.push(outline.map((p) => p[1]));
        data.fill_alpha.push(0.5 * lamp.light);
      }
    }
    this.fill("light", data);
  }

  drawPaths(t) {
    const { run, page } = this, tails = { xs: [], ys: [], line_color: [] }, paths = { xs: [], ys: [], line_color: [] };
    const chosen = [run.agents[page.a], page.c];
    run.names.forEach((_, c) => {
      this.addWay(tails, c, run.tickAt(t - TAIL), run.tickAt(t));
      if (chosen.includes(c)) this.addWay(paths, c, 0, run.ticks - 1);
    });
    this.fill("tails", tails);
    this.fill("paths", paths);
  }

  addWay(data, c, first, last) {
    const step = Math.max(Math.floor((last - first) / 400), 1);
    let xs = [], ys = [];
    for (let tick = first; tick <= last; tick += step) {
      if (this.run.present(c, tick)) {
        xs.push(this.run.at("x", c, tick));
        ys.push(this.run.at("y", c, tick));
      }
    }
    if (xs.length < 2) return;
    data.xs.push(xs);
    data.ys.push(ys);
    data.line_color.push(this.colours[c]);
  }

  drawNoise(t) {
    const times = this.noiseTimes || (this.noiseTimes = Array.from(this.run.column("noise.t").values, (v) => v / 1000));
    const data = { x: [], y: [], radius: [], line_alpha: [] };
    for (let n = countUpTo(times, t - NOISE_SHOWN); n < times.length && times[n] <= t + 1e-6; n++) {
      data.x.push(this.run.at("noise.x", n));
      data.y.push(this.run.at("noise.y", n));
      data.radius.push(this.run.at("noise.reach", n));
      data.line_alpha.push(Math.max(1 - (t - times[n]) / NOISE_SHOWN, 0.15));
    }
    this.fill("noise", data);
  }

  drawRays(poses, t) {
    const { run, page } = this;
    const rays = { x0: [], y0: [], x1: [], y1: [], line_color: [], line_dash: [], line_width: [] };
    const marks = { x: [], y: [], marker: [], fill_color: [] };
    run.agents.forEach((self, a) => {
      const look = run.lookAt(a, t);
      if (look < 0 || !poses[self]) return;
      run.names.forEach((_, c) => {
        if (c === self || !poses[c]) return;
        const gate = run.reasonAt(a, c, look);
        const chosenPair = a === page.a && c === page.c;
        if (gate !== -1 && !chosenPair && !(a === page.a && run.cares(a, c))) return;
        const reason = run.reasonName(gate), style = page.styles[reason];
        if (["present", "cares", "awake", "blind"].includes(reason)) return;
        let end = [poses[c].x, poses[c].y];
        const blocked = reason === "line_of_sight" && run.at(`${a}.wall`, c, look) >= 0;
        if (blocked) end = wallPlace(run, a, c, look);
        rays.x0.push(poses[self].x);
        rays.y0.push(poses[self].y);
        rays.x1.push(end[0]);
        rays.y1.push(end[1]);
        rays.line_color.push(style.colour);
        rays.line_dash.push(style.dash);
        rays.line_width.push(chosenPair ? 2.6 : 1.4);
        const share = blocked ? 1 : reason === "in_view" ? 0.86 : 0.55;
        marks.x.push(poses[self].x + share * (end[0] - poses[self].x));
        marks.y.push(poses[self].y + share * (end[1] - poses[self].y));
        marks.marker.push(style.marker);
        marks.fill_color.push(style.colour);
      });
    });
    this.fill("rays", rays);
    this.fill("ray_marks", marks);
  }

  drawBeliefs(t) {
    const { run } = this, tick = run.tickAt(t);
    const rings = { x: [], y: [], line_color: [] }, marks = { x: [], y: [], text: [], text_color: [] };
    const doubt = { x: [], y: [], radius: [], line_color: [] };
    (run.beliefs || []).forEach(([a], n) => {
      const source = run.at("belief.source", n, tick);
      if (source < 0 || ["sensed", "grace"].includes(run.words.sources[source])) return;
      const x = run.at("belief.x", n, tick), y = run.at("belief.y", n, tick), colour = this.colours[run.agents[a]];
      for (const data of [rings, marks, doubt]) { data.x.push(x); data.y.push(y); }
      rings.line_color.push(colour);
      doubt.line_color.push(colour);
      doubt.radius.push(run.at("belief.uncertainty", n, tick));
      marks.text.push("?");
      marks.text_color.push(colour);
    });
    this.fill("belief", rings);
    this.fill("belief_marks", marks);
    this.fill("doubt", doubt);
  }

  drawSearch(t) {
    const { run } = this, points = { x: [], y: [], line_color: [], fill_color: [] };
    const cells = { x: [], y: [], width: [], height: [], fill_alpha: [] };
    run.agents.forEach((c, a) => {
      const lines = run.searches.filter((line) => line.agent === a && line.t <= t + 1e-9);
      if (!lines.length || lines[lines.length - 1].what === "ended") return;
      let first = lines.length - 1;
      while (first > 0 && !["began", "moved"].includes(lines[first].what)) first--;
      for (const line of lines.slice(first)) {
        if (!["planned", "visited", "looked"].includes(line.what)) continue;
        points.x.push(line.x);
        points.y.push(line.y);
        points.line_color.push(this.colours[c]);
        points.fill_color.push(line.what === "planned" ? "white" : this.colours[c]);
      }
      let shown = -1;
      run.likelihoods.forEach((shot, n) => { if (shot.agent === a && shot.t <= t + 1e-9 && shot.t > t - 2) shown = n; });
      if (shown < 0) return;
      const { values: xs } = run.column(`likely.${shown}.x`), cell = run.likelihoods[shown].cell;
      xs.forEach((_, n) => {
        cells.x.push(run.at(`likely.${shown}.x`, n));
        cells.y.push(run.at(`likely.${shown}.y`, n));
        cells.width.push(cell);
        cells.height.push(cell);
        cells.fill_alpha.push(0.1 + 0.75 * run.at(`likely.${shown}.share`, n));
      });
    });
    this.fill("search", points);
    this.fill("likelihood", cells);
  }

  drawBodies(poses) {
    const { run, page } = this, size = 8 * this.scale;
    const data = { xs: [], ys: [], fill_color: [], line_color: [] }, chosen = { x: [], y: [], line_dash: [] };
    poses.forEach((pose, c) => {
      if (!pose) return;
      const turn = (pose.heading * Math.PI) / 180, cos = Math.cos(turn) * size, sin = Math.sin(turn) * size;
      data.xs.push(DART.map(([x, y]) => pose.x + x * cos - y * sin));
      data.ys.push(DART.map(([x, y]) => pose.y + x * sin + y * cos));
      const senses = run.agents.includes(c);
      data.fill_color.push(senses ? this.colours[c] : "white");
      data.line_color.push(senses ? "white" : page.ink);
      if (c === run.agents[page.a] || c === page.c) {
        chosen.x.push(pose.x);
        chosen.y.push(pose.y);
        chosen.line_dash.push(c === page.c ? [3, 3] : "solid");
      }
    });
    this.fill("bodies", data);
    this.fill("chosen", chosen);
  }

  // Names of everybody, then of walls and zones, each where there is room.
  drawNames(poses, t) {
    const { run } = this, scale = this.scale;
    const data = { x: [], y: [], text: [], x_offset: [], y_offset: [], text_color: [], text_align: [], text_font_size: [] };
    const taken = [];
    const { x_range: wide, y_range: tall } = this.plot;
    const boxOf = (x, y, w) => {
      const px = (x - wide.start) / scale, py = (tall.end - y) / scale;
      return (dx, dy) => [px + dx, py + dy - 7, px + dx + w, py + dy + 7];
    };
    const clash = (box) => taken.some((other) => box[0] < other[2] && box[2] > other[0] && box[1] < other[3] && box[3] > other[1])
      || box[0] < 0 || box[2] > this.plot.inner_width || box[1] < 0 || box[3] > this.plot.inner_height;
    const place = (x, y, text, colour, pixels, spots, needed) => {
      this.pen.font = `${pixels}px system-ui, 'DejaVu Sans', sans-serif`;
      const width = this.pen.measureText(text).width + 2, at = boxOf(x, y, width);
      for (const [dx, dy] of spots(width)) {
        if (clash(at(dx, dy))) continue;
        taken.push(at(dx, dy));
        data.x.push(x); data.y.push(y); data.text.push(text); data.x_offset.push(dx); data.y_offset.push(dy);
        data.text_color.push(colour); data.text_align.push("left"); data.text_font_size.push(`${pixels}px`);
        return;
      }
      if (needed === "short") place(x, y, text.split(":")[0], colour, pixels, spots, "");
    };
    poses.forEach((pose) => { if (pose) taken.push(boxOf(pose.x, pose.y, 12)(-6, 0)); });
    const around = (w) => [[11, 0], [-11 - w, 0], [-w / 2, -15], [-w / 2, 16], [9, -13], [9, 13], [-9 - w, -13], [-9 - w, 13], [-w / 2, -28], [-w / 2, 29]];
    poses.forEach((pose, c) => {
      if (!pose) return;
      const stay = run.stay(run.names[c], t);
      const note = stay ? stay.name : pose.posture ? run.words.postures[pose.posture] : "";
      place(pose.x, pose.y, note ? `${run.names[c]}: ${note}` : run.names[c], this.colours[c], 12, around, "short");
    });
    for (const { x, y, text } of this.fixedLabels) place(x, y, text, "#6b6147", 10, (w) => [[-w / 2, 0], [-w / 2, 12], [-w / 2, -12]], "");
    this.fill("names", data);
  }

  groundLabels() { return [...this.run.labels].sort((a, b) => b.size - a.size); }

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

const run_cares = (run, a, c) => c !== run.agents[a] && run.cares(a, c);
