import { describe, expect, it } from 'vitest';
import { faceNormal } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { dot, length, sub, type Vec3 } from '../math/index.ts';
import { domainU, domainV, type NurbsSurface } from '../nurbs/index.ts';
import { emptyModel, evaluateModel, fillTemplate, type Mark, type Step } from '../recipe/index.ts';
import { bodyOf, codeOf, run, step, volume } from '../testing/run.ts';
import { RUNNABLE } from './evaluations.ts';

type Of<K extends Mark['kind']> = Extract<Mark, { kind: K }>;
async function marksOf<K extends Mark['kind']>(kind: K, id: string, ...steps: Step[]): Promise<Of<K>[]> {
  const r = await evaluateModel({ ...emptyModel('m'), steps }, { tools: RUNNABLE, kernel });
  return (r.steps.get(id)?.marks ?? []).filter((m): m is Of<K> => m.kind === kind);
}
const tip = (m: Of<'push'>): Vec3 => m.from.map((x, k) => x + m.direction[k] * m.value * (m.rate ?? 1)) as unknown as Vec3;
/** Name of the first face of the post whose middle looks a way. */
async function faceOf(steps: Step[], looks: (n: Vec3) => boolean): Promise<string> {
  const b = bodyOf(await run(...steps), 'e');
  const face = b.faces.find((f) => looks(faceNormal(f, ...middleOf(f.surface))));
  if (!face) throw new Error('no such face');
  return face.name;
}
const middleOf = (s: NurbsSurface): [number, number] => [(domainU(s)[0] + domainU(s)[1]) / 2, (domainV(s)[0] + domainV(s)[1]) / 2];
const post = (h = 20): Step[] => [
  step('c', 'circle', { radius: 10 }),
  { ...step('e', 'extrude', { distance: h }, { profile: ['c'] }), version: 2 },
];

describe('arrows stand where the length that they set ends', () => {
  it('a circle: on its round, for a radius and for a diameter', async () => {
    const [r] = await marksOf('push', 'c', step('c', 'circle', { centre: [[3, 4]], radius: 7 }));
    expect(tip(r)).toEqual([10, 4, 0]);
    expect(fillTemplate(r.template, 9)).toBe(9);
    const [d] = await marksOf('push', 'c', step('c', 'circle', { size: 'diameter', diameter: 8 }));
    expect(tip(d)).toEqual([4, 0, 0]);
    expect(d.param).toBe('diameter');
    expect(d.min).toBeGreaterThan(0);
  });
  it.each([
    ['in', 2, -1],
    ['out', 2, 1],
    ['both', 2, 0.5],
  ] as const)('a wall that grows %s: from the middle of the skin', async (side, wall, share) => {
    const [m] = await marksOf(
      'push',
      't',
      step('l', 'polyline', {
        points: [
          [-20, 0],
          [20, 0],
        ],
      }),
      { ...step('e', 'extrude', { distance: 30 }, { profile: ['l'] }), version: 2 },
      step('t', 'thicken', { wall, side }, { skin: ['e'] }),
    );
    // a flat sheet 40 by 30 in the xz plane: its middle, and straight out of it
    expect(length(sub(m.from, [0, 0, 15]))).toBeLessThan(1e-6);
    expect(Math.abs(m.direction[1])).toBeCloseTo(1, 9);
    const way = sub(tip(m), m.from);
    expect(length(way)).toBeCloseTo(Math.abs(wall * (side === 'both' ? share : 1)), 9);
  });
  it('the shell has its arrow on a face that stays closed, also when the wall is refused', async () => {
    const open = { step: 'e', output: 'main', part: { kind: 'face' as const, name: await faceOf(post(), (n) => Math.abs(n[2]) < 0.5) } };
    const [m] = await marksOf('push', 's', ...post(), {
      ...step('s', 'shell', { wall: 1 }, { solid: ['e'] }),
      inputs: { solid: [{ step: 'e', output: 'main' }], open: [open] },
    });
    // the round side is open: the arrow stands on a flat end, inwards
    expect(Math.abs(m.direction[2])).toBeCloseTo(1, 6);
    expect(tip(m)[2]).toBeGreaterThan(0);
    expect(tip(m)[2]).toBeLessThan(20);
    const refused = await marksOf('push', 's', ...post(), step('s', 'shell', { wall: 40 }, { solid: ['e'] }));
    expect(refused.length).toBe(1);
  });
});

