import { describe, expect, it } from 'vitest';
import { type Body, isWatertight, massProperties, topologyOf } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { emptyModel, evaluateModel, type Model, type Pick, type Step, type StepResult } from '../recipe/index.ts';
import { TOOLS } from './index.ts';

type Given = Record<string, (string | Pick)[]>;
const step = (id: string, tool: string, params: Record<string, unknown> = {}, inputs: Given = {}): Step => ({
  id,
  tool,
  version: 1,
  params,
  inputs: Object.fromEntries(Object.entries(inputs).map(([k, v]) => [k, v.map((p): Pick => (typeof p === 'string' ? { step: p.split('/')[0], output: p.split('/')[1] ?? 'main' } : p))])),
});
async function run(...steps: Step[]): Promise<ReadonlyMap<string, StepResult>> {
  const model: Model = { ...emptyModel('shapes'), steps };
  return (await evaluateModel(model, { tools: TOOLS, kernel })).steps;
}
function bodyOf(r: ReadonlyMap<string, StepResult>, id: string, output = 'main'): Body {
  const s = r.get(id);
  const p = s?.outputs[output];
  if (p?.kind !== 'skin' && p?.kind !== 'solid') throw new Error(`${id}: ${s?.status} ${s?.diagnostics.map((d) => d.message).join('; ')}`);
  return p.body;
}
const volume = (b: Body) => massProperties(b).volume;
const square = (s: number) => [
  [s, s],
  [-s, s],
  [-s, -s],
  [s, -s],
];

describe('extrude', () => {
  it('a square with a round hole gives one hollow solid of exact volume', async () => {
    const r = await run(step('a', 'polyline', { points: square(10), closed: true }), step('b', 'circle', { radius: 4 }), step('e', 'extrude', { distance: 12 }, { profile: ['a', 'b'] }));
    const b = bodyOf(r, 'e');
    expect(b.solids.length).toBe(1);
    expect(b.faces.length).toBe(4 + 1 + 2);
    expect(Math.abs(volume(b) / ((400 - Math.PI * 16) * 12) - 1)).toBeLessThan(1e-12);
    expect(massProperties(b).centre[2]).toBeCloseTo(6, 9);
  });
  it('both sides, symmetric and along a line', async () => {
    const r = await run(
      step('a', 'circle', { radius: 5 }),
      step('l', 'polyline', {
        points: [
          [0, 0, 0],
          [0, 3, 4],
        ],
      }),
      step('both', 'extrude', { extent: 'both', distance: 10, back: 4 }, { profile: ['a'] }),
      step('even', 'extrude', { extent: 'symmetric', distance: 10 }, { profile: ['a'] }),
      step('slant', 'extrude', { distance: 10 }, { profile: ['a'], along: ['l'] }),
      step('open', 'extrude', { distance: 10, cap: false }, { profile: ['a'] }),
    );
    expect(volume(bodyOf(r, 'both'))).toBeCloseTo(25 * Math.PI * 14, 8);
    expect(massProperties(bodyOf(r, 'both')).centre[2]).toBeCloseTo(3, 9);
    expect(massProperties(bodyOf(r, 'even')).centre[2]).toBeCloseTo(0, 9);
    // ten along (0, 3, 4)/5 rises eight
    expect(volume(bodyOf(r, 'slant'))).toBeCloseTo(25 * Math.PI * 8, 8);
    expect(bodyOf(r, 'open').solids.length).toBe(0);
    expect(topologyOf(bodyOf(r, 'open')).rims.length).toBe(2);
    expect(massProperties(bodyOf(r, 'open')).area).toBeCloseTo(100 * Math.PI, 8);
  });
  it('refuses what has no direction or no length', async () => {
    const r = await run(
      step('a', 'spline', {
        flat: false,
        points: [
          [0, 0, 0],
          [10, 0, 5],
          [10, 10, 0],
          [0, 10, 7],
        ],
      }),
      step('e', 'extrude', {}, { profile: ['a'] }),
      step('c', 'circle'),
      step('z', 'extrude', { distance: 0 }, { profile: ['c'] }),
    );
    expect(r.get('e')?.diagnostics[0].code).toBe('no-direction');
    expect(r.get('z')?.diagnostics[0].code).toBe('no-distance');
  });
});

