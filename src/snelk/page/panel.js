// The panel that tells why. Everything from files is set as text, never as markup.

function make(tag, text = "", name = "") {
  const element = document.createElement(tag);
  element.textContent = text;
  if (name) element.className = name;
  return element;
}

class WhyPanel {
  constructor(page) {
    this.page = page;
    this.box = document.getElementById("answer");
  }

  draw(t) {
    const { page } = this, run = page.run;
    const a = run.agentNames.indexOf(page.agent), c = run.names.indexOf(page.target);
    const scrolled = this.box.scrollTop;
    this.box.classList.toggle("waiting", Boolean(run.partial));
    if (run.partial) return; // the reasons come a moment after the picture
    this.box.replaceChildren();
    if (a < 0 || c < 0 || c === run.agents[a]) {
      this.box.append(make("p", !run.agents.length ? "No character has senses in this run." : a < 0 || c < 0 ? "Not in this run." : "Choose another target: nobody senses themselves."));
      if (a >= 0) this.ladder(ladderAt(run, a, t), null);
      return;
    }
    const answer = whyAt(run, a, c, t), other = this.otherAnswer(t);
    for (const each of page.runs.filter((each) => page.over(each))) {
      this.box.append(make("p", `Run ${each.key.toUpperCase()} was over at ${fixed(each.end, 2)} s.`, "other"));
    }
    this.line("h2", answer.headline, other && other.headline);
    this.offers = make("div", "", "offers");
    this.box.append(this.offers);
    if (page.bench && !page.playing) {
      page.bench.wonder(page.agent, page.target, run.timeOf(run.tickAt(t)));
      if (page.bench.offers) this.offer(page.bench.offers);
    }
    if (page.facts.game) this.game(run, t);
    answer.cones.forEach((cone, k) => this.cone(cone, other && other.cones[k]));
    this.section(run, a, c, t);
    if (answer.meter) this.meter(answer.meter, other && other.meter);
    if (answer.belief) {
      this.box.append(make("h3", "Belief"));
      this.line("p", answer.belief.text, other && other.belief && other.belief.text);
    }
    answer.senses.forEach((sense) => this.sense(sense, other && other.senses.find((each) => each.sense === sense.sense)));
    this.ladder(answer.ladder, other && other.ladder);
    this.box.scrollTop = scrolled;
  }

  // The smallest changes that would turn what is told, as buttons.
  offer({ agent, target, t, found }) {
    const { page } = this;
    if (!this.offers || agent !== page.agent || target !== page.target || Math.abs(t - page.run.timeOf(page.run.tickAt(page.t))) > 1e-6) return;
    this.offers.replaceChildren();
    const few = [...found.filter((each) => each.sense !== "state").slice(0, 4), ...found.filter((each) => each.sense === "state").slice(0, 3)];
    for (const { sense, text, changes } of few) {
      const button = make("button", `${sense === "sight" ? "" : `${sense}: `}${text}`);
      button.title = `try ${Object.entries(changes).map(([key, value]) => `${key} = ${JSON.stringify(value)}`).join(", ")}`;
      button.onclick = () => page.bench.become({ ...page.bench.changes, ...changes });
      this.offers.append(button);
    }
  }

  // What the game's own code sensed at this moment, and why they part.
  game(run, t) {
    const { agent, target, facts: { game } } = this.page, now = run.timeOf(run.tickAt(t));
    const own = Object.entries(game.sensed).filter(([key]) => key.startsWith(`${agent}\t${target}\t`));
    for (const [key, spans] of own) {
      const sense = key.split("\t")[2], [word, not] = {
        sight: ["has it in view", "does not have it in view"], hearing: ["hears it", "does not hear it"], ...run.words.sensing,
      }[sense];
      const does = spans.some(([from, to]) => now >= from - 1e-6 && (now < to - 1e-6 || (from === to && now - from < 0.3)));
      const apart = game.mismatches.find((each) => each.agent === agent && each.target === target && each.sense === sense && now >= each.start - 1e-6 && now <= each.end + (sense === "hearing" ? 0.3 : 1e-6));
      if (sense === "hearing" && !does && !apart) continue;
      const text = now > game.end + 1e-6 ? "its log has ended" : does ? word : not;
      this.box.append(make("p", `${apart ? "≠" : "="} The game: ${text}${apart && apart.cause ? `. ${apart.cause}` : ""}`, apart ? "other" : "quiet"));
    }
  }

  // The cut along the ray, from the side.
  section(run, a, c, t) {
    const cut = run.slot(a, c, run.lookAt(a, t)) < 0 ? null : sectionAt(run, a, c, t);
    if (!cut) return;
    this.box.append(make("h3", `From the side: ${run.agentNames[a]} to ${run.names[c]}`));
    if (cut.many) this.box.append(make("p", "too many walls to draw here: use snelk plot ray", "quiet"));
    else this.box.append(sectionPicture(cut, this.page.styles));
  }

