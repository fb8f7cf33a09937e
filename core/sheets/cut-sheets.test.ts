import { describe, expect, it } from 'vitest';
import { readDxf } from '../exchange/index.ts';
import { WORLD } from '../math/index.ts';
import { circleCurve } from '../nurbs/index.ts';
import { seeded } from '../testing/mutate.ts';
import { ball, block, cone, ringBody } from '../testing/random-bodies.ts';
import { type CutOptions, type CutSheets, cutSheets } from './cut-sheets.ts';
import { nest } from './nest.ts';
import { drawPaper, paperDxf, paperSvg, papersPdf } from './paper.ts';
import {
  boundsOf,
  distanceToLine,
  type Flat,
  isInside,
  loopArea,
  loopsOf,
  movedRegion,
  type Region,
  regionArea,
  without,
} from './region.ts';

const OPTIONS: CutOptions = {
  count: 24,
  thickness: 3,
  width: 300,
  height: 200,
  gap: 2,
  margin: 5,
  turns: [0, 90, 180, 270],
  filled: false,
  labels: true,
  scores: true,
  holes: 0,
  spine: false,
};
const cut = (body: ReturnType<typeof ball>, more: Partial<CutOptions> = {}): CutSheets => {
  const r = cutSheets([{ name: 'Body', body }], WORLD, { ...OPTIONS, ...more });
  if ('message' in r) throw new Error(r.message);
  return r;
};
/** Random places of a sheet: none lies in two parts, none nearer than the clear space to two, none within the margin. */
function checkClear(
  placed: { sheet: number; region: Region }[],
  o: { width: number; height: number; gap: number; margin: number },
  places: number,
) {
  const random = seeded(11);
  const bySheet = new Map<number, Region[]>();
  for (const p of placed) bySheet.set(p.sheet, [...(bySheet.get(p.sheet) ?? []), p.region]);
  for (const list of bySheet.values()) {
    for (const r of list) {
      const { min, max } = boundsOf(r.outer);
      expect(Math.min(min[0], min[1])).toBeGreaterThan(o.margin - 1e-6);
      expect(max[0]).toBeLessThan(o.width - o.margin + 1e-6);
      expect(max[1]).toBeLessThan(o.height - o.margin + 1e-6);
    }
    for (let k = 0; k < places / bySheet.size; k++) {
      const p: Flat = [random() * o.width, random() * o.height];
      const near = list.filter((r) => isInside(r, p) || loopsOf(r).some((l) => distanceToLine(p, l, true) < o.gap / 2));
      expect(near.length).toBeLessThan(2);
    }
    // and from the outlines themselves, where it is tightest
    list.forEach((a, i) => {
      for (const p of a.outer.filter((_, n) => n % 7 === 0))
        list.forEach((b, j) => {
          if (i === j) return;
          expect(isInside(b, p)).toBe(false);
          for (const l of loopsOf(b)) expect(distanceToLine(p, l, true)).toBeGreaterThan(o.gap);
        });
    });
  }
}
const regionsOn = (r: CutSheets) => r.placed.map((m) => ({ sheet: m.sheet, region: movedRegion(r.parts[m.part].region, m) }));

