import { type Body, breaksAlong } from '../brep/index.ts';
import { changeBetween, distance, type Vec3 } from '../math/index.ts';
import {
  clipCurve,
  closestOnSurface,
  curveOfFit,
  curveThrough,
  domain,
  domainU,
  domainV,
  evaluateSurface,
  fitFunction,
  fitPeriodic,
  isClosedU,
  isClosedV,
  type NurbsCurve,
  pointAt,
} from '../nurbs/index.ts';
import { insideOrOnBorder } from './fields.ts';

const jet = new Float64Array(27);

/** Parts of a curve on a face's surface that lie inside its trims; `uv` gives the place by the curve's parameter. */
export function clipToFace(b: Body, face: number, c: NurbsCurve, uv: (t: number) => readonly [number, number]): NurbsCurve[] {
  const inside = insideOrOnBorder(b, face, 400);
  const [a, z] = domain(c);
  const test = (t: number) => inside(...uv(t));
  const n = 400;
  const cuts = [a];
  for (let i = 1; i <= n; i++) {
    const [low, high] = [a + ((z - a) * (i - 1)) / n, a + ((z - a) * i) / n];
    const was = test(low);
    if (was !== test(high)) cuts.push(changeBetween((m) => test(m) === was, low, high)[1]);
  }
  cuts.push(z);
  return cuts.slice(1).flatMap((t, i) => {
    const s = cuts[i];
    if (t - s < 1e-9 * (z - a) || !test((s + t) / 2)) return [];
    return [s === a && t === z ? c : clipCurve(c, s, t)];
  });
}

export type FaceSpline =
  | { readonly ok: true; readonly curve: NurbsCurve; readonly points: readonly Vec3[]; readonly moved: number; readonly deviation: number }
  | { readonly ok: false; readonly message: string; readonly place?: Vec3 };
/**
 * Spline on a face: the points are pulled onto it, a spline goes through them in (u, v) by length, and its image is fitted. It stays on the
 * face whatever becomes of the face, because only the points are kept. Closed directions are crossed the short way.
 */
export function splineOnFace(
  b: Body,
  face: number,
  places: readonly Vec3[],
  options: { closed: boolean; degree: number; tolerance: number },
): FaceSpline {
  const f = b.faces[face];
  const s = f.surface;
  const feet = places.map((p) => closestOnSurface(s, p));
  const inside = insideOrOnBorder(b, face, 120);
  const out = feet.findIndex((q) => !inside(q.u, q.v));
  if (out >= 0)
    return { ok: false, message: `Point ${out + 1} lies where the face is trimmed away: move it onto the face`, place: feet[out].point };
  for (let i = 0; i + 1 < feet.length; i++)
    if (distance(feet[i].point, feet[i + 1].point) < 1e-7)
      return { ok: false, message: `Points ${i + 1} and ${i + 2} fall together: move or remove one`, place: feet[i].point };
  const [ua, ub] = domainU(s);
  const [va, vb] = domainV(s);
  const [wrapU, wrapV] = [isClosedU(s, 1e-7), isClosedV(s, 1e-7)];
  const short = (x: number, before: number, period: number) => x - period * Math.round((x - before) / period);
  const list: [number, number][] = [];
  for (const q of feet) {
    const last = list[list.length - 1];
    list.push(last ? [wrapU ? short(q.u, last[0], ub - ua) : q.u, wrapV ? short(q.v, last[1], vb - va) : q.v] : [q.u, q.v]);
  }
  let closed = options.closed;
  const first = list[0];
  const last = list[list.length - 1];
  // a closed spline that runs once round a closed direction does not close in (u, v): there it ends one period on
  const home: [number, number] = [
    wrapU ? short(first[0], last[0], ub - ua) : first[0],
    wrapV ? short(first[1], last[1], vb - va) : first[1],
  ];
  const around = closed && (Math.abs(home[0] - first[0]) > 1e-9 * (ub - ua) || Math.abs(home[1] - first[1]) > 1e-9 * (vb - va));
  if (around) {
    list.push(home);
    closed = false;
  }
  const path = curveThrough(
    list.map(([u, v]) => [u, v, 0]),
    { degree: options.degree, closed },
  );
  const wrap = (x: number, lo: number, hi: number, on: boolean) =>
    on ? lo + ((((x - lo) % (hi - lo)) + (hi - lo)) % (hi - lo)) : Math.min(hi, Math.max(lo, x));
  const [ta, tz] = domain(path);
  const uv = (t: number): [number, number] => {
    const q = pointAt(path, t);
    return [wrap(q[0], ua, ub, wrapU), wrap(q[1], va, vb, wrapV)];
  };
  const fit = (closed ? fitPeriodic : fitFunction)(
    (t, row) => {
      evaluateSurface(s, ...uv(t), 0, jet);
      row.set([jet[0], jet[1], jet[2]]);
    },
    ta,
    tz,
    3,
    5,
    options.tolerance,
    [
      ...Array.from(path.knots)
        .filter((k) => k > ta && k < tz)
        .map((t) => ({ t, multiplicity: 3 })),
      ...breaksAlong({ total: tz - ta, near: (x) => ta + x }, (t) => [{ s, uv: uv(t) }]).map((x) => ({ ...x, t: ta + x.t })),
    ],
    300,
  );
  return {
    ok: true,
    curve: curveOfFit(fit, 5),
    points: feet.map((q) => q.point),
    moved: Math.max(...feet.map((q) => q.distance)),
    deviation: fit.deviation,
  };
}