  // The same moment in the other run, to mark what differs.
  otherAnswer(t) {
    const { page } = this;
    if (page.runs.length < 2) return null;
    const run = page.runs.find((each) => each !== page.run);
    const a = run.agentNames.indexOf(page.agent), c = run.names.indexOf(page.target);
    return a < 0 || c < 0 || page.over(run) ? null : whyAt(run, a, c, t);
  }

  get otherLetter() { return this.page.run.key === "a" ? "B" : "A"; }

  line(tag, text, other, into = this.box) {
    into.append(make(tag, text));
    if (other && other !== text) into.append(make("p", `≠ ${this.otherLetter}: ${other}`, "other"));
  }

  cone(cone, other) {
    const result = cone.result === "in_view" ? "in view" : `failed at ${words(cone.result)}`;
    this.box.append(make("h3", `${cone.name} cone: ${result} (${cone.held ? "hold" : "gain"} limits)`));
    this.gates(cone.gates, other && other.gates, cone.result);
  }

  gates(gates, others, result) {
    const table = make("table"), columns = make("colgroup");
    for (const name of ["marks", "gates", "values", "limits", "margins"]) columns.append(make("col", "", name));
    table.append(columns);
    gates.forEach((gate, n) => {
      const mark = gate.passed === null ? "–" : gate.passed ? "✓" : "✗";
      const row = make("tr", "", gate.passed === false ? "fail" : "");
      row.dataset.gate = gate.name;
      const texts = [mark, words(gate.name), gate.value];
      if (gate.limit || gate.margin) texts.push(gate.limit || "", gate.margin || "");
      for (const text of texts) row.append(make("td", text));
      if (texts.length === 3) row.lastChild.colSpan = 3;
      if (gate.name === result) row.firstChild.append("◂");
      table.append(row);
      if (gate.wall) this.wide(table, gate.wall, "quiet");
      const other = others && others[n];
      if (other && (other.value !== gate.value || other.limit !== gate.limit)) {
        this.wide(table, `≠ ${this.otherLetter}: ${other.value}${other.limit ? `, ${other.limit}` : ""}`, "other");
      }
    });
    this.box.append(table);
  }

  wide(table, text, name) {
    const row = make("tr", "", name), cell = make("td", text);
    cell.colSpan = 4;
    row.append(make("td"), cell);
    table.append(row);
  }

  meter(meter, other) {
    this.box.append(make("h3", "Meter"));
    this.line("p", meter.text, other && other.text);
    if (meter.factors.length) {
      this.box.append(make("p", meter.factors.map(([name, value]) => `${name} ${value}`).join(" × "), "quiet"));
    }
  }

  sense(sense, other) {
    this.box.append(make("h3", sense.sense[0].toUpperCase() + sense.sense.slice(1)));
    this.line("p", sense.headline, other && other.headline);
    if (sense.gates.length) this.gates(sense.gates, null, "");
  }

  ladder(answer, other) {
    if (!answer) return;
    this.box.append(make("h3", "Alert state"));
    this.line("p", answer.headline, other && other.headline);
    for (const transition of answer.transitions) {
      const held = transition.needs ? ` · for ${short(transition.needs)} s` : "";
      this.box.append(make("p", `${transition.taken ? "✓" : "·"} ${transition.name} → ${transition.to}: ${transition.taken ? "taken" : "not taken"}${held}`));
      const list = make("ul");
      this.tree(list, transition.tree);
      if (transition.note) list.append(make("li", transition.note, "fail"));
      this.box.append(list);
    }
  }

  tree(list, part) {
    const mark = part.true ? "✓" : "✗";
    if (part.kind === "leaf") {
      list.append(make("li", `${mark} ${part.text}${part.found ? `  (${part.found})` : ""}`));
      return;
    }
    const item = make("li", `${mark} ${{ and: "all of", or: "one of", xor: "an odd number of", not: "not" }[part.kind]}`);
    const inner = make("ul");
    part.parts.forEach((each) => this.tree(inner, each));
    item.append(inner);
    list.append(item);
  }
}

// The list of events: filtered by words, kind and pair; a click goes to the moment.
class EventList {
  constructor(page) {
    this.page = page;
    this.list = document.getElementById("event-list");
    this.filter = document.getElementById("filter");
    this.kind = document.getElementById("kind");
    this.pairOnly = document.getElementById("pair-only");
    this.rows = page.facts.pairs || page.facts.game && this.withMismatches(page) || page.runs[0].events.map((event) => ({ ...event, status: "" }));
    this.kind.append(new Option("all kinds", ""));
    this.offer(this.rows);
    for (const input of [this.filter, this.kind, this.pairOnly]) input.oninput = () => { this.draw(); this.move(page.t, true); };
    this.draw();
  }

