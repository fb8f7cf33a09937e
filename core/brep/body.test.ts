import { describe, expect, it } from 'vitest';
import { compose, frameFromNormal, IDENTITY, reflection, rotation, scaling, translation, type Vec3, WORLD } from '../math/index.ts';
import { circleCurve, clampedKnots, makeSurface, polylineCurve, revolvedSurface, ruledSurface, surfacePoint } from '../nurbs/index.ts';
import {
  type Body,
  BodyBuilder,
  bodyBox,
  capRim,
  checkBody,
  combineBodies,
  crackCount,
  flatBody,
  flipBody,
  forwardFaces,
  inspect,
  isOriented,
  isWatertight,
  makeSolid,
  massProperties,
  measuredTolerancesOf,
  meshBody,
  meshVolume,
  offsetBody,
  orientConsistently,
  regionsOf,
  rimChains,
  sewBodies,
  smallestInnerRadius,
  splitBody,
  subBody,
  surfaceBody,
  textOf,
  thickBody,
  toAngle,
  topologyOf,
  toRational,
  transformBody,
  turnBreaks,
  turnSlope,
} from './index.ts';
import { localKernel as kernel } from './local.ts';
import { readText } from './occt/read.ts';

const names = (prefix: string) => ({ prefix, face: (i: number, j: number) => `${prefix}:side${i}${j}` });
const turned = (b: Body): Body => (massProperties(b).volume < 0 ? flipBody(b) : b);
function sphere(r = 5): Body {
  return turned(
    surfaceBody(
      revolvedSurface(
        circleCurve({ origin: [0, 0, 0], x: [0, 0, -1], y: [1, 0, 0], z: [0, 1, 0] }, r, 0, Math.PI),
        [0, 0, 0],
        [0, 0, 1],
        0,
        2 * Math.PI,
      ),
      names('sphere'),
    ).body,
  );
}
function torus(R = 20, r = 6): Body {
  return turned(
    surfaceBody(
      revolvedSurface(
        circleCurve({ origin: [R, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, r),
        [0, 0, 0],
        [0, 0, 1],
        0,
        2 * Math.PI,
      ),
      names('torus'),
    ).body,
  );
}
function frustum(): Body {
  const k = new BodyBuilder();
  const r = surfaceBody(
    ruledSurface(circleCurve(WORLD, 10), circleCurve(frameFromNormal([0, 0, 30], [0, 0, 1], [1, 0, 0]), 4)),
    names('frustum'),
    k,
  );
  capRim(k, r.sides.v0, 'frustum:base', 1e-6);
  capRim(k, r.sides.v1, 'frustum:top', 1e-6);
  const s = makeSolid(k.body());
  if (!s.ok) throw new Error(s.message);
  return s.body;
}
const wavy = (z = 20): Body =>
  surfaceBody(
    makeSurface(
      3,
      3,
      Array.from({ length: 8 }, (_, i) =>
        Array.from({ length: 8 }, (_, j) => [i * 5 - 17, j * 5 - 17, z + 3 * Math.sin(i) * Math.cos(j)] as Vec3),
      ),
      clampedKnots(8, 3),
      clampedKnots(8, 3),
    ),
    names('wavy'),
  ).body;

describe('turn maps', () => {
  it('angle to rational and back, with slope', () => {
    const b = turnBreaks(0.3, 0.3 + 5);
    for (let i = 0; i <= 50; i++) {
      const t = 0.3 + (5 * i) / 50;
      expect(toAngle(b, toRational(b, t))).toBeCloseTo(t, 12);
      if (i > 0 && i < 50) expect((toRational(b, t + 1e-6) - toRational(b, t - 1e-6)) / 2e-6).toBeCloseTo(turnSlope(b, t), 4);
    }
  });
});

describe('known bodies', () => {
  const cases: [string, Body, number, number][] = [
    ['sphere', sphere(), (4 / 3) * Math.PI * 125, 4 * Math.PI * 25],
    ['torus', torus(), 2 * Math.PI ** 2 * 20 * 36, 4 * Math.PI ** 2 * 20 * 6],
    ['frustum', frustum(), (Math.PI * 30 * (100 + 40 + 16)) / 3, Math.PI * (100 + 16 + 14 * Math.hypot(6, 30))],
  ];
  it.each(cases)('%s: volume, area, watertight, mesh without cracks', (_, b, volume, area) => {
    const m = massProperties(b);
    expect(Math.abs(m.volume / volume - 1)).toBeLessThan(1e-9);
    expect(Math.abs(m.area / area - 1)).toBeLessThan(1e-9);
    expect(isWatertight(b)).toBe(true);
    expect(isOriented(b)).toBe(true);
    const mesh = meshBody(b, { chord: 0.02 });
    expect(mesh.failed).toEqual([]);
    expect(crackCount(mesh)).toBe(0);
    expect(Math.abs(meshVolume(mesh) / volume - 1)).toBeLessThan(0.006);
  });
  it.each(cases)('%s: goes through the kernel and back, valid and unchanged', async (_, b, volume) => {
    expect((await checkBody(kernel, b)).valid).toBe(true);
    const r = await kernel.run('split', {
      targets: [textOf(b)],
      tools: [textOf(transformBody(wavy(0), translation([500, 0, 0])))],
      fuzzy: 0,
    });
    const back = readText(r.text).body;
    expect(back.faces.length).toBe(b.faces.length);
    expect(Math.abs(massProperties(back).volume / volume - 1)).toBeLessThan(1e-9);
  });
  it('mesh nodes lie on the surface and chords within the tolerance', () => {
    const b = torus();
    const mesh = meshBody(b, { chord: 0.05 });
    for (let t = 0; t < mesh.indices.length; t += 3) {
      let [x, y, z] = [0, 0, 0];
      for (let k = 0; k < 3; k++) {
        const n = mesh.indices[t + k] * 3;
        x += mesh.positions[n] / 3;
        y += mesh.positions[n + 1] / 3;
        z += mesh.positions[n + 2] / 3;
      }
      expect(Math.abs(Math.hypot(Math.hypot(x, y) - 20, z) - 6)).toBeLessThan(0.05);
    }
  });
  it('moved, turned, mirrored and scaled: volumes as they must be', () => {
    const b = frustum();
    const v = massProperties(b).volume;
    const map = compose(rotation([1, 2, 3], [1, 1, 0], 0.7), translation([5, 6, 7]));
    expect(massProperties(transformBody(b, map)).volume).toBeCloseTo(v, 6);
    expect(massProperties(transformBody(b, reflection(frameFromNormal([1, 0, 0], [1, 2, 0])))).volume).toBeCloseTo(v, 6);
    expect(massProperties(transformBody(b, scaling([0, 0, 0], 2))).volume).toBeCloseTo(8 * v, 5);
    expect(massProperties(transformBody(b, IDENTITY)).centre[2]).toBeCloseTo((30 / 4) * ((100 + 2 * 40 + 3 * 16) / 156), 6);
  });
  it('reversed faces become forward ones without changing the body', async () => {
    const b = transformBody(frustum(), reflection(WORLD));
    const f = forwardFaces(b);
    expect(f.faces.every((x) => !x.reversed)).toBe(true);
    expect(massProperties(f).volume).toBeCloseTo(massProperties(b).volume, 8);
    expect((await checkBody(kernel, f)).valid).toBe(true);
  });
});

describe('cut, knit, solid, wall', () => {
  it('a cone cut by a waved skin and closed again: names, area and volume hold', async () => {
    const k = new BodyBuilder();
    surfaceBody(ruledSurface(circleCurve(WORLD, 10), circleCurve(frameFromNormal([0, 0, 30], [0, 0, 1], [1, 0, 0]), 4)), names('side'), k);
    const side = k.body();
    const sheet = wavy();
    const a = await splitBody(kernel, side, [sheet], 1e-3, 'cut');
    expect(a.body.faces.length).toBe(2);
    expect(a.cut.length).toBe(1);
    expect(a.body.faces.every((f) => f.name === 'side:side00')).toBe(true);
    expect(a.body.edges[a.cut[0]].name).toBe('cut.cut(side:side00)');
    expect(massProperties(a.body).area).toBeCloseTo(massProperties(side).area, 4);
    // the refitted cut lies on both skins
    const e = a.body.edges[a.cut[0]];
    expect(e.curve.control.length / 4).toBeLessThan(120);
    const b = await splitBody(kernel, sheet, [side], 1e-3, 'cut');
    const low = subBody(a.body, [a.body.faces.findIndex((_, i) => massProperties(a.body, [i]).areaCentre[2] < 20)]);
    const lid = subBody(b.body, [b.body.faces.findIndex((_, i) => massProperties(b.body, [i]).area < 900)]);
    const base = flatBody([{ outer: [circleCurve(WORLD, 10)], holes: [] }], WORLD, 'base');
    const sewn = await sewBodies(kernel, [low, lid, base], 0.005);
    expect(sewn.free).toBe(0);
    const solid = makeSolid(sewn.body);
    expect(solid.ok).toBe(true);
    if (!solid.ok) return;
    expect(inspect(solid.body, { watertight: true, positiveVolume: true, tolerance: 1e-3 }).reasons).toEqual([]);
    expect((await checkBody(kernel, solid.body)).valid).toBe(true);
    const wall = await thickBody(kernel, solid.body, -1, [solid.body.faces.findIndex((f) => f.name.startsWith('wavy'))], 'sharp', 1e-3);
    expect(isWatertight(wall)).toBe(true);
    expect((await checkBody(kernel, wall)).valid).toBe(true);
    const inner = await offsetBody(kernel, solid.body, -1, 'sharp', 1e-3);
    expect(massProperties(inner).volume).toBeLessThan(massProperties(solid.body).volume);
  });
  it('offset of a sphere is a sphere within 1e-6', async () => {
    const s = makeSolid(sphere(10));
    if (!s.ok) throw new Error(s.message);
    const o = await offsetBody(kernel, s.body, -2, 'round', 1e-3);
    expect(Math.abs(massProperties(o).volume / ((4 / 3) * Math.PI * 512) - 1)).toBeLessThan(1e-5);
  });
  it('smallest inner radius of a torus', () => {
    const r = smallestInnerRadius(torus(), true);
    expect(r.radius).toBeCloseTo(6, 6);
    expect(smallestInnerRadius(torus(), false).radius).toBeCloseTo(14, 1);
  });
  it('shells inside shells become voids', () => {
    const s = makeSolid(combineBodies([sphere(10), sphere(4)]));
    expect(s.ok).toBe(true);
    if (!s.ok) return;
    expect(s.body.solids).toEqual([[0, 1]]);
    expect(massProperties(s.body).volume).toBeCloseTo((4 / 3) * Math.PI * (1000 - 64), 6);
  });
  it('a flipped face is turned back', () => {
    const f = frustum();
    const bad: Body = { ...f, faces: f.faces.map((x, i) => (i === 1 ? { ...x, reversed: !x.reversed } : x)) };
    expect(isOriented(bad)).toBe(false);
    const fixed = orientConsistently(bad);
    expect(fixed.ok).toBe(true);
    expect(isOriented(fixed.body)).toBe(true);
    expect(fixed.flipped).toEqual([1]);
  });
  it('open rims are chained; regions find their holes', () => {
    const open = subBody(frustum(), [0]);
    expect(rimChains(open).length).toBe(2);
    expect(topologyOf(open).seams.length).toBe(1);
    const square = (s: number) => [
      polylineCurve([
        [s, s, 0],
        [-s, s, 0],
        [-s, -s, 0],
        [s, -s, 0],
        [s, s, 0],
      ]),
    ];
    const regions = regionsOf([square(10), square(6), square(3)], WORLD);
    expect(regions.map((r) => r.holes.length).sort()).toEqual([0, 1]);
    expect(massProperties(flatBody(regions, WORLD, 'f')).area).toBeCloseTo(400 - 144 + 36, 9);
    expect(bodyBox(flatBody(regions, WORLD, 'f')).max[0]).toBeCloseTo(10, 9);
  });
  it('the gate sees a hole and a wrong volume', () => {
    const f = frustum();
    expect(inspect(subBody(f, [0, 1]), { watertight: true }).ok).toBe(false);
    expect(inspect(f, { volume: massProperties(f).volume * 1.001 }).ok).toBe(false);
    expect(inspect(f, { watertight: true, volume: massProperties(f).volume }).ok).toBe(true);
  });
});

describe('foreign shapes', () => {
  it('broken shape text is refused with the place', () => {
    expect(() => readText('nothing here')).toThrow(/Locations/);
    const t = textOf(sphere());
    expect(() => readText(t.slice(0, t.length / 2))).toThrow(/TShapes|too early|not a number/);
  });
  it('evaluation agrees with the kernel', async () => {
    const b = wavy();
    const us = Float64Array.from({ length: 6 }, (_, i) => i / 5);
    const r = await kernel.run('evaluate', { input: textOf(b), us, vs: us });
    us.forEach((u, i) =>
      us.forEach((v, j) => {
        const p = surfacePoint(b.faces[0].surface, u, v);
        for (let k = 0; k < 3; k++) expect(r.positions[(i * 6 + j) * 3 + k]).toBeCloseTo(p[k], 11);
      }),
    );
  });
  it('tolerances are measured, not believed', () => {
    const f = frustum();
    const bad: Body = {
      ...f,
      edges: f.edges.map((e, i) =>
        i === 1
          ? { ...e, curve: { ...e.curve, control: e.curve.control.map((x, k) => (k % 4 === 2 ? x + 0.01 * e.curve.control[k + 1] : x)) } }
          : e,
      ),
    };
    expect(Math.max(...measuredTolerancesOf(bad).edges.map((e) => e.tolerance))).toBeGreaterThan(0.009);
  });
});

describe('cracks of a mesh', () => {
  const cracks = (...triangles: number[][]) =>
    crackCount({
      ...meshBody({ vertices: [], edges: [], faces: [], shells: [], solids: [] }, { chord: 1 }),
      positions: new Float64Array(12),
      indices: Uint32Array.from(triangles.flat()),
      shared: Uint32Array.of(0, 1, 2, 3),
    });
  it('two faces that span the same chord of their border close; a missing or a turned triangle does not', () => {
    const pillow = [
      [0, 1, 2],
      [0, 2, 3],
      [0, 2, 1],
      [0, 3, 2],
    ];
    expect(cracks(...pillow)).toBe(0);
    expect(cracks(...pillow.slice(1))).toBe(3);
    expect(cracks(...pillow.slice(1), [0, 2, 1])).toBe(3);
  });
});
