import { type Body, bodyBox, breaksAlong, type Face, usedRange } from '../brep/index.ts';
import { boxSize, changeBetween, distance, dot, sub, type Vec3 } from '../math/index.ts';
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
  pointCount,
} from '../nurbs/index.ts';
import { chainsOf } from './chains.ts';
import { insideFace } from './fields.ts';
import type { OnSkin, Side } from './on-skin.ts';

const jet = new Float64Array(27);

/** Parts of a curve on a face's surface that lie inside its trims; `uv` gives the place by the curve's parameter. */
export function clipToFace(b: Body, face: number, c: NurbsCurve, uv: (t: number) => readonly [number, number]): NurbsCurve[] {
  const inside = insideFace(b, face, 400);
  const [a, z] = domain(c);
  const [u0, u1, v0, v1] = usedRange(b.faces[face], b);
  // on a natural border the test is ambiguous: it is made a hair inside
  const test = (t: number) => {
    const [u, v] = uv(t);
    const e = 1e-7;
    return inside(
      Math.min(u1 - e * (u1 - u0), Math.max(u0 + e * (u1 - u0), u)),
      Math.min(v1 - e * (v1 - v0), Math.max(v0 + e * (v1 - v0), v)),
    );
  };
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

interface PulledFoot {
  readonly u: number;
  readonly v: number;
  readonly point: Vec3;
  readonly distance: number;
}
/** Newton's method on both conditions that the line to the point stands upright on the surface; finds nearest and farthest places alike. */
function upright(f: Face, p: Vec3, u0: number, v0: number): PulledFoot | undefined {
  const s = f.surface;
  const [ua, ub] = domainU(s);
  const [va, vb] = domainV(s);
  let [u, v] = [u0, v0];
  for (let k = 0; k < 30; k++) {
    evaluateSurface(s, u, v, 2, jet);
    const r = [jet[0] - p[0], jet[1] - p[1], jet[2] - p[2]];
    const d = (o: number) => r[0] * jet[o] + r[1] * jet[o + 1] + r[2] * jet[o + 2];
    const m = (a: number, b: number) => jet[a] * jet[b] + jet[a + 1] * jet[b + 1] + jet[a + 2] * jet[b + 2];
    const [g, h] = [d(9), d(3)];
    const [a, b, c] = [m(9, 9) + d(18), m(9, 3) + d(12), m(3, 3) + d(6)];
    const det = a * c - b * b;
    if (Math.abs(det) < 1e-14 * (Math.abs(a * c) + b * b + 1e-300)) return undefined;
    const [du, dv] = [-(c * g - b * h) / det, -(a * h - b * g) / det];
    const limit = 0.1;
    const scale = Math.max(1, Math.abs(du) / (limit * (ub - ua)), Math.abs(dv) / (limit * (vb - va)));
    u += du / scale;
    v += dv / scale;
    if (u < ua - 0.02 * (ub - ua) || u > ub + 0.02 * (ub - ua) || v < va - 0.02 * (vb - va) || v > vb + 0.02 * (vb - va)) return undefined;
    u = Math.min(ub, Math.max(ua, u));
    v = Math.min(vb, Math.max(va, v));
    if (Math.abs(du) / (ub - ua) + Math.abs(dv) / (vb - va) < 1e-15) break;
  }
  evaluateSurface(s, u, v, 1, jet);
  const point: Vec3 = [jet[0], jet[1], jet[2]];
  const r = sub(point, p);
  const l = Math.hypot(...r);
  const [su, sv]: Vec3[] = [
    [jet[6], jet[7], jet[8]],
    [jet[3], jet[4], jet[5]],
  ];
  if (l > 1e-9 && (Math.abs(dot(r, su)) > 1e-7 * l * Math.hypot(...su) || Math.abs(dot(r, sv)) > 1e-7 * l * Math.hypot(...sv)))
    return undefined;
  return { u, v, point, distance: l };
}

/**
 * A curve laid onto a body along the body's normals: to each place of the curve the nearest place of the body whose normal passes through it,
 * the farthest, or all. Runs on one face are fitted by themselves and end exactly where the foot leaves the face.
 */
export function pull(b: Body, curve: NurbsCurve, side: Side, options: { faces?: ReadonlySet<number>; tolerance?: number } = {}): OnSkin {
  const [a, z] = domain(curve);
  const n = Math.max(40, 8 * pointCount(curve));
  const faces = b.faces
    .map((f, i) => ({ f, i, range: usedRange(f, b), inside: insideFace(b, i, 120) }))
    .filter((x) => !options.faces || options.faces.has(x.i));
  const valid = (k: (typeof faces)[number], foot: PulledFoot | undefined) => !!foot && k.inside(foot.u, foot.v);
  const G = 12;
  const grids = faces.map(({ f, range }) =>
    Array.from({ length: (G + 1) ** 2 }, (_, i) => {
      const [u, v] = [
        range[0] + ((range[1] - range[0]) * Math.floor(i / (G + 1))) / G,
        range[2] + ((range[3] - range[2]) * (i % (G + 1))) / G,
      ];
      evaluateSurface(f.surface, u, v, 0, jet);
      return { u, v, p: [jet[0], jet[1], jet[2]] as Vec3 };
    }),
  );
  const feetAt = (t: number) => {
    const p = pointAt(curve, t);
    const out: { k: number; foot: PulledFoot }[] = [];
    faces.forEach((x, k) => {
      const d = grids[k].map((g) => distance(g.p, p));
      const around = (i: number, better: (m: number) => boolean) => {
        const [r, c] = [Math.floor(i / (G + 1)), i % (G + 1)];
        for (const [dr, dc] of [
          [-1, 0],
          [1, 0],
          [0, -1],
          [0, 1],
        ])
          if (r + dr >= 0 && r + dr <= G && c + dc >= 0 && c + dc <= G && better(d[(r + dr) * (G + 1) + c + dc])) return false;
        return true;
      };
      d.forEach((value, i) => {
        const low = around(i, (m) => m < value);
        if (!low && (side === 'near' || !around(i, (m) => m > value))) return;
        const foot = upright(x.f, p, grids[k][i].u, grids[k][i].v);
        if (foot && valid(x, foot) && !out.some((o) => distance(o.foot.point, foot.point) < 1e-6)) out.push({ k, foot });
      });
    });
    return out.sort((x, y) => x.foot.distance - y.foot.distance);
  };
  // runs: the same face, places that follow each other
  const size = boxSize(bodyBox(b));
  // over the seam of a closed direction the parameters jump: a run ends there
  const steady = (k: number, p: PulledFoot, q: PulledFoot) => {
    const r = faces[k].range;
    return (
      distance(p.point, q.point) < 0.2 * size && Math.abs(p.u - q.u) < 0.4 * (r[1] - r[0]) && Math.abs(p.v - q.v) < 0.4 * (r[3] - r[2])
    );
  };
  interface Run {
    readonly k: number;
    readonly places: { t: number; foot: PulledFoot }[];
  }
  const done: Run[] = [];
  let open: Run[] = [];
  for (let i = 0; i <= n; i++) {
    const t = a + ((z - a) * i) / n;
    const all = feetAt(t);
    const chosen = side === 'near' ? all.slice(0, 1) : side === 'far' ? all.slice(-1) : all;
    const next: Run[] = [];
    for (const { k, foot } of chosen) {
      const run = open
        .filter((r) => r.k === k && !next.includes(r))
        .sort(
          (x, y) =>
            distance(x.places[x.places.length - 1].foot.point, foot.point) - distance(y.places[y.places.length - 1].foot.point, foot.point),
        )[0];
      if (run && steady(k, run.places[run.places.length - 1].foot, foot)) {
        run.places.push({ t, foot });
        next.push(run);
      } else next.push({ k, places: [{ t, foot }] });
    }
    done.push(...open.filter((r) => !next.includes(r)));
    open = next;
  }
  done.push(...open);
  let deviation = 0;
  const curves = done.flatMap((run): NurbsCurve[] => {
    const x = faces[run.k];
    const at = (t: number): PulledFoot | undefined => {
      let i = run.places.findIndex((p) => p.t >= t);
      if (i < 0) i = run.places.length - 1;
      const [p, q] = [run.places[Math.max(0, i - 1)], run.places[i]];
      const s = q.t > p.t ? Math.min(1, Math.max(0, (t - p.t) / (q.t - p.t))) : 0;
      return upright(x.f, pointAt(curve, t), p.foot.u + s * (q.foot.u - p.foot.u), p.foot.v + s * (q.foot.v - p.foot.v));
    };
    const edge = (inside: number, outside: number) => changeBetween((m) => valid(x, at(m)), inside, outside, 46)[0];
    const h = (z - a) / n;
    const [first, last] = [run.places[0].t, run.places[run.places.length - 1].t];
    const from = first <= a + 1e-12 * (z - a) ? a : edge(first, Math.max(a, first - h));
    const to = last >= z - 1e-12 * (z - a) ? z : edge(last, Math.min(z, last + h));
    if (to - from < 1e-6 * (z - a)) return [];
    const place = (t: number) => at(t) ?? run.places[0].foot;
    const fit = fitFunction(
      (t, out) => {
        out.set(place(t).point);
      },
      from,
      to,
      3,
      5,
      options.tolerance ?? 2e-6,
      [
        ...Array.from(curve.knots)
          .filter((k) => k > from && k < to)
          .map((t) => ({ t, multiplicity: 3 })),
        ...breaksAlong({ total: to - from, near: (s) => from + s }, (t) => [{ s: x.f.surface, uv: [place(t).u, place(t).v] as const }]).map(
          (s) => ({ ...s, t: from + s.t }),
        ),
      ],
      300,
    );
    deviation = Math.max(deviation, fit.deviation);
    return [curveOfFit(fit, 5)];
  });
  return { chains: chainsOf(curves, 1e-5 * size), points: curves.reduce((s, c) => s + c.control.length / 4, 0), deviation };
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
  const inside = insideFace(b, face, 120);
  const [u0, u1, v0, v1] = usedRange(f, b);
  const e = 1e-6;
  const out = feet.findIndex(
    (q) =>
      !inside(
        Math.min(u1 - e * (u1 - u0), Math.max(u0 + e * (u1 - u0), q.u)),
        Math.min(v1 - e * (v1 - v0), Math.max(v0 + e * (v1 - v0), q.v)),
      ),
  );
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