describe('revolve', () => {
  const profile = step('p', 'polyline', {
    points: [
      [4, 0],
      [8, 0],
      [8, 10],
      [4, 10],
    ],
    closed: true,
  });
  const front = step('f', 'work-plane', { base: 'xz' });
  const onFront = { ...profile, inputs: { plane: [{ step: 'f', output: 'main' }] } };
  it('a rectangle off the axis gives a ring by the theorem of Pappus, full and in part', async () => {
    const r = await run(
      front,
      onFront,
      step('full', 'revolve', {}, { profile: ['p'] }),
      step('part', 'revolve', { extent: 'angles', start: 20, end: 110, cap: true }, { profile: ['p'] }),
      step('even', 'revolve', { extent: 'symmetric', angle: 60, cap: true }, { profile: ['p'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'full')) / (2 * Math.PI * 6 * 40) - 1)).toBeLessThan(1e-12);
    expect(bodyOf(r, 'full').solids.length).toBe(1);
    expect(Math.abs(volume(bodyOf(r, 'part')) / ((Math.PI / 2) * 6 * 40) - 1)).toBeLessThan(1e-12);
    expect(Math.abs(volume(bodyOf(r, 'even')) / ((Math.PI / 3) * 6 * 40) - 1)).toBeLessThan(1e-12);
  });
  it('a half circle on the axis gives a ball with poles', async () => {
    const r = await run(
      front,
      { ...step('c', 'circle', { radius: 7, part: 'arc', start: -90, end: 90 }), inputs: { plane: [{ step: 'f', output: 'main' }] } },
      step('b', 'revolve', {}, { profile: ['c'] }),
    );
    expect(isWatertight(bodyOf(r, 'b'))).toBe(true);
    expect(Math.abs(volume(bodyOf(r, 'b')) / ((4 / 3) * Math.PI * 343) - 1)).toBeLessThan(1e-12);
  });
  it('a profile across the axis is refused with the place', async () => {
    const r = await run(front, { ...step('c', 'circle', { radius: 7 }), inputs: { plane: [{ step: 'f', output: 'main' }] } }, step('b', 'revolve', {}, { profile: ['c'] }));
    expect(r.get('b')?.diagnostics[0].code).toBe('crosses-axis');
    expect(r.get('b')?.diagnostics[0].place?.length).toBe(1);
  });
});

describe('flat skin', () => {
  it('tells an open loop and a loop that is not flat, with the amount', async () => {
    const r = await run(
      step('a', 'polyline', {
        points: [
          [0, 0],
          [10, 0],
          [10, 10],
          [0, 0.5],
        ],
      }),
      step('o', 'flat-skin', {}, { loops: ['a'] }),
      step('b', 'polyline', {
        points: [
          [0, 0, 0],
          [10, 0, 1],
          [10, 10, 0],
          [0, 10, 1],
        ],
        closed: true,
      }),
      step('n', 'flat-skin', {}, { loops: ['b'] }),
    );
    expect(r.get('o')?.diagnostics[0].message).toContain('0.5 mm');
    expect(r.get('n')?.diagnostics[0].message).toMatch(/0\.5\d* mm out of one plane/);
  });
});

describe('trim and split', () => {
  const block = [step('a', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 20 }, { profile: ['a'] }), step('p', 'work-plane', { offset: [0, 0, 5] })];
  it('a solid split by a plane: two solids, volumes add up', async () => {
    const r = await run(...block, step('t', 'trim', { mode: 'split' }, { target: ['e'], cutters: ['p'] }));
    const [x, y] = [bodyOf(r, 't'), bodyOf(r, 't', 'part2')];
    expect([volume(x), volume(y)].map((v) => Math.round(v * 1e6) / 1e6).sort((p, q) => p - q)).toEqual([2000, 6000]);
    expect(isWatertight(x) && isWatertight(y)).toBe(true);
  });
  it('keeps the side in front of, behind, or clicked', async () => {
    const r = await run(
      ...block,
      step('front', 'trim', { keep: 'front' }, { target: ['e'], cutters: ['p'] }),
      step('behind', 'trim', { keep: 'behind' }, { target: ['e'], cutters: ['p'] }),
      step('clicked', 'trim', { places: [[0, 10, 2]] }, { target: ['e'], cutters: ['p'] }),
    );
    expect(volume(bodyOf(r, 'front'))).toBeCloseTo(6000, 6);
    expect(volume(bodyOf(r, 'behind'))).toBeCloseTo(2000, 6);
    expect(volume(bodyOf(r, 'clicked'))).toBeCloseTo(2000, 6);
  });
  it('a skin cut by a curve along its plane; a cutter that misses or is too short says so', async () => {
    const r = await run(
      step('a', 'polyline', { points: square(20), closed: true }),
      step('s', 'flat-skin', {}, { loops: ['a'] }),
      step('c', 'circle', { radius: 6 }),
      step('hole', 'trim', {}, { target: ['s'], cutters: ['c'] }),
      step('disc', 'trim', { places: [[0, 0, 0]] }, { target: ['s'], cutters: ['c'] }),
      step('far', 'work-plane', { offset: [0, 0, 90] }),
      step('miss', 'trim', {}, { target: ['s'], cutters: ['far'] }),
      step('short', 'polyline', {
        points: [
          [-30, 0],
          [0, 0],
        ],
      }),
      step('stops', 'trim', { direction: 'z' }, { target: ['s'], cutters: ['short'] }),
    );
    expect(massProperties(bodyOf(r, 'hole')).area).toBeCloseTo(1600 - 36 * Math.PI, 4);
    expect(massProperties(bodyOf(r, 'disc')).area).toBeCloseTo(36 * Math.PI, 4);
    expect(r.get('miss')?.diagnostics[0].message).toContain('nothing was cut');
    expect(r.get('stops')?.diagnostics[0].message).toContain('too short');
  });
  it('two skins cut each other and are knitted', async () => {
    const r = await run(
      step('c1', 'circle', { radius: 10 }),
      step('e1', 'extrude', { distance: 40, cap: false }, { profile: ['c1'] }),
      step('p', 'work-plane', { offset: [0, 0, 20], turns: [10, 0, 0] }),
      { ...step('sq', 'polyline', { points: square(30), closed: true }), inputs: { plane: [{ step: 'p', output: 'main' }] } },
      step('lid', 'flat-skin', {}, { loops: ['sq'] }),
      step(
        't',
        'trim',
        {
          mode: 'both',
          keep: 'picked',
          places: [
            [10, 0, 2],
            [0, 0, 20],
          ],
        },
        { target: ['e1'], cutters: ['lid'] },
      ),
    );
    const b = bodyOf(r, 't');
    expect(topologyOf(b).seams.length).toBeGreaterThan(0);
    expect(topologyOf(b).crowded.length).toBe(0);
  });
});

