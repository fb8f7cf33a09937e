import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { polylineCurve } from '../nurbs/index.ts';
import { RUNNABLE } from '../tools/evaluations.ts';
import { TOOLS } from '../tools/index.ts';
import { pictureOfTool } from './of-tool.ts';
import { guidePage, toolsPage } from './page.ts';
import { toolPicture } from './picture.ts';
import { SCENES } from './scenes.ts';
import { TOPICS } from './topics.ts';

const root = new URL('../../', import.meta.url);
const read = (path: string) => readFileSync(new URL(path, root), 'utf8');

describe('the help', () => {
  it('every tool has its line, its picture and its usual mistakes, each a sentence with what to do', () => {
    for (const t of TOOLS.values()) {
      expect([t.id, t.mistakes?.length]).toEqual([t.id, 2]);
      for (const m of t.mistakes ?? []) {
        expect(m).toMatch(/^[A-Z].{25,220}\.$/);
        expect(m).toMatch(/[:.?,] /);
      }
      expect(t.hint).not.toMatch(/\.$/);
      expect([t.id, existsSync(new URL(`studio/public/help/${t.id}.svg`, root))]).toEqual([t.id, true]);
    }
    expect(readdirSync(new URL('studio/public/help/', root)).length).toBe(TOOLS.size);
    for (const id of Object.keys(SCENES)) expect([id, TOOLS.has(id)]).toEqual([id, true]);
  });
  it('the pages for readers are what the definitions say (else: npm run help:write)', () => {
    expect(read('docs/tools.md')).toBe(toolsPage(TOOLS));
    expect(read('docs/guide.md')).toBe(guidePage(TOPICS));
    for (const t of TOPICS) if (t.shot) expect([t.shot, existsSync(new URL(`docs/screenshots/${t.shot}`, root))]).toEqual([t.shot, true]);
  });
  it.each(['loft', 'circle', 'extrude', 'trim', 'fair', 'edit-skin', 'export', 'drawing', 'import', 'mirror'])(
    'the picture of %s is the one its example gives now (else: npm run help:write)',
    async (id) => {
      const tool = RUNNABLE.get(id);
      if (!tool) throw new Error('no such tool');
      expect(await pictureOfTool(tool)).toBe(read(`studio/public/help/${id}.svg`));
    },
  );
  it('a picture holds all of what is drawn, in one scale on both sides', () => {
    const square = polylineCurve([
      [0, 0, 0],
      [10, 0, 0],
      [10, 10, 0],
      [0, 10, 0],
      [0, 0, 0],
    ]);
    const svg = toolPicture(
      '<A & B>',
      { pieces: [{ kind: 'curve', curves: [square] }] },
      { pieces: [{ kind: 'curve', curves: [square] }] },
    );
    expect(svg).toContain('<title>&lt;A &amp; B></title>');
    const paths = [...svg.matchAll(/<path d="M([\d. L]+)"/g)].map((m) => m[1].split('L').map((p) => p.split(' ').map(Number)));
    expect(paths.length).toBe(2);
    const [left, right] = paths;
    for (const [i, p] of left.entries()) {
      expect(p[0]).toBeGreaterThanOrEqual(14 - 0.1);
      expect(p[0]).toBeLessThanOrEqual(196.1);
      expect(Math.abs(right[i][0] - p[0] - 238)).toBeLessThan(0.11);
      expect(Math.abs(right[i][1] - p[1])).toBeLessThan(0.11);
    }
    // opposite sides of a square stay parallel and equal in a parallel projection
    expect(Math.abs(left[1][0] - left[0][0] - (left[2][0] - left[3][0]))).toBeLessThan(0.21);
  });
  it('topics are found by their own words', () => {
    expect(new Set(TOPICS.map((t) => t.id)).size).toBe(TOPICS.length);
    for (const t of TOPICS) {
      expect(t.synonyms.length).toBeGreaterThan(2);
      for (const p of t.text) expect(p.length).toBeGreaterThan(40);
    }
  });
});
