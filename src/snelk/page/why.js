// Why an agent did or did not sense a target at a moment: the numbers that `snelk why` gives.

// As Python's format: of two digits that are as near it takes the even one, where toFixed takes the larger.
const fixed = (value, digits) => {
  if (Math.abs(value * 2 ** (digits + 1) % 2) !== 1) return value.toFixed(digits);
  return (2 * Math.round(value * 10 ** digits / 2) / 10 ** digits).toFixed(digits);
};
const short = (value) => Number(value.toPrecision(6)).toString(); // as Python's format "g"
const words = (name) => name.replaceAll("_", " ");
// A text with numbers as Python's format puts them in: {value:.2f}, {limit:g}, {awake:.0%}, {side}.
const filled = (pattern, known) => pattern.replace(/{(\w+)(?::([^}]*))?}/g, (_, name, format) => {
  const value = known[name], digits = format && Number(format.replace(/\D/g, ""));
  if (!format) return value;
  return format === "g" ? short(value) : format.endsWith("%") ? `${fixed(value * 100, digits)}%` : fixed(value, digits);
});
const percent = (share) => `${fixed(share * 100, 0)}%`;

function whyAt(run, a, c, t) {
  const agent = run.agentNames[a], target = run.names[c];
  const look = run.lookAt(a, t);
  const kept = run.slot(a, c, look) >= 0, gone = kept && look >= 0 ? run.goneAt(a, c, look, run.tickAt(t)) : -1;
  const lookTime = gone >= 0 ? run.timeOf(gone) : look < 0 ? run.timeOf(run.tickAt(t)) : run.start + run.at(`${a}.look`, look) * run.look_dt;
  const cones = look < 0 || !kept ? [] : run.conesAt(a, run.tickAt(lookTime)).map((cone, k) => coneAt(run, a, c, k, cone, look, gone));
  const seen = cones.filter((cone) => cone.result === "in_view").map((cone) => cone.name);
  return {
    agent, target, inView: seen.length > 0, cones,
    headline: look < 0 || kept ? headline(run, a, c, look, cones, seen, lookTime)
      : `${agent} never sensed ${target}: of so many only pairs that did are kept here; ask snelk why`,
    meter: meterAt(run, a, c, t),
    belief: beliefAt(run, a, c, t),
    senses: [hearingAt(run, a, c, t), touchAt(run, a, c, t), zoneAt(run, a, c, t), smellAt(run, a, c, t), ...otherContacts(run, a, c, t)].filter(Boolean),
    ladder: ladderAt(run, a, t),
  };
}

// How rules are written here.
const SIGNS = { "<=": "≤", ">=": "≥", ">": ">" };

function margin(value, unit) {
  const digits = unit === "°" ? 1 : 2;
  return `${fixed(Math.abs(value), digits)}${unit} ${value >= 0 ? "to spare" : "too much"}`;
}

