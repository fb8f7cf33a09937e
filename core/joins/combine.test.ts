import { describe, expect, it } from 'vitest';
import { type Body, booleanByKernel, isWatertight, massProperties, meshSolidity, transformBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { rotation, translation, type Vec3 } from '../math/index.ts';
import { ball, block, meshCracks, solidPair } from '../testing/random-bodies.ts';
import { bodyOf, codeOf, factOf, run, step } from '../testing/run.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { type Combination, combineBodiesAs } from './combine.ts';

const context = { stepId: 'b', tolerance: 1e-3, kernel };
const moved = (b: Body, by: Vec3) => transformBody(b, translation(by));
const volume = (b: Body) => (b.faces.length ? massProperties(b).volume : 0);
async function any(kind: Combination, a: Body, b: Body) {
  const r = await combineBodiesAs(kind, a, b, [], context);
  if (!r.ok) throw new Error(r.why);
  return r;
}
async function as(kind: Combination, a: Body, b: Body, places: Vec3[] = []): Promise<Body> {
  const r = await combineBodiesAs(kind, a, b, places, context);
  if (!r.ok) throw new Error(r.why);
  expect(r.kernel).toBeUndefined();
  return r.body;
}
const PAIRS = Number(process.env.PAIRS ?? 15);

describe('solids combined', () => {
  it('a ball in a block, apart, inside and across: closed forms', async () => {
    const cube = block(10, 10, 10);
    const eighth = (Math.PI * 216) / 6;
    // turned, so that its poles and seam lie nowhere special
    const corner = moved(transformBody(ball(6), rotation([0, 0, 0], [1, 0.3, 0.2], 0.7)), [10, 10, 10]);
    const whole = (4 / 3) * Math.PI * 216;
    expect(volume(await as('intersect', cube, corner))).toBeCloseTo(eighth, 5);
    expect(volume(await as('subtract', cube, corner))).toBeCloseTo(8000 - eighth, 5);
    expect(volume(await as('union', cube, corner))).toBeCloseTo(8000 + whole - eighth, 5);
    const within = await as('subtract', cube, ball(6));
    expect(volume(within)).toBeCloseTo(8000 - whole, 5);
    expect(within.solids[0].length).toBe(2);
    expect((await as('intersect', cube, moved(ball(6), [40, 0, 0]))).faces.length).toBe(0);
    expect((await as('union', cube, moved(ball(6), [40, 0, 0]))).solids.length).toBe(2);
    expect(volume(await as('union', cube, ball(6)))).toBeCloseTo(8000, 8);
  });
  it(`${PAIRS} random pairs: V(A)+V(B) = V(A∪B)+V(A∩B), watertight, and as the kernel has it (more: PAIRS=100)`, async () => {
    const bad: string[] = [];
    const byKernel: string[] = [];
    for (let i = 0; i < PAIRS; i++) {
      const [a, b] = solidPair(i, randomFrom(4000 + i));
      const made = [await any('union', a, b), await any('subtract', a, b), await any('intersect', a, b)];
      for (const m of made) if (m.kernel) byKernel.push(`${i}: ${m.kernel}`);
      const [u, s, x] = made.map((m) => m.body);
      const total = volume(a) + volume(b);
      for (const off of [total - volume(u) - volume(x), volume(a) - volume(s) - volume(x)])
        if (!(Math.abs(off) / total < 1e-8)) bad.push(`${i}: volumes differ by ${off / total}`);
      for (const body of [u, s, x]) {
        if (!body.faces.length) continue;
        if (!isWatertight(body)) bad.push(`${i} is open`);
        if (meshCracks(body)) bad.push(`${i}: its mesh has ${meshCracks(body)} cracks`);
        const mesh = await meshSolidity(body);
        if (!mesh.solid) bad.push(`${i}: its mesh ${mesh.reason}`);
      }
      if (i % 5 === 0) expect(volume(await booleanByKernel(kernel, a, b, 'intersect', 1e-3)) / total).toBeCloseTo(volume(x) / total, 6);
    }
    expect(bad).toEqual([]);
    // what ours leaves to the kernel, one combination in three hundred
    expect(byKernel.length, byKernel.join('\n')).toBeLessThanOrEqual(Math.floor((3 * PAIRS) / 100));
    if (byKernel.length) console.log(byKernel.join('\n'));
  }, 300_000);
  it('pieces that are clicked stay: both caps without the middle are two solids', async () => {
    const bar = block(20, 3, 3);
    const cut = ball(8);
    const all = await combineBodiesAs('picked', bar, cut, [], context);
    if (!all.ok || !all.parts) throw new Error('no parts');
    // two ends of the bar, the middle that both share, and what of the ball stands round it
    expect(all.parts.cells.map((c) => c.of).sort()).toEqual(['both', 'first', 'first', 'second']);
    const ends = all.parts.cells.filter((c) => c.of === 'first');
    const kept = await as(
      'picked',
      bar,
      cut,
      ends.map((c) => c.at),
    );
    expect(kept.solids.length).toBe(2);
    expect(volume(kept)).toBeCloseTo(
      ends.reduce((s, c) => s + c.volume, 0),
      3,
    );
  });
  it('faces that lie on each other go to the kernel, and the card says so', async () => {
    const r = await combineBodiesAs('union', block(10, 10, 10), moved(block(10, 10, 10), [20, 0, 0]), [], context);
    if (!r.ok) throw new Error(r.why);
    expect(r.kernel).toContain('lie on each other');
    expect(volume(r.body)).toBeCloseTo(16000, 6);
  });
});

describe('the tool', () => {
  it('takes several away, keeps names, and says what is left', async () => {
    const r = await run(
      step('a', 'polyline', {
        points: [
          [-20, -20],
          [20, -20],
          [20, 20],
          [-20, 20],
        ],
        closed: true,
      }),
      step('e', 'extrude', { distance: 10 }, { profile: ['a'] }),
      step('c1', 'circle', { radius: 4, centre: [[-10, 0]] }),
      step('c2', 'circle', { radius: 3, centre: [[10, 5]] }),
      { ...step('p1', 'extrude', { distance: 30, extent: 'symmetric' }, { profile: ['c1'] }), version: 2 },
      { ...step('p2', 'extrude', { distance: 30, extent: 'symmetric' }, { profile: ['c2'] }), version: 2 },
      step('s', 'combine', { keep: 'subtract' }, { first: ['e'], second: ['p1', 'p2'] }),
      step('n', 'combine', { keep: 'intersect' }, { first: ['p1'], second: ['p2'] }),
    );
    expect(r.get('s')?.status).toBe('fine');
    expect(volume(bodyOf(r, 's'))).toBeCloseTo(16000 - Math.PI * 10 * (16 + 9), 4);
    expect(bodyOf(r, 's').faces.some((f) => f.name.startsWith('p1:side'))).toBe(true);
    expect(factOf(r, 's', 'solids')).toBe('1');
    expect(codeOf(r, 'n')).toBe('nothing-left');
  });
});
