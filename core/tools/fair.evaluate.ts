import { surfaceBody } from '../brep/index.ts';
import { boxSize, formatNumber, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  closestOnCurve,
  curveBox,
  derivativesAt,
  domain,
  joinCurves,
  type Net,
  type NurbsCurve,
  type NurbsSurface,
  pointAt,
  pointCount,
  transpose,
} from '../nurbs/index.ts';
import {
  curveResult,
  type Diagnostic,
  defineEvaluation,
  type Fact,
  failure,
  inputBody,
  inputCurves,
  type Mark,
  surfaceFacts,
} from '../recipe/index.ts';
import { fairNet, measureSurfaces } from '../skins/index.ts';
import tool from './fair.ts';

const GRADE = { G0: 0, G1: 1, G2: 2 } as const;
export default defineEvaluation(tool, (inputs, p, context) => {
  const input = inputs.curve[0];
  const list = inputCurves(input);
  if (!list.length) {
    const body = inputBody(input);
    if (!body) return failure('nothing', 'Pick a curve or a skin');
    if (body.faces.length !== 1)
      return failure(
        'several-faces',
        `This skin has ${body.faces.length} faces: copy the one to be faired with "Copy faces", then knit again`,
      );
    const f = body.faces[0];
    if (f.surface.rational) return failure('weights', 'This surface has weights: refit it first');
    let s: NurbsSurface = f.surface;
    let moved = 0;
    let [before, after] = [0, 0];
    const along = (x: NurbsSurface): NurbsSurface => {
      const r = fairNet({ degree: x.degreeU, knots: x.knotsU, data: strip(x), stride: 3 * x.countV }, 3 * x.countV, {
        limit: p.limit,
        keepStart: GRADE[p.start],
        keepEnd: GRADE[p.end],
        fixed: [],
      });
      moved = Math.max(moved, r.moved);
      before += r.before;
      after += r.after;
      return fill(x, r.net.data);
    };
    if (p.rows !== 'v') s = along(s);
    if (p.rows !== 'u') s = transpose(along(transpose(s)));
    const miss = measureSurfaces(f.surface, s);
    const name = f.name;
    const made = surfaceBody(s, { prefix: context.stepId, face: (i, j, n, m) => (n * m > 1 ? `${name}.${i}.${j}` : name) }).body;
    const trimmed = f.loops.length > 1 || f.loops[0].length > 4;
    const diagnostics: Diagnostic[] = trimmed
      ? [{ severity: 'warning', code: 'trims', message: 'The face was trimmed: what comes back is its whole surface. Trim it again' }]
      : [];
    return {
      outputs: {
        main: { kind: 'skin', body: { ...made, faces: made.faces.map((x) => ({ ...x, reversed: f.reversed, colour: f.colour })) } },
      },
      diagnostics,
      facts: [
        ...surfaceFacts([s]),
        ...calmer(before, after, moved),
        { label: 'way from before', value: `${formatNumber(miss.deviation, 4)} mm` },
      ],
    };
  }
  const c = joinCurves(list);
  if (c.rational)
    return failure('weights', 'This curve has weights (an arc, a circle, a conic): it is fair already, or refit it to a spline first');
  if (c.degree < 2) return failure('polyline', 'A polyline has no comb to calm: refit it to a spline first');
  const n = pointCount(c);
  const fixed = p.fixed.map((k) => Math.round(k) - 1);
  const wrong = fixed.find((k) => !(k >= 0 && k < n));
  if (wrong !== undefined) return failure('no-point', `There is no control point ${wrong + 1}; they are numbered 1 to ${n}`);
  const net: Net = { degree: c.degree, knots: c.knots, data: c.control, stride: 4 };
  const r = fairNet(net, 3, { limit: p.limit, keepStart: GRADE[p.start], keepEnd: GRADE[p.end], fixed });
  const out: NurbsCurve = { ...c, control: r.net.data };
  const result = curveResult(out);
  let far = 0;
  for (let i = 0; i <= 200; i++)
    far = Math.max(far, closestOnCurve(c, pointAt(out, domain(out)[0] + ((domain(out)[1] - domain(out)[0]) * i) / 200)).distance);
  const high = combHeight(c, p.scale);
  const marks: Mark[] = [
    { kind: 'link', points: comb(c, high) },
    { kind: 'link', points: comb(out, high) },
    ...Array.from(
      { length: n },
      (_, i): Mark => ({
        kind: 'slide',
        points: [place(out, i), place(out, i)],
        closed: false,
        at: 0,
        label: n <= 40 ? String(i + 1) : undefined,
        param: 'fixed',
        template: undefined,
        click: {
          params: { fixed: fixed.includes(i) ? p.fixed.filter((k) => Math.round(k) - 1 !== i) : [...p.fixed, i + 1].sort((a, b) => a - b) },
          hint: fixed.includes(i) ? 'Kept; click to let it move' : 'Click to keep this point',
        },
      }),
    ),
  ];
  return {
    ...result,
    marks,
    facts: [
      ...(result.facts ?? []),
      ...calmer(r.before, r.after, r.moved),
      { label: 'way from before', value: `${formatNumber(far, 4)} mm` },
    ],
  };
});
const calmer = (before: number, after: number, moved: number): Fact[] => [
  { label: 'points moved', value: `by up to ${formatNumber(moved, 4)} mm` },
  { label: 'unrest of the comb', value: before > 0 ? `${formatNumber((100 * after) / before, 2)} % of before` : 'none before' },
];
const place = (c: NurbsCurve, i: number): Vec3 => [c.control[4 * i], c.control[4 * i + 1], c.control[4 * i + 2]];
function strip(s: NurbsSurface): Float64Array {
  const out = new Float64Array(s.countU * s.countV * 3);
  for (let k = 0; k < s.countU * s.countV; k++) for (let d = 0; d < 3; d++) out[3 * k + d] = s.control[4 * k + d] / s.control[4 * k + 3];
  return out;
}
function fill(s: NurbsSurface, data: Float64Array): NurbsSurface {
  const control = new Float64Array(s.control);
  for (let k = 0; k < s.countU * s.countV; k++) {
    for (let d = 0; d < 3; d++) control[4 * k + d] = data[3 * k + d];
    control[4 * k + 3] = 1;
  }
  return { ...s, control };
}
/** Millimetres of comb for a curvature of one: a tenth of the curve's size for its largest curvature before. */
function combHeight(c: NurbsCurve, scale: number): number {
  let most = 0;
  for (const [, k] of curvatures(c)) most = Math.max(most, Math.hypot(k[0], k[1], k[2]));
  return most > 0 ? (scale * 0.12 * Math.min(boxSize(curveBox(c)), arcLength(c))) / most : 0;
}
function* curvatures(c: NurbsCurve): Generator<readonly [Vec3, Vec3]> {
  const [a, b] = domain(c);
  for (let i = 0; i <= 240; i++) {
    const [p, d, dd] = derivativesAt(c, a + ((b - a) * i) / 240, 2);
    const v = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
    if (v < 1e-20) continue;
    const along = (dd[0] * d[0] + dd[1] * d[1] + dd[2] * d[2]) / v;
    yield [p, [(dd[0] - along * d[0]) / v, (dd[1] - along * d[1]) / v, (dd[2] - along * d[2]) / v]];
  }
}
/** Outline of the comb: tips of the curvature vectors, laid outwards. */
function comb(c: NurbsCurve, high: number): Vec3[] {
  return [...curvatures(c)].map(([p, k]) => [p[0] - high * k[0], p[1] - high * k[1], p[2] - high * k[2]]);
}