// All gates of one cone: name, whether passed, value, limit, margin.
function coneAt(run, a, c, k, cone, look, gone) {
  const slot = run.slot(a, c), get = (name) => run.at(`${a}.${name}`, slot, look), looked = run.at(`${a}.result`, slot, k, look);
  const gate = gone >= 0 ? run.words.gates.indexOf("present") : looked; // of a tick after that look
  const held = gone >= 0 ? looked === -1 : run.at(`${a}.held`, slot, k, look) === 1;
  const tick = gone >= 0 ? gone : run.tickAt(run.start + run.at(`${a}.look`, look) * run.look_dt);
  const self = run.agents[a];
  const there = run.present(self, tick), both = there && run.present(c, tick);
  const awake = run.at(`${a}.awake`, look);
  const cares = cone.cares.includes(run.teams[c]);
  const gates = [
    { name: "present", passed: both, value: both ? "both are there" : `${there ? run.names[c] : run.names[self]} is not there` },
    { name: "cares", passed: cares, value: `"${run.profile(a).name}" ${cares ? "notices" : "does not notice"} team "${run.teams[c]}"` },
    { name: "awake", passed: awake > 0, value: `${percent(awake)} awake` },
  ];
  if (!both) {
    for (const name of run.words.gates.slice(3)) gates.push({ name, passed: null, value: "cannot be asked" });
    return { name: cone.name, result: run.reasonName(gate), held, gates };
  }
  const rounded = (value) => Math.round(value * 1e6) / 1e6;
  for (const [name, held_to] of Object.entries(run.words.limits)) {
    const found = get(held_to.field), value = Math.abs(found), [first, second] = held_to.keys;
    const isSecond = second && (held_to.sides.length ? found < 0 : held && cone[second] !== null);
    const own = cone[isSecond ? second : first] * held_to.share, limit = own * (held_to.is_scaled ? awake : 1);
    const side = held_to.sides.length ? held_to.sides[found < 0 ? 1 : 0] : held_to.after;
    const left = held_to.rule === "<=" ? rounded(limit - value) : rounded(value - limit);
    const each = {
      name, passed: held_to.rule === ">" ? left > 0 : left >= 0,
      value: `${held_to.percent ? percent(value) : fixed(value, held_to.unit === "°" ? 1 : 2) + held_to.unit}${side && ` ${side}`}`,
      limit: `${SIGNS[held_to.rule]} ${held_to.percent ? percent(limit) : short(limit) + held_to.unit}`,
    };
    const known = { value, limit, own, awake, whole: limit / held_to.share, side: held_to.sides[found < 0 ? 1 : 0], behind: "" };
    each.text = filled(held_to.said + (limit < own ? held_to.scaled : ""), known);
    if (held_to.unit) each.margin = margin(left, held_to.unit);
    gates.push(each);
  }
  const wall = get("wall");
  if (wall >= 0) gates.find((each) => each.name === "line_of_sight").wall = wallWords(run, a, c, look, get("exposure"), run.timeOf(tick));
  // What was decided stands, however a number is rounded.
  gates.forEach((each, n) => { if (gate === -1 || n < gate) each.passed = true; else if (n === gate) each.passed = false; });
  return { name: cone.name, result: run.reasonName(gate), held, gates };
}

function wallPlace(run, a, c, look) {
  return [0, 1, 2].map((axis) => run.at(`${a}.wall_place`, run.slot(a, c), axis, look));
}

// A wall, by number; of a door since when it has been shut.
function wallName(run, wall, t) {
  const name = run.walls[wall], door = run.doors.find((each) => each.name === name);
  const shut = door && door.open.map(([, end]) => end).filter((end) => end < t + 1e-9);
  return door ? `${name}, shut${shut.length ? ` since ${short(shut[shut.length - 1])} s` : ""}` : name;
}

function wallWords(run, a, c, look, exposure, t) {
  const [x, y, z] = wallPlace(run, a, c, look).map((value) => fixed(value, 2));
  const verb = exposure === 0 ? "stopped" : "dimmed or cut";
  return `${verb} by ${wallName(run, run.at(`${a}.wall`, run.slot(a, c), look), t)} at (${x}, ${y}), ${z} m up`;
}

function headline(run, a, c, look, cones, seen, t) {
  const agent = run.agentNames[a], target = run.names[c], when = `at ${fixed(t, 2)} s`;
  if (seen.length) return `${agent} has ${target} in view ${when} (${seen.join(" and ")} cone${seen.length > 1 ? "s" : ""})`;
  if (!cones.length) return `${agent} has no cone that notices ${target}`;
  const order = run.words.gates;
  const closest = cones.reduce((best, cone) => (order.indexOf(cone.result) > order.indexOf(best.result) ? cone : best));
  const gate = closest.gates.find((each) => each.name === closest.result);
  const wall = run.at(`${a}.wall`, run.slot(a, c), look);
  const [pattern, otherwise] = run.words.stopped[closest.result];
  const known = { numbers: gate.text, cone: closest.name, wall: wallName(run, wall, t) };
  const said = filled(otherwise && wall < 0 ? otherwise : pattern, known);
  const reason = ["present", "cares"].includes(closest.result) ? gate.value : said;
  return `${agent} does not see ${target} ${when}: ${reason}`;
}

