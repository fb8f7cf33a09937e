import { describe, expect, it } from 'vitest';
import { isWatertight, massProperties } from '../brep/index.ts';
import { bodyOf, codeOf, facePick, factOf, onPlane, run, square, step, volume } from '../testing/run.ts';

const box = [step('a', 'polyline', { points: square(10), closed: true }), step('e', 'extrude', { distance: 20 }, { profile: ['a'] })];
const onTop = (s: Parameters<typeof onPlane>[1]) => [step('p', 'work-plane', { offset: [0, 0, 20] }), onPlane('p', s)];

describe('imprint', () => {
  it('a circle on the lid: one face more, its area exact, the solid stays whole', async () => {
    const r = await run(...box, ...onTop(step('c', 'circle', { radius: 4 })), step('i', 'imprint', {}, { target: ['e'], lines: ['c'] }));
    const b = bodyOf(r, 'i');
    expect(b.faces.length).toBe(7);
    expect(b.solids.length).toBe(1);
    expect(isWatertight(b)).toBe(true);
    expect(volume(b)).toBeCloseTo(8000, 6);
    const areas = b.faces.map((_, i) => massProperties(b, [i]).area).sort((x, y) => x - y);
    expect(areas[0]).toBeCloseTo(16 * Math.PI, 4);
    expect(areas[1]).toBeCloseTo(400 - 16 * Math.PI, 4);
  });
  it('a plane draws a ring round a box: four sides in two each; only the picked one when faces are picked', async () => {
    const plane = step('p', 'work-plane', { offset: [0, 0, 8] });
    const r = await run(...box, plane, step('i', 'imprint', {}, { target: ['e'], lines: ['p'] }));
    expect(bodyOf(r, 'i').faces.length).toBe(10);
    expect(factOf(r, 'i', 'new edges')).toBe('4');
    expect(volume(bodyOf(r, 'i'))).toBeCloseTo(8000, 6);
    const side = bodyOf(r, 'e').faces.find((f) => f.name.includes('side'));
    const one = await run(
      ...box,
      plane,
      step('i', 'imprint', {}, { target: ['e'], faces: [facePick('e', side?.name ?? '')], lines: ['p'] }),
    );
    expect(bodyOf(one, 'i').faces.length).toBe(7);
    expect(isWatertight(bodyOf(one, 'i'))).toBe(true);
  });
  it('along a direction a curve falls on all faces in its way, along the normals only where it lies', async () => {
    const ring = onTop(step('c', 'circle', { radius: 3 }));
    const through = await run(...box, ...ring, step('i', 'imprint', { direction: 'z' }, { target: ['e'], lines: ['c'] }));
    expect(bodyOf(through, 'i').faces.length).toBe(8);
    const twice = await run(
      ...box,
      ...ring,
      step('i', 'imprint', {}, { target: ['e'], lines: ['c'] }),
      step('j', 'imprint', { direction: 'x' }, { target: ['i'], lines: ['q'] }),
    );
    expect(codeOf(twice, 'j')).toBeDefined();
  });
  it('a line that ends inside a face is left out there and told with its place; one that misses is refused', async () => {
    const loose = await run(
      ...box,
      ...onTop(
        step('c', 'polyline', {
          points: [
            [-20, 0],
            [2, 3],
          ],
        }),
      ),
      step('i', 'imprint', { direction: 'z' }, { target: ['e'], lines: ['c'] }),
    );
    // the side is divided from top to bottom; on the lids the line ends inside
    expect(bodyOf(loose, 'i').faces.length).toBe(7);
    expect(codeOf(loose, 'i')).toBe('loose');
    expect(loose.get('i')?.diagnostics[0].place?.length).toBeGreaterThan(0);
    const missed = await run(
      ...box,
      step('p', 'work-plane', { offset: [0, 0, 50] }),
      step('i', 'imprint', {}, { target: ['e'], lines: ['p'] }),
    );
    expect(codeOf(missed, 'i')).toBe('no-line');
  });
});

describe('trim of several pieces at once', () => {
  const posts = [-6, 0, 6].flatMap((x, i) => [
    step(`c${i}`, 'circle', { centre: [[x, 0]], radius: 2 }),
    step(`e${i}`, 'extrude', { distance: 20, cap: false }, { profile: [`c${i}`] }),
  ]);
  it('one plane cuts three tubes; what is clicked stays of each, the largest of the others', async () => {
    const r = await run(
      ...posts,
      step('p', 'work-plane', { offset: [0, 0, 5] }),
      step('t', 'trim', { places: [[-6, 2, 1]] }, { target: ['e0'], more: ['e1', 'e2'], cutters: ['p'] }),
    );
    const area = (o?: string) => massProperties(bodyOf(r, 't', o)).area;
    expect(area()).toBeCloseTo(4 * Math.PI * 5, 6);
    expect(area('part2')).toBeCloseTo(4 * Math.PI * 15, 6);
    expect(area('part3')).toBeCloseTo(4 * Math.PI * 15, 6);
    expect(factOf(r, 't', 'pieces')).toBe('6');
  });
  it('a piece that no cutter reaches stays whole and is told; none reached is an error', async () => {
    const wall = [step('w', 'work-plane', { base: 'yz', offset: [0, 0, 0] })];
    const r = await run(...posts, ...wall, step('t', 'trim', { extend: 'none' }, { target: ['e0'], more: ['e1'], cutters: ['w'] }));
    expect(massProperties(bodyOf(r, 't')).area).toBeCloseTo(4 * Math.PI * 20, 6);
    expect(massProperties(bodyOf(r, 't', 'part2')).area).toBeCloseTo(2 * Math.PI * 20, 6);
    expect(r.get('t')?.diagnostics.map((d) => d.code)).toContain('not-reached');
    const none = await run(...posts, ...wall, step('t', 'trim', { extend: 'none' }, { target: ['e0'], more: ['e2'], cutters: ['w'] }));
    expect(codeOf(none, 't')).toBe('no-cut');
  });
});
