import { describe, expect, it } from 'vitest';
import { seeded } from '../testing/mutate.ts';
import { ball, block, ringBody } from '../testing/random-bodies.ts';
import { cutFace } from './cut-face.ts';
import { sectionFrame } from './frame.ts';

const filled = (c: ReturnType<typeof cutFace>): number => {
  let s = 0;
  const at = (i: number) => [c.positions[3 * i], c.positions[3 * i + 1], c.positions[3 * i + 2]];
  for (let t = 0; t < c.indices.length; t += 3) {
    const [a, b, d] = [at(c.indices[t]), at(c.indices[t + 1]), at(c.indices[t + 2])];
    const [u, v] = [b.map((x, k) => x - a[k]), d.map((x, k) => x - a[k])];
    s += Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2;
  }
  return s;
};

describe('what a plane cuts', () => {
  it('of a ball is a disc, from anywhere and at any place', () => {
    const random = seeded(5);
    for (let k = 0; k < 12; k++) {
      const n = [random() - 0.5, random() - 0.5, random() - 0.5] as [number, number, number];
      const l = Math.hypot(...n);
      const d = 9 * (2 * random() - 1);
      const c = cutFace(ball(10), sectionFrame(n.map((x) => (d * x) / l) as [number, number, number], n), 1e-3);
      const r = Math.sqrt(100 - d * d);
      expect(Math.abs(c.length - 2 * Math.PI * r)).toBeLessThan(1e-3);
      expect(Math.abs(c.area - Math.PI * r * r)).toBeLessThan(2 * Math.PI * r * 1e-4);
      // what is drawn lies within the chord of it
      expect(Math.abs(filled(c) - c.area)).toBeLessThan(2 * Math.PI * r * 1e-3);
      expect(c.open).toBe(0);
    }
  });
  it('of a ball close beside its poles is the same circle, run once', () => {
    for (const off of [0.3, 0.03, 1e-3, 1e-5, 1e-8, 0])
      for (const turn of [0.4, 1.9]) {
        const n: [number, number, number] = [Math.cos(turn), Math.sin(turn), 0];
        const c = cutFace(ball(10), sectionFrame([off * n[0], off * n[1], 0], n), 1e-3);
        expect([off, turn, Math.abs(c.length - 2 * Math.PI * Math.sqrt(100 - off * off)) < 1e-3, c.open]).toEqual([off, turn, true, 0]);
      }
  });
  it('of a ring lying level is a ring; upright it is two discs', () => {
    const level = cutFace(ringBody(20, 5), sectionFrame([0, 0, 0], [0, 0, 1]), 1e-3);
    expect(level.lines.length).toBe(2);
    expect(Math.abs(level.area - Math.PI * (625 - 225))).toBeLessThan(2 * Math.PI * 40 * 1e-4);
    expect(Math.abs(filled(level) - level.area)).toBeLessThan(2 * Math.PI * 40 * 1e-3);
    const upright = cutFace(ringBody(20, 5), sectionFrame([0, 0, 0], [0, 1, 0]), 1e-3);
    expect(Math.abs(upright.area - 2 * Math.PI * 25)).toBeLessThan(2 * 2 * Math.PI * 5 * 1e-4);
  });
  it('beside a body is nothing; of a block it is its side', () => {
    expect(cutFace(block(5, 4, 3), sectionFrame([9, 0, 0], [1, 0, 0]), 1e-3).lines.length).toBe(0);
    expect(cutFace(block(5, 4, 3), sectionFrame([1, 0, 0], [1, 0, 0]), 1e-3).area).toBeCloseTo(48, 6);
  });
  it('frames are right-handed and level', () => {
    for (const n of [
      [0, 0, 1],
      [0, 0, -2],
      [1, 2, 3],
      [-4, 0.1, 0],
    ] as [number, number, number][]) {
      const f = sectionFrame([0, 0, 0], n);
      const det =
        f.x[0] * (f.y[1] * f.z[2] - f.y[2] * f.z[1]) -
        f.x[1] * (f.y[0] * f.z[2] - f.y[2] * f.z[0]) +
        f.x[2] * (f.y[0] * f.z[1] - f.y[1] * f.z[0]);
      expect(det).toBeCloseTo(1, 12);
      expect(f.x[2]).toBe(0);
    }
  });
});