function meterAt(run, a, c, t) {
  const n = run.pair("meters", a, c, run.tickAt(t));
  if (n === undefined) return null;
  const tick = run.tickAt(t), get = (name) => run.at(`meter.${name}`, n, tick);
  const value = get("value"), rate = get("rate"), state = run.words.meter_states[get("state")];
  const sense = run.words.senses[get("sense")], costs = get("costs_most"), toFull = get("to_full");
  const factors = sense === "sight"
    ? run.words.factors.map((name, f) => [name, run.at("meter.factors", n, f, tick)]) : [];
  let text = `${fixed(value, 2)}, ${words(state)}`;
  if (state === "filling" && value >= 1) text = `${fixed(value, 2)}, full; it would fill at rate ${fixed(rate, 2)}`;
  else if (state === "filling") {
    text += ` at rate ${fixed(rate, 2)}${sense === "zone" ? " by the zone sense" : ""}`;
    text += toFull < 0 ? " and never full this way" : toFull > 0 ? `: full in ${fixed(toFull, 1)} s if nothing changes` : "";
    if (factors.length && costs >= 0) text += `; ${factors[costs][0]} costs most, ×${fixed(factors[costs][1], 2)}`;
  } else if (state === "at_once") {
    text += sense === "touch" ? ": felt" : `: within ${short(run.profile(a).meter.at_once)} m`;
  }
  if (get("noise") > 0) text += `; a noise added ${fixed(get("noise"), 2)}`;
  return { value, text, factors: factors.map(([name, factor]) => [name, fixed(factor, 2)]) };
}

function beliefAt(run, a, c, t) {
  const n = run.pair("beliefs", a, c, run.tickAt(t));
  if (n === undefined) return null;
  const tick = run.tickAt(t), get = (name) => run.at(`belief.${name}`, n, tick);
  if (get("source") < 0) return { source: "", text: `none: ${run.agentNames[a]} has no belief` };
  const source = run.words.sources[get("source")], age = written(get("age"), "").trim(), error = get("error");
  const how = {
    sensed: "senses it", grace: `still knows, ${age} s after the loss`, lead: `extrapolated for ${age} s since the loss`,
    last_known: `last known ${age} s ago`, heard: `heard ${age} s ago`, told: `told, ${age} s old`, smelt: `smelt, ${age} s old`,
  }[source];
  let text = `(${fixed(get("x"), 2)}, ${fixed(get("y"), 2)}), ${how}`;
  if (source !== "sensed" && source !== "grace") {
    text += `, ±${fixed(get("uncertainty"), 1)} m${error < 0 ? "" : `; ${fixed(error, 1)} m off`}`;
  }
  return { source, text, age: get("age"), uncertainty: get("uncertainty"), x: get("x"), y: get("y") };
}

// Rows of `heard` of one pair, in the order of time; found once and kept.
function heardRows(run, a, c) {
  run.heardOf = run.heardOf || new Map();
  const key = `${a} ${c}`;
  if (!run.heardOf.has(key)) {
    const agents = run.column("heard.agent"), targets = run.column("heard.target");
    const rows = [];
    agents.forEach((agent, n) => { if (agent === a && targets[n] === c) rows.push(n); });
    run.heardOf.set(key, { rows, times: rows.map((n) => run.at("heard.t", n)) });
  }
  return run.heardOf.get(key);
}

function hearingAt(run, a, c, t) {
  if (!run.profile(a).hears) return null;
  const { rows, times } = heardRows(run, a, c);
  const agent = run.agentNames[a], target = run.names[c];
  const last = countUpTo(times, run.timeOf(run.tickAt(t)) + 1e-6) - 1;
  if (last < 0) {
    if (run.heardSince) {
      const since = `since ${fixed(run.heardSince, 2)} s; what was before is not kept here`;
      return { sense: "hearing", headline: `${agent} has not heard ${target} ${since}`, gates: [] };
    }
    const later = rows.length ? `; the first is judged at ${fixed(times[0], 2)} s` : "";
    return { sense: "hearing", headline: `${agent} has not heard ${target}: it has made no noise yet${later}`, gates: [] };
  }
  const n = rows[last], get = (name) => run.at(`heard.${name}`, n);
  const heard = get("heard") === 1, result = get("result"), wall = get("wall");
  let text = `${agent} ${heard ? "heard" : "did not hear"} ${target} at ${fixed(times[last], 2)} s: ${run.sounds[get("what")]}`;
  if (heard) text += ` (strength ${fixed(get("strength"), 2)})`;
  else if (run.words.hearing_gates[result] === "reach" && get("straight") >= 0) {
    text += `, ${fixed(get("straight"), 1)} m away${get("straight_limit") < 0 ? "" : `, carries ${fixed(get("straight_limit"), 1)} m`}`;
  }
  const way = (name) => {
    const length = get(name), limit = get(`${name}_limit`);
    return { name: name === "around" ? "on foot" : name, passed: length >= 0 && length <= limit,
      value: length < 0 ? "farther than it carries" : `${fixed(length, 2)} m`,
      limit: limit < 0 ? "" : `carries ${fixed(limit, 2)} m`,
      margin: length < 0 || limit < 0 ? "" : margin(limit - length, " m") };
  };
  const gates = heard || run.words.hearing_gates[result] === "reach" ? [way("straight"), way("around")]
    : [{ name: run.words.hearing_gates[result], passed: false, value: "" }];
  if (wall >= 0 && gates.length > 1) gates[0].wall = `muffled by ${run.walls[wall]}`;
  return { sense: "hearing", headline: text, gates };
}