describe('a work plane is moved and turned by hand', () => {
  const plane = (turns: Vec3, offset: Vec3 = [0, 0, 0]) => step('p', 'work-plane', { offset, turns });
  it('three arrows in the axes it starts with, at where it is', async () => {
    const [m] = await marksOf('mover', 'p', plane([30, 0, 0], [1, 2, 3]));
    expect(m.frame.origin).toEqual([1, 2, 3]);
    expect(m.frame.x).toEqual([1, 0, 0]);
    expect(m.by).toEqual({ param: 'offset', value: [1, 2, 3] });
  });
  it('each ring turns about the very axis that its number counts about', async () => {
    const turns: Vec3 = [20, -35, 50];
    const frameAt = async (t: Vec3) => {
      const r = await run(plane(t));
      const p = r.get('p')?.outputs.main;
      if (p?.kind !== 'plane') throw new Error('no plane');
      return p.frame;
    };
    const rings = await marksOf('turn', 'p', plane(turns));
    expect(rings.length).toBe(3);
    for (const [k, ring] of rings.entries()) {
      const put = fillTemplate(ring.template, turns[k] + 10) as Vec3;
      expect(put).toEqual(turns.map((t, i) => (i === k ? t + 10 : t)));
      const [a, b] = [await frameAt(turns), await frameAt(put)];
      // a turn about an axis leaves every vector's part along it as it was: so for all three axes of the plane
      for (const v of ['x', 'y', 'z'] as const) expect(dot(a[v], ring.axis)).toBeCloseTo(dot(b[v], ring.axis), 9);
    }
  });
});

describe('walls of single faces', () => {
  const face = (name: string, wall?: number) => ({
    step: 'e',
    output: 'main',
    part: { kind: 'face' as const, name },
    ...(wall === undefined ? {} : { settings: { wall } }),
  });
  const shell = (special: ReturnType<typeof face>[], params: Record<string, unknown> = {}): Step => ({
    ...step('s', 'shell', { wall: 1, ...params }),
    inputs: { solid: [{ step: 'e', output: 'main' }], special },
  });
  it('stand with their picks, and are as old lists give them', async () => {
    const cap = await faceOf(post(), (n) => n[2] > 0.5);
    const [own, listed] = [await run(...post(), shell([face(cap, 4)])), await run(...post(), shell([face(cap)], { walls: [4] }))];
    // a post of radius 10 and height 20 with walls 1, 1 and 4: the hollow has radius 9 and height 15
    const want = Math.PI * (100 * 20 - 81 * 15);
    for (const r of [own, listed]) expect(Math.abs(volume(bodyOf(r, 's')) / want - 1)).toBeLessThan(1e-6);
  });
  it('a wall of no thickness is refused at the pick', async () => {
    const r = await run(...post(), shell([face(await faceOf(post(), (n) => n[2] > 0.5), 0)]));
    expect(r.get('s')?.status).toBe('error');
    expect(r.get('s')?.diagnostics[0].message).toContain('Wall');
  });
});

describe('an extrusion that encloses nothing', () => {
  it('is told on the card, with the next step', async () => {
    const r = await run(
      step('c', 'circle', { radius: 10 }),
      step('l', 'polyline', {
        points: [
          [0, 0],
          [30, 0],
        ],
      }),
      { ...step('e', 'extrude', { distance: 15 }, { profile: ['c'], along: ['l'] }), version: 2 },
    );
    expect(codeOf(r, 'e')).toBe('no-volume');
    expect(r.get('e')?.diagnostics[0].message).toContain('Along');
  });
});
