import { describe, expect, it } from 'vitest';
import { type Body, combineBodies, isWatertight, massProperties, subBody, transformBody, withShells } from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { readStep, writeStep } from '../exchange/index.ts';
import { translation } from '../math/index.ts';
import { findDefects } from '../proof/index.ts';
import { DAMAGES, damaged, flatFaces } from '../testing/damage.ts';
import { block, cone, prism } from '../testing/random-bodies.ts';
import { bodyOf, run, step } from '../testing/run.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { mendFaults, REPAIR_KINDS, type RepairKind } from './repair.ts';
import { dropTinyEdges } from './tiny-edges.ts';

const all = new Set(REPAIR_KINDS);
const repair = (b: Body, kinds: ReadonlySet<RepairKind> = all, most = 0.1) => mendFaults(b, { kinds, most, tolerance: 1e-3, name: 'r' });
const volume = (b: Body) => massProperties(b).volume;
const solids: Record<string, Body> = {
  block: block(20, 15, 10),
  drum: cone(12, 12, 20),
  cone: cone(14, 8, 18),
  prism: prism(
    [
      [0, 0, 0],
      [20, 3, 0],
      [26, 15, 0],
      [9, 22, 0],
      [-4, 12, 0],
    ],
    13,
  ),
};

describe.each(Object.entries(solids))('%s, damaged and repaired', (_, b) => {
  it.each(DAMAGES)('a face %s: a solid of the same volume', (kind) => {
    const random = randomFrom(7);
    const choice = kind === 'removed' ? flatFaces(b) : b.faces.map((_x, i) => i);
    for (const face of choice) {
      const bad = damaged(b, kind, face, random);
      const r = repair(bad);
      expect(r.body.solids, `${kind} ${face}`).toHaveLength(1);
      expect(isWatertight(r.body)).toBe(true);
      expect(r.left.filter((d) => d.severity === 'error')).toEqual([]);
      // what was agreed to, over the whole area, is far more than what is off
      expect(Math.abs(volume(r.body) / volume(b) - 1), `${kind} ${face}`).toBeLessThan(1e-6);
      expect(r.changes.length).toBeGreaterThan(0);
      for (const c of r.changes) expect(c.by).toBeLessThanOrEqual(0.1);
    }
  });
});

describe('curved faces that are gone', () => {
  const sideOf = (b: Body) => b.faces.findIndex((_, i) => !flatFaces(b).includes(i));
  const gone = (b: Body, face: number) => repair(damaged(b, 'removed', face, randomFrom(1)));
  it('a wall comes back with straight lines between its long sides', async () => {
    const r = await run(
      step('a', 'arc', {
        points: [
          [12, 0],
          [0, 12],
          [-12, 0],
        ],
      }),
      step('l', 'polyline', {
        points: [
          [-12, 0],
          [12, 0],
        ],
      }),
      step('j', 'join-curves', {}, { curves: ['a', 'l'] }),
      step('x', 'extrude', { distance: 7 }, { profile: ['j'] }),
    );
    const b = bodyOf(r, 'x');
    const repaired = gone(b, sideOf(b));
    expect(repaired.changes.map((c) => c.message)).toContain('An opening was closed with straight lines between its two long sides');
    expect(repaired.body.solids).toHaveLength(1);
    expect(volume(repaired.body)).toBeCloseTo((Math.PI / 2) * 144 * 7, 3);
  });
  it('a strip between two rims that lead to each other comes back with the curvature of both', () => {
    const zone = (z: number) => transformBody(subBody(cone(10, 10, 10), [sideOf(cone(10, 10, 10))]), translation([0, 0, z]));
    const long = cone(10, 10, 30);
    const parts = [...flatFaces(long).map((f) => subBody(long, [f])), zone(0), zone(20)];
    const r = repair(withShells({ ...combineBodies(parts), solids: [] }));
    expect(r.changes.map((c) => c.message)).toContain('Two rims whose skins lead to each other were joined by a smooth strip');
    expect(r.body.solids).toHaveLength(1);
    expect(volume(r.body)).toBeCloseTo(Math.PI * 100 * 30, 6);
  });
  it('a strip that would run through another face is taken back, and told once', () => {
    const zone = (z: number) => transformBody(subBody(cone(10, 10, 10), [sideOf(cone(10, 10, 10))]), translation([0, 0, z]));
    const wide = cone(15, 15, 15);
    const disk = subBody(wide, [
      flatFaces(wide).find((f) => Math.abs(massProperties(wide, [f], true).areaCentre[2] - 15) < 1e-6) as number,
    ]);
    const r = repair(withShells({ ...combineBodies([zone(0), zone(20), disk]), solids: [] }), new Set<RepairKind>(['openings']));
    expect(r.refused.filter((x) => x.message.includes('run through each other'))).toHaveLength(1);
    expect(r.changes.map((c) => c.message)).not.toContain('Two rims whose skins lead to each other were joined by a smooth strip');
  });
  it('what no rim can tell stays open, with the reason and what to do', () => {
    const b = cone(12, 12, 40);
    const r = gone(b, sideOf(b));
    expect(r.body.solids).toHaveLength(0);
    expect(r.body.faces).toHaveLength(2);
    expect(r.changes.filter((c) => c.kind === 'openings')).toEqual([]);
    expect(r.refused.length).toBeGreaterThan(0);
    for (const x of r.refused) expect(x.message).toMatch(/^An opening stays: filled as its rim suggests, .*Draw its shape/);
  });
});

