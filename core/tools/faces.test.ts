import { describe, expect, it } from 'vitest';
import { isWatertight, massProperties, topologyOf } from '../brep/index.ts';
import { distance } from '../math/index.ts';
import { surfacePoint } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import { bodyOf, codeOf, facePick, factOf, onPlane, run, square, step, volume } from '../testing/run.ts';

const block = [step('a', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 20 }, { profile: ['a'] })];
const area = (b: Parameters<typeof massProperties>[0]) => massProperties(b).area;

describe('untrim', () => {
  const sheet = [
    step('a', 'polyline', { points: square(20), closed: true }),
    step('c', 'circle', { radius: 6 }),
    step('s', 'flat-skin', {}, { loops: ['a', 'c'] }),
    step('c2', 'circle', { radius: 3, centre: [[12, 12]] }),
    step('t', 'trim', {}, { target: ['s'], cutters: ['c2'] }),
  ];
  it('heals all holes, or the picked one only', async () => {
    const r = await run(
      ...sheet,
      step('all', 'untrim', { what: 'holes' }, { faces: ['t'] }),
      step(
        'one',
        'untrim',
        { what: 'holes' },
        { faces: ['t'], holes: [{ step: 't', output: 'main', part: { kind: 'edge', name: 't.cut(s:region)', near: [12, 15, 0] } }] },
      ),
      step('again', 'untrim', { what: 'holes' }, { faces: ['all'] }),
    );
    expect(area(bodyOf(r, 't'))).toBeCloseTo(1600 - 45 * Math.PI, 4);
    expect(area(bodyOf(r, 'all'))).toBeCloseTo(1600, 6);
    expect(area(bodyOf(r, 'one'))).toBeCloseTo(1600 - 36 * Math.PI, 4);
    expect(codeOf(r, 'again')).toBe('no-holes');
  });
  it('gives the whole natural face back, and cuts unused surface away without moving an edge', async () => {
    const r = await run(
      step('c', 'circle', { radius: 10 }),
      step('e', 'extrude', { distance: 40, cap: false }, { profile: ['c'] }),
      step('p', 'work-plane', { offset: [0, 0, 10], turns: [15, 0, 0] }),
      step('t', 'trim', { keep: 'behind' }, { target: ['e'], cutters: ['p'] }),
      step('back', 'untrim', { what: 'all' }, { faces: ['t'] }),
      step('small', 'untrim', { what: 'shrink' }, { faces: ['t'] }),
      step('back2', 'untrim', { what: 'all' }, { faces: ['small'] }),
    );
    expect(area(bodyOf(r, 't'))).toBeCloseTo(200 * Math.PI, 4);
    expect(area(bodyOf(r, 'back'))).toBeCloseTo(800 * Math.PI, 8);
    expect(area(bodyOf(r, 'small'))).toBeCloseTo(area(bodyOf(r, 't')), 9);
    // the lean of 15 degrees needs 2 * 10 * tan 15 more height
    expect(area(bodyOf(r, 'back2')) / (20 * Math.PI)).toBeGreaterThan(10 + 10 * Math.tan(Math.PI / 12) - 0.01);
    expect(area(bodyOf(r, 'back2')) / (20 * Math.PI)).toBeLessThan(10.2 + 10 * Math.tan(Math.PI / 12));
  });
});

describe('unknit, remove, replace', () => {
  it('a block falls into six faces, or gives one up', async () => {
    const r = await run(
      ...block,
      step('all', 'unknit', {}, { faces: ['e'] }),
      step('lid', 'unknit', {}, { faces: [facePick('e', 'e:cap-end')] }),
      step('pair', 'unknit', { together: true }, { faces: [facePick('e', 'e:cap-end'), facePick('e', 'e:side.0')] }),
    );
    expect(Object.keys(r.get('all')?.outputs ?? {}).length).toBe(6);
    expect(factOf(r, 'all', 'seams let go')).toBe('12');
    expect([bodyOf(r, 'lid').faces.length, bodyOf(r, 'lid', 'part2').faces.length]).toEqual([5, 1]);
    expect(factOf(r, 'lid', 'seams let go')).toBe('4');
    expect(topologyOf(bodyOf(r, 'pair', 'part2')).seams.length).toBe(1);
  });
  it('removing a face opens the skin; healing caps a flat opening again', async () => {
    const r = await run(
      ...block,
      step('open', 'remove-faces', {}, { faces: [facePick('e', 'e:cap-end')] }),
      step('healed', 'remove-faces', { heal: 'smooth' }, { faces: [facePick('e', 'e:cap-end')] }),
      step('solid', 'close', {}, { skin: ['healed'] }),
    );
    expect(topologyOf(bodyOf(r, 'open')).rims.length).toBe(4);
    expect(isWatertight(bodyOf(r, 'healed'))).toBe(true);
    expect(volume(bodyOf(r, 'solid'))).toBeCloseTo(8000, 8);
  });
  it('a skin in place of a lid: knitted when it fits, refused with the amount when it does not', async () => {
    const r = await run(
      step('c', 'circle', { radius: 10 }),
      step('e', 'extrude', { distance: 20 }, { profile: ['c'] }),
      step('front', 'work-plane', { base: 'xz', offset: [0, 20, 0] }),
      onPlane('front', step('arc', 'circle', { radius: 10, part: 'arc', start: 0, end: 90 })),
      step('dome', 'revolve', {}, { profile: ['arc'] }),
      onPlane('front', step('arc2', 'circle', { radius: 9.5, part: 'arc', start: 0, end: 90 })),
      step('small', 'revolve', {}, { profile: ['arc2'] }),
      step('ok', 'replace-face', {}, { faces: [facePick('e', 'e:cap-end')], by: ['dome'] }),
      step('solid', 'close', {}, { skin: ['ok'] }),
      step('no', 'replace-face', {}, { faces: [facePick('e', 'e:cap-end')], by: ['small'] }),
    );
    expect(volume(bodyOf(r, 'solid')) / ((2000 + 2000 / 3) * Math.PI)).toBeCloseTo(1, 8);
    expect(codeOf(r, 'no')).toBe('rims-apart');
    expect(r.get('no')?.diagnostics[0].message).toContain('0.5 mm');
  });
});