function touchAt(run, a, c, t) {
  const n = run.pair("touch", a, c, run.tickAt(t));
  if (n === undefined) return null;
  const tick = run.tickAt(t), result = run.at("touch.result", n, tick);
  const distance = run.at("touch.distance", n, tick), limit = run.at("touch.distance_limit", n, tick);
  const gate = run.words.contact_gates.touch[result], both = gate !== "present";
  const why = result < 0 ? "" : `: ${run.words.unfelt.touch[gate]}`;
  const gates = both ? [{ name: "radius", passed: result < 0 || run.words.contact_gates.touch.indexOf("radius") < result,
    value: `${fixed(distance, 2)} m`, limit: `≤ ${short(limit)} m`, margin: margin(limit - distance, " m") }] : [];
  return { sense: "touch", gates,
    headline: `${run.agentNames[a]} ${result < 0 ? "feels" : "does not feel"} ${run.names[c]} at ${fixed(run.timeOf(tick), 2)} s${why}` };
}

function zoneAt(run, a, c, t) {
  const n = run.pair("zone", a, c, run.tickAt(t));
  if (n === undefined) return null;
  const tick = run.tickAt(t), result = run.at("zone.result", n, tick), zone = run.at("zone.zone", n, tick);
  const gate = run.words.contact_gates.zone[result], name = run.names[c];
  const where = result >= 0 && gate !== "inside" ? run.words.unfelt.zone[gate]
    : zone >= 0 ? `${name} is in ${run.zones[zone]}` : `${name} is not in ${run.profile(a).watches.join(" or ")}`;
  return { sense: "zone", gates: [],
    headline: `${run.agentNames[a]} ${result < 0 ? "senses" : "does not sense"} ${name} at ${fixed(run.timeOf(tick), 2)} s: ${where}` };
}

function smellAt(run, a, c, t) {
  const n = run.pair("smell", a, c, run.tickAt(t));
  if (n === undefined) return null;
  const tick = run.tickAt(t), result = run.at("smell.result", n, tick), get = (name) => run.at(`smell.${name}`, n, tick);
  const gate = run.words.contact_gates.smell[result], asked = result < 0 || ["strength", "reach"].includes(gate);
  const strength = get("strength"), distance = get("distance"), limit = get("distance_limit"), age = get("age"), weakest = run.profile(a).weakest;
  let text = `${run.agentNames[a]} ${result < 0 ? "smells" : "does not smell"} the trail of ${run.names[c]} at ${fixed(run.timeOf(tick), 2)} s`;
  if (result < 0) text += age > 0 ? `: it was here ${fixed(age, 1)} s ago` : ": it is here";
  else text += `: ${run.words.unfelt.smell[gate]}`;
  const known = asked && strength >= 0;
  const gates = known ? [
    { name: "strength", passed: gate !== "strength", value: `${short(strength)}, left ${fixed(age, 1)} s ago`, limit: `≥ ${short(weakest)}`, margin: margin(strength - weakest, "") },
    { name: "reach", passed: distance <= limit + 1e-9, value: `${fixed(distance, 2)} m`, limit: `≤ ${fixed(limit, 2)} m`, margin: margin(limit - distance, " m") },
  ] : [];
  return { sense: "smell", gates, headline: text };
}

// Other senses of contact, by no more than what is declared of them.
function otherContacts(run, a, c, t) {
  const own = ["touch", "zone", "smell"], names = Object.keys(run.words.contact_gates).filter((name) => !own.includes(name));
  return names.map((name) => declaredAt(run, name, a, c, t));
}

function declaredAt(run, name, a, c, t) {
  const n = run.pair(name, a, c, run.tickAt(t));
  if (n === undefined) return null;
  const tick = run.tickAt(t), result = run.at(`${name}.result`, n, tick), gate = run.words.contact_gates[name][result];
  const why = result < 0 || ["cares", "awake"].includes(gate) ? "" : ` (${run.words.unfelt[name][gate]})`;
  return { sense: name, gates: [],
    headline: `${run.agentNames[a]} about ${run.names[c]} at ${fixed(run.timeOf(tick), 2)} s: ${run.words.sensing[name][result < 0 ? 0 : 1]}${why}` };
}

