import { describe, expect, it } from 'vitest';
import { type Body, bodyBox, transformBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { combineBodiesAs } from '../joins/index.ts';
import { add, cross, type Frame, rotation, scale, translation, unit, type Vec3 } from '../math/index.ts';
import { arcLength, domain, pointAt } from '../nurbs/index.ts';
import { seeded } from '../testing/mutate.ts';
import { block, cone, ringBody } from '../testing/random-bodies.ts';
import { type DrawnLine, drawLines } from './hidden-lines.ts';

const viewFrom = (z: Vec3, up: Vec3 = [0, 0, 1]): Frame => {
  const d = unit(z);
  const x = unit(cross(up, d));
  return { origin: [0, 0, 0], x, y: cross(d, x), z: d };
};
const worldOf = (f: Frame, p: Vec3): Vec3 => add(add(add(f.origin, scale(f.x, p[0])), scale(f.y, p[1])), scale(f.z, p[2]));
/**
 * Is a place seen, by the shape's own formula (negative inside)? Marched towards the eye from a hair outside of it; undecided where the way
 * passes the surface within that hair.
 */
function seen(inside: (p: Vec3) => number, p: Vec3, gradient: Vec3, eye: Vec3, reach: number): boolean | undefined {
  const lift = 1e-3;
  const start = add(p, scale(gradient, lift));
  let least = Infinity;
  for (let t = 0; t < reach; ) {
    const f = inside(add(start, scale(eye, t)));
    if (f < -1e-9) return false;
    // just outside the place itself is near by right
    if (t > 0.3) least = Math.min(least, f);
    t += Math.max(2e-3, Math.min(1, 0.5 * f));
  }
  return least < 4e-3 ? undefined : true;
}
/** Tests lines at random places against the formula; tells how many places were decided. */
function checked(lines: readonly DrawnLine[], view: Frame, inside: (p: Vec3) => number, count: number, seed: number): number {
  const r = seeded(seed);
  const lengths = lines.map((l) => arcLength(l.curve));
  const total = lengths.reduce((s, x) => s + x, 0);
  let decided = 0;
  for (let k = 0; k < count; k++) {
    let at = r() * total;
    let i = 0;
    while (at > lengths[i] && i < lines.length - 1) at -= lengths[i++];
    const [a, z] = domain(lines[i].curve);
    const w = at / lengths[i];
    // within a hair of where it changes either answer is right
    if (w < 0.004 || w > 0.996) continue;
    const p = worldOf(view, pointAt(lines[i].curve, a + w * (z - a)));
    const h = 1e-5;
    const g = unit(
      [0, 1, 2].map(
        (d) =>
          inside(p.map((x, j) => (j === d ? x + h : x)) as unknown as Vec3) -
          inside(p.map((x, j) => (j === d ? x - h : x)) as unknown as Vec3),
      ) as unknown as Vec3,
    );
    const truth = seen(inside, p, g, view.z, 80);
    if (truth === undefined) continue;
    decided++;
    expect([p, lines[i].kind, lines[i].visible]).toEqual([p, lines[i].kind, truth]);
  }
  return decided;
}
const moved = (b: Body, v: Vec3): Body => transformBody(b, translation(v));
const turned = (b: Body): Body => transformBody(b, rotation([0, 0, 20], [0, 1, 0], Math.PI / 2));
const heights = (b: Body, k = 2): readonly [number, number] => [bodyBox(b).min[k], bodyBox(b).max[k]];
const centre = (b: Body): Vec3 => [0, 1, 2].map((k) => (bodyBox(b).min[k] + bodyBox(b).max[k]) / 2) as unknown as Vec3;
const torus = (R: number, r: number) => (p: Vec3) => Math.hypot(Math.hypot(p[0], p[1]) - R, p[2]) - r;

describe('a ring', () => {
  it.each([
    ['from above', [0, 0.02, 1]],
    ['leaning a little', [0, 0.5, 1]],
    ['leaning far', [0, 1, 0.35]],
    ['askew', [0.4, 1, 0.62]],
  ] as const)('%s: its outline is exact, and hidden where its formula says', (_, z) => {
    const [R, r] = [20, 6];
    const view = viewFrom(z as unknown as Vec3);
    const lines = drawLines([ringBody(R, r)], view, { smooth: false });
    const f = torus(R, r);
    for (const l of lines) {
      expect(l.kind).toBe('outline');
      const [a, e] = domain(l.curve);
      for (const w of [0.1, 0.37, 0.5, 0.81]) {
        const p = worldOf(view, pointAt(l.curve, a + w * (e - a)));
        const c = Math.hypot(p[0], p[1]);
        const n: Vec3 = [(p[0] * (c - R)) / c / r, (p[1] * (c - R)) / c / r, p[2] / r];
        expect(Math.abs(f(p))).toBeLessThan(2e-4);
        expect(Math.abs(n[0] * view.z[0] + n[1] * view.z[1] + n[2] * view.z[2])).toBeLessThan(2e-4);
      }
    }
    expect(checked(lines, view, f, 500, 3)).toBeGreaterThan(300);
  });
  it('seen from above both circles are seen whole: 2 pi (R + r) and 2 pi (R - r)', () => {
    const lines = drawLines([ringBody(20, 6)], viewFrom([0, 0, 1], [0, 1, 0]), { smooth: false });
    expect(lines.every((l) => l.visible)).toBe(true);
    expect(lines.reduce((s, l) => s + arcLength(l.curve), 0)).toBeCloseTo(2 * Math.PI * 40, 3);
  });
});
describe('sharp edges', () => {
  it('of a block: nine are seen, three are not', () => {
    const lines = drawLines([block(5, 4, 3)], viewFrom([1, 0.7, 0.5]));
    expect(lines.filter((l) => l.visible).length).toBe(9);
    expect(lines.filter((l) => !l.visible).length).toBe(3);
    expect(lines.every((l) => l.kind === 'sharp')).toBe(true);
  });
  it('a block behind another is cut where the front one ends', () => {
    // seen along x: the front one covers y within 2, z within 2
    const lines = drawLines([block(1, 2, 2), moved(block(1, 1, 6), [-8, 0, 0])], viewFrom([1, 0, 0]));
    const far = lines.filter((l) => l.body === 1 && l.visible);
    const near = lines.filter((l) => l.body === 0 && l.visible);
    expect(near.reduce((s, l) => s + arcLength(l.curve), 0)).toBeCloseTo(16, 6);
    // its two uprights stand out by 4 above and below, and two short sides close them
    expect(far.reduce((s, l) => s + arcLength(l.curve), 0)).toBeCloseTo(4 * 4 + 2 * 2, 3);
  });
});
it('cylinders that cross: outlines, the line in which they meet, and lids, hidden where the formula says', async () => {
  const upright = cone(8, 8, 40);
  const lying = turned(cone(6, 6, 50));
  const made = await combineBodiesAs('union', upright, lying, [], { stepId: 'x', tolerance: 1e-3, kernel });
  if (!made.ok) throw new Error(made.why);
  const z0 = heights(upright);
  const x0 = heights(lying, 0);
  const f = (p: Vec3) => {
    const a = Math.max(Math.hypot(p[0], p[1]) - 8, z0[0] - p[2], p[2] - z0[1]);
    const c = Math.max(Math.hypot(p[1], p[2] - centre(lying)[2]) - 6, x0[0] - p[0], p[0] - x0[1]);
    return Math.min(a, c);
  };
  let decided = 0;
  for (const [k, z] of (
    [
      [1, 0.5, 0.4],
      [0.3, -1, 0.25],
      [-0.5, 0.4, 1],
    ] as Vec3[]
  ).entries()) {
    const view = viewFrom(z);
    decided += checked(drawLines([made.body], view, { smooth: false }), view, f, 500, 11 + k);
  }
  expect(decided).toBeGreaterThan(700);
});
