import { type Body, bodyBox, breaksAlong, insideFace, usedRange } from '../brep/index.ts';
import { boxSize, changeBetween, distance, type Vec3 } from '../math/index.ts';
import {
  closestOnSurface,
  curveOfFit,
  domain,
  evaluateSurface,
  fitFunction,
  type NurbsCurve,
  pointAt,
  pointCount,
} from '../nurbs/index.ts';
import { chainsOf } from './chains.ts';
import type { OnSkin, Side } from './on-skin.ts';
import { crossesSeam, type Foot, upright, waysOf } from './upright.ts';

const jet = new Float64Array(3);

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
  const valid = (k: (typeof faces)[number], foot: Foot | undefined) => !!foot && k.inside(foot.u, foot.v);
  const size = boxSize(bodyBox(b));
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
  const feetAt = (t: number, before: readonly { k: number; foot: Foot }[]) => {
    const p = pointAt(curve, t);
    const out: { k: number; foot: Foot }[] = [];
    faces.forEach((x, k) => {
      const put = (foot: Foot | undefined) => {
        if (foot && valid(x, foot) && !out.some((o) => distance(o.foot.point, foot.point) < 1e-9 * size)) out.push({ k, foot });
      };
      const s = x.f.surface;
      const nearest = closestOnSurface(s, p);
      put(upright(s, p, nearest.u, nearest.v));
      // where the curve was a step before is a good guess
      for (const o of before) if (o.k === k) put(upright(s, p, o.foot.u, o.foot.v));
      const d = grids[k].map((g) => distance(g.p, p));
      const { closed } = waysOf(s);
      const around = (i: number, better: (m: number) => boolean) => {
        const [r, c] = [Math.floor(i / (G + 1)), i % (G + 1)];
        for (const [dr, dc] of [
          [-1, 0],
          [1, 0],
          [0, -1],
          [0, 1],
        ]) {
          let [i, j] = [r + dr, c + dc];
          if (closed[0] && (i < 0 || i > G)) i = i < 0 ? G - 1 : 1;
          if (closed[1] && (j < 0 || j > G)) j = j < 0 ? G - 1 : 1;
          if (i >= 0 && i <= G && j >= 0 && j <= G && better(d[i * (G + 1) + j])) return false;
        }
        return true;
      };
      d.forEach((value, i) => {
        const low = around(i, (m) => m < value);
        if (!low && (side === 'near' || !around(i, (m) => m > value))) return;
        put(upright(s, p, grids[k][i].u, grids[k][i].v));
      });
    });
    return out.sort((x, y) => x.foot.distance - y.foot.distance);
  };
  // runs: the same face, places that follow each other; over the seam of a closed direction the parameters jump, and a run ends there
  const steady = (k: number, p: Foot, q: Foot) => distance(p.point, q.point) < 0.2 * size && !crossesSeam(faces[k].f.surface, p, q);
  interface Run {
    readonly k: number;
    readonly places: { t: number; foot: Foot }[];
  }
  const done: Run[] = [];
  let open: Run[] = [];
  let before: ReturnType<typeof feetAt> = [];
  for (let i = 0; i <= n; i++) {
    const t = a + ((z - a) * i) / n;
    const all = feetAt(t, before);
    before = all;
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
  const covered: [number, number][] = [];
  const curves = done.flatMap((run): NurbsCurve[] => {
    const x = faces[run.k];
    const step = Math.max(1e-6 * size, ...run.places.slice(1).map((p, i) => distance(p.foot.point, run.places[i].foot.point)));
    const at = (t: number): Foot | undefined => {
      let i = run.places.findIndex((p) => p.t >= t);
      if (i < 0) i = run.places.length - 1;
      const [p, q] = [run.places[Math.max(0, i - 1)], run.places[i]];
      const s = q.t > p.t ? Math.min(1, Math.max(0, (t - p.t) / (q.t - p.t))) : 0;
      const c = pointAt(curve, t);
      for (const [u, v] of [
        [p.foot.u + s * (q.foot.u - p.foot.u), p.foot.v + s * (q.foot.v - p.foot.v)],
        [p.foot.u, p.foot.v],
        [q.foot.u, q.foot.v],
      ]) {
        const foot = upright(x.f.surface, c, u, v);
        // the same branch: hardly farther from its neighbours than they are from each other
        if (foot && Math.min(distance(foot.point, p.foot.point), distance(foot.point, q.foot.point)) < 2 * step) return foot;
      }
      return undefined;
    };
    const edge = (inside: number, outside: number) => {
      const home = at(inside);
      const here = (m: number) => {
        const foot = at(m);
        return valid(x, foot) && !!home && !!foot && steady(run.k, home, foot);
      };
      return changeBetween(here, inside, outside, 46)[0];
    };
    const h = (z - a) / n;
    const [first, last] = [run.places[0].t, run.places[run.places.length - 1].t];
    const from = first <= a + 1e-12 * (z - a) ? a : edge(first, Math.max(a, first - h));
    const to = last >= z - 1e-12 * (z - a) ? z : edge(last, Math.min(z, last + h));
    if (to - from < 1e-6 * (z - a)) return [];
    let lost = false;
    const place = (t: number) => {
      const foot = at(t);
      if (!foot) lost = true;
      return foot ?? run.places[0].foot;
    };
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
    // a place that was not found again is no curve
    deviation = Math.max(deviation, lost ? size : fit.deviation);
    covered.push([from, to]);
    return [curveOfFit(fit, 5)];
  });
  return {
    chains: chainsOf(curves, 1e-5 * size),
    points: curves.reduce((s, c) => s + c.control.length / 4, 0),
    deviation,
    left: leftOut(covered, a, z).map(([from, to]) => ({ share: (to - from) / (z - a), place: pointAt(curve, (from + to) / 2) })),
  };
}

/** What of [a, z] no interval covers. */
function leftOut(list: readonly (readonly [number, number])[], a: number, z: number): [number, number][] {
  const out: [number, number][] = [];
  let at = a;
  for (const [from, to] of [...list].sort((x, y) => x[0] - y[0])) {
    if (from - at > 1e-6 * (z - a)) out.push([at, from]);
    at = Math.max(at, to);
  }
  if (z - at > 1e-6 * (z - a)) out.push([at, z]);
  return out;
}