// The transitions out of an agent's state, each condition as a tree with what it came to.
function ladderAt(run, a, t) {
  const agent = run.agentNames[a], ladder = run.ladders[agent];
  if (!ladder) return null;
  const tick = run.tickAt(t), now = run.timeOf(tick), profile = run.profile(a);
  const stay = run.stay(agent, now);
  const states = profile.states, state = states[run.at(`${a}.state`, tick)];
  const focus = run.at(`${a}.focus`, tick);
  const taken = ladder.entered.find((entry) => entry.transition && Math.abs(entry.t - now) < 1e-9);
  const been = run.at(`${a}.state_for`, tick);
  let text = taken
    ? `${agent} turns from ${state.name} to ${states[taken.state].name} at ${fixed(now, 2)} s: ${taken.transition}`
    : `${agent} is ${state.name} at ${fixed(now, 2)} s, for ${written(now - stay.t, "s")}`;
  const drawn = run.at(`${a}.place`, tick);
  if (drawn >= 0) {
    const [x, y] = ["target_x", "target_y"].map((axis) => fixed(run.at(`${a}.${axis}`, tick), 1));
    text += `; focus a ${run.places[agent][drawn]} made by nobody, at (${x}, ${y})`;
  } else text += focus >= 0 ? `; focus ${run.names[focus]}` : "; no focus";
  const away = ladder.away.find(([after, until]) => now > after + 1e-9 && now <= until + 1e-9);
  if (away) text = `${agent} is absent at ${fixed(now, 2)} s: ${away[2]}`;
  let blocked = "";
  if (away) blocked = away[2];
  else if (been < state.least - 1e-9) blocked = `stays ${short(state.least)} s at least, has been there ${written(been, "s")}`;
  else if (!state.interruptible && !run.at(`${a}.done`, tick)) blocked = "cannot be interrupted before its activity is done";
  const transitions = [];
  ladder.transitions.forEach((transition, n) => {
    if (!transition.from.includes(state.name) || transition.to === state.name) return;
    const tree = treeAt(run, a, n, transition.tree, tick);
    const isTaken = Boolean(taken) && taken.transition === transition.name;
    const held = run.at(`${a}.held.${n}`, tick);
    const reacts = run.has(`${a}.reacts.${n}`) ? run.at(`${a}.reacts.${n}`, tick) : 0;
    let note = "";
    if (!isTaken && tree.true) {
      if (away) note = away[2];
      else if (held < transition.for - 1e-9) note = `true for ${written(held, "s")}, needs ${short(transition.for)} s`;
      else if (reacts > 0) note = `reacts, ${written(reacts, "s")} to go`;
      else note = blocked || (taken ? `${taken.transition} comes first` : "is still waking up, or was not needed");
    }
    transitions.push({ name: transition.name, to: transition.to, taken: isTaken, tree, note, needs: transition.for, held });
  });
  return { state: state.name, headline: text, transitions };
}

function treeAt(run, a, n, node, tick) {
  if (node.kind === "leaf") {
    const found = node.sides.map((side) => `${side.text} ${sideAt(run, a, side, tick)}`).join(", ");
    return { kind: "leaf", text: node.text, found, true: run.at(`${a}.leaf.${n}`, node.leaf, tick) === 1 };
  }
  const parts = node.parts.map((part) => treeAt(run, a, n, part, tick));
  const many = parts.filter((part) => part.true).length;
  const truth = { or: many > 0, and: many === parts.length, xor: many % 2 === 1, not: many === 0 }[node.kind];
  return { kind: node.kind, text: node.text, parts, true: truth };
}

function sideAt(run, a, side, tick) {
  const name = `${a}.side.${side.column}`;
  if (run.texts && name in run.texts) return run.texts[name][run.at(name, tick)];
  const kind = run.at(`${name}.kind`, tick);
  return kind === 0 ? written(run.at(name, tick), side.unit) : { 1: "–", 2: "endless", 3: "-endless" }[kind];
}

function written(value, unit) {
  let text = Math.abs(value) < 100 ? fixed(value, 2) : fixed(value, 1);
  text = text.replace(/0+$/, "").replace(/\.$/, "");
  return `${text} ${unit}`.trim();
}
