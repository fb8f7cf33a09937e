import { dot, formatNumber, sub, type Vec3 } from '../math/index.ts';
import {
  domain,
  elevateCurve,
  insertCurveKnots,
  isClosed,
  joinCurves,
  lengthParameter,
  moveStart,
  type NurbsCurve,
  pointCount,
  removeCurveKnot,
  reverseCurve,
} from '../nurbs/index.ts';
import { curveResult, type Diagnostic, defineEvaluation, failure, inputCurves, inputPlane, type Mark } from '../recipe/index.ts';
import tool from './edit-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const list = inputCurves(inputs.curve[0]);
  if (!list.length) return failure('not-a-curve', 'Pick a curve or an edge');
  let c: NurbsCurve = joinCurves(list);
  const diagnostics: Diagnostic[] = [];
  if (c.degree + p.raise > 11) return failure('degree', `The degree would be ${c.degree + p.raise}; 11 is the highest`);
  if (p.raise) c = elevateCurve(c, p.raise);
  if (p.start > 0) {
    if (!isClosed(c)) return failure('open', 'Only a closed curve can start elsewhere');
    const by = lengthParameter(c);
    c = moveStart(c, by.at(by.total * p.start));
  }
  if (p.reverse) c = reverseCurve(c);
  const by = lengthParameter(c);
  for (const s of p.insert) {
    if (!(s > 0 && s < 1)) return failure('share', `A knot stands at a share between 0 and 1; ${s} is not`);
    c = insertCurveKnots(c, [by.at(by.total * s)]);
  }
  for (const n of [...p.remove].sort((a, b) => b - a)) {
    const [a, b] = domain(c);
    const inner = c.knots.filter((k) => k > a && k < b);
    const t = inner[Math.round(n) - 1];
    if (t === undefined)
      return failure('no-knot', `There is no inner knot ${n}; there ${inner.length === 1 ? 'is' : 'are'} ${inner.length}`);
    const out = removeCurveKnot(c, t, 1e9);
    if (out) c = out;
  }
  const n = pointCount(c);
  if (p.weights.length && p.weights.length !== n)
    diagnostics.push({
      severity: 'warning',
      code: 'weight-count',
      message: `${p.weights.length} weights for ${n} points: they are left out`,
    });
  const control = new Float64Array(c.control);
  if (p.weights.length === n) {
    if (p.weights.some((w) => !(w > 0))) return failure('weight', 'Weights must be greater than zero');
    for (let i = 0; i < n; i++) for (let x = 0; x < 4; x++) control[4 * i + x] = (control[4 * i + x] / c.control[4 * i + 3]) * p.weights[i];
  }
  const get = (i: number): Vec3 => [
    control[4 * i] / control[4 * i + 3],
    control[4 * i + 1] / control[4 * i + 3],
    control[4 * i + 2] / control[4 * i + 3],
  ];
  const put = (i: number, q: Vec3) => {
    for (let x = 0; x < 3; x++) control[4 * i + x] = q[x] * control[4 * i + 3];
  };
  const before = Array.from({ length: n }, (_, i) => get(i));
  const closed = isClosed(c);
  for (const s of p.shifts) {
    if (s.to === '$point') continue;
    if (s.point >= n) {
      diagnostics.push({
        severity: 'warning',
        code: 'gone',
        message: `Control point ${s.point + 1} was moved earlier but is no longer there`,
      });
      continue;
    }
    put(s.point, s.to);
    if (closed && (s.point === 0 || s.point === n - 1)) put(s.point === 0 ? n - 1 : 0, s.to);
  }
  // what is kept flat is put flat last, so that it stays so while other points are moved
  const plane = inputs.plane[0] && inputPlane(inputs.plane[0]);
  const listed = p.flat.map((k) => Math.round(k) - 1);
  const wrong = listed.find((k) => !(k >= 0 && k < n));
  if (wrong !== undefined) return failure('no-point', `There is no control point ${wrong + 1}; they are numbered 1 to ${n}`);
  const flat = listed.length ? listed : plane || p.axis !== 'none' ? before.map((_, i) => i) : [];
  for (const i of flat) {
    let q = get(i);
    if (plane) {
      const h = dot(sub(q, plane.origin), plane.z);
      q = [q[0] - h * plane.z[0], q[1] - h * plane.z[1], q[2] - h * plane.z[2]];
    }
    if (p.axis !== 'none') q = q.map((x, k) => ('xyz'[k] === p.axis ? p.value : x)) as unknown as Vec3;
    put(i, q);
  }
  const out: NurbsCurve = {
    ...c,
    control,
    rational: c.rational || (p.weights.length === n && p.weights.some((w) => w !== p.weights[0])),
  };
  const marks: Mark[] = Array.from({ length: n - (closed ? 1 : 0) }, (_, i) => ({
    kind: 'grip',
    at: get(i),
    label: n <= 40 ? String(i + 1) : undefined,
    param: 'shifts',
    template: [...p.shifts.filter((s) => s.point !== i), { point: i, to: '$point' }],
  }));
  marks.push({ kind: 'link', points: Array.from({ length: n }, (_, i) => get(i)) });
  const moved = before.filter((q, i) => Math.hypot(...sub(q, get(i))) > 1e-12).length;
  const r = curveResult(out);
  return {
    ...r,
    diagnostics,
    marks,
    facts: [
      ...(r.facts ?? []),
      { label: 'points moved', value: String(moved) },
      {
        label: 'knots',
        value:
          [...new Set(out.knots)]
            .slice(1, -1)
            .map((k) => formatNumber((k - domain(out)[0]) / (domain(out)[1] - domain(out)[0]), 3))
            .join(' ') || 'none inside',
      },
    ],
  };
});
