// What can be changed: numbers with sliders, curves that are dragged, conditions that are edited,
// and what else was changed on the map.

const MOST_ROWS = 60;
const CURVE_WIDE = 300, CURVE_TALL = 84, CURVE_EDGE = 6;

class Rows {
  constructor(bench, { numbers, curves, conditions, handles }) {
    Object.assign(this, { bench, numbers, curves, conditions });
    this.handles = new Map(handles.map((handle) => [handle.key, handle]));
    this.box = document.getElementById("tune-rows");
    this.filter = document.getElementById("tune-filter");
    this.filter.oninput = () => this.draw();
  }

  // Those of who is chosen, or those that the search finds; what is changed always.
  draw() {
    const { bench } = this, { page } = bench, agent = page.agent, { changes } = bench;
    const wanted = this.filter.value.trim().toLowerCase().split(/\s+/).filter(Boolean);
    const profile = bench.base.profiles[agent] ? bench.base.profiles[agent].name : "";
    const own = (key) => key.startsWith(`profiles.${profile}.`) || key.startsWith(`cast.${agent}.`);
    const chosen = (list) => list.filter((each) => each.key in changes || (wanted.length
      ? wanted.every((word) => `${each.key} ${each.text || each.value}`.toLowerCase().includes(word)) : own(each.key)));
    const rank = ({ key }) => (key in changes ? 0 : key.includes(".cones.") ? 1 : key.includes(".hearing.") || key.includes(".touch.") ? 2 : key.includes(".meter.") ? 3 : key.includes(".memory.") ? 4 : key.startsWith("cast.") ? 5 : 6);
    const numbers = chosen(this.numbers).sort((a, b) => rank(a) - rank(b)), curves = chosen(this.curves), conditions = chosen(this.conditions);
    const scrolled = this.box.scrollTop, at = document.activeElement, typed = this.box.contains(at) && at.tagName === "TEXTAREA" ? [at.selectionStart, at.selectionEnd] : null;
    this.placed = this.places(changes);
    this.box.replaceChildren(...this.placed, ...numbers.slice(0, MOST_ROWS).map((each) => this.number(each, profile)));
    if (numbers.length > MOST_ROWS) this.box.append(make("p", `and ${numbers.length - MOST_ROWS} more: search by name`, "quiet"));
    if (curves.length) this.box.append(make("h3", "Curves: drag a point; double click adds or removes one"), ...curves.slice(0, 12).map((each) => this.curve(each, profile)));
    if (conditions.length) this.box.append(make("h3", "Conditions of alert states"), ...conditions.slice(0, 24).map((each) => this.condition(each, profile)));
    if (!numbers.length && !curves.length && !conditions.length) this.box.append(make("p", wanted.length ? "Nothing found." : `${agent} has no numbers of its own.`, "quiet"));
    if (typed && this.box.contains(at)) { at.focus({ preventScroll: true }); at.setSelectionRange(...typed); }
    this.box.scrollTop = scrolled;
    document.getElementById("tune-undo").disabled = bench.place === 0;
    document.getElementById("tune-redo").disabled = bench.place === bench.history.length - 1;
    for (const id of ["tune-write", "tune-reset"]) document.getElementById(id).disabled = !Object.keys(changes).length;
  }

  // Who heard a noise is known; what a hand is at stays as it is.
  drawPlaces() {
    for (const row of this.placed) row.remove();
    this.placed = this.places(this.bench.changes);
    this.box.prepend(...this.placed);
  }

  named(key, profile) { return key.replace(`profiles.${profile}.`, "").replace("cones.", "").replace("ladder.", "").replace("transitions.", "").replace(/\.when$/, ""); }

  back(key) {
    const button = make("button", "↺"), today = this.bench.today.get(key);
    button.title = `back to ${typeof today === "number" ? short(today) : "what is in the file"}`;
    button.setAttribute("aria-label", button.title);
    button.hidden = !(key in this.bench.changes);
    button.onclick = () => this.bench.set(key, today === undefined ? [] : today, true);
    return button;
  }

  // What was moved, dropped or opened on the map.
  places(changes) {
    const found = [];
    for (const [key, value] of Object.entries(changes)) {
      const texts = key[0] === "+" ? value.map((each) => (each.kind ? `noise ${each.kind} at ${fixed(each.t, 1)} s, (${each.at.map((v) => fixed(v, 1)).join(", ")}) m` : `${each.of} ${each.to} at ${fixed(each.t, 1)} s`))
        : this.handles.has(key) ? [`${this.handles.get(key).kind} ${this.handles.get(key).name} to (${value.map((v) => fixed(v, 2)).join(", ")}) m`] : [];
      texts.forEach((text, n) => {
        const row = make("div", "", "number changed"), label = make("label", text), back = make("button", "↺");
        row.dataset.key = key;
        label.className = "wide";
        back.title = "take it back";
        back.onclick = () => this.bench.set(key, key[0] === "+" ? value.filter((_, m) => m !== n) : this.bench.today.get(key), true);
        row.append(label, back);
        found.push(row);
        if (key === "+noise") found.push(make("p", this.heardBy(value[n]), "quiet"));
      });
    }
    return found;
  }

