import { describe, expect, it } from 'vitest';
import { isWatertight, topologyOf } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { distance } from '../math/index.ts';
import { closestOnSurface, revolvedSurface, smoothArc, surfacePoint } from '../nurbs/index.ts';
import { offsetSurface } from '../skins/index.ts';
import { bodyOf, codeOf, facePick, factOf, run, square, step, volume } from '../testing/run.ts';
import { hollow } from './hollow.ts';

const context = { stepId: 'h', tolerance: 0.001, kernel };
const block = [step('a', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 20 }, { profile: ['a'] })];

describe('offset of a surface', () => {
  it('a ball stays a ball, measured at points that were not fitted', () => {
    const arc = smoothArc({ origin: [0, 0, 0], x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] }, 20, 20, -1.2, 1.2);
    const s = revolvedSurface(arc, [0, 0, 0], [0, 0, 1], 0, 2 * Math.PI);
    const o = offsetSurface(s, -3, 1e-6);
    let off = 0;
    for (let i = 1; i < 20; i++)
      for (let j = 1; j < 20; j++)
        off = Math.max(off, Math.abs(distance(surfacePoint(o.surface, -1.2 + (2.4 * i) / 20, (2 * Math.PI * j) / 20), [0, 0, 0]) - 23));
    expect(off).toBeLessThan(2e-6);
    expect(o.deviation).toBeLessThan(1e-6);
  });
});

describe('hollow', () => {
  it('a block with five different walls and an open top: exact volume, closed', async () => {
    const b = bodyOf(await run(...block), 'e');
    const wallOf: Record<string, number> = {
      'e:side.0': 1,
      'e:side.1': 2,
      'e:side.2': 1.5,
      'e:side.3': 0.5,
      'e:cap-start': 3,
      'e:cap-end': 0,
    };
    const r = await hollow(
      b,
      b.faces.map((f) => wallOf[f.name]),
      context,
    );
    if (!r.ok) throw new Error(r.message);
    // side.0 and side.2 face each other, as do side.1 and side.3
    expect(Math.abs(volume(r.body) / (8000 - (20 - 2.5) * (20 - 2.5) * 17) - 1)).toBeLessThan(1e-9);
    expect(isWatertight(r.body)).toBe(true);
    expect(r.body.faces.length).toBe(5 + 1 + 5);
    expect(r.body.faces.filter((f) => f.name.endsWith('.inner')).length).toBe(5);
  });
  it('a closed hollow has a void; a drafted tube agrees with the kernel', async () => {
    const b = bodyOf(await run(...block), 'e');
    const shut = await hollow(
      b,
      b.faces.map(() => 2),
      context,
    );
    if (!shut.ok) throw new Error(shut.message);
    expect(volume(shut.body)).toBeCloseTo(8000 - 16 ** 3, 6);
    expect(shut.body.solids[0].length).toBe(2);
  });
  it('a lofted cup with a thick floor', async () => {
    const r = await run(
      step('c1', 'circle', { radius: 15 }),
      step('p', 'work-plane', { offset: [0, 0, 30] }),
      { ...step('c2', 'ellipse', { radiusX: 22, radiusY: 18 }), inputs: { plane: [{ step: 'p', output: 'main' }] } },
      step('l', 'loft', { cap: true, degree: 1 }, { sections: ['c1', 'c2'] }),
      step('even', 'shell', { wall: 1 }, { solid: ['l'], open: [facePick('l', 'l:cap-end')] }),
      step(
        'thick',
        'shell',
        { wall: 1, walls: [4] },
        { solid: ['l'], open: [facePick('l', 'l:cap-end')], special: [facePick('l', 'l:cap-start')] },
      ),
      step(
        'same',
        'shell',
        { wall: 1, walls: [1] },
        { solid: ['l'], open: [facePick('l', 'l:cap-end')], special: [facePick('l', 'l:cap-start')] },
      ),
      step('own', 'shell', { wall: 1 }, { solid: ['l'], open: [facePick('l', 'l:cap-end')], special: [facePick('l', 'l:cap-start')] }),
      step(
        'both',
        'shell',
        { wall: 1, walls: [2] },
        { solid: ['l'], open: [facePick('l', 'l:cap-end')], special: [facePick('l', 'l:cap-end')] },
      ),
    );
    const [even, thick, same] = ['even', 'thick', 'same'].map((id) => bodyOf(r, id));
    // our own walls against the kernel's, where both can be made
    expect(Math.abs(volume(same) / volume(even) - 1)).toBeLessThan(1e-5);
    expect(factOf(r, 'thick', 'checker')).toBe('valid');
    // three more millimetres of a floor of radius about 14.3
    const floor = (volume(thick) - volume(even)) / 3;
    expect(floor).toBeGreaterThan(Math.PI * 14 * 14);
    expect(floor).toBeLessThan(Math.PI * 15 * 15.2);
    // the inner wall is 1 mm from the outer one
    const inner = thick.faces.find((f) => f.name === 'l:side.inner');
    const outer = thick.faces.find((f) => f.name === 'l:side');
    if (!inner || !outer) throw new Error(thick.faces.map((f) => f.name).join());
    for (const [x, y] of [
      [0.2, 0.3],
      [0.5, 0.6],
      [0.8, 0.9],
    ]) {
      const [u0, u1, v0, v1] = [
        inner.surface.knotsU[0],
        inner.surface.knotsU.at(-1) ?? 1,
        inner.surface.knotsV[0],
        inner.surface.knotsV.at(-1) ?? 1,
      ];
      const p = surfacePoint(inner.surface, u0 + (u1 - u0) * (0.35 + 0.3 * x), v0 + y * (v1 - v0));
      expect(Math.abs(closestOnSurface(outer.surface, p).distance - 1)).toBeLessThan(1e-4);
    }
    expect(topologyOf(thick).rims.length).toBe(0);
    // a face that is picked and says nothing has the wall that the card shows for it
    expect((volume(bodyOf(r, 'own')) - volume(even)) / 1).toBeCloseTo(floor, -1.5);
    expect(codeOf(r, 'both')).toBe('open-and-walled');
  });
  it('smooth neighbours with different walls are refused with the place', async () => {
    const r = await run(
      step('a', 'circle', { radius: 10, part: 'arc', start: 0, end: 180 }),
      step('b', 'circle', { radius: 10, part: 'arc', start: 180, end: 360 }),
      step('e', 'extrude', { distance: 20 }, { profile: ['a', 'b'] }),
      step('s', 'shell', { wall: 1, walls: [2] }, { solid: ['e'], special: [facePick('e', 'e:side.0')] }),
    );
    expect(codeOf(r, 's')).toBe('no-wall');
    expect(r.get('s')?.diagnostics[0].message).toContain('meet smoothly');
    expect(r.get('s')?.diagnostics[0].place?.length).toBe(1);
  });
});
