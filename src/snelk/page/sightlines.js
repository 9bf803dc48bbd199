// Which part of the plan an eye sees of points at one height: the rule of level/visible.py, worked
// out wedge by wedge between the corners of walls. Walls that let a share pass do not cut it.

const HORIZON = 1e-4;
const WEDGE = (4 * Math.PI) / 180;

// From which to which factor a face, enlarged about the eye, hides what lies behind it.
function enlargements(base, top, z, height) {
  if (height > z) [base, top, z, height] = [-top, -base, -z, -height];
  const fall = z - height;
  if (fall === 0) return base <= z && z <= top ? [1, Infinity] : [1, 0];
  const near = base <= height ? 1 : base < z ? fall / (z - base) : Infinity;
  return [Math.max(near, 1), top >= z ? Infinity : fall / (z - top)];
}

// The corners of what a triangle hides, seen from the eye: its part between the height of the eye and
// that of the points, enlarged about the eye.
function shade(triangle, eye, height) {
  let corners = [0, 3, 6].map((n) => [
    triangle[n] - eye.x, triangle[n + 1] - eye.y, (triangle[n + 2] - eye.z) / (height - eye.z),
  ]);
  if (corners.every((corner) => corner[2] === 1)) return []; // who lies on it is seen
  for (const [sign, bound] of [[1, HORIZON], [-1, 1]]) {
    const kept = [];
    corners.forEach((here, n) => {
      const there = corners[(n + 1) % corners.length];
      const before = sign * (here[2] - bound), after = sign * (there[2] - bound);
      if (before >= 0) kept.push(here);
      if (before * after < 0) kept.push(here.map((p, k) => p + (before / (before - after)) * (there[k] - p)));
    });
    corners = kept;
  }
  return corners.map(([x, y, share]) => [x / share, y / share]);
}

// Where a triangle is at the height of the eye, as lines seen from there.
function cutAt(triangle, eye) {
  const ends = [];
  for (const n of [0, 3, 6]) {
    const m = (n + 3) % 9;
    const low = triangle[n + 2] - eye.z, high = triangle[m + 2] - eye.z;
    const at = (t) => [0, 1].map((k) => triangle[n + k] + t * (triangle[m + k] - triangle[n + k]) - [eye.x, eye.y][k]);
    if (low === 0 && high === 0) ends.push(at(0), at(1));
    else if (low * high <= 0) ends.push(at(low / (low - high)));
  }
  return ends.slice(1).map((end, n) => [...ends[n], ...end]);
}

function distanceToOrigin(ax, ay, bx, by) {
  const dx = bx - ax, dy = by - ay;
  const share = Math.min(Math.max(-(ax * dx + ay * dy) / Math.max(dx * dx + dy * dy, 1e-300), 0), 1);
  return Math.hypot(ax + share * dx, ay + share * dy);
}

// How far along a direction the line through a face is.
function along(face, cos, sin) {
  const dx = face.bx - face.ax, dy = face.by - face.ay;
  return (face.ax * dy - face.ay * dx) / (cos * dy - sin * dx);
}

function crosses(face, cos, sin) {
  const a = cos * face.ay - sin * face.ax, b = cos * face.by - sin * face.bx;
  return a * b < 0 && along(face, cos, sin) > 0;
}

