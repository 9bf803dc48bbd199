// Named trials beside one another, and searches for numbers whose result is a trial like any other.

class Trials {
  constructor(bench) {
    this.bench = bench;
    this.list = []; // { name, changes, met, of, first, run }
    this.box = document.getElementById("trial-list");
    this.name = document.getElementById("trial-name");
    document.getElementById("trial-keep").onclick = () => this.keep();
    this.name.onkeydown = (event) => { event.stopPropagation(); if (event.key === "Enter") this.keep(); };
    for (const text of new URLSearchParams(location.hash.slice(1)).getAll("trial")) {
      const cut = text.indexOf(":");
      try { this.list.push({ name: text.slice(0, cut), changes: JSON.parse(text.slice(cut + 1)) }); } catch { /* it is none */ }
    }
    this.draw();
  }

  // What is tried now gets a name.
  keep(name = this.name.value.trim()) {
    const { bench } = this, changes = bench.changes;
    const named = name || Object.keys(changes).map((key) => key.split(".").slice(-2).join(".")).slice(0, 2).join(", ") || "as in the files";
    const same = this.list.find((each) => each.name === named);
    const trial = same || { name: named };
    Object.assign(trial, { changes, ...(this.last && this.last.n === bench.asked ? this.last : { met: undefined }) });
    if (!same) this.list.push(trial);
    this.name.value = "";
    this.draw();
    bench.page.writeHash();
    return trial;
  }

  // What became of the night that is shown.
  told({ n, verdicts, first }, run) {
    const facts = { met: verdicts.filter((each) => each.met).length, of: verdicts.length, unmet: verdicts.filter((each) => !each.met).map((each) => each.name), first, run };
    this.last = { n, ...facts };
    const now = JSON.stringify(this.bench.changes);
    for (const trial of this.list.filter((each) => JSON.stringify(each.changes) === now)) Object.assign(trial, facts);
    this.draw();
  }

  // Kept in the address; a run is not.
  get words() { return this.list.map(({ name, changes }) => `${name}:${JSON.stringify(changes)}`); }

  draw() {
    const { bench, box } = this, now = JSON.stringify(bench.changes), base = JSON.stringify(bench.against);
    box.replaceChildren();
    for (const trial of [{ name: "the files", changes: {}, isFiles: true }, ...this.list]) {
      const key = JSON.stringify(trial.changes), row = make("div", "", "trial");
      const show = make("button", `${key === now ? "● " : ""}${trial.name}`);
      show.title = Object.entries(trial.changes).map(([name, value]) => `${name} = ${JSON.stringify(value)}`).join("\n") || "the numbers of the files";
      show.setAttribute("aria-pressed", String(key === now));
      show.onclick = () => bench.become(trial.changes);
      const met = make("span", trial.isFiles ? "" : trial.met === undefined ? "not run yet" : `${trial.met} of ${trial.of} met`, trial.met !== undefined && trial.met < trial.of ? "fail" : "quiet");
      if (trial.unmet && trial.unmet.length) met.title = `not met: ${trial.unmet.join(", ")}`;
      row.append(show, met);
      if (trial.isFiles || trial.run) {
        const hold = make("button", key === base ? "compared with" : "compare with");
        hold.title = "compare the current numbers with this trial";
        hold.disabled = key === base;
        hold.onclick = () => { bench.holdAgainst(trial.isFiles ? null : trial); this.draw(); };
        row.append(hold);
      } else row.append(make("span"));
      const both = make("button", "side by side"), away = make("button", "×");
      both.title = "this trial and the current numbers on two maps, in another tab";
      both.disabled = key === now;
      both.onclick = () => bench.openBoth(trial.changes);
      away.title = "delete this trial";
      away.setAttribute("aria-label", `delete ${trial.name}`);
      away.onclick = () => { this.list.splice(this.list.indexOf(trial), 1); this.draw(); bench.page.writeHash(); };
      row.append(both);
      if (!trial.isFiles) row.append(away);
      box.append(row);
    }
  }
}

// Finding numbers: a sweep of one or two, or a fit of several to what is expected and wished for.
class Finder {
  constructor(bench) {
    this.bench = bench;
    const by = (id) => document.getElementById(id);
    [this.lines, this.bar, this.found, this.said] = [by("find-lines"), by("find-bar"), by("find-found"), by("find-said")];
    [this.measure, this.toward, this.budget] = [by("find-measure"), by("find-toward"), by("find-budget")];
    by("find-measures").append(...bench.tune.measures.map(({ key, unit, value }) => { const option = new Option(`now ${amount(value, unit)}`, key); return option; }));
    this.lines.value = Object.entries(bench.tune.may_move).map(([key, limits]) => `${key} = ${JSON.stringify(limits)}`).join("\n");
    by("find-sweep").onclick = () => this.begin("sweep");
    by("find-fit").onclick = () => this.begin("fit");
    by("find-stop").onclick = () => this.stop();
    for (const field of [this.lines, this.measure, this.toward, this.budget]) field.onkeydown = (event) => event.stopPropagation();
    this.running(false);
  }

  // A number is put among those that may move.
  about(number) {
    const line = `${number.key} = [${short(number.least || number.step)}, ${short(number.most)}]`;
    const rest = this.lines.value.split("\n").filter((each) => each.trim() && !each.startsWith(`${number.key} =`));
    this.lines.value = [...rest, line].join("\n");
    this.bench.page.showTab("find");
    this.lines.focus();
  }

