import { crossings, meetings } from '../curves/index.ts';
import { distance, formatNumber, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  clipCurve,
  closestOnCurve,
  domain,
  isClosed,
  joinCurves,
  lengthParameter,
  type NurbsCurve,
  pointAt,
} from '../nurbs/index.ts';
import { chainsResult, defineEvaluation, failure, type Input, inputCurves, inputPlane, inputPoint, type Mark } from '../recipe/index.ts';
import tool from './trim-curve.ts';

export default defineEvaluation(tool, (inputs, p) => {
  const given = inputCurves(inputs.curve[0]);
  if (!given.length) return failure('not-a-curve', 'Pick a curve or an edge');
  const c = joinCurves(given);
  const [a, b] = domain(c);
  const cuts: number[] = [];
  const misses: Vec3[] = [];
  inputs.cutters.forEach((input: Input) => {
    const before = cuts.length;
    const curves = inputCurves(input);
    const point = inputPoint(input);
    const plane = inputPlane(input);
    if (curves.length) for (const k of curves) cuts.push(...meetings(c, k, p.reach).map((m) => m.t));
    else if (point) cuts.push(closestOnCurve(c, point).t);
    else if (plane) cuts.push(...crossings(c, plane).map((m) => m.t));
    if (cuts.length === before) misses.push(curves[0] ? pointAt(curves[0], domain(curves[0])[0]) : (point ?? plane?.origin ?? [0, 0, 0]));
  });
  if (misses.length)
    return failure(
      'no-meeting',
      `${misses.length === 1 ? 'A cutter does' : `${misses.length} cutters do`} not meet the curve within ${formatNumber(p.reach)} mm: extend it, or raise "Counts as meeting"`,
      misses,
    );
  const by = lengthParameter(c);
  for (const s of p.at) {
    if (!(s > 0 && s < 1)) return failure('share', 'Shares lie between 0 and 1', [pointAt(c, a)]);
    cuts.push(by.at(by.total * s));
  }
  if (p.mode === 'spans') cuts.push(...c.knots.filter((k) => k > a && k < b));
  const list = [...new Set(cuts)].filter((t) => t > a + 1e-10 * (b - a) && t < b - 1e-10 * (b - a)).sort((x, y) => x - y);
  if (!list.length)
    return failure(
      'no-cut',
      p.mode === 'spans'
        ? 'This curve has one span: there is nothing to break'
        : 'Nothing cuts the curve: pick cutters or give shares of its length',
    );
  const bounds = [a, ...list.filter((t, i) => i === 0 || t - list[i - 1] > 1e-9 * (b - a)), b];
  let pieces: NurbsCurve[] = bounds.slice(1).map((t, i) => clipCurve(c, bounds[i], t));
  // a closed curve has no cut at its start, unless it was asked for
  const atStart = cuts.some((t) => t <= a + 1e-10 * (b - a) || t >= b - 1e-10 * (b - a));
  if (isClosed(c) && pieces.length > 1 && !atStart) pieces = [...pieces.slice(1, -1), joinCurves([pieces[pieces.length - 1], pieces[0]])];
  if (p.mode !== 'keep') return chainsResult(pieces.map((x) => [x]));
  const middle = pieces.map((x) => {
    const l = lengthParameter(x);
    return pointAt(x, l.near(l.total / 2));
  });
  const longest = pieces.reduce((m, x, i) => (arcLength(x) > arcLength(pieces[m]) ? i : m), 0);
  const kept = p.places.length
    ? new Set(
        p.places.map((q) => pieces.reduce((m, x, i) => (closestOnCurve(x, q).distance < closestOnCurve(pieces[m], q).distance ? i : m), 0)),
      )
    : new Set([longest]);
  const runs: NurbsCurve[][] = [];
  pieces.forEach((x, i) => {
    if (!kept.has(i)) return;
    const last = runs[runs.length - 1];
    const end = last && pointAt(last[last.length - 1], domain(last[last.length - 1])[1]);
    if (end && distance(end, pointAt(x, domain(x)[0])) < 1e-9) last.push(x);
    else runs.push([x]);
  });
  const marks: Mark[] = middle.map((at, i) => ({ kind: 'choice', at, kept: kept.has(i) }));
  return chainsResult(runs, { marks, facts: [{ label: 'pieces', value: String(pieces.length) }] });
});
