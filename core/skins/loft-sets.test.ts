import { describe, expect, it } from 'vitest';
import { add, dot, scale, sub, type Vec3 } from '../math/index.ts';
import { circleCurve, closestOnCurve, isoU, joinCurves, type NurbsSurface, pointAt, surfaceJet } from '../nurbs/index.ts';
import { roundedRectangle, type SectionSet, sectionSet } from '../testing/section-sets.ts';
import { type LoftOptions, loft } from './index.ts';

const base: LoftOptions = {
  degree: 1,
  ring: false,
  fit: 'through',
  match: 'auto',
  tolerance: 1e-5,
  perInterval: false,
  cap: false,
  adjust: [],
  pins: [],
};
const COUNT = 500;

/** Share of places whose normal looks to the other side than most: seen from the middle of their own row. */
function turnedOver(s: NurbsSurface, set: SectionSet): { share: number; strong: number } {
  let [out, inward, strong] = [0, 0, 0];
  const dots: number[] = [];
  for (let i = 0; i <= 16; i++) {
    const u = i / 16;
    const row = Array.from({ length: 40 }, (_, j) => surfaceJet(s, u, (j + 0.5) / 40));
    const c: Vec3 = set.closed
      ? row.reduce((m, q) => add(m, scale(q.point, 1 / 40)), [0, 0, 0] as Vec3)
      : scale(add(surfaceJet(s, u, 0).point, surfaceJet(s, u, 1).point), 0.5);
    for (const q of row) {
      const d = sub(q.point, c);
      dots.push(dot(q.normal, d) / (Math.hypot(...d) || 1));
    }
  }
  for (const d of dots) {
    if (d > 0) out++;
    else inward++;
  }
  const sign = out > inward ? 1 : -1;
  for (const d of dots) if (d * sign < -0.5) strong++;
  return { share: Math.min(out, inward) / dots.length, strong: strong / dots.length };
}
/** Rulings of neighbouring places that cross: the sense in which a row is run changes along u. */
function crossedRulings(s: NurbsSurface): number {
  let crossed = 0;
  const n = 60;
  for (let j = 0; j < n; j++) {
    const along = [0, 0.5, 1].map((u) => sub(surfaceJet(s, u, (j + 1) / n).point, surfaceJet(s, u, j / n).point));
    if (dot(along[0], along[1]) < 0 || dot(along[1], along[2]) < 0) crossed++;
  }
  return crossed;
}

describe('five hundred random section sets', () => {
  it('loft without twist: no normal turned over, no rulings that cross, every section met within what was asked', () => {
    const bad: string[] = [];
    for (let seed = 0; seed < COUNT; seed++) {
      const set = sectionSet(seed);
      const r = loft(set.sections, base, 's');
      if (!r.ok) {
        bad.push(`${seed} ${set.name}: ${r.message}`);
        continue;
      }
      const over = turnedOver(r.result.surface, set);
      if (over.share > 0) bad.push(`${seed} ${set.name}: ${(100 * over.share).toFixed(1)} % turned over`);
      if (set.sections.length === 2 && crossedRulings(r.result.surface)) bad.push(`${seed} ${set.name}: rulings cross`);
      if (r.result.fitDeviation > base.tolerance) bad.push(`${seed} ${set.name}: ${r.result.fitDeviation} mm off`);
    }
    expect(bad).toEqual([]);
  }, 120_000);
  it('with degree three across, only sets whose sections differ most bulge over: these seeds', () => {
    const strong: number[] = [];
    for (let seed = 0; seed < COUNT; seed++) {
      const set = sectionSet(seed);
      const r = loft(set.sections, { ...base, degree: 3 }, 's');
      if (r.ok && turnedOver(r.result.surface, set).strong > 0) strong.push(seed);
    }
    // the interpolation across swings beyond sections of very different size here; the correspondence is right, as the test above shows
    expect(strong.filter((x) => ![95, 128, 398, 462].includes(x))).toEqual([]);
  }, 120_000);
});

describe('rounded rectangles', () => {
  const at = (z: number) => ({ origin: [0, 0, z] as Vec3, x: [1, 0, 0] as Vec3, y: [0, 1, 0] as Vec3, z: [0, 0, 1] as Vec3 });
  it('a circle of radius 11 to a rectangle of 22 by 16: one way along every straight side, within 1e-6, few points', () => {
    const rect = roundedRectangle(at(30), 11, 8, 2.4);
    const r = loft(
      [
        { kind: 'chain', curves: [circleCurve(at(0), 11)] },
        { kind: 'chain', curves: rect },
      ],
      { ...base, tolerance: 1e-6 },
      's',
    );
    if (!r.ok) throw new Error(r.message);
    const s = r.result.surface;
    expect(r.result.fitDeviation).toBeLessThanOrEqual(1e-6);
    expect(s.countV).toBeLessThan(200);
    const whole = joinCurves(rect);
    const row = isoU(s, 1);
    // along the top side x falls or rises all the way, never back
    let last: Vec3 | undefined;
    let sense = 0;
    for (let i = 0; i <= 2000; i++) {
      const p = surfaceJet(s, 1, i / 2000).point;
      expect(closestOnCurve(whole, p).distance).toBeLessThan(2e-6);
      if (last && Math.abs(p[1] - 8) < 1e-5 && Math.abs(last[1] - 8) < 1e-5) {
        const step = Math.sign(p[0] - last[0]);
        if (sense === 0) sense = step;
        expect(step).toBe(sense);
      }
      last = p;
    }
    for (let i = 0; i < 200; i++) {
      const t = whole.knots[0] + ((whole.knots[whole.knots.length - 1] - whole.knots[0]) * (i + 0.3)) / 200;
      expect(closestOnCurve(row, pointAt(whole, t)).distance).toBeLessThan(2e-6);
    }
  });
});