  running(is) {
    this.isRunning = is;
    for (const id of ["find-sweep", "find-fit"]) document.getElementById(id).disabled = is;
    document.getElementById("find-stop").disabled = !is;
    this.bar.hidden = !is;
  }

  begin(what) {
    const move = {};
    for (const line of this.lines.value.split("\n").filter((each) => each.trim())) {
      const cut = line.indexOf("=");
      try {
        const limits = JSON.parse(line.slice(cut + 1));
        if (cut < 1 || !Array.isArray(limits) || limits.length < 2) throw new Error();
        move[line.slice(0, cut).trim()] = limits;
      } catch {
        this.say(`write each line like profiles.dog.hearing.acuity = [0.5, 2]: this is not: ${line}`, true);
        return;
      }
    }
    if (what === "sweep") {
      const keys = Object.keys(move), steps = keys.length === 1 ? 17 : 9;
      if (!keys.length || keys.length > 2) { this.say("a sweep varies one or two numbers: write them above", true); return; }
      for (const key of keys.filter((each) => move[each].length === 2)) {
        const [low, high] = move[key], number = this.bench.byKey.get(key);
        const values = Array.from({ length: steps }, (_, n) => Number((low + (n * (high - low)) / (steps - 1)).toPrecision(6)));
        move[key] = number && number.whole ? [...new Set(values.map(Math.round))] : values;
      }
    }
    const key = this.measure.value.trim(), to = this.toward.value.trim();
    const toward = Number(to), wish = key ? (["low", "high"].includes(to) ? { measure: key, want: to } : { measure: key, toward, within: Math.max(Math.abs(toward) * 0.02, 0.05) }) : null;
    if (key && (to === "" || (!["low", "high"].includes(to) && !Number.isFinite(toward)))) { this.say("write the target of the measure: a number, low or high", true); return; }
    this.asked = (this.asked || 0) + 1;
    this.found.replaceChildren();
    this.running(true);
    this.bar.value = 0;
    this.say(what === "fit" ? "searching for numbers…" : "trying the values…");
    this.bench.say({ type: "search", what, move, wish: what === "fit" ? wish : null, budget: Math.round(Number(this.budget.value)) || 200, changes: this.bench.changes, n: this.asked });
  }

  stop() {
    this.bench.say({ type: "stop" });
    this.running(false);
    this.asked = (this.asked || 0) + 1; // what still comes of it is not listened to
    this.say("stopped");
  }

  say(text, wrong = false) {
    this.said.textContent = text;
    this.said.className = wrong ? "fail" : "quiet";
  }

  wrong({ text, n }) {
    if (!this.isRunning || n !== this.asked) return;
    this.running(false);
    this.say(text, true);
  }

  take(message) {
    if (message.n !== this.asked) return;
    if (message.type === "progress") {
      Object.assign(this.bar, { max: message.of, value: message.done });
      this.say(`${message.done} of ${message.type === "fit" ? "at most " : ""}${message.of} variants tried`);
      return;
    }
    this.running(false);
    if (message.type === "fitted") this.fitted(message); else this.swept(message);
  }

  fitted({ changes, met, tried, goals }) {
    this.bench.become(changes);
    this.bench.trials.keep(`fit ${this.asked}`);
    this.say(`${met ? "all goals are met" : "not all goals can be met"}, after ${tried} variants; it is shown, and kept as the trial fit ${this.asked}`, !met);
    const table = make("table");
    for (const goal of goals) {
      const row = make("tr", "", goal.met === false ? "fail" : "");
      for (const text of [goal.met === false ? "✗" : goal.met ? "✓" : "·", goal.name, goal.sentence]) row.append(make("td", text));
      table.append(row);
    }
    this.found.replaceChildren(table);
  }

  // A row for each value: a click tries it.
  swept({ rows, measures, of }) {
    const keys = Object.keys(rows[0].changes).filter((key) => rows.some((row) => JSON.stringify(row.changes[key]) !== JSON.stringify(rows[0].changes[key])));
    const shown = measures.slice(0, 3), table = make("table"), head = make("tr");
    for (const text of [...keys.map((key) => key.split(".").slice(-2).join(".")), "met", ...shown.map(({ key, unit }) => `${key}${unit ? `, ${unit}` : ""}`)]) head.append(make("th", text));
    table.append(head);
    for (const { changes, unmet, values } of rows) {
      const row = make("tr", "", unmet.length ? "fail" : ""), button = make("button", keys.length ? short(Number(changes[keys[0]])) : "all");
      row.title = unmet.length ? `not met: ${unmet.join(", ")}` : "all expectations are met";
      button.title = "try this";
      button.onclick = () => this.bench.become(changes);
      const first = make("td");
      first.append(button);
      row.append(first);
      for (const text of [...keys.slice(1).map((key) => String(changes[key])), `${of - unmet.length} of ${of}`, ...shown.map((_, n) => (values[n] === null ? "none" : short(Number(values[n].toPrecision(3)))))]) row.append(make("td", text));
      table.append(row);
    }
    this.say(`${rows.length} variants: a click on a value tries it`);
    this.found.replaceChildren(table);
  }
}
