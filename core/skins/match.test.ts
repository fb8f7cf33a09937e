import { describe, expect, it } from 'vitest';
import { Border, surfaceBody } from '../brep/index.ts';
import { distance, type Frame, frameFromNormal, type Vec3 } from '../math/index.ts';
import { type NurbsSurface, surfacePoint, transpose } from '../nurbs/index.ts';
import { measureAgainst, mirrorMeeting } from '../proof/index.ts';
import { NEIGHBOUR_SHAPES, naturalNeighbour, placedSurface, shapeSurface, trimmedNeighbour, wavySkin } from '../testing/neighbours.ts';
import { trueSeam } from '../testing/true-seam.ts';
import { halfway, lineUpWith, type MatchOptions, matchMirror, matchTo } from './match.ts';

const back: Frame = { origin: [0, 0, 0], x: [-1, 0, 0], y: [0, -1, 0], z: [0, 0, 1] };
const beside: Frame = { origin: [12, 1, 4], x: [0.97, 0, 0.243], y: [0, 1, 0], z: [-0.243, 0, 0.97] };
const skin = placedSurface(wavySkin(1.5), beside);
const options: MatchOptions = { grade: 2, aim: { gap: 2e-4, kink: 0.007, step: 0.7 }, keepFar: 1, part: [0, 1], along: 'ends' };
const whole = (n: { body: ReturnType<typeof naturalNeighbour>['body']; edge: number }) => new Border([{ ...n, part: [0, 1], side: 0 }]);
const wave = [
  [0.12, 0.1],
  [0.3, 0.4],
  [0.05, 0.6],
  [0.2, 0.9],
] as const;
const farMoved = (a: NurbsSurface, b: NurbsSurface) =>
  Math.max(...Array.from({ length: 33 }, (_, i) => distance(surfacePoint(a, 1, i / 32), surfacePoint(b, 1, i / 32))));

describe('match of a side', () => {
  it.each(NEIGHBOUR_SHAPES.flatMap((s) => (['natural', 'trimmed'] as const).map((m) => [s, m] as const)))(
    'brings a skin to a %s, %s edge: G2 within the limits, far side kept',
    (shape, mode) => {
      const s = shapeSurface(shape, back);
      const target = whole(mode === 'natural' ? naturalNeighbour(s) : trimmedNeighbour(s, wave));
      const r = matchTo(skin, 'u0', target, options);
      const m = trueSeam(r.surface, (t) => [0, t], s);
      expect(m.gap).toBeLessThan(3e-4);
      expect(m.kink).toBeLessThan(0.01);
      expect(m.step).toBeLessThan(1);
      expect(farMoved(skin, r.surface)).toBeLessThan(1e-9);
      expect(r.surface.countV).toBeLessThanOrEqual(shape === 'wavy' ? 105 : 40);
      expect(r.rows).toBeLessThan(r.of);
      expect(r.bent).toBeGreaterThan(0);
    },
  );
  it('an edge that lies there already stays, a lower grade changes fewer rows', () => {
    const flat = placedSurface(shapeSurface('plane', back), { ...back, x: [1, 0, 0], y: [0, 1, 0] });
    const target = whole(naturalNeighbour(flat));
    const on = matchTo(skin, 'u0', target, { ...options, grade: 0 }).surface;
    const again = matchTo(on, 'u0', target, { ...options, grade: 1 });
    expect(again.rows).toBe(2);
    expect(matchTo(on, 'u0', target, options).rows).toBe(3);
  });
  it('keeps the tangents and curvatures of the far side when asked', () => {
    const target = whole(naturalNeighbour(shapeSurface('torus', back)));
    const r = matchTo(skin, 'u0', target, { ...options, keepFar: 3 });
    const far = new Border(
      surfaceBody(skin, { prefix: 's', face: () => 's' }).sides.u1.map((edge) => ({
        body: surfaceBody(skin, { prefix: 's', face: () => 's' }).body,
        edge,
        part: [0, 1] as const,
        side: 0 as const,
      })),
    );
    const m = measureAgainst(r.surface, 'u1', far, 100);
    expect(m.gap).toBeLessThan(1e-9);
    expect(m.kink).toBeLessThan(1e-5);
    expect(m.step).toBeLessThan(1e-3);
  });
  it('matches a part of a side and fades beyond it', () => {
    const s = shapeSurface('plane', back);
    const target = whole(
      trimmedNeighbour(s, [
        [0.1, 0.35],
        [0.1, 0.65],
      ]),
    );
    const r = matchTo(skin, 'u0', target, { ...options, part: [0.4, 0.6] });
    const m = trueSeam(r.surface, (t) => [0, 0.42 + 0.16 * t], s);
    expect(m.gap).toBeLessThan(3e-4);
    expect(m.kink).toBeLessThan(0.01);
    // ends of the side stay where they were
    for (const t of [0, 1]) expect(distance(surfacePoint(r.surface, 0, t), surfacePoint(skin, 0, t))).toBeLessThan(1e-9);
  });
  it('works on any side', () => {
    const target = whole(naturalNeighbour(shapeSurface('cylinder', back)));
    const turned = transpose(skin);
    const r = matchTo(turned, 'v0', target, options);
    expect(measureAgainst(r.surface, 'v0', target, 100).kink).toBeLessThan(0.01);
  });
});

