import { describe, expect, it } from 'vitest';
import { isWatertight, makeSolid, massProperties, topologyOf } from '../brep/index.ts';
import {
  add,
  angleBetween,
  cross,
  distance,
  dot,
  type Frame,
  frameFromNormal,
  rotateAbout,
  scale,
  sub,
  unit,
  type Vec3,
  WORLD,
} from '../math/index.ts';
import {
  circleCurve,
  closestOnCurve,
  controlPointCurve,
  derivativesAt,
  domainU,
  lengthTable,
  lineCurve,
  makeCurve,
  type NurbsCurve,
  pointAt,
  polylineCurve,
  surfaceJet,
  surfacePoint,
} from '../nurbs/index.ts';
import { regularPolygon } from '../testing/section-sets.ts';
import { pathFrames, type SweepOptions, sweep } from './index.ts';

const base: SweepOptions = {
  tolerance: 1e-6,
  carry: { kind: 'least' },
  place: 'drawn',
  corner: { kind: 'mitre' },
  normalEnds: false,
  cap: false,
};
const good = (sections: NurbsCurve[], path: NurbsCurve[], o: Partial<SweepOptions> = {}) => {
  const r = sweep(
    sections.map((s) => [s]),
    path,
    { ...base, ...o },
    's',
  );
  if (!r.ok) throw new Error(r.message);
  return r.result;
};
/** Frame at the start of a path, x square to it. */
const startFrame = (c: NurbsCurve): Frame => {
  const [p, d] = derivativesAt(c, c.knots[c.degree], 1);
  return frameFromNormal(p, unit(d));
};
const spaceCurve = makeCurve(
  3,
  [
    [0, 0, 0],
    [10, 25, 5],
    [40, 30, 30],
    [60, 0, 45],
    [90, 10, 40],
    [110, 40, 60],
  ] as Vec3[],
  [0, 0, 0, 0, 0.3, 0.7, 1, 1, 1, 1],
);