describe('knit, close, walls', () => {
  const tube = [step('a', 'circle', { radius: 10 }), step('e', 'extrude', { distance: 30, cap: false }, { profile: ['a'] })];
  it('a tube closed by flat caps is the cylinder', async () => {
    const r = await run(...tube, step('c', 'close', {}, { skin: ['e'] }));
    expect(Math.abs(volume(bodyOf(r, 'c')) / (3000 * Math.PI) - 1)).toBeLessThan(1e-12);
    expect(r.get('c')?.facts.find((f) => f.label === 'checker')?.value).toBe('valid');
  });
  it('close without caps names the open rims', async () => {
    const r = await run(...tube, step('c', 'close', { caps: false }, { skin: ['e'] }));
    expect(r.get('c')?.diagnostics[0].message).toContain('2 rims');
    expect(r.get('c')?.diagnostics[0].place?.length).toBe(2);
  });
  it('a tube thickened inwards and outwards has the volume of the ring', async () => {
    const r = await run(
      ...tube,
      step('in', 'thicken', { wall: 2 }, { skin: ['e'] }),
      step('out', 'thicken', { wall: 2, side: 'out' }, { skin: ['e'] }),
      step('fat', 'thicken', { wall: 11 }, { skin: ['e'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'in')) / (Math.PI * (100 - 64) * 30) - 1)).toBeLessThan(1e-6);
    expect(Math.abs(volume(bodyOf(r, 'out')) / (Math.PI * (144 - 100) * 30) - 1)).toBeLessThan(1e-6);
    expect(r.get('fat')?.diagnostics[0].code).toBe('too-thick');
  });
  it('a block shelled with an open top, and closed', async () => {
    const face: Pick = { step: 'e', output: 'main', part: { kind: 'face', name: 'e:cap-end' } };
    const r = await run(
      step('a', 'polyline', { points: square(10), closed: true }),
      step('e', 'extrude', { distance: 20 }, { profile: ['a'] }),
      step('open', 'shell', { wall: 1 }, { solid: ['e'], open: [face] }),
      step('shut', 'shell', { wall: 1 }, { solid: ['e'] }),
    );
    expect(Math.abs(volume(bodyOf(r, 'open')) / (8000 - 18 * 18 * 19) - 1)).toBeLessThan(1e-9);
    expect(Math.abs(volume(bodyOf(r, 'shut')) / (8000 - 18 * 18 * 18) - 1)).toBeLessThan(1e-9);
  });
  it('mirror halves knit to a whole', async () => {
    const r = await run(
      step('a', 'circle', { radius: 10, part: 'arc', start: -90, end: 90 }),
      step('e', 'extrude', { distance: 30 }, { profile: ['a'] }),
      step('m', 'mirror', {}, { pieces: ['e'] }),
      step('k', 'knit', { tolerance: 0.001 }, { skins: ['m', 'm/original'] }),
      step('s', 'close', {}, { skin: ['k'] }),
    );
    expect(r.get('k')?.status).not.toBe('error');
    expect(Math.abs(volume(bodyOf(r, 's')) / (3000 * Math.PI) - 1)).toBeLessThan(1e-9);
    const joined = topologyOf(bodyOf(r, 'k'));
    expect(joined.crowded.length).toBe(0);
  });
  it('move: by, turns about a centre, scale, copy', async () => {
    const r = await run(...tube, step('m', 'move', { by: [5, 0, 0], turns: [0, 90, 0], scale: 2, copy: true }, { pieces: ['e'] }));
    const b = bodyOf(r, 'm');
    expect(massProperties(b).area).toBeCloseTo(4 * 600 * Math.PI, 6);
    expect(massProperties(b).areaCentre[0]).toBeCloseTo(5 + 30, 6);
    expect(massProperties(bodyOf(r, 'm', 'original')).area).toBeCloseTo(600 * Math.PI, 6);
  });
});