describe('mirror planes and halfway', () => {
  const plane = frameFromNormal([8, 0, 0], [1, 0.1, 0.05]);
  it('a side runs exactly square into a mirror plane; with G3 its curvature does not change across', () => {
    for (const grade of [0, 1, 2, 3] as const) {
      const r = matchMirror(skin, 'u0', plane, grade, 1);
      const m = mirrorMeeting(r.surface, 'u0', plane);
      expect(m.gap).toBeLessThan(1e-11);
      if (grade > 0) expect(m.kink).toBeLessThan(1e-9);
      expect(farMoved(skin, r.surface)).toBeLessThan(1e-9);
      if (grade < 1) continue;
      // the mirror image beside it, measured the other way
      const image: NurbsSurface = { ...r.surface, control: mirrored(r.surface.control, plane) };
      const seam = trueSeam(r.surface, (t) => [0, t], image);
      expect(seam.kink).toBeLessThan(1e-4);
      expect(seam.step).toBeLessThan(0.1);
      if (grade === 3) {
        const body = surfaceBody(image, { prefix: 'i', face: () => 'i' });
        const far = new Border(body.sides.u0.map((edge) => ({ body: body.body, edge, part: [0, 1] as const, side: 0 as const })));
        expect(measureAgainst(r.surface, 'u0', far, 100).flow).toBeLessThan(1e-3);
      }
    }
  });
  it('two skins meet halfway', () => {
    const other = placedSurface(wavySkin(2), { ...back, origin: [-10, 2, 1] });
    const border = (s: NurbsSurface) => {
      const b = surfaceBody(s, { prefix: 's', face: () => 's' });
      return new Border(b.sides.u0.map((edge) => ({ body: b.body, edge, part: [0, 1] as const, side: 0 as const })));
    };
    const [a, b] = [border(skin), border(other)];
    const line = lineUpWith(a.curve, false, b, { along: 'ends', part: [0, 1] });
    const mean = halfway(a, b, (share) => line.to(a.table.near(share * a.total)));
    const [p, q] = [matchTo(skin, 'u0', mean, options), matchTo(other, 'u0', mean, options)];
    const seam = trueSeam(p.surface, (t) => [0, t], q.surface);
    expect(seam.gap).toBeLessThan(3e-4);
    expect(seam.kink).toBeLessThan(0.015);
    expect(seam.step).toBeLessThan(1.5);
    // both have moved about as far
    const way = (x: NurbsSurface, y: NurbsSurface) => distance(surfacePoint(x, 0, 0.5), surfacePoint(y, 0, 0.5));
    expect(way(p.surface, skin) / way(q.surface, other)).toBeCloseTo(1, 1);
  });
});
function mirrored(control: Float64Array, f: Frame): Float64Array {
  const out = new Float64Array(control);
  for (let i = 0; i < out.length; i += 4) {
    const p: Vec3 = [out[i], out[i + 1], out[i + 2]];
    const h = (p[0] - f.origin[0]) * f.z[0] + (p[1] - f.origin[1]) * f.z[1] + (p[2] - f.origin[2]) * f.z[2];
    for (let d = 0; d < 3; d++) out[i + d] -= 2 * h * f.z[d];
  }
  return out;
}