  // Events, and where the game and Snelk disagree, by time.
  withMismatches(page) {
    const apart = page.facts.game.mismatches.map((each) => ({
      t: each.start, kind: "mismatch", agent: each.agent, target: each.target, status: "",
      text: `${each.senses === "game" ? "the game" : "Snelk"} alone ${each.sense === "hearing" ? "hears" : "senses"} it${each.end > each.start ? ` until ${fixed(each.end, 2)} s` : ""}: ${each.reason}`,
    }));
    return [...page.runs[0].events.map((event) => ({ ...event, status: "" })), ...apart].sort((a, b) => a.t - b.t);
  }

  // Kinds that can be chosen.
  offer(rows) {
    const known = new Set(Array.from(this.kind.options, (option) => option.value));
    const kinds = [...new Set(rows.map((row) => row.kind))].filter((kind) => !known.has(kind));
    this.kind.append(...kinds.map((kind) => new Option(words(kind), kind)));
  }

  // Events that have come since; those before stay as they are.
  add(events) {
    const rows = events.map((event) => ({ ...event, status: "" }));
    this.rows.push(...rows);
    this.offer(rows);
    if (!this.items.length) { this.draw(); return; }
    const shown = this.filtered(rows), items = this.itemsOf(shown);
    this.shown.push(...shown);
    this.times.push(...shown.map((row) => row.t));
    items.forEach((item) => { item.className = "later"; });
    this.items.push(...items);
    this.list.append(...items);
  }

  filtered(rows) {
    const { page } = this, text = this.filter.value.trim().toLowerCase();
    const pair = [page.agent, page.target];
    return rows.filter((row) => (!this.kind.value || row.kind === this.kind.value)
      && (!text || row.text.toLowerCase().includes(text))
      && (!this.pairOnly.checked || (row.agent === pair[0] && (!row.target || row.target === pair[1]))));
  }

  draw() {
    this.shown = this.filtered(this.rows);
    this.times = this.shown.map((row) => row.t);
    this.items = this.itemsOf(this.shown);
    [this.now, this.first] = [0, 0];
    this.list.replaceChildren(...this.items);
    if (!this.items.length) this.list.append(make("li", " No such events."));
  }

  itemsOf(rows) {
    const { page } = this;
    return rows.map((row) => {
      const item = make("li"), button = make("button");
      const marks = { "": "", same: "=", moved: "→", "only a": page.bench ? "–" : "A", "only b": page.bench ? "+" : "B" };
      button.append(make("span", `${fixed(row.t, 2)} s`, "when"), make("span", marks[row.status]), make("span", row.text));
      const sides = page.bench ? ["before", "now"] : ["A", "B"];
      if (row.status === "moved") button.lastChild.append(` (${sides[0]} ${fixed(row.t_a, 2)} s, ${sides[1]} ${fixed(row.t_b, 2)} s)`);
      if (row.status === "only a" && page.bench) item.style.textDecoration = "line-through";
      button.title = { "": "", same: "in both runs", moved: "in both runs, at other times", "only a": "only in run A", "only b": "only in run B" }[row.status];
      button.onclick = () => page.jump(row);
      item.append(button);
      return item;
    });
  }

  // Whether an event is about none of those who are chosen.
  isOfOthers({ agent, target }) {
    const { page } = this;
    return !page.alike && agent && agent !== page.agent && !(agent === page.target && (!target || target === page.agent)) && !(target === page.target && agent === page.agent);
  }

  // Mark what is past, what was latest, and what is to come; only what changed is touched.
  move(t, always = false) {
    const now = countUpTo(this.times, t + 1e-6);
    if (now === this.now && !always) return;
    const latest = now ? this.times.indexOf(this.times[now - 1]) : 0;
    const from = always ? 0 : Math.min(this.first, latest), to = always ? this.items.length : Math.max(this.now, now);
    for (let n = from; n < to; n++) this.items[n].className = `${n >= now ? "later" : n >= latest ? "now" : ""}${this.isOfOthers(this.shown[n]) ? " others" : ""}`;
    [this.now, this.first] = [now, latest];
    const item = this.items[latest];
    if (!item) return;
    const box = this.list.getBoundingClientRect();
    this.list.scrollTop += item.getBoundingClientRect().top - box.top - box.height / 3;
  }

  // The next event that is shown, or the one before.
  step(t, by) {
    const after = countUpTo(this.times, t + 1e-6), before = countUpTo(this.times, t - 1e-6) - 1;
    return this.shown[by > 0 ? after : before];
  }
}
