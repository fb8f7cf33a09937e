import { angleBetween, sub, type Vec3 } from '../math/index.ts';
import { pointOf } from './cage.ts';
import { cornerFan, creaseFan, type Fan, FanNet, smoothFan } from './fan.ts';
import { cornersOf, endOf, fanOf } from './shape.ts';
import type { Refinable } from './subdivide.ts';

/** Faces round a vertex between two sharp edges (or all of them where there is none), as outgoing half-edges, counterclockwise. */
export interface Sector {
  readonly closed: boolean;
  readonly halves: readonly number[];
}
/** Sharpness of the edge of a half-edge; a border is full. */
export const sharpOf = (c: Refinable, h: number): number => (c.shape.twin[h] < 0 ? Infinity : c.sharpness[c.shape.edgeOf[h]]);

export function sectorsOf(c: Refinable, v: number): Sector[] {
  const fan = fanOf(c.shape, v);
  const cut = fan.findIndex((h) => sharpOf(c, h) > 0);
  if (cut < 0) return [{ closed: true, halves: fan }];
  const out: { closed: boolean; halves: number[] }[] = [];
  for (const h of [...fan.slice(cut), ...fan.slice(0, cut)]) {
    if (sharpOf(c, h) > 0) out.push({ closed: false, halves: [] });
    out[out.length - 1].halves.push(h);
  }
  return out;
}
/** Number of sharp edges at a vertex. */
export function sharpCount(c: Refinable, v: number): number {
  const { shape: s } = c;
  const fan = fanOf(s, v);
  const last = fan.length ? s.prev[fan[fan.length - 1]] : -1;
  return fan.filter((h) => sharpOf(c, h) > 0).length + (last >= 0 && s.twin[last] < 0 ? 1 : 0);
}
/** A vertex that stays where it is: pinned, where three or more sharp edges meet, or where a border turns round a single face. */
export function isHeld(c: Refinable, v: number): boolean {
  const n = sharpCount(c, v);
  return c.pins[v] > 0 || n > 2 || (n === 2 && fanOf(c.shape, v).length === 1 && c.shape.twin[c.shape.out[v]] < 0);
}
/** Does the face of h look regular at the origin of h: four faces all round, two along a crease, one at a corner? */
export function regularAt(c: Refinable, h: number): boolean {
  const { shape: s } = c;
  const v = s.corners[h];
  const sector = sectorsOf(c, v).find((x) => x.halves.some((g) => s.face[g] === s.face[h]));
  if (!sector || (c.pins[v] > 0 && c.pins[v] < Infinity)) return false;
  const partly = (x: number) => x > 0 && x < Infinity;
  if (fanOf(s, v).some((g) => partly(sharpOf(c, g)) || partly(sharpOf(c, s.prev[g])))) return false;
  if (sector.closed) return sector.halves.length === 4 && !isHeld(c, v);
  const count = sharpCount(c, v);
  if (count === 1) return false;
  return sector.halves.length === (isHeld(c, v) ? 1 : 2);
}
const isQuad = (c: Refinable, f: number): boolean => cornersOf(c.shape, f) === 4;
/** A face whose limit is one bicubic patch of the sixteen vertices round it. */
export function isRegularFace(c: Refinable, f: number): boolean {
  if (!isQuad(c, f)) return false;
  const { shape: s } = c;
  for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
    if (!regularAt(c, h)) return false;
    if (sharpOf(c, h) === 0 && !isQuad(c, s.face[s.twin[h]])) return false;
  }
  return true;
}

const STEP = Math.PI / 12;
/** The fan of a sector; at a corner with the angle it opens in the cage, to 15 degrees and kept away from straight. */
export function fanOfSector(c: Refinable, v: number, sector: Sector): Fan {
  const k = sector.halves.length;
  if (sector.closed) return smoothFan(k);
  if (!isHeld(c, v)) return creaseFan(k);
  const { shape: s, points } = c;
  const p = pointOf(points, v);
  const sum = sector.halves.reduce(
    (a, h) => a + angleBetween(sub(pointOf(points, endOf(s, h)), p), sub(pointOf(points, s.corners[s.prev[h]]), p)),
    0,
  );
  let angle = Math.max(2 * STEP, Math.round(sum / STEP) * STEP);
  if (Math.abs(angle - Math.PI) < 2 * STEP) angle = Math.PI + 2 * STEP * (sum > Math.PI ? 1 : -1);
  return cornerFan(k, Math.min(angle, 22 * STEP));
}

const beyond = (p: Vec3, q: Vec3): Vec3 => [2 * p[0] - q[0], 2 * p[1] - q[1], 2 * p[2] - q[2]];
/**
 * The vertices round a sector as the net of its fan, two faces deep: nothing unless the first ring is regular. Past a sharp edge stand the
 * points that make its curve the border of a spline (2P - Q).
 */
export function netOfSector(c: Refinable, fan: Fan, sector: Sector): FanNet | undefined {
  const { shape: s } = c;
  const net = new FanNet(fan, 2, 3);
  const P = (v: number): Vec3 => pointOf(c.points, v);
  for (const [i, h] of sector.halves.entries()) {
    if (!isQuad(c, s.face[h])) return undefined;
    const [h1, h2, h3] = [s.next[h], s.next[s.next[h]], s.prev[h]];
    if (![h1, h2, h3].every((x) => regularAt(c, x))) return undefined;
    const g: Vec3[][] = [
      [P(s.corners[h]), P(s.corners[h3]), [0, 0, 0]],
      [P(s.corners[h1]), P(s.corners[h2]), [0, 0, 0]],
      [
        [0, 0, 0],
        [0, 0, 0],
        [0, 0, 0],
      ],
    ];
    const [cutU, cutV] = [sharpOf(c, h1) > 0, sharpOf(c, h2) > 0];
    if ((!cutU && !isQuad(c, s.face[s.twin[h1]])) || (!cutV && !isQuad(c, s.face[s.twin[h2]]))) return undefined;
    if (cutU) [g[2][0], g[2][1]] = [beyond(g[1][0], g[0][0]), beyond(g[1][1], g[0][1])];
    else {
      const n = s.next[s.twin[h1]];
      [g[2][0], g[2][1]] = [P(endOf(s, n)), P(endOf(s, s.next[n]))];
    }
    if (cutV) [g[0][2], g[1][2]] = [beyond(g[0][1], g[0][0]), beyond(g[1][1], g[1][0])];
    else {
      const t = s.twin[h2];
      [g[1][2], g[0][2]] = [P(endOf(s, s.next[t])), P(s.corners[s.prev[t]])];
    }
    if (cutU) g[2][2] = beyond(g[1][2], g[0][2]);
    else if (cutV) g[2][2] = beyond(g[2][1], g[2][0]);
    else g[2][2] = P(endOf(s, s.next[s.twin[s.prev[s.twin[h1]]]]));
    for (let a = 0; a <= 2; a++) for (let b = 0; b <= 2; b++) net.data.set(g[a][b], 3 * net.row(i, a, b));
  }
  return net;
}