// Returns the outline seen from the eye on, and patches that are seen beyond low walls.
function visible(pieces, triangles, eye, headingDeg, fovWhole, range, height) {
  const square = range * range - (eye.z - height) ** 2;
  if (square <= 0) return { outline: null, beyond: [] };
  const radius = Math.sqrt(square);
  const from = ((headingDeg - fovWhole / 2) * Math.PI) / 180, fov = (fovWhole * Math.PI) / 180;
  const faces = [], shades = [], edges = new Set();
  const turnsAt = (x, y) => {
    const turn = (((Math.atan2(y, x) - from) % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI);
    if (turn < fov) edges.add(turn);
  };
  for (let s = 0, n = Math.max(Math.ceil(fov / WEDGE), 2); s <= n; s++) edges.add((fov * s) / n);
  const addFace = (ax, ay, bx, by, base, top) => {
    const [near, far] = enlargements(base, top, eye.z, height);
    const nearest = distanceToOrigin(ax, ay, bx, by);
    if (near >= far || nearest < 1e-9 || nearest * near > radius) return;
    faces.push({ ax, ay, bx, by, near, far });
    turnsAt(ax, ay);
    turnsAt(bx, by);
  };
  for (const [ax, ay, bx, by, base, top] of pieces) {
    addFace(ax - eye.x, ay - eye.y, bx - eye.x, by - eye.y, base, top);
  }
  for (const triangle of triangles) {
    if (height === eye.z) {
      for (const [ax, ay, bx, by] of cutAt(triangle, eye)) addFace(ax, ay, bx, by, height, height);
      continue;
    }
    const corners = shade(triangle, eye, height);
    const sides = corners.map(([ax, ay], n) => {
      const [bx, by] = corners[(n + 1) % corners.length];
      return { ax, ay, bx, by };
    });
    if (!sides.some((side) => distanceToOrigin(side.ax, side.ay, side.bx, side.by) <= radius)) continue;
    shades.push(sides);
    for (const [x, y] of corners) turnsAt(x, y);
  }
  const turns = [...edges].sort((a, b) => a - b);
  const outline = [], beyond = [];
  for (let n = 0; n + 1 < turns.length; n++) {
    if (turns[n + 1] - turns[n] < 1e-9) continue;
    const middle = from + (turns[n] + turns[n + 1]) / 2;
    const free = freeAlong(faces, shades, Math.cos(middle), Math.sin(middle), radius);
    const sides = [turns[n], turns[n + 1]].map((turn) => [Math.cos(from + turn), Math.sin(from + turn)]);
    const place = (bound, [cos, sin]) => {
      const reach = bound.face ? Math.min(bound.factor * along(bound.face, cos, sin), radius) : bound.at;
      return [eye.x + reach * cos, eye.y + reach * sin];
    };
    free.forEach(([low, high], part) => {
      const [a, b] = sides.map((side) => place(high, side));
      if (part === 0 && !low.face) { outline.push(a, b); return; }
      beyond.push([place(low, sides[0]), a, b, place(low, sides[1])]);
    });
    if (!free.length || free[0][0].face) outline.push([eye.x, eye.y]);
  }
  if (fovWhole < 360) outline.push([eye.x, eye.y]);
  return { outline, beyond };
}

// The stretches along a direction that nothing hides, each between two bounds.
function freeAlong(faces, shades, cos, sin, radius) {
  const hidden = [];
  for (const sides of shades) {
    const met = sides.filter((face) => crosses(face, cos, sin));
    const bounds = met.map((face) => ({ at: along(face, cos, sin), face, factor: 1 }));
    bounds.sort((a, b) => a.at - b.at);
    if (bounds.length === 1) hidden.push([{ at: 0 }, bounds[0]]); // the eye is right above it
    else if (bounds.length > 1 && bounds[0].at < radius) hidden.push([bounds[0], bounds[1]]);
  }
  for (const face of faces) {
    if (!crosses(face, cos, sin)) continue;
    const at = along(face, cos, sin);
    if (at * face.near < radius) {
      hidden.push([{ at: at * face.near, face, factor: face.near }, { at: at * face.far, face, factor: face.far }]);
    }
  }
  hidden.sort((a, b) => a[0].at - b[0].at);
  const free = [];
  let low = { at: 0 };
  for (const [start, end] of hidden) {
    if (start.at > low.at + 1e-9) free.push([low, start]);
    if (end.at > low.at) low = end;
    if (low.at >= radius) return free;
  }
  free.push([low, { at: radius }]);
  return free;
}
