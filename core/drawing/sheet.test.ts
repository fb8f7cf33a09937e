import { describe, expect, it } from 'vitest';
import { bodyBox } from '../brep/index.ts';
import { WORLD } from '../math/index.ts';
import { boundsOf, type Paper, paperSvg } from '../sheets/index.ts';
import { ball, block, cone, ringBody } from '../testing/random-bodies.ts';
import { type Drawing, type DrawView, drawSheet, frameSeen, VIEW_FRAMES } from './sheet.ts';

const A3 = { title: 'Test', width: 420, height: 297, hidden: true, smooth: true, dimensions: true };
const THREE: DrawView[] = [
  { name: 'Front', frame: VIEW_FRAMES.front, at: [0, 0] },
  { name: 'Top', frame: VIEW_FRAMES.top, at: [0, 1] },
  { name: 'Right', frame: VIEW_FRAMES.right, at: [1, 0] },
];
const drawn = (b: Parameters<typeof drawSheet>[0], views = THREE, more: object = {}): Drawing => {
  const r = drawSheet(b, views, { ...A3, ...more });
  if ('message' in r) throw new Error(r.message);
  return r;
};
const layer = (p: Paper, name: string) => p.layers.find((l) => l.name === name);
const said = (p: Paper) => (layer(p, 'dimensions')?.texts ?? []).map((t) => t.text);

describe('views on a sheet', () => {
  it('a block of 60 x 40 x 20: sizes told, views in line, the largest usual scale that fits', () => {
    const d = drawn([block(30, 20, 10)]);
    expect(said(d.paper)).toEqual(['60', '20', '60', '40', '40', '20']);
    expect(d.scale).toBe(2);
    const { min, max } = boundsOf((layer(d.paper, 'visible')?.paths ?? []).flatMap((p) => p.points));
    // the front view's left end below the top view's; the right view level with the front
    expect(max[0]).toBeLessThan(420);
    expect(min[1]).toBeGreaterThan(26);
    const xs = (layer(d.paper, 'visible')?.paths ?? []).flatMap((p) => p.points.map((q) => Math.round(q[0] * 1e6) / 1e6));
    const ys = (layer(d.paper, 'visible')?.paths ?? []).flatMap((p) => p.points.map((q) => Math.round(q[1] * 1e6) / 1e6));
    // four upright edges in front and top share two x, two more in the right view; two heights there are shared, two more in the top view
    expect(new Set(xs).size).toBe(4);
    expect(new Set(ys).size).toBe(4);
    expect(Math.max(...xs) - Math.min(...xs)).toBeGreaterThan(2 * 100);
  });
  it('an outline on paper lies where the exact one does: a ball is a circle of its radius, to 0.006 mm of paper', () => {
    const d = drawn([ball(17)], [THREE[0]]);
    const paths = layer(d.paper, 'visible')?.paths ?? [];
    const { min, max } = boundsOf(paths.flatMap((p) => p.points.filter((_, i) => !p.curved || i % 3 === 0)));
    const centre = [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2];
    for (const p of paths) {
      if (!p.curved) continue;
      for (let i = 0; i + 3 < p.points.length; i += 3)
        for (const t of [0, 0.3, 0.5, 0.8]) {
          const w = [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t ** 3];
          const q = [0, 1].map((k) => w.reduce((s, x, j) => s + x * p.points[i + j][k], 0));
          expect(Math.abs(Math.hypot(q[0] - centre[0], q[1] - centre[1]) - 17 * d.scale)).toBeLessThan(0.006);
        }
    }
  });
  it('round edges seen straight on are dimensioned by their diameter', () => {
    const d = drawn([cone(12, 7, 30)], [THREE[1]]);
    expect(said(d.paper)).toContain('Ø 24');
    expect(said(d.paper)).toContain('Ø 14');
  });
  it('a section of a ring is two circles, hatched inside them only', () => {
    const d = drawn(
      [ringBody(20, 5)],
      [{ name: 'Section', frame: { ...WORLD, x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, at: [0, 0], section: true }],
    );
    const rims = layer(d.paper, 'section')?.paths ?? [];
    expect(rims.length).toBe(2);
    const centres = rims.map((p) => {
      const { min, max } = boundsOf(p.points);
      expect(max[0] - min[0]).toBeCloseTo(10 * d.scale, 1);
      return [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2];
    });
    const hatch = layer(d.paper, 'hatch')?.paths ?? [];
    expect(hatch.length).toBeGreaterThan(10);
    for (const h of hatch)
      for (const q of h.points)
        expect(Math.min(...centres.map((c) => Math.hypot(q[0] - c[0], q[1] - c[1])))).toBeLessThan(5 * d.scale + 0.01);
  });
  it('a cutting plane stands as a line in the views that see it from its edge, and nowhere else', () => {
    const b = block(30, 20, 10);
    const cut: DrawView = {
      name: 'Section',
      frame: { ...WORLD, origin: [0, 0, 4], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] },
      at: [2, 0],
      section: true,
    };
    const d = drawn([b], [...THREE, cut]);
    const lines = layer(d.paper, 'cutting')?.paths ?? [];
    // the front and the right view see it; the view from above does not
    expect(lines.length).toBe(2);
    for (const l of lines) {
      expect(l.points[0][1]).toBeCloseTo(l.points[1][1], 9);
      const wide = Math.abs(l.points[0][0] - l.points[1][0]);
      expect([60, 40].map((w) => Math.abs(wide - (w * d.scale + 6))).some((x) => x < 1e-6)).toBe(true);
    }
    const texts = (name: string) => (layer(d.paper, name)?.texts ?? []).map((t) => t.text);
    expect(texts('cutting ends')).toEqual(['A', 'A', 'A', 'A']);
    expect(texts('frame')).toContain('Section A–A');
    // at its true height over the foot of the view
    const front = layer(d.paper, 'visible')?.paths.flatMap((p) => p.points) ?? [];
    const foot = Math.min(...front.filter((p) => p[0] < Math.max(...lines[0].points.map((q) => q[0]))).map((p) => p[1]));
    const height = bodyBox(b).min[2];
    expect(lines[0].points[0][1] - foot).toBeCloseTo((4 - height) * d.scale, 6);
    // beside the bodies there is none
    const beside = drawn([b], [...THREE, { ...cut, frame: { ...cut.frame, origin: [0, 0, 400] } }]);
    expect(layer(beside.paper, 'cutting')).toBeUndefined();
  });
  it('what does not fit is refused with what it takes', () => {
    const r = drawSheet([block(300, 20, 10)], THREE, { ...A3, scale: 1 });
    expect('message' in r && r.message).toMatch(/At 1:1 the views take 640 x 60 mm, and the sheet has room for/);
  });
  it('a view from anywhere has its up up', () => {
    for (const eye of [
      [1, -1, 0.8],
      [0, 0, 1],
      [0, 0, -2],
      [3, 4, -5],
    ] as const) {
      const f = frameSeen(eye, [0, 0, 1]);
      expect(Math.hypot(...f.x)).toBeCloseTo(1, 12);
      expect(f.x[0] * f.z[0] + f.x[1] * f.z[1] + f.x[2] * f.z[2]).toBeCloseTo(0, 12);
      if (Math.hypot(eye[0], eye[1]) > 0) expect(f.y[2]).toBeGreaterThan(0);
    }
  });
  it('the SVG is as large as the sheet and holds the layers', () => {
    const svg = paperSvg(drawn([block(30, 20, 10)]).paper);
    expect(svg).toContain('width="420mm" height="297mm"');
    expect(svg).toContain('<g id="hidden"');
  });
});