describe('knit with merging', () => {
  it('two flat halves become one face, a round wall in two stays two', async () => {
    const half = (id: string, x0: number, x1: number) => [
      step(`${id}l`, 'polyline', {
        points: [
          [x0, 0],
          [x1, 0],
          [x1, 10],
          [x0, 10],
        ],
        closed: true,
      }),
      step(id, 'flat-skin', {}, { loops: [`${id}l`] }),
    ];
    const r = await run(
      ...half('p', 0, 10),
      ...half('q', 10, 25),
      step('k', 'knit', { merge: true }, { skins: ['p', 'q'] }),
      step('plain', 'knit', {}, { skins: ['p', 'q'] }),
    );
    expect(bodyOf(r, 'k').faces.length).toBe(1);
    expect(bodyOf(r, 'plain').faces.length).toBe(2);
    expect(area(bodyOf(r, 'k'))).toBeCloseTo(250, 9);
    expect(topologyOf(bodyOf(r, 'k')).seams.length).toBe(0);
  });
  it('pieces of one surface split by a cut merge again', async () => {
    const r = await run(
      step('c', 'spline', {
        points: [
          [-20, 0],
          [-5, 9],
          [8, -6],
          [20, 3],
        ],
        degree: 3,
      }),
      step('e', 'extrude', { distance: 30, cap: false }, { profile: ['c'] }),
      step('p', 'work-plane', { offset: [0, 0, 12], turns: [8, 5, 0] }),
      step('t', 'trim', { mode: 'split' }, { target: ['e'], cutters: ['p'] }),
      step('k', 'knit', { merge: true }, { skins: ['t', 't/part2'] }),
    );
    expect(bodyOf(r, 'k').faces.length).toBe(1);
    expect(area(bodyOf(r, 'k'))).toBeCloseTo(area(bodyOf(r, 'e')), 6);
    expect(factOf(r, 'k', 'faces merged')).toBe('1');
  });
});

describe('close with patches', () => {
  it('a tube cut by a wave is patched at the wave, and the volume is kept by the checker', async () => {
    const r = await run(
      step('c', 'circle', { radius: 12 }),
      step('e', 'extrude', { distance: 40, cap: false }, { profile: ['c'] }),
      step('front', 'work-plane', { base: 'xz' }),
      onPlane(
        'front',
        step('w', 'spline', {
          points: [
            [-20, 26],
            [-6, 34],
            [6, 24],
            [20, 32],
          ],
          degree: 3,
        }),
      ),
      step('t', 'trim', { direction: 'plane', places: [[12, 0, 5]] }, { target: ['e'], cutters: ['w'] }),
      step('s', 'close', {}, { skin: ['t'] }),
      step('none', 'close', { patches: 'none' }, { skin: ['t'] }),
    );
    const b = bodyOf(r, 's');
    expect(b.solids.length).toBe(1);
    expect(b.faces.length).toBe(3);
    expect(factOf(r, 's', 'checker')).toBe('valid');
    expect(Math.max(...measureSeams(b).map((x) => x.gap))).toBeLessThan(0.001);
    expect(codeOf(r, 'none')).toBe('rims-open');
    // by symmetry about the middle height of 29 the lid encloses about that much
    expect(volume(b)).toBeGreaterThan(Math.PI * 144 * 27);
    expect(volume(b)).toBeLessThan(Math.PI * 144 * 31);
  });
  it('a shallow bowl is closed smoothly: tangent to what is around the opening', async () => {
    const r = await run(
      step('front', 'work-plane', { base: 'xz' }),
      onPlane('front', step('arc', 'circle', { radius: 50, part: 'arc', start: 40, end: 90 })),
      step('dome', 'revolve', {}, { profile: ['arc'] }),
      step('top', 'work-plane', { base: 'xy' }),
      step('w', 'spline', {
        closed: true,
        degree: 3,
        points: [
          [14, 0],
          [5, 12],
          [-9, 10],
          [-13, -3],
          [0, -15],
        ],
      }),
      step('t', 'trim', { direction: 'z', places: [[30, 0, 40]] }, { target: ['dome'], cutters: ['w'] }),
      step('whole', 'remove-faces', { heal: 'curved' }, { faces: [facePick('t', 'dome:turned')] }),
      step('s', 'close', {}, { skin: ['t'] }),
    );
    const b = bodyOf(r, 's');
    const patch = b.faces.find((f) => f.name.includes('patch'));
    if (!patch) throw new Error('no patch');
    // tangent sides and least change of curvature give the ball back
    let off = 0;
    for (let i = -3; i <= 3; i++)
      for (let j = -3; j <= 3; j++) off = Math.max(off, Math.abs(distance(surfacePoint(patch.surface, i * 2, j * 2), [0, 0, 0]) - 50));
    expect(off).toBeLessThan(0.01);
    expect(codeOf(r, 'whole')).toBe('nothing-left');
  });
});
