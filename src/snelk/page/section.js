// The cut along a sight ray, seen from the side: eye, body, walls and floors between them.

const SECTION = { width: 392, height: 150, left: 30, bottom: 18, top: 12, beyond: 0.4 };
const MOST_CUT = 20000; // more faces and triangles than this are not cut at every frame

// What the upright plane through an eye and a body meets, as [far, high, far, high] in m with a name.
function cutAlong(run, from, to, t) {
  const dx = to.x - from.x, dy = to.y - from.y, far = Math.hypot(dx, dy), found = [];
  const doors = run.doors.filter((door) => !isOpen(door, t));
  const keep = (near, low, end, high, name) => {
    // What lies farther off than the picture shows is cut away.
    const [least, most] = [-SECTION.beyond, far + SECTION.beyond];
    if (Math.max(near, end) < least || Math.min(near, end) > most) return;
    const at = (d) => (end === near ? low : low + ((d - near) / (end - near)) * (high - low));
    const inside = (d) => Math.min(Math.max(d, least), most);
    if (end === near) found.push({ near, low, end, high, name });
    else found.push({ near: inside(near), low: at(inside(near)), end: inside(end), high: at(inside(end)), name });
  };
  const face = ([ax, ay, bx, by, base, top], name) => {
    const cross = dx * (by - ay) - dy * (bx - ax);
    if (Math.abs(cross) < 1e-9) return;
    const at = ((ax - from.x) * (by - ay) - (ay - from.y) * (bx - ax)) / cross, on = ((ax - from.x) * dy - (ay - from.y) * dx) / cross;
    if (on >= 0 && on <= 1) keep(at * far, base, at * far, top, name);
  };
  const triangle = (corners, name) => {
    const met = [];
    for (let n = 0; n < 3; n++) {
      const [ax, ay, az] = corners.slice(3 * n, 3 * n + 3), m = (n + 1) % 3, [bx, by, bz] = corners.slice(3 * m, 3 * m + 3);
      const one = dx * (ay - from.y) - dy * (ax - from.x), other = dx * (by - from.y) - dy * (bx - from.x);
      if (one * other > 0 || one === other) continue;
      const share = one / (one - other), x = ax + share * (bx - ax), y = ay + share * (by - ay);
      met.push([((x - from.x) * dx + (y - from.y) * dy) / far, az + share * (bz - az)]);
    }
    if (met.length >= 2) keep(met[0][0], met[0][1], met[met.length - 1][0], met[met.length - 1][1], name);
  };
  run.pieces.forEach((piece, n) => face(piece, run.piece_names[n]));
  run.triangles.forEach((corners, n) => triangle(corners, run.triangle_names[n]));
  for (const door of doors) {
    door.pieces.forEach((piece) => face(piece, door.name));
    door.triangles.forEach((corners) => triangle(corners, door.name));
  }
  return { far, found };
}

// How far along a ray, from 0 to 1, the first of these slices stops it; 1 if none does.
function stoppedAt(found, far, eye, high) {
  let first = 1;
  for (const { near, low, end, high: top } of found) {
    // The ray is z = eye + share * (high - eye) at share * far; the slice a piece of a line.
    const along = end - near, rise = top - low, climb = (high - eye) / far;
    const across = rise - climb * along;
    if (Math.abs(across) < 1e-12) continue;
    const on = (eye + climb * near - low) / across;
    const share = (near + on * along) / far;
    if (on >= 0 && on <= 1 && share > 1e-6 && share < first) first = share;
  }
  return first;
}

function sectionAt(run, a, c, t) {
  const look = run.lookAt(a, t);
  if (look >= 0 && run.goneAt(a, c, look, run.tickAt(t)) >= 0) return null; // one of the two is no longer there
  const when = look < 0 ? t : run.start + run.at(`${a}.look`, look) * run.look_dt;
  const time = run.timeOf(run.tickAt(when)), from = run.pose(run.agents[a], time), to = run.pose(c, time);
  if (!from || !to || Math.hypot(to.x - from.x, to.y - from.y) < 0.05) return null;
  if (run.pieces.length + run.triangles.length > MOST_CUT) return { many: true };
  const { far, found } = cutAlong(run, from, to, time), eye = from.z + from.height * from.eyes;
  const rays = run.bodies[c].points.map((share) => {
    const high = to.z + share * to.height;
    return { high, stops: stoppedAt(found, far, eye, high) };
  });
  return { far, found, eye, from, to, rays };
}

// Drawn as SVG; a ray that is stopped ends in a cross, and goes on dotted.
function sectionPicture(cut, styles) {
  const { far, found, eye, from, to, rays } = cut, { width, height, left, bottom, top, beyond } = SECTION;
  const near = found.filter((each) => Math.min(each.low, each.high) < eye + 4 && Math.max(each.low, each.high) > Math.min(from.z, to.z) - 3);
  const heights = [from.z, to.z, from.z + from.height, to.z + to.height, ...near.flatMap((each) => [each.low, Math.min(each.high, eye + 2.5)])];
  const low = Math.min(...heights) - 0.2, high = Math.max(...heights) + 0.2;
  const px = (d) => left + ((d + beyond) / (far + 2 * beyond)) * (width - left - 8);
  const py = (z) => top + ((high - z) / (high - low)) * (height - top - bottom);
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  svg.setAttribute("class", "section");
  svg.setAttribute("role", "img");
  const draw = (tag, attributes, text = "") => {
    const element = document.createElementNS("http://www.w3.org/2000/svg", tag);
    for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
    element.textContent = text;
    svg.append(element);
  };
  const line = (x1, y1, x2, y2, how) => draw("line", { x1, y1, x2, y2, ...how });
  for (const z of [low + 0.2, high - 0.2]) draw("text", { x: left - 4, y: py(z) + 3, "text-anchor": "end", class: "axis" }, fixed(z, 1));
  draw("text", { x: 2, y: 9, class: "axis" }, "m up");
  for (const d of [0, far]) draw("text", { x: px(d), y: height - 5, "text-anchor": d ? "end" : "start", class: "axis" }, `${fixed(d, 1)} m`);
  const named = new Set();
  for (const { near: d, low: z, end, high: up, name } of near) {
    line(px(d), py(Math.min(z, high)), px(end), py(Math.min(up, high)), { class: "slice", "data-name": name });
    if (named.has(name)) continue;
    named.add(name);
    draw("text", { x: Math.min(Math.max(px((d + end) / 2), left + 12), width - 16), y: Math.max(py(Math.min(Math.max(z, up), high)) - 2, 8), "text-anchor": "middle", class: "axis" }, name);
  }
  const clear = styles.in_view.colour, blocked = styles.line_of_sight.colour;
  for (const { high: end, stops } of rays) {
    const x = px(stops * far), y = py(eye + stops * (end - eye));
    line(px(0), py(eye), x, y, { stroke: stops < 1 ? blocked : clear, "stroke-width": 1.4 });
    if (stops < 1) {
      line(x, y, px(far), py(end), { stroke: blocked, "stroke-width": 0.8, "stroke-dasharray": "1 3" });
      draw("text", { x, y: y + 4, "text-anchor": "middle", fill: blocked, class: "cross" }, "×");
    } else draw("circle", { cx: px(far), cy: py(end), r: 2.4, fill: clear });
  }
  for (const [d, pose] of [[0, from], [far, to]]) line(px(d), py(pose.z), px(d), py(pose.z + pose.height), { class: "body" });
  draw("circle", { cx: px(0), cy: py(eye), r: 3.2, class: "eye" });
  return svg;
}
