import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { emptyModel, evaluateModel, type Model, type Pick, type Step } from '../recipe/index.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

const step = (id: string, tool: string, params: object, inputs: Record<string, (string | Pick)[]> = {}, name?: string): Step => ({
  id,
  tool,
  version: 1,
  params: params as Step['params'],
  name,
  inputs: Object.fromEntries(
    Object.entries(inputs).map(([k, v]) => [k, v.map((s) => (typeof s === 'string' ? { step: s, output: 'main' } : s))]),
  ),
});
/** A short line that ends at one place and comes from behind it, seen from another. */
const tip = (at: readonly number[], from: readonly number[]) => {
  const l = Math.hypot(...at.map((x, k) => x - from[k]));
  return [at.map((x, k) => x + (0.5 * (x - from[k])) / l), at];
};
/** A block with two places, and what lies between them measured in several ways. */
const model = (to: readonly [number, number, number], shown: string, drawing: object = {}): Model => ({
  ...emptyModel('drawn'),
  steps: [
    step('b', 'primitive', { shape: 'box', width: 60, depth: 40, height: 30, solid: true }),
    step('p', 'polyline', { points: tip([-20, -10, 0], to) }),
    step('q', 'polyline', { points: tip(to, [-20, -10, 0]) }),
    step('m', 'measure', { shown }, { things: ['p', 'q'] }, 'Reach'),
    step('d', 'drawing', { paper: 'a3', sizes: false, ...drawing }, { pieces: ['b'] }),
  ],
});
const sheet = async (m: Model) => {
  const r = (await evaluateModel(m, { tools: TOOLS, kernel })).steps.get('d');
  if (!r?.pages) throw new Error(JSON.stringify(r?.diagnostics));
  return { svg: r.pages[0].svg, facts: new Map(r.facts.map((f) => [f.label, f.value])), notes: r.diagnostics.map((d) => d.message) };
};
/** The group of the dimensions, and the numbers of its straight lines. */
const dimensions = (svg: string): string => /<g id="dimensions"[\s\S]*?<\/g>/.exec(svg)?.[0] ?? '';

describe('measures on a drawing', () => {
  it('a level distance stands above the view in its scale, with the measured number', async () => {
    const { svg, facts } = await sheet(model([17.5, -10, 0], 'distance'));
    expect(facts.get('measures')).toBe('1');
    const group = dimensions(svg);
    expect(group).toContain('>37.5<');
    const scale = Number(facts.get('scale')?.split(':')[0]) / Number(facts.get('scale')?.split(':')[1]);
    // its line: the longest level one
    const lines = [...group.matchAll(/ d="([^"]*)"/g)].map((x) => (x[1].match(/-?\d+(\.\d+)?/g) ?? []).map(Number));
    const widths = lines.filter((l) => l.length === 4 && Math.abs(l[1] - l[3]) < 1e-6).map((l) => Math.abs(l[2] - l[0]));
    expect(Math.max(...widths)).toBeCloseTo(37.5 * scale, 2);
  });
  it('a slanting one goes along itself where a view shows its true length, and is told where none does', async () => {
    // in the plane of the front view
    const slanting = await sheet(model([10, -10, 15], 'distance'));
    expect(dimensions(slanting.svg)).toContain(`>${Number(Math.hypot(30, 15).toFixed(2))}<`);
    const askew = await sheet(model([10, 12, 15], 'distance'));
    expect(dimensions(askew.svg)).toBe('');
    expect(askew.notes).toEqual(['"Reach" is not drawn: no view shows it in its true length']);
    expect(askew.facts.has('measures')).toBe(false);
    // its part along y is seen from above
    const part = await sheet(model([10, 12, 15], 'along_y'));
    expect(dimensions(part.svg)).toContain('>22<');
  });
  it('follows the measure, stays away when it is not wanted, and tells what lies elsewhere', async () => {
    const near = await sheet(model([15, -10, 0], 'distance'));
    expect(dimensions(near.svg)).toContain('>35<');
    const none = await sheet(model([15, -10, 0], 'distance', { measures: false }));
    expect(dimensions(none.svg)).toBe('');
    const far = await sheet(model([900, -10, 0], 'distance'));
    expect(far.notes).toEqual(['"Reach" is not drawn: it lies beside the pieces that are drawn']);
  });
  it('radii, angles and areas stand on leaders with their words', async () => {
    const m: Model = {
      ...emptyModel('words'),
      steps: [
        step('c', 'circle', { radius: 12 }),
        step('b', 'extrude', { distance: 30, cap: true }, { profile: ['c'] }),
        step('r', 'measure', { shown: 'radius' }, { things: ['c'] }),
        step('d2', 'measure', { shown: 'diameter' }, { things: ['c'] }),
        step('a', 'measure', { shown: 'volume' }, { things: ['b'] }),
        step('d', 'drawing', { sizes: false }, { pieces: ['b'] }),
      ],
    };
    const { svg, facts } = await sheet(m);
    expect(facts.get('measures')).toBe('3');
    const words = [...dimensions(svg).matchAll(/>([^<>]+)<\/text>/g)].map((x) => x[1]);
    expect(words).toEqual(['R 12', 'Ø 24']);
    // what has no place of its own stands in the title
    expect(/<g id="frame"[\s\S]*?<\/g>/.exec(svg)?.[0]).toContain('>volume 13571.68 mm³<');
  });
  it('a measure that changes draws the sheet anew; one that stays does not', async () => {
    const first = await evaluateModel(model([15, -10, 0], 'distance'), { tools: TOOLS, kernel });
    const same = await evaluateModel(model([15, -10, 0], 'distance'), { tools: TOOLS, kernel });
    const other = await evaluateModel(model([16, -10, 0], 'distance'), { tools: TOOLS, kernel });
    const hash = (r: typeof first) => r.steps.get('d')?.hash;
    expect(hash(same)).toBe(hash(first));
    expect(hash(other)).not.toBe(hash(first));
  });
});
