import { sub, type Vec3 } from '../math/index.ts';
import { type Cage, pointOf, withPoints } from './cage.ts';
import { endOf, fanOf, isBorderVertex } from './shape.ts';
import { smoothMesh } from './smooth.ts';
import type { Refinable } from './subdivide.ts';

/** What a cage is laid onto: the nearest place of it to a given one. */
export type Nearest = (p: Vec3) => { readonly point: Vec3; readonly distance: number } | undefined;

export interface FitOptions {
  /** Distance that is aimed at, mm: when all places that are looked at lie within it, it stops. */
  readonly within: number;
  readonly rounds: number;
  /** Share by which vertices are evened out along the surface in each round, 0 to 1. */
  readonly even: number;
  /** Vertices on open borders stay where they are. */
  readonly holdBorders: boolean;
  /** The vertices that may move; all when left out. */
  readonly only?: ReadonlySet<number>;
}
export interface Fitted {
  readonly cage: Cage;
  readonly rounds: number;
  /** Distances of the smooth surface to what it was laid onto, over the vertices after two steps of refinement. */
  readonly most: number;
  readonly mean: number;
  readonly worst: Vec3;
}

/** Distances of the smooth surface to a target, at its vertices after `steps` steps. */
export function distancesOnto(c: Refinable, nearest: Nearest, steps = 2): { most: number; mean: number; worst: Vec3 } {
  const m = smoothMesh(c, steps);
  let [most, sum] = [0, 0];
  let worst: Vec3 = pointOf(m.positions, 0);
  for (let v = 0; v < m.shape.vertices; v++) {
    const p = pointOf(m.positions, v);
    const d = nearest(p)?.distance ?? 0;
    sum += d;
    if (d > most) [most, worst] = [d, p];
  }
  return { most, mean: sum / Math.max(1, m.shape.vertices), worst };
}

/**
 * Lays the smooth surface of a cage onto a target. In each round the limits of the vertices, of the middles of edges and of faces (vertices after one
 * step) are asked how far off they are, and each vertex goes by what those round it miss, in the weights of the step itself: the smoothing that
 * makes the limit of the cage is a contraction towards one, so what is left of the miss falls from round to round. Vertices are evened out along
 * the surface meanwhile. The best of all rounds is kept.
 */
export function fitOnto(start: Cage, nearest: Nearest, o: FitOptions): Fitted {
  const { shape: s } = start;
  let cage = start;
  let best: Fitted | undefined;
  for (let round = 0; ; round++) {
    const told = distancesOnto(cage, nearest, 2);
    if (!best || told.most < best.most) best = { cage, rounds: round, ...told };
    if (told.most <= o.within || round >= o.rounds) break;
    const m = smoothMesh(cage, 1);
    const miss = new Float64Array(3 * m.shape.vertices);
    for (let v = 0; v < m.shape.vertices; v++) {
      const p = pointOf(m.positions, v);
      const q = nearest(p);
      if (q) miss.set(sub(q.point, p), 3 * v);
    }
    const points = cage.points.slice();
    const normals = m.normals;
    for (let v = 0; v < s.vertices; v++) {
      const border = isBorderVertex(s, v);
      if (s.out[v] < 0 || cage.pins[v] > 0 || (border && o.holdBorders) || (o.only && !o.only.has(v))) continue;
      const fan = fanOf(s, v);
      // the vertex itself, its edges' middles and its faces' middles, as the cubic weighs them
      let weight = 4;
      const by = [0, 1, 2].map((k) => 4 * miss[3 * v + k]);
      const put = (w: number, at: number) => {
        weight += w;
        for (let k = 0; k < 3; k++) by[k] += w * miss[3 * at + k];
      };
      const edges = fan.map((h) => s.edgeOf[h]);
      if (border) {
        put(1, s.vertices + edges[0]);
        put(1, s.vertices + s.edgeOf[s.prev[fan[fan.length - 1]]]);
      } else {
        for (const e of edges) put(2 * (4 / fan.length), s.vertices + e);
        for (const h of fan) put(4 / fan.length, s.vertices + s.edges + s.face[h]);
      }
      const go = [0, 1, 2].map((k) => by[k] / weight);
      if (o.even > 0 && !border) {
        const round4 = fan.map((h) => endOf(s, h));
        const aside = [0, 1, 2].map(
          (k) => round4.reduce((sum, w) => sum + cage.points[3 * w + k], 0) / round4.length - cage.points[3 * v + k],
        );
        const n = [normals[3 * v], normals[3 * v + 1], normals[3 * v + 2]];
        const up = aside[0] * n[0] + aside[1] * n[1] + aside[2] * n[2];
        // less and less, so that it comes to rest
        const share = o.even / (1 + round / 4);
        for (let k = 0; k < 3; k++) go[k] += share * (aside[k] - up * n[k]);
      }
      for (let k = 0; k < 3; k++) points[3 * v + k] += 1.3 * go[k];
    }
    cage = withPoints(cage, points);
  }
  return best as Fitted;
}