describe('sections laid on sheets', () => {
  it('a ball in 24 layers: circles of the right size, its volume within a thousandth, every score on the next circle', () => {
    const r = cut(ball(30));
    expect(r.parts.length).toBe(24);
    const step = 60 / 24;
    r.parts.forEach((p) => {
      const z = -30 + (p.slice + 0.5) * step;
      const radius = Math.sqrt(900 - z * z);
      for (const q of p.region.outer) expect(Math.abs(Math.hypot(...q) - radius)).toBeLessThan(0.005);
      const next = Math.sqrt(Math.max(0, 900 - (z + step) ** 2));
      // below the middle the next circle lies outside, above it inside this one
      if (Math.abs(radius - next - 0.4) > 0.02) expect(p.scores.length > 0).toBe(radius - next > 0.4 && p.slice < 23);
      for (const l of p.scores) for (const q of l) expect(Math.abs(Math.hypot(...q) - next)).toBeLessThan(0.01);
    });
    expect(Math.abs((r.volume?.laid ?? 0) / ((4 / 3) * Math.PI * 27000) - 1)).toBeLessThan(1e-3);
    checkClear(regionsOn(r), OPTIONS, 10_000);
    expect(r.sheets).toBeGreaterThanOrEqual(r.bound);
    expect(r.sheets).toBeLessThanOrEqual(r.bound + 1);
  }, 60_000);
  it('filled, a hollow body is cut as if it were full', () => {
    const r = cut(ringBody(20, 5), { filled: true, count: 3, scores: false });
    expect(r.parts.length).toBe(3);
    expect(regionArea(r.parts[1].region)).toBeCloseTo(Math.PI * 625, 0);
    expect(r.volume?.body).toBeUndefined();
  });
  it('names lie in the material, clear of its border and of holes', () => {
    const r = cut(ringBody(20, 8), { holes: 3, count: 6 });
    for (const p of r.parts) {
      expect(p.label.length).toBeGreaterThan(0);
      for (const q of p.label.flat()) {
        expect(isInside(p.region, q)).toBe(true);
        for (const l of loopsOf(p.region)) expect(distanceToLine(q, l, true)).toBeGreaterThan(0.3);
      }
    }
  });
  it('holes lie one above the other through all sections, inside each', () => {
    const r = cut(cone(24, 12, 40), { holes: 4, count: 8 });
    const of = r.parts.map((p) => p.region.holes.map((h) => boundsOf(h)).sort((a, b) => a.min[0] - b.min[0]));
    for (const h of of) {
      expect(h.length).toBe(2);
      h.forEach((b, k) => {
        expect(b.max[0] - b.min[0]).toBeCloseTo(4, 2);
        expect(b.min[0]).toBeCloseTo(of[0][k].min[0], 5);
        expect(b.min[1]).toBeCloseTo(of[0][k].min[1], 5);
      });
    }
  });
  it('a spine and the sections are halved where they cross', () => {
    const r = cut(block(30, 20, 40), { spine: true, count: 5, scores: false });
    const spine = r.parts.filter((p) => p.slice < 0);
    expect(spine.length).toBe(1);
    // of the block's 80 x 40 mm five slots of 3 x 20 mm are gone; of each section of 60 x 40 mm one of the same size
    expect(regionArea(spine[0].region)).toBeCloseTo(80 * 40 - 5 * 3 * 20, 3);
    for (const p of r.parts.filter((x) => x.slice >= 0)) expect(regionArea(p.region)).toBeCloseTo(60 * 40 - 3 * 20, 3);
  });
  it('square to a curve sections are even along its length', () => {
    const r = cut(ringBody(20, 5), { along: [circleCurve(WORLD, 20, 0, Math.PI)], count: 6 });
    expect(r.volume).toBeUndefined();
    // each plane meets the ring twice: here and on the far side
    expect(r.parts.length).toBe(12);
    for (const p of r.parts) expect(regionArea(p.region)).toBeCloseTo(Math.PI * 25, 1);
    expect(r.notes.join()).toContain('no score lines');
  });
  it('what cannot be is told: a part larger than the sheet, an open skin', () => {
    const r = cutSheets([{ name: 'Body', body: ball(30) }], WORLD, { ...OPTIONS, count: 3, width: 50, height: 50 });
    expect('message' in r && r.message).toMatch(/A\d+ takes .* more than a sheet has/);
  });
});