  // Who heard a noise that was dropped, the loudest first; once the whole night is there.
  heardBy({ t, at }) {
    const { run } = this.bench.page;
    if (run.partial || !run.has("heard.x")) return "computing who hears it…";
    const heard = [], count = run.shape("heard.t")[0], deaf = new Set();
    for (let n = 0; n < count; n++) {
      const get = (name) => run.at(`heard.${name}`, n);
      if (Math.abs(get("x") - at[0]) > 0.006 || Math.abs(get("y") - at[1]) > 0.006 || get("t") < t - 1e-3 || get("t") > t + 2) continue;
      const agent = run.agentNames[get("agent")];
      if (get("heard")) heard.push([get("strength"), agent]);
      else deaf.add(`${agent}${get("straight") < 0 ? "" : ` (${fixed(get("straight"), 1)} m off)`}`);
    }
    heard.sort((a, b) => b[0] - a[0]);
    const who = heard.map(([strength, agent]) => `${agent} (strength ${fixed(strength, 2)})`).join(", ");
    return `${who ? `heard by ${who}` : "nobody hears it"}${deaf.size ? `; not by ${[...deaf].slice(0, 4).join(", ")}${deaf.size > 4 ? ` and ${deaf.size - 4} more` : ""}` : ""}`;
  }

  number(number, profile) {
    const { bench } = this, { key, unit, text } = number, now = bench.now(key);
    const row = make("div", "", key in bench.changes ? "number changed" : "number");
    const label = make("label", this.named(key, profile)), slider = make("input"), field = make("input");
    row.dataset.key = key;
    row.title = `${key}\n${text}\n${range(number)}; in the file ${short(number.value)}${unit ? ` ${unit}` : ""}`;
    Object.assign(slider, { type: "range", min: number.least, max: Math.max(number.most, now), step: number.whole ? 1 : "any", value: now });
    Object.assign(field, { type: "number", step: number.step, value: short(now) });
    slider.setAttribute("aria-label", `${key}${unit ? `, ${unit}` : ""}`);
    field.setAttribute("aria-label", slider.getAttribute("aria-label"));
    const snapped = () => Number((Math.round(Number(slider.value) / number.step) * number.step).toPrecision(10));
    const within = (value) => Math.min(Math.max(value, number.least), Math.max(number.most, now));
    slider.oninput = () => { field.value = short(within(snapped())); bench.turn(key, within(snapped()), false); };
    slider.onchange = () => bench.keep();
    slider.onkeydown = (event) => {
      const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
      event.stopPropagation();
      if (!by) return;
      event.preventDefault();
      slider.value = within(Number((Number(field.value) + by * number.step).toPrecision(10)));
      field.value = short(Number(slider.value));
      bench.turn(key, Number(field.value), false);
    };
    slider.onkeyup = (event) => { if (event.key.startsWith("Arrow")) bench.keepSoon(); };
    field.onchange = () => { slider.value = field.value; bench.turn(key, Number(field.value), true); };
    const pin = make("button", "∿");
    pin.title = "find a value: what happens as it changes";
    pin.setAttribute("aria-label", `find a value for ${key}`);
    pin.onclick = () => bench.finder.about(number);
    row.append(label, slider, field, make("span", unit), pin, this.back(key));
    return row;
  }

