import { describe, expect, it } from 'vitest';
import { fanCage } from '../testing/cages.ts';
import { capOf, capTable } from './cap.ts';
import { fanOf, type Refinable, refine, vertexLimit } from './index.ts';
import { fanOfSector, netOfSector, sectorsOf } from './sectors.ts';

/** Value and first derivatives of a Bézier patch by de Casteljau, which shares nothing with the caps. */
function patch(net: Float64Array, p: number, u: number, v: number): { s: number[]; su: number[]; sv: number[] } {
  const curve = (rows: number[][], t: number): { at: number[]; slope: number[] } => {
    let list = rows;
    while (list.length > 2) list = list.slice(1).map((q, i) => q.map((x, k) => (1 - t) * list[i][k] + t * x));
    return { at: list[0].map((x, k) => (1 - t) * x + t * list[1][k]), slope: list[0].map((x, k) => p * (list[1][k] - x)) };
  };
  const row = (a: number) => Array.from({ length: p + 1 }, (_, b) => [...net.subarray(3 * (a * (p + 1) + b), 3 * (a * (p + 1) + b) + 3)]);
  const across = Array.from({ length: p + 1 }, (_, a) => curve(row(a), v));
  const main = curve(
    across.map((x) => x.at),
    u,
  );
  return {
    s: main.at,
    su: main.slope,
    sv: curve(
      across.map((x) => x.slope),
      u,
    ).at,
  };
}
const normalOf = ({ su, sv }: { su: number[]; sv: number[] }) => {
  const n = [su[1] * sv[2] - su[2] * sv[1], su[2] * sv[0] - su[0] * sv[2], su[0] * sv[1] - su[1] * sv[0]];
  const l = Math.hypot(...n);
  return n.map((x) => x / l);
};
const degrees = (a: number[], b: number[]) =>
  (Math.atan2(
    Math.hypot(a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]),
    a.reduce((s, x, k) => s + x * b[k], 0),
  ) *
    180) /
  Math.PI;
/** Distance of a place to a patch: Newton from the nearest of a grid. */
function away(net: Float64Array, p: number, q: readonly number[]): number {
  let best: [number, number, number] = [Infinity, 0, 0];
  for (let i = 0; i <= 6; i++)
    for (let j = 0; j <= 6; j++) {
      const { s } = patch(net, p, i / 6, j / 6);
      const d = Math.hypot(...s.map((x, k) => x - q[k]));
      if (d < best[0]) best = [d, i / 6, j / 6];
    }
  let [, u, v] = best;
  for (let k = 0; k < 8; k++) {
    const { s, su, sv } = patch(net, p, u, v);
    const r = s.map((x, d) => q[d] - x);
    const dot = (a: number[], b: number[]) => a.reduce((sum, x, d) => sum + x * b[d], 0);
    const [E, F, G, a, b] = [dot(su, su), dot(su, sv), dot(sv, sv), dot(r, su), dot(r, sv)];
    const det = E * G - F * F;
    u = Math.min(1, Math.max(0, u + (G * a - F * b) / det));
    v = Math.min(1, Math.max(0, v + (E * b - F * a) / det));
  }
  const { s } = patch(net, p, u, v);
  return Math.min(best[0], Math.hypot(...s.map((x, d) => x - q[d])));
}
const SPOKE = [0, 0.02, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.95, 1];

describe('caps round a pole', () => {
  it.each([3, 5, 6, 7, 8])(
    'valence %i: tangent over its spokes within 0.01 degrees, near the limit, joined to the ring without a kink',
    (n) => {
      const settings = { degree: 8, g1: 1e4, g2: 0.1, fairness: 1e-8, near: -0.5 };
      const p = settings.degree;
      // edges of about 4 mm
      const c = fanCage(n, n, { rings: 3, by: 1.2 });
      const [sector] = sectorsOf(c, 0);
      const fan = fanOfSector(c, 0, sector);
      const net = netOfSector(c, fan, sector);
      if (!net) throw new Error('the first ring is not regular');
      const table = capTable(fan, settings);
      expect(table.leastJacobian).toBeGreaterThan(0.05);
      const cap = capOf(table, net.data);
      let [kink, gap] = [0, 0];
      for (let i = 0; i < n; i++)
        for (const u of SPOKE) {
          const [a, b] = [patch(cap[i], p, u, 0), patch(cap[(i + n - 1) % n], p, 0, u)];
          kink = Math.max(kink, degrees(normalOf(a), normalOf(b)));
          gap = Math.max(gap, Math.hypot(...a.s.map((x, k) => x - b.s[k])));
        }
      expect(gap).toBeLessThan(1e-10);
      expect(kink).toBeLessThan(0.01);
      // against the limit by plain refinement of the whole cage: vertices of the faces at the pole after four steps
      let level: Refinable = c;
      const own = new Map(fanOf(c.shape, 0).map((h, i) => [c.shape.face[h], i]));
      let home = new Map<number, number>([...own]);
      for (let k = 0; k < 4; k++) {
        const next = refine(level);
        const inside = new Map<number, number>();
        for (let h = 0; h < level.shape.corners.length; h++) {
          const i = home.get(level.shape.face[h]);
          if (i !== undefined) inside.set(h, i);
        }
        level = next;
        home = inside;
      }
      let dev = 0;
      let count = 0;
      for (const [f, i] of home) {
        if (count++ % Math.ceil(home.size / 50)) continue;
        const v = level.shape.corners[level.shape.faceStart[f]];
        const { point } = vertexLimit(level, v);
        let least = away(cap[i], p, point);
        if (least > 0.01) least = Math.min(least, ...[(i + 1) % n, (i + n - 1) % n].map((k) => away(cap[k], p, point)));
        dev = Math.max(dev, least);
      }
      // 0.25 % of an edge for the smaller ones, as in the figures that were asked
      expect(dev).toBeLessThan(n <= 6 ? 0.02 : 0.05);
    },
  );
});
