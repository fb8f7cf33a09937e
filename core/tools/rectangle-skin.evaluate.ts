import { bodyBox, flatBody, massProperties } from '../brep/index.ts';
import { add, along, cross, dot, type Frame, formatNumber, length, scale, sub, toLocal, toWorld, unit, type Vec3 } from '../math/index.ts';
import { controlPoints, lengthTable, lineCurve, planeOf, pointAt, polylineCurve } from '../nurbs/index.ts';
import {
  defineEvaluation,
  drawingFrame,
  type Fact,
  failure,
  inputBody,
  inputCurves,
  inputPoint,
  type Mark,
  onPlane,
} from '../recipe/index.ts';
import tool from './rectangle-skin.ts';

export default defineEvaluation(tool, (inputs, p, context) => {
  const frame = drawingFrame(inputs.plane);
  if (!frame) return failure('not-flat', 'The plane picked is not flat');
  const facts: Fact[] = [];
  const marks: Mark[] = [];
  let corners: Vec3[];
  if (p.by === 'fit') {
    const points = inputs.fit.flatMap((i): Vec3[] => {
      const q = inputPoint(i);
      if (q) return [q];
      return inputCurves(i).flatMap((c) => {
        const t = lengthTable(c);
        return Array.from({ length: 49 }, (_, k) => pointAt(c, t.near((k / 48) * t.total)));
      });
    });
    if (points.length < 3) return failure('too-few', 'A plane needs three points, or a curve that is not straight');
    const best = planeOf([polylineCurve(points)]);
    const fitted = planeThrough(points) ?? best?.frame;
    if (!fitted) return failure('in-line', 'What was picked lies in one line: add a point beside it', points.slice(0, 1));
    corners = boxIn(fitted, points, p.margin);
    const off = points.reduce((m, q) => Math.max(m, Math.abs(dot(sub(q, fitted.origin), fitted.z))), 0);
    facts.push({ label: 'largest distance', value: `${formatNumber(off, 4)} mm` });
  } else if (p.by === 'cut') {
    const points = inputs.pieces.flatMap((i): Vec3[] => {
      const b = inputBody(i);
      if (b) {
        const { min, max } = bodyBox(b);
        return [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [k & 1 ? max[0] : min[0], k & 2 ? max[1] : min[1], k & 4 ? max[2] : min[2]]);
      }
      if (i.piece.kind === 'scan') {
        const out: Vec3[] = [];
        const { positions } = i.piece.mesh;
        const [lo, hi] = [
          [Infinity, Infinity, Infinity],
          [-Infinity, -Infinity, -Infinity],
        ];
        for (let k = 0; k < positions.length; k++) {
          lo[k % 3] = Math.min(lo[k % 3], positions[k]);
          hi[k % 3] = Math.max(hi[k % 3], positions[k]);
        }
        for (let k = 0; k < 8; k++) out.push([k & 1 ? hi[0] : lo[0], k & 2 ? hi[1] : lo[1], k & 4 ? hi[2] : lo[2]]);
        return out;
      }
      return inputCurves(i).flatMap((c) => controlPoints(c) as unknown as Vec3[]);
    });
    if (!points.length) return failure('nothing', 'The pieces picked have no size');
    const heights = points.map((q) => dot(sub(q, frame.origin), frame.z));
    if (Math.min(...heights) > 1e-9 || Math.max(...heights) < -1e-9)
      return failure('beside', 'The plane passes beside the pieces: move it into them, or pick another plane', [frame.origin]);
    corners = boxIn(frame, points, p.margin);
  } else {
    const need = p.by === 'three' ? 3 : 2;
    if (p.points.length < need) return failure('too-few', `Click ${need === 2 ? 'two' : 'three'} points`);
    if (p.by === 'corner') {
      const [a, b] = p.points;
      corners = onPlane(frame, [
        [a[0], a[1], a[2]],
        [b[0], a[1], a[2]],
        [b[0], b[1], a[2]],
        [a[0], b[1], a[2]],
      ]);
    } else {
      const [a, b, c] = onPlane(frame, p.points);
      const way = sub(b, a);
      if (length(way) < 1e-9) return failure('doubled', 'The first two points fall together', [a]);
      const up = p.by === 'upright' ? scale(frame.z, p.height) : sub(sub(c, b), scale(unit(way), dot(sub(c, b), unit(way))));
      corners = [a, b, add(b, up), add(a, up)];
      if (p.by === 'upright')
        marks.push({ kind: 'push', from: scale(add(a, b), 0.5), direction: frame.z, value: p.height, param: 'height', template: '$value' });
    }
  }
  const [x, y] = [sub(corners[1], corners[0]), sub(corners[3], corners[0])];
  if (length(x) < 1e-9 || length(y) < 1e-9)
    return failure('no-size', 'The rectangle has no width or no height: move one of its points', corners.slice(0, 1));
  const ux = unit(x);
  const z0 = unit(cross(x, y));
  const z = p.turned ? scale(z0, -1) : z0;
  const f: Frame = { origin: corners[0], x: ux, y: cross(z, ux), z };
  const body = flatBody([{ outer: corners.map((q, i) => lineCurve(q, corners[(i + 1) % 4])), holes: [] }], f, context.stepId);
  return {
    outputs: { main: { kind: 'skin', body } },
    marks,
    facts: [
      { label: 'size', value: `${formatNumber(length(x), 3)} × ${formatNumber(length(y), 3)} mm` },
      { label: 'area', value: `${formatNumber(massProperties(body).area, 3)} mm²` },
      ...facts,
    ],
  };
});
function boxIn(f: Frame, points: readonly Vec3[], margin: number): Vec3[] {
  const local = points.map((q) => toLocal(f, q));
  const [x0, x1] = [Math.min(...local.map((q) => q[0])) - margin, Math.max(...local.map((q) => q[0])) + margin];
  const [y0, y1] = [Math.min(...local.map((q) => q[1])) - margin, Math.max(...local.map((q) => q[1])) + margin];
  return [
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
  ].map(([x, y]) => toWorld(f, [x, y]));
}
/** Plane with the least squared distances through points alone. */
function planeThrough(points: readonly Vec3[]): Frame | undefined {
  const c = scale(points.reduce(add, [0, 0, 0] as Vec3), 1 / points.length);
  const d = points.map((q) => sub(q, c));
  // the normal: power iteration on the largest minor of the scatter matrix
  const m = [0, 1, 2].map((i) => [0, 1, 2].map((j) => d.reduce((s, q) => s + q[i] * q[j], 0)));
  const trace = m[0][0] + m[1][1] + m[2][2];
  if (!(trace > 0)) return undefined;
  // the scatter's smallest axis is the largest of trace - scatter
  const turn = (q: Vec3): Vec3 =>
    [0, 1, 2].map((i) => trace * q[i] - (m[i][0] * q[0] + m[i][1] * q[1] + m[i][2] * q[2])) as unknown as Vec3;
  const largest = (apply: (q: Vec3) => Vec3, avoid?: Vec3): Vec3 => {
    let best: Vec3 = [0.36, 0.48, 0.8];
    for (let k = 0; k < 400; k++) {
      let q = apply(best);
      if (avoid) q = along(q, avoid, -dot(q, avoid));
      if (length(q) < 1e-300) break;
      best = unit(q);
    }
    return best;
  };
  const z = largest(turn);
  const x = largest((q) => [0, 1, 2].map((i) => m[i][0] * q[0] + m[i][1] * q[1] + m[i][2] * q[2]) as unknown as Vec3, z);
  const y = cross(z, x);
  // straight when nothing spreads across the longest axis
  const across = d.reduce((s, q) => s + dot(q, y) ** 2, 0);
  if (across < 1e-16 * trace) return undefined;
  const up = z[2] < -1e-9 || (Math.abs(z[2]) < 1e-9 && z[0] + z[1] < 0);
  return up ? { origin: c, x, y: scale(y, -1), z: scale(z, -1) } : { origin: c, x, y, z };
}