  // A curve: points are dragged, or moved with the arrow keys.
  curve(curve, profile) {
    const { bench } = this, { key } = curve, row = make("div", "", key in bench.changes ? "curve changed" : "curve");
    const most = () => Math.max(1, ...bench.now(key).map((point) => point[1]), ...bench.today.get(key).map((point) => point[1])) * 1.15;
    const head = make("div", "", "curve-head");
    head.append(make("label", this.named(key, profile)), this.back(key));
    row.title = `${key}\n${curve.text}`;
    row.dataset.key = key;
    const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    svg.setAttribute("viewBox", `0 0 ${CURVE_WIDE} ${CURVE_TALL + 14}`);
    const high = most(), far = curve.far;
    const px = (x) => CURVE_EDGE + (Math.min(x, far) / far) * (CURVE_WIDE - 2 * CURVE_EDGE), py = (y) => CURVE_TALL - (y / high) * (CURVE_TALL - 8);
    const part = (name, facts, text = "") => {
      const element = document.createElementNS("http://www.w3.org/2000/svg", name);
      for (const [fact, value] of Object.entries(facts)) element.setAttribute(fact, value);
      element.textContent = text;
      svg.append(element);
      return element;
    };
    const drawn = (points) => {
      svg.replaceChildren();
      const line = (list, name) => part("polyline", { class: name, points: [[0, list[0][1]], ...list, [far, list[list.length - 1][1]]].map(([x, y]) => `${px(x)},${py(y)}`).join(" ") });
      part("line", { class: "axis", x1: px(0), x2: px(far), y1: py(0), y2: py(0) });
      part("line", { class: "grid", x1: px(0), x2: px(far), y1: py(1), y2: py(1) });
      if (key in bench.changes) line(bench.today.get(key), "was");
      line(points, "is");
      part("text", { class: "axis-text", x: px(0), y: CURVE_TALL + 11 }, `0 to ${short(far)}: ${curve.x}`);
      part("text", { class: "axis-text end", x: px(far), y: CURVE_TALL + 11 }, curve.y);
      points.forEach(([x, y], n) => {
        const dot = part("circle", { class: "dot", cx: px(x), cy: py(y), r: 5, tabindex: 0, role: "slider", "aria-label": `${key} at ${short(x)}`, "aria-valuenow": y, "aria-valuetext": `${short(x)}, ${short(y)}` });
        dot.dataset.n = n;
        part("text", { class: "axis-text", x: px(x) + 7, y: Math.max(py(y) - 4, 9) }, `${short(x)}, ${short(y)}`);
      });
    };
    const tidy = (value, step) => Number((Math.round(value / step) * step).toPrecision(6));
    const moved = (points, n, x, y) => {
      const low = n > 0 ? points[n - 1][0] + 0.001 : 0, top = n + 1 < points.length ? points[n + 1][0] - 0.001 : Infinity;
      return points.map((point, m) => (m === n ? [Math.min(Math.max(tidy(x, far / 100), low), top), Math.min(Math.max(tidy(y, 0.01), 0), 100)] : point));
    };
    const at = (event) => {
      const box = svg.getBoundingClientRect(), wide = CURVE_WIDE / box.width;
      return [(((event.clientX - box.left) * wide - CURVE_EDGE) / (CURVE_WIDE - 2 * CURVE_EDGE)) * far, ((CURVE_TALL - (event.clientY - box.top) * wide) / (CURVE_TALL - 8)) * high];
    };
    let held = -1;
    svg.onpointerdown = (event) => {
      held = event.target.dataset.n === undefined ? -1 : Number(event.target.dataset.n);
      if (held >= 0) svg.setPointerCapture(event.pointerId);
    };
    svg.onpointermove = (event) => {
      if (held < 0) return;
      const points = moved(bench.now(key), held, ...at(event));
      bench.set(key, points, false);
      drawn(points);
    };
    svg.onpointerup = () => { if (held >= 0) bench.keep(); held = -1; };
    svg.ondblclick = (event) => {
      const points = bench.now(key), n = event.target.dataset.n;
      if (n !== undefined && points.length > 1) bench.set(key, points.filter((_, m) => m !== Number(n)), true);
      if (n !== undefined || points.length >= 32) return;
      const [x, y] = at(event);
      const more = [...points, [tidy(Math.max(x, 0), far / 100), tidy(Math.max(y, 0), 0.01)]].sort((a, b) => a[0] - b[0]);
      if (more.every((point, m) => m === 0 || point[0] > more[m - 1][0])) bench.set(key, more, true);
    };
    svg.onkeydown = (event) => {
      const [dx, dy] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key] || [0, 0], n = Number(event.target.dataset.n);
      if ((!dx && !dy) || !Number.isFinite(n)) return;
      event.preventDefault();
      event.stopPropagation();
      const [x, y] = bench.now(key)[n], points = moved(bench.now(key), n, x + (dx * far) / 100, y + dy * 0.02);
      bench.set(key, points, false);
      drawn(points);
      svg.querySelector(`[data-n="${n}"]`).focus();
      bench.keepSoon();
    };
    drawn(bench.now(key));
    row.append(head, svg);
    return row;
  }

  condition(condition, profile) {
    const { bench } = this, { key } = condition, changed = key in bench.changes, edited = this.editing;
    if (edited && edited.dataset.key === key && edited.stays()) {
      edited.classList.toggle("changed", changed);
      edited.querySelector("button").hidden = !changed;
      return edited;
    }
    const row = make("div", "", changed ? "condition changed" : "condition"), head = make("div", "", "curve-head"), text = make("textarea");
    head.append(make("label", this.named(key, profile)), this.back(key));
    Object.assign(text, { value: bench.now(key), rows: Math.min(1 + Math.floor(bench.now(key).length / 44), 4), spellcheck: false });
    text.setAttribute("aria-label", `condition of ${key}`);
    row.dataset.key = key;
    row.title = key;
    let waits = null;
    // While one types, and while what is typed is tried or wrong, all rows may be drawn anew but this.
    row.stays = () => waits !== null || text.value === bench.now(key);
    const enter = () => {
      clearTimeout(waits);
      waits = null;
      if (bench.now(key) === text.value) return;
      this.editing = row;
      bench.set(key, text.value, false);
    };
    text.oninput = () => {
      this.editing = row;
      clearTimeout(waits);
      waits = setTimeout(enter, 250);
    };
    text.onchange = () => {
      enter();
      if (!row.classList.contains("wrong")) bench.keepSoon();
    };
    row.append(head, text, make("p", "", "fail"));
    return row;
  }

  // What is wrong with the condition that is edited, where it is edited.
  wrong(text) {
    const row = this.editing;
    if (!row) return;
    row.classList.toggle("wrong", Boolean(text));
    row.lastChild.textContent = text.replace(/^.*\.when[^:]*:\s*/, "");
    if (!text) this.editing = null;
  }
}
