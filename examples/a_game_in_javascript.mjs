// A game loop in another language: y is up, the axes are left-handed, lengths are centimetres, and angles run clockwise from north.
// Its frames are irregular; somebody comes in while it runs, a door is opened, and the game is saved and loaded.
//
//     node a_game_in_javascript.mjs snelk serve SCENARIO --stdio --record RECORD

import { Snelk } from "./snelk_client.mjs";

const command = process.argv.slice(2);
const snelk = Snelk.overLines(command);

// Snelk's x is this game's x, Snelk's y (north) is its z, and Snelk's z (up) is its y.
const welcome = await snelk.hello({
  units: { length: 0.01, axes: { x: "x", y: "z", z: "y" }, angle: "deg", turn: "cw", zero: "+y" },
  spare: { kitten: 2 },
});
console.log(`a ${welcome.game} game, a tick every ${welcome.dt} s; moved by the game: ${Object.entries(welcome.characters)
  .filter(([, who]) => who.moved_by === "game").map(([name]) => name).join(", ")}`);

// The thief walks from the yard to the mill, opens its door with a lever, and goes in.
const way = [[1650, 100], [1350, 570], [1130, 570], [1040, 390], [1020, 270]];
const thief = { x: way[0][0], z: way[0][1], heading: 0, next: 1 };
function walk(seconds) {
  const [x, z] = way[thief.next] ?? [thief.x, thief.z];
  const far = Math.hypot(x - thief.x, z - thief.z);
  const step = Math.min(110 * seconds, far);
  if (far > 0) {
    thief.heading = (Math.atan2(x - thief.x, z - thief.z) * 180) / Math.PI;
    thief.x += ((x - thief.x) / far) * step;
    thief.z += ((z - thief.z) / far) * step;
  }
  if (far - step < 1) thief.next += 1;
}

const lengths = [0.016, 0.017, 0.034, 0.016, 0.051, 0.016, 0.3]; // the last is a hitch
let passed = 0;
const log = [];
for (let n = 0; passed < 16; n += 1) {
  const seconds = lengths[n % lengths.length];
  passed += seconds;
  walk(seconds);
  const frame = { poses: { thief: { place: [thief.x, 0, thief.z], heading: thief.heading, posture: "crouched" } } };
  if (n === 60) frame.turns = [{ of: "race door", to: "open" }];
  if (n === 90) frame.spawn = [{ like: "kitten", place: [500, 0, 200], heading: 180 }];
  if (n === 120) frame.noises = [{ kind: "clatter", place: [1100, 0, 560], reach: 4000, by: "thief" }];
  const reply = await snelk.frame(seconds, frame);
  if (reply.spawned.length) console.log(`${reply.spawned[0]} comes in`);
  log.push(...reply.events);
}
for (const event of log.filter((each) => each.kind === "changed" || each.kind === "opened" || each.kind === "heard")) {
  console.log(`${event.t.toFixed(1).padStart(5)} s  ${event.text}`);
}

// A mistake is told, and nothing of it is done.
try {
  await snelk.frame(0.016, { poses: { thief: { place: [0, 0, 0] }, theif: { place: [0, 0, 0] } } });
} catch (error) {
  console.log(error.message);
}

console.log((await snelk.say({ type: "why", agent: "miller", target: "thief" })).text);
const path = await snelk.say({ type: "path", who: "miller", start: [300, 0, 220], goal: [1020, 0, 270] });
console.log(`from the millstones to the sacks it is ${Math.round(path.length)} cm: ${path.text}`);

// What was saved goes on the same.
const after = async () => JSON.stringify(await Promise.all([0.1, 0.1, 0.1].map((s) => snelk.frame(s))), (key, value) => (key === "id" ? undefined : value));
await snelk.say({ type: "save", name: "at-the-sacks" });
const first = await after();
await snelk.say({ type: "restore", name: "at-the-sacks" });
console.log(first === (await after()) ? "loaded, and it goes on the same" : "it goes on otherwise");
await snelk.close();
