import type { Sketch } from './model.ts';
import { type Part, partsOf } from './rules.ts';
import { gapOf, sceneOf } from './scene.ts';

/**
 * Residuals of a sketch: each rule gives one or a few numbers, lengths in mm, that are zero when it holds. Unknowns are the coordinates of
 * points, radii of circles and second radii of ellipses.
 */
export interface Residual {
  /** Rule it comes from; -1 for what a curve asks by itself (an arc's two radii). */
  readonly rule: number;
  readonly variables: readonly number[];
  readonly value: (x: Float64Array) => number;
}
export interface Unknowns {
  readonly x: Float64Array;
  readonly point: ReadonlyMap<string, number>;
  readonly radius: ReadonlyMap<string, number>;
  /** What each unknown belongs to: point or curve id. */
  readonly owner: readonly string[];
}

export function unknownsOf(s: Sketch): Unknowns {
  const x: number[] = [];
  const owner: string[] = [];
  const point = new Map<string, number>();
  const radius = new Map<string, number>();
  for (const p of s.points) {
    point.set(p.id, x.length);
    x.push(p.x, p.y);
    owner.push(p.id, p.id);
  }
  for (const c of s.curves)
    if (c.type === 'circle' || c.type === 'ellipse') {
      radius.set(c.id, x.length);
      x.push(c.r);
      owner.push(c.id);
    }
  return { x: Float64Array.from(x), point, radius, owner };
}

/** All residuals; `values` gives the numbers of dimensions by rule index. Sides (which way round a tangency is) are taken from `start`. */
export function residualsOf(s: Sketch, u: Unknowns, values: ReadonlyMap<number, number>, start: Float64Array): Residual[] {
  const scene = sceneOf(s, u, start);
  const from =
    (rule: number) =>
    ([variables, value]: Part): Residual => ({ rule, variables: [...new Set(variables)], value });
  const own = s.curves.flatMap((c): Residual[] => {
    if (c.type !== 'arc') return [];
    const [m, a, b] = [c.c, c.a, c.b].map(scene.P);
    return [from(-1)([[c.c, c.a, c.b].flatMap(scene.xy), (x) => gapOf(x, b, m) - gapOf(x, a, m)])];
  });
  return [...own, ...s.rules.flatMap((r, i) => partsOf(r, scene, values.get(i) ?? 0).map(from(i)))];
}