describe('one thing at a time', () => {
  it('each kind mends its own fault and leaves the others', () => {
    const b = solids.block;
    const random = randomFrom(3);
    const twice = damaged(b, 'doubled', 2, random);
    const bad = withShells({ ...combineBodies([twice, transformBody(subBody(b, [4]), translation([300, 0, 0]))]), solids: [] });
    const r = repair(bad, new Set<RepairKind>(['doubled']));
    expect(r.changes.map((c) => c.kind)).toEqual(['doubled']);
    expect(r.body.faces).toHaveLength(bad.faces.length - 1);
    expect(isWatertight(r.body)).toBe(false);
  });
  it('lists what came loose: rims not joined, then nothing once they are', () => {
    const bad = damaged(solids.prism, 'flipped', 0, randomFrom(1));
    expect(findDefects(bad, 1e-3).map((d) => d.code)).toContain('not-joined');
    const r = repair(bad, new Set<RepairKind>(['gaps', 'flipped']));
    expect(findDefects(r.body, 1e-3)).toEqual([]);
    expect(isWatertight(r.body)).toBe(true);
  });
  it('moves nothing further than was agreed to, and says that a gap is left', () => {
    const bad = damaged(solids.block, 'moved', 1, randomFrom(5), 0.5);
    const r = repair(bad, all, 0.1);
    expect(r.changes.filter((c) => c.kind === 'gaps' && c.by > 0.1)).toEqual([]);
    const box = massProperties(subBody(r.body, [r.body.faces.findIndex((f) => f.name === bad.faces[1].name)]), undefined, true).areaCentre;
    const was = massProperties(subBody(bad, [1]), undefined, true).areaCentre;
    expect(Math.hypot(box[0] - was[0], box[1] - was[1], box[2] - was[2])).toBeLessThan(0.1);
  });
  it('draws a short edge together', () => {
    const sides = prism(
      [
        [0, 0, 0],
        [20, 0, 0],
        [20.0008, 0.0006, 0],
        [20.0008, 15, 0],
        [0, 15, 0],
      ],
      10,
    );
    const r = dropTinyEdges(sides, 0.002);
    expect(r.dropped).toHaveLength(2);
    expect(r.dropped[0].length).toBeCloseTo(0.001, 6);
    expect(r.body.edges.filter((e) => r.body.faces.some((f) => f.loops.flat().some((u) => r.body.edges[u.edge] === e)))).toHaveLength(13);
  });
});

it('a damaged solid that went through a file comes back whole', async () => {
  const b = solids.cone;
  const bad = damaged(b, 'moved', 0, randomFrom(11));
  const file = await writeStep([{ name: 'back', body: bad }], localKernel, {});
  const read = await readStep(new TextEncoder().encode(file), localKernel);
  if (!read.ok) throw new Error(read.message);
  const body = read.parts.length === 1 ? read.parts[0].body : withShells({ ...combineBodies(read.parts.map((p) => p.body)), solids: [] });
  const r = repair(body);
  expect(r.body.solids).toHaveLength(1);
  expect(Math.abs(volume(r.body) / volume(b) - 1)).toBeLessThan(1e-6);
});