describe('sweep', () => {
  it('a circle along a circle is the torus, to rounding', () => {
    const path = circleCurve(WORLD, 30);
    const r = good([circleCurve({ origin: [30, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, 8)], [path]);
    expect(r.exact).toBe(true);
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    expect(massProperties(solid.body).volume / (2 * Math.PI ** 2 * 30 * 64)).toBeCloseTo(1, 10);
  });
  it('along an arc with a section in the middle of it: part of the torus', () => {
    const path = circleCurve(WORLD, 40, 0.3, 2.1);
    const mid = 1.1;
    const f: Frame = {
      origin: [40 * Math.cos(mid), 40 * Math.sin(mid), 0],
      x: [Math.cos(mid), Math.sin(mid), 0],
      y: [0, 0, 1],
      z: [Math.sin(mid), -Math.cos(mid), 0],
    };
    const r = good([circleCurve(f, 6)], [path], { cap: true });
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    expect(massProperties(solid.body).volume / (Math.PI * 36 * 40 * 1.8)).toBeCloseTo(1, 10);
  });
  it('along a space curve every section is the same circle, square to the path', () => {
    const r = good([circleCurve(startFrame(spaceCurve), 5)], [spaceCurve], { cap: true });
    expect(r.deviation).toBeLessThanOrEqual(1e-6);
    let worst = 0;
    const s = r.surfaces[0];
    for (let i = 0; i <= 60; i++)
      for (let j = 0; j < 16; j++) {
        const q = surfacePoint(s, (s.knotsU[s.knotsU.length - 1] * i) / 60, (j / 16) * s.knotsV[s.knotsV.length - 1]);
        worst = Math.max(worst, Math.abs(closestOnCurve(spaceCurve, q).distance - 5));
      }
    expect(worst).toBeLessThan(2e-6);
    // Pappus: area of the section times the length of the path
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    expect(massProperties(solid.body).volume / (25 * Math.PI * lengthTable(spaceCurve).total)).toBeCloseTo(1, 6);
    expect(good([circleCurve(startFrame(spaceCurve), 5)], [spaceCurve], { tolerance: 1e-4 }).surfaces[0].countU).toBeLessThan(60);
  });
  it('frames turn as little as possible: against thousands of steps of projection', () => {
    const f = pathFrames(spaceCurve, { kind: 'least' }, [0, 0, 1], false);
    if (!f.ok) throw new Error(f.message);
    const end = f.frames.at(f.frames.length);
    const project = (n: number) => {
      let x = f.frames.at(0).x;
      for (let i = 1; i <= n; i++) {
        const t = f.frames.at((f.frames.length * i) / n).z;
        x = unit(sub(x, scale(t, dot(x, t))));
      }
      return Math.atan2(dot(x, end.y), dot(x, end.x));
    };
    // the projection's own error falls with the steps: extrapolated
    expect(Math.abs(2 * project(8000) - project(4000))).toBeLessThan(1e-5);
  });
  it('a closed space path closes without a step', () => {
    const ring = controlPointCurve(
      Array.from(
        { length: 8 },
        (_, i): Vec3 => [40 * Math.cos((i * Math.PI) / 4), 30 * Math.sin((i * Math.PI) / 4), 9 * Math.sin(i * 2.1)],
      ),
      3,
      true,
    );
    const r = good([circleCurve(startFrame(ring), 4)], [ring]);
    expect(isWatertight(r.body)).toBe(true);
    const s = r.surfaces[0];
    const end = s.knotsU[s.knotsU.length - 1];
    for (let j = 0; j < 8; j++) {
      const [a, b] = [surfaceJet(s, 0, (j / 8) * 2 * Math.PI), surfaceJet(s, end, (j / 8) * 2 * Math.PI)];
      expect(distance(a.point, b.point)).toBeLessThan(1e-6);
      expect(angleBetween(a.normal, b.normal)).toBeLessThan(1e-6);
    }
  });
  it('a frame with mitred corners: exact volume of four trapezoids', () => {
    const path = polylineCurve([
      [0, 0, 0],
      [60, 0, 0],
      [60, 40, 0],
      [0, 40, 0],
      [0, 0, 0],
    ]);
    const section = regularPolygon({ origin: [30, 0, 0], x: [0, 1, 0], y: [0, 0, 1], z: [1, 0, 0] }, 4, 4 * Math.SQRT2, Math.PI / 4);
    const r = good([section], [path]);
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    // a square of 8 whose middle runs round the rectangle
    expect(massProperties(solid.body).volume).toBeCloseTo(8 * 8 * 200, 6);
    expect(r.body.faces.length).toBe(16);
  });
  it('bent legs meet in the mitre plane and share their edge', () => {
    const a = circleCurve({ origin: [0, 40, 0], x: [0, -1, 0], y: [1, 0, 0], z: [0, 0, 1] }, 40, 0, 0.8);
    const end = pointAt(a, 0.8);
    const r = good([circleCurve(startFrame(a), 4)], [a, lineCurve(end, [end[0] + 10, end[1] - 30, 12])], { cap: true });
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    expect(isWatertight(solid.body)).toBe(true);
    expect(topologyOf(solid.body).rims.length).toBe(0);
  });
  it('corners rounded on request', () => {
    const path = polylineCurve([
      [0, 0, 0],
      [50, 0, 0],
      [50, 0, 40],
    ]);
    const r = good([circleCurve(frameFromNormal([0, 0, 0], [1, 0, 0]), 3)], [path], { corner: { kind: 'round', radius: 10 }, cap: true });
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    expect(massProperties(solid.body).volume / (9 * Math.PI * (40 + 30 + 5 * Math.PI))).toBeCloseTo(1, 9);
  });
  it.each([
    [9.9, false],
    [10.1, true],
  ])('a section of radius %f on a path of radius 10: folds %s, and says what clears it', (radius, folds) => {
    const path = makeCurve(
      3,
      [[-40, 0, 0], ...[0, 1, 2, 3, 4].map((k): Vec3 => rotateAbout([0, -10, 0], [0, 0, 1], (k * Math.PI) / 8)), [10, 40, 0]] as Vec3[],
      [0, 0, 0, 0, 0.3, 0.5, 0.7, 1, 1, 1, 1],
    );
    const bend = Math.max(
      ...Array.from({ length: 401 }, (_, i) => {
        const [, d, dd] = derivativesAt(path, i / 400, 2);
        const c = cross(d, dd);
        return Math.hypot(...c) / Math.hypot(...d) ** 3;
      }),
    );
    const r = sweep([[circleCurve(startFrame(path), radius / 10 / bend)]], [path], base, 's');
    expect(r.ok).toBe(!folds);
    if (!r.ok) {
      expect(r.code).toBe('folds');
      expect(r.folds?.[0].radius).toBeCloseTo(1 / bend, 2);
      expect(r.folds?.[0].factor).toBeCloseTo(10 / 10.1, 2);
      expect(r.place?.length).toBeGreaterThan(0);
    }
  });
  it('two skew sections: leaves both along their normals', () => {
    const a = frameFromNormal([0, 0, 0], unit([0.2, 0, 1]));
    const b = frameFromNormal([45, 12, 60], unit([1, 0.3, 0.2]));
    const path = makeCurve(3, [a.origin, add(a.origin, scale(a.z, 40)), sub(b.origin, scale(b.z, 40)), b.origin], [0, 0, 0, 0, 1, 1, 1, 1]);
    // the path does not quite leave along the normals
    const tilted = frameFromNormal([0, 0, 0], unit([0.35, 0.1, 1]));
    const r = good([circleCurve(tilted, 9), circleCurve(b, 6)], [path], { normalEnds: true });
    const s = r.surfaces[0];
    const last = s.knotsU[s.knotsU.length - 1];
    for (let j = 0; j < 12; j++) {
      const v = (s.knotsV[s.knotsV.length - 1] * j) / 12;
      expect(angleBetween(surfaceJet(s, 0, v).u, tilted.z)).toBeLessThan(1e-5);
      expect(angleBetween(surfaceJet(s, last, v).u, b.z)).toBeLessThan(1e-5);
      expect(distance(surfacePoint(s, 0, v), tilted.origin)).toBeCloseTo(9, 6);
    }
  });
  it('twist and size laws', () => {
    const path = lineCurve([0, 0, 0], [0, 0, 50]);
    const r = good([regularPolygon(WORLD, 4, 10)], [path], { twist: (s) => 90 * s, size: (s) => 1 - 0.5 * s, cap: true });
    const top = surfacePoint(r.surfaces[0], domainU(r.surfaces[0])[1], 0);
    expect(distance(top, [0, 5, 50])).toBeLessThan(1e-6);
    // every section is a square of half diagonal 10(1 - s/2): volume is exact in spite of the twist
    const solid = makeSolid(r.body);
    if (!solid.ok) throw new Error(solid.message);
    expect(massProperties(solid.body).volume).toBeCloseTo((200 * 50 * (1 + 0.5 + 0.25)) / 3, 3);
  });
  it('a direction kept: the section stays upright on a helix-like path', () => {
    const path = makeCurve(
      3,
      Array.from({ length: 9 }, (_, i): Vec3 => [30 * Math.cos(i * 0.7), 30 * Math.sin(i * 0.7), 6 * i]),
      [0, 0, 0, 0, 1, 2, 3, 4, 5, 6, 6, 6, 6],
    );
    const f = pathFrames(path, { kind: 'fixed', direction: [0, 0, 1] }, undefined, false);
    if (!f.ok) throw new Error(f.message);
    for (let i = 0; i <= 50; i++) expect(Math.abs(f.frames.at((f.frames.length * i) / 50).x[2])).toBeLessThan(1e-12);
  });
});
