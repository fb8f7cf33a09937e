import { describe, expect, it } from 'vitest';
import { type Body, Border, surfaceBody } from '../brep/index.ts';
import { angleBetween, DEG, distance, type Frame, frameFromNormal, unit, type Vec3 } from '../math/index.ts';
import {
  circleCurve,
  controlPointCurve,
  domainV,
  extrudedSurface,
  type NurbsSurface,
  polylineCurve,
  surfaceJet,
  surfacePoint,
} from '../nurbs/index.ts';
import { measureAgainst, mirrorMeeting } from '../proof/index.ts';
import { NEIGHBOUR_SHAPES, naturalNeighbour, shapeSurface, trimmedNeighbour } from '../testing/neighbours.ts';
import { trueSeam } from '../testing/true-seam.ts';
import { blend } from './blend.ts';
import type { BlendEnd, BlendGrade, BlendResult } from './blend-run.ts';
import { passThrough } from './shape-field.ts';

const here: Frame = { origin: [30, 0, 0], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
const there: Frame = { origin: [-20, 3, -25], x: [-0.8, 0, -0.6], y: [0, 1, 0], z: [-0.6, 0, 0.8] };
const aim = { gap: 2e-4, kink: 0.007, step: 0.35 };
const free: readonly [BlendEnd, BlendEnd] = [{ kind: 'free' }, { kind: 'free' }];
const whole = (n: { body: Body; edge: number }, part: readonly [number, number] = [0, 1]) => new Border([{ ...n, part, side: 0 }]);
type Extra = Partial<Parameters<typeof blend>[2]> & { reach?: (t: number) => number };
function make(a: Border, b: Border, grades: readonly [BlendGrade, BlendGrade], extra: Extra = {}): BlendResult {
  const reach = extra.reach ?? (() => 1);
  const r = blend(
    { border: a, grade: grades[0], reach },
    { border: b, grade: grades[1], reach },
    { aim, across: 'best', ends: free, ...extra },
  );
  if (!r.ok) throw new Error(r.message);
  return r.result;
}
const both = (s: NurbsSurface, a: Border, b: Border) => {
  const [p, q] = [measureAgainst(s, 'u0', a, 100), measureAgainst(s, 'u1', b, 100)];
  return {
    gap: Math.max(p.gap, q.gap),
    kink: Math.max(p.kink, q.kink),
    step: Math.max(p.step, q.step),
    flow: Math.max(p.flow, q.flow),
  };
};
const others = ['plane', 'sphere', 'wavy'] as const;
const pairs = NEIGHBOUR_SHAPES.flatMap((a) => others.map((b) => [a, b] as const));
const wave = [
  [0.12, 0.1],
  [0.3, 0.4],
  [0.05, 0.6],
  [0.2, 0.9],
] as const;
const wave2 = [
  [0.15, 0.1],
  [0.05, 0.4],
  [0.3, 0.6],
  [0.1, 0.9],
] as const;

describe('blend along borders of surfaces', () => {
  it.each(pairs)('carries %s and %s on exactly: G2 and G3', (a, b) => {
    const [A, B] = [whole(naturalNeighbour(shapeSurface(a, here))), whole(naturalNeighbour(shapeSurface(b, there)))];
    for (const g of [2, 3] as const) {
      const r = make(A, B, [g, g], { across: 'lines' });
      expect(r.exact).toEqual([true, true]);
      const m = both(r.surface, A, B);
      expect(m.gap).toBeLessThan(1e-11);
      expect(m.kink).toBeLessThan(1e-6);
      expect(m.step).toBeLessThan(1e-3);
      if (g === 3) expect(m.flow).toBeLessThan(1e-3);
      expect(r.surface.countU).toBe(2 * g + 2);
    }
  });
  it('keeps a reach that changes along the border exact', () => {
    const [A, B] = [whole(naturalNeighbour(shapeSurface('cylinder', here))), whole(naturalNeighbour(shapeSurface('sphere', there)))];
    const r = make(A, B, [2, 2], { reach: (t) => 0.5 + t });
    expect(r.exact).toEqual([true, true]);
    const m = both(r.surface, A, B);
    expect(m.kink).toBeLessThan(1e-6);
    expect(m.step).toBeLessThan(1e-3);
    // three times as long a handle at the far end, for as long a way across
    const [v0, v1] = domainV(r.surface);
    const handle = (v: number) => {
      const j = surfaceJet(r.surface, 0, v);
      return Math.hypot(...j.u) / distance(j.point, surfacePoint(r.surface, 1, v));
    };
    expect(handle(v1) / handle(v0)).toBeGreaterThan(2.2);
    expect(handle(v1) / handle(v0)).toBeLessThan(4);
  });
  it('takes grades side by side: G0 beside G3', () => {
    const [A, B] = [whole(naturalNeighbour(shapeSurface('torus', here))), whole(naturalNeighbour(shapeSurface('plane', there)))];
    const r = make(A, B, [0, 3]);
    expect(r.surface.countU).toBe(5);
    expect(measureAgainst(r.surface, 'u0', A, 100).gap).toBeLessThan(1e-11);
    expect(measureAgainst(r.surface, 'u1', B, 100).flow).toBeLessThan(1e-3);
  });
});

describe('blend along trimmed edges', () => {
  it.each(pairs)('meets %s and %s within the limits with few points', (a, b) => {
    const [sa, sb] = [shapeSurface(a, here), shapeSurface(b, there)];
    const [A, B] = [whole(trimmedNeighbour(sa, wave)), whole(trimmedNeighbour(sb, wave2))];
    const { surface } = make(A, B, [2, 2]);
    const waved = a === 'wavy' || b === 'wavy';
    expect(surface.countV).toBeLessThanOrEqual(waved ? 60 : 24);
    // by the other way of measuring
    const seams = [trueSeam(surface, (s) => [0, s], sa), trueSeam(surface, (s) => [1, s], sb)];
    for (const m of seams) {
      expect(m.gap).toBeLessThan(waved ? 1e-3 : 3e-4);
      expect(m.kink).toBeLessThan(waved ? 0.02 : 0.01);
      expect(m.step).toBeLessThan(waved ? 1 : 0.5);
    }
  });
  it('measures as the proof does', () => {
    const [sa, sb] = [shapeSurface('torus', here), shapeSurface('sphere', there)];
    const [A, B] = [whole(trimmedNeighbour(sa, wave)), whole(trimmedNeighbour(sb, wave2))];
    const { surface } = make(A, B, [1, 1]);
    const [own, other] = [measureAgainst(surface, 'u0', A, 100), trueSeam(surface, (s) => [0, s], sa, 301)];
    expect(other.kink).toBeLessThan(1.02 * own.kink);
    expect(other.kink).toBeGreaterThan(0.7 * own.kink);
    expect(other.step / own.step).toBeCloseTo(1, 1);
  });
  it('uses part of an edge, and edges of two skins end to end', () => {
    const s = shapeSurface('torus', here);
    const n = trimmedNeighbour(s, wave);
    const B = whole(naturalNeighbour(shapeSurface('plane', there)));
    const part = whole(n, [0.2, 0.7]);
    const r = make(part, B, [2, 2]);
    expect(distance(surfacePoint(r.surface, 0, 0), part.place(0).point)).toBeLessThan(1e-9);
    expect(both(r.surface, part, B).kink).toBeLessThan(0.01);
    const two = new Border([
      { ...n, part: [0, 0.45], side: 0 },
      { ...n, part: [0.45, 1], side: 0 },
    ]);
    expect(two.total).toBeCloseTo(whole(n).total, 6);
    expect(both(make(two, B, [2, 2]).surface, two, B).step).toBeLessThan(0.5);
  });
});

describe('closed blends', () => {
  const tube = (r: number, from: number, to: number, turn: number, x = 0, y = 0) => {
    const f: Frame = {
      origin: [x, y, from],
      x: [Math.cos(turn), Math.sin(turn), 0],
      y: [-Math.sin(turn), Math.cos(turn), 0],
      z: [0, 0, 1],
    };
    return surfaceBody(extrudedSurface(circleCurve(f, r), [0, 0, to - from]), { prefix: 't', face: () => 't' });
  };
  const rim = (t: ReturnType<typeof tube>, side: 'v0' | 'v1') =>
    new Border(t.sides[side].map((edge) => ({ body: t.body, edge, part: [0, 1] as const, side: 0 as const })));
  const closing = (s: NurbsSurface) => {
    const [a, b] = domainV(s);
    let kink = 0;
    let gap = 0;
    for (let i = 0; i <= 20; i++) {
      const [p, q] = [surfaceJet(s, i / 20, a), surfaceJet(s, i / 20, b)];
      gap = Math.max(gap, distance(p.point, q.point));
      kink = Math.max(kink, angleBetween(p.normal, q.normal) / DEG);
    }
    return { gap, kink };
  };
  it('closes smoothly, exactly where both tubes start together, fitted where they do not', () => {
    const A = rim(tube(30, -50, 0, 0), 'v1');
    const exact = make(A, rim(tube(20, 40, 80, 0), 'v0'), [2, 2]);
    expect(exact.exact).toEqual([true, true]);
    const B = rim(tube(20, 40, 80, 1.1, 5, 3), 'v0');
    const fitted = make(A, B, [2, 2]);
    expect(fitted.surface.countV).toBeLessThanOrEqual(24);
    expect(both(fitted.surface, A, B).kink).toBeLessThan(0.01);
    expect(both(fitted.surface, A, B).step).toBeLessThan(0.5);
    for (const r of [exact, fitted]) {
      expect(r.closed).toBe(true);
      expect(closing(r.surface).gap).toBeLessThan(1e-9);
      expect(closing(r.surface).kink).toBeLessThan(1e-5);
      // as thick in the middle as the two suggest: no twist, no fold
      const middle = Array.from({ length: 36 }, (_, i) => surfacePoint(r.surface, 0.5, i / 36));
      for (const p of middle) expect(Math.hypot(p[0] - 2.5, p[1] - 1.5)).toBeGreaterThan(18);
    }
  });
  it('mitres corners: square to square turned, and square to round', () => {
    const square = (s: number, from: number, to: number, turn: number) => {
      const pts = [0, 1, 2, 3, 4].map((i): Vec3 => [s * Math.cos(turn + (i * Math.PI) / 2), s * Math.sin(turn + (i * Math.PI) / 2), from]);
      return surfaceBody(extrudedSurface(polylineCurve(pts), [0, 0, to - from]), { prefix: 's', face: (i, j) => `s${i}${j}` });
    };
    const A = rim(square(30, -40, 0, 0.3), 'v1');
    for (const B of [rim(square(20, 50, 90, 0.5), 'v0'), rim(tube(20, 40, 80, 0), 'v0')]) {
      const r = make(A, B, [2, 2]);
      const made = surfaceBody(r.surface, { prefix: 'b', face: (i, j) => `b${i}${j}` });
      // one face a side, and it closes
      expect(made.body.faces.length).toBe(4);
      expect(closing(r.surface).gap).toBeLessThan(1e-9);
      const m = both(r.surface, A, B);
      expect(m.gap).toBeLessThan(3e-4);
      expect(m.kink).toBeLessThan(0.01);
      expect(m.step).toBeLessThan(0.5);
    }
  });
  it('refuses open with closed, and free curves above G0, with the place', () => {
    const A = rim(tube(30, -50, 0, 0), 'v1');
    const B = whole(naturalNeighbour(shapeSurface('plane', there)));
    const r = blend({ border: A, grade: 1, reach: () => 1 }, { border: B, grade: 1, reach: () => 1 }, { aim, across: 'best', ends: free });
    expect(r.ok ? '' : r.code).toBe('open-with-closed');
    const line = new Border([
      {
        curve: polylineCurve([
          [0, -50, 30],
          [0, 50, 30],
        ]),
      },
    ]);
    const held = blend(
      { border: line, grade: 1, reach: () => 1 },
      { border: B, grade: 1, reach: () => 1 },
      { aim, across: 'best', ends: free },
    );
    expect(held.ok ? '' : held.code).toBe('free-curve');
    expect(make(line, B, [0, 2]).surface.countU).toBe(4);
  });
});

describe('ends and shapes of blends', () => {
  // both neighbours run square through the plane y = 0
  const half = (f: Frame) => {
    const c = controlPointCurve(
      [
        [0, 0, 6],
        [0, 12, 6],
        [0, 30, 2],
        [0, 45, -4],
      ],
      3,
      false,
    );
    const row = (dx: number, dz: number) => {
      const control = new Float64Array(c.control);
      for (let i = 0; i < control.length; i += 4) {
        const [x, y, z] = [control[i] + dx, control[i + 1], control[i + 2] + dz];
        for (let d = 0; d < 3; d++) control[i + d] = f.origin[d] + f.x[d] * x + f.y[d] * y + f.z[d] * z;
      }
      return control;
    };
    const rows = [row(0, 0), row(20, 2), row(40, 1), row(60, -8)];
    return {
      degreeU: 3,
      degreeV: 3,
      knotsU: Float64Array.of(0, 0, 0, 0, 1, 1, 1, 1),
      knotsV: c.knots,
      countU: 4,
      countV: rows[0].length / 4,
      control: Float64Array.from(rows.flatMap((r) => Array.from(r))),
      rational: false,
    } satisfies NurbsSurface;
  };
  const plane = frameFromNormal([0, 0, 0], [0, 1, 0]);
  const cut = (s: NurbsSurface, list: readonly (readonly [number, number])[]) => whole(trimmedNeighbour(s, list));
  it('runs square into a mirror plane: the whole is G2 across it', () => {
    const A = cut(half(here), [
      [0.1, 0],
      [0.1, 0.2],
      [0.3, 0.5],
      [0.2, 0.9],
    ]);
    const B = cut(half({ ...there, origin: [-20, 0, -25] }), [
      [0.2, 0],
      [0.2, 0.15],
      [0.05, 0.6],
      [0.1, 0.9],
    ]);
    const plain = make(A, B, [2, 2]);
    expect(mirrorMeeting(plain.surface, 'v0', plane).kink).toBeGreaterThan(1e-4);
    const r = make(A, B, [2, 2], { ends: [{ kind: 'mirror', plane }, { kind: 'free' }] });
    const m = mirrorMeeting(r.surface, 'v0', plane);
    expect(m.gap).toBeLessThan(1e-9);
    expect(m.kink).toBeLessThan(1e-9);
    const seams = both(r.surface, A, B);
    expect(seams.kink).toBeLessThan(0.01);
    expect(seams.step).toBeLessThan(0.5);
  });
  it('leaves its corners along directions that are given', () => {
    const s = shapeSurface('plane', here);
    const A = whole(trimmedNeighbour(s, wave));
    const B = whole(naturalNeighbour(shapeSurface('plane', there)));
    const d: Vec3 = unit([-1, -0.5, 0]);
    const r = make(A, B, [2, 2], { ends: [{ kind: 'free', leave: [d, undefined] }, { kind: 'free' }] });
    const j = surfaceJet(r.surface, 0, 0);
    expect(angleBetween(unit(j.u), d) / DEG).toBeLessThan(1e-3);
    expect(both(r.surface, A, B).kink).toBeLessThan(0.01);
  });
  it('passes through a curve and keeps the seams as they are', () => {
    const A = whole(naturalNeighbour(shapeSurface('wavy', here)));
    const B = whole(naturalNeighbour(shapeSurface('plane', there)));
    const r = make(A, B, [2, 2], { across: 'lines' });
    const before = both(r.surface, A, B);
    // a line along the middle, raised by 3 mm in its middle
    const places = Array.from({ length: 33 }, (_, i): Vec3 => {
      const t = 0.15 + (0.7 * i) / 32;
      const j = surfaceJet(r.surface, 0.5, t);
      const up = 3 * Math.sin((Math.PI * i) / 32) ** 2;
      return [0, 1, 2].map((k) => j.point[k] + up * j.normal[k]) as unknown as Vec3;
    });
    const shaped = passThrough(r.surface, places, { keep: [3, 3], closedV: false, mirror: [undefined, undefined], tolerance: 1e-3 });
    expect(shaped.miss).toBeLessThan(1e-3);
    expect(shaped.moved).toBeGreaterThan(2.5);
    const after = both(shaped.surface, A, B);
    expect(after.kink).toBeLessThan(before.kink + 1e-9);
    expect(after.step).toBeLessThan(before.step + 1e-6);
    // nothing swings far beyond what was asked
    for (let i = 1; i < 20; i++)
      for (let k = 1; k < 20; k++)
        expect(distance(surfacePoint(shaped.surface, i / 20, k / 20), surfacePoint(r.surface, i / 20, k / 20))).toBeLessThan(3.6);
  });
  it('works at the size of a millimetre and of metres', () => {
    for (const f of [0.01, 20]) {
      const scaled = (s: NurbsSurface): NurbsSurface => ({ ...s, control: s.control.map((x, i) => (i % 4 === 3 ? x : x * f)) });
      const [A, B] = [
        whole(trimmedNeighbour(scaled(shapeSurface('sphere', here)), wave)),
        whole(naturalNeighbour(scaled(shapeSurface('plane', there)))),
      ];
      const r = make(A, B, [2, 2], { aim: { ...aim, gap: aim.gap * Math.max(0.05, f) } });
      expect(both(r.surface, A, B).kink).toBeLessThan(0.01);
    }
  });
});