describe('nesting', () => {
  const star = (n: number, a: number, b: number, turn: number): Region => ({
    outer: Array.from({ length: 2 * n }, (_, i): Flat => {
      const t = turn + (Math.PI * i) / n;
      return [Math.cos(t) * (i % 2 ? a : b), Math.sin(t) * (i % 2 ? a : b)];
    }),
    holes: [],
  });
  it('forty random stars and frames keep their clear space', () => {
    const random = seeded(3);
    const parts = Array.from({ length: 40 }, (_, k): Region => {
      const s = star(3 + Math.floor(5 * random()), 4 + 6 * random(), 12 + 18 * random(), random());
      // some are frames: others may lie in them
      return k % 6 ? s : without([{ outer: star(4, 30, 42, 0).outer, holes: [] }], [star(4, 24, 34, 0).outer])[0];
    });
    const o = { width: 300, height: 220, gap: 1.5, margin: 4, turns: [0, 90, 180, 270] };
    const r = nest(parts, o);
    if ('message' in r) throw new Error(r.message);
    checkClear(
      r.placed.map((m) => ({ sheet: m.sheet, region: movedRegion(parts[m.part], m) })),
      o,
      10_000,
    );
  }, 60_000);
  it('rectangles that fill a sheet fill it', () => {
    const rect = (w: number, h: number): Region => ({
      outer: [
        [0, 0],
        [w, 0],
        [w, h],
        [0, h],
      ],
      holes: [],
    });
    const r = nest(
      Array.from({ length: 12 }, () => rect(48, 48)),
      { width: 200, height: 151, gap: 1, margin: 0, turns: [0] },
    );
    expect('sheets' in r && r.sheets).toBe(1);
    expect('bound' in r && r.bound).toBe(1);
  });
});

describe('papers', () => {
  const r = cut(ball(20), { count: 6 });
  it('SVG and DXF hold every outline on its layer; the DXF is read again with the same lengths', () => {
    const svg = paperSvg(r.papers[0]);
    expect(svg.match(/<g id="(sheet|cut|score|label)"/g)?.length).toBe(4);
    const back = readDxf(paperDxf(r.papers[0]));
    if (!back.ok) throw new Error(back.message);
    const paths = r.papers[0].layers.flatMap((l) => l.paths);
    expect(back.chains.length).toBe(paths.length);
    const cuts = r.papers[0].layers.find((l) => l.name === 'cut');
    const area = cuts?.paths.reduce((s, p) => s + loopArea(p.points), 0) ?? 0;
    expect(area).toBeCloseTo(
      r.parts.reduce((s, p) => s + regionArea(p.region), 0),
      3,
    );
  });
  it('PDF: words that are centred stand about their place, however they are turned', async () => {
    const { jsPDF } = await import('jspdf');
    for (const turn of [0, 30, 90, -45]) {
      const doc = new jsPDF({ unit: 'mm', format: [200, 100], orientation: 'landscape', compress: false });
      const words = { at: [80, 40] as const, text: '123.45', height: 2.5, turn, anchor: 'middle' as const };
      drawPaper(doc, {
        title: 'x',
        width: 200,
        height: 100,
        layers: [{ name: 'a', colour: '#000000', width: 0.2, paths: [], texts: [words] }],
      });
      const width = doc.getTextWidth('123.45');
      const page = doc.output();
      const mm = 25.4 / 72;
      const m = /(-?[\d.]+) (-?[\d.]+) (-?[\d.]+) (-?[\d.]+) (-?[\d.]+) (-?[\d.]+) Tm/.exec(page) ?? [];
      const d = /(-?[\d.]+) (-?[\d.]+) Td/.exec(page) ?? [];
      const [cos, sin, x, y] = m.length ? [m[1], m[2], m[5], m[6]].map(Number) : [1, 0, Number(d[1]), Number(d[2])];
      expect(cos).toBeCloseTo(Math.cos((turn * Math.PI) / 180), 3);
      expect(x * mm + (width / 2) * cos).toBeCloseTo(80, 2);
      expect(y * mm + (width / 2) * sin).toBeCloseTo(40, 2);
    }
  });
  it('PDF: a page a sheet, of its size', async () => {
    const text = new TextDecoder('latin1').decode(await papersPdf([...r.papers, ...r.papers], 'Sections'));
    expect(text.startsWith('%PDF-')).toBe(true);
    expect(text.match(/\/Type \/Page\b/g)?.length).toBe(2);
    const [, w, h] = /\/MediaBox \[0 0 ([\d.]+) ([\d.]+)/.exec(text) ?? [];
    expect(Number(w)).toBeCloseTo((300 * 72) / 25.4, 1);
    expect(Number(h)).toBeCloseTo((200 * 72) / 25.4, 1);
  });
});
