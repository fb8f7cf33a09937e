import { describe, expect, it } from 'vitest';
import {
  type Body,
  checkBody,
  edgePoint,
  massProperties,
  subBody,
  topologyOf,
  transformBody,
  usePoint,
  withShells,
} from '../brep/index.ts';
import { localKernel } from '../brep/local.ts';
import { distance, translation, type Vec3 } from '../math/index.ts';
import { asSkin, ball, block, cone, flatSheet, meshCracks, ringBody, trimCase, wavyTube } from '../testing/random-bodies.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { cutRegions } from './regions.ts';
import { type Split, splitByTools, type Unsplit } from './split.ts';

/** What a model's tolerance of 1e-3 mm asks of cuts. */
const FIT = 9e-7;
const split = (target: Body, tool: Body): Split | Unsplit => splitByTools(target, [tool], { fit: FIT, name: 'c' });
const partsOf = (r: Split): number[][] =>
  r.cut.length ? cutRegions(r.body, r.cut).map((g) => [...g.faces]) : [r.body.faces.map((_, i) => i)];
/** What is wrong with a split; empty when everything holds. */
function faults(target: Body, tool: Body, wanted?: number): string {
  const r = split(target, tool);
  if (!r.ok) return `refused: ${r.why}`;
  const parts = partsOf(r);
  const out: string[] = [];
  const areas = parts.map((g) => massProperties(subBody(r.body, g)).area);
  const whole = massProperties(target).area;
  if (Math.abs(areas.reduce((a, b) => a + b, 0) / whole - 1) > 1e-9) out.push(`areas ${areas} of ${whole}`);
  const off = Math.max(r.off, offCut(r, tool));
  if (!(off < 1e-6)) out.push(`curve off by ${off}`);
  if (wanted !== undefined && parts.length !== wanted) out.push(`${parts.length} parts instead of ${wanted}`);
  if (r.loose.length) out.push(`${r.loose.length} loose ends`);
  for (const g of parts) {
    const cracks = meshCracks(withShells(subBody(r.body, g)));
    if (cracks) out.push(`cracks ${cracks}`);
  }
  return out.join('; ');
}
/** Largest distance of cut edges from the faces that use them and from the tool, at places of no special kind. */
function offCut(r: Split, tool: Body): number {
  const { uses } = topologyOf(r.body);
  let off = 0;
  for (const e of r.cut) {
    const edge = r.body.edges[e];
    for (let k = 0; k < 30; k++) {
      const t = edge.range[0] + ((edge.range[1] - edge.range[0]) * (k + 0.417)) / 30;
      const p = edgePoint(edge, t);
      for (const u of uses[e]) off = Math.max(off, distance(p, usePoint(r.body.faces[u.face], u.use, t)));
    }
  }
  expect(tool.faces.length).toBeGreaterThan(0);
  return off;
}
const SEEDS = Number(process.env.TRIMS ?? 56);
const moved = (b: Body, by: Vec3) => transformBody(b, translation(by));
const skins = { ball: asSkin(ball(20)), ring: asSkin(ringBody(20, 6)), post: asSkin(cone(10, 10, 60)), box: asSkin(block(10, 12, 14)) };

describe('cuts of our own', () => {
  it(`${SEEDS} random trims: areas add up, curves on their faces, no cracks (all of them: TRIMS=300)`, () => {
    const bad: string[] = [];
    for (let i = 0; i < SEEDS; i++) {
      const { name, target, tool } = trimCase(i, randomFrom(1000 + i));
      const why = faults(target, tool);
      if (why) bad.push(`${i} ${name}: ${why}`);
    }
    expect(bad).toEqual([]);
  });
  it.each([
    ...[1e-1, 1e-2, 1e-3, 1e-4].map(
      (g) => [`ball, plane ${g} inside its side`, skins.ball, flatSheet([20 - g, 0, 0], [1, 0, 0]), 2] as const,
    ),
    ...[1e-2, 1e-3, 1e-4].map((g) => [`ball, plane ${g} under its pole`, skins.ball, flatSheet([0, 0, 20 - g], [0, 0, 1]), 2] as const),
    ['ball, plane through both poles', skins.ball, flatSheet([0, 0, 0], [1, 0.3, 0]), 2],
    ['ball, plane along its own seam', skins.ball, flatSheet([0, 0, 0], [0, 1, 0]), 2],
    ['ball, plane through one pole', skins.ball, flatSheet([0, 0, 20], [1, 0.4, 0.5]), 2],
    ['ball, plane 1e-3 beside a pole', skins.ball, flatSheet([1e-3, 0, 20], [1, 0.4, 0.5]), 2],
    ['ball, ball through its pole', skins.ball, moved(asSkin(ball(12)), [0, 12, 20]), 2],
    ['balls, 1e-4 deep', skins.ball, moved(asSkin(ball(10)), [30 - 1e-4, 0, 0]), 2],
    ['ring, plane 1e-4 under its top', skins.ring, flatSheet([0, 0, 6 - 1e-4], [0, 0, 1]), 2],
    ['ring, plane along the seam round it', skins.ring, flatSheet([0, 0, 0], [0, 0, 1]), 2],
    ['ring, plane along the other seam', skins.ring, flatSheet([0, 0, 0], [0, 1, 0]), 2],
    ['tube, plane along it', wavyTube(randomFrom(3), 20, 60), flatSheet([2, 0, 0], [0, 1, 0]), 2],
    ['post, plane through axis and seam', skins.post, flatSheet([0, 0, 0], [0, 1, 0]), 2],
    ['box, plane through two edges', skins.box, flatSheet([0, 0, 0], [12, -10, 0]), 2],
    ['box, plane through a corner', skins.box, flatSheet([10, 12, 14], [1, 0.5, -0.9]), 2],
    ['box, ball in a corner', skins.box, moved(asSkin(ball(6)), [10, 12, 14]), 2],
    [
      'ring, plane that touches it inside, turned',
      skins.ring,
      flatSheet([14 * Math.cos(1), 14 * Math.sin(1), 0], [Math.cos(1), Math.sin(1), 0]),
      2,
    ],
  ] as [string, Body, Body, number][])('%s', (_, target, tool, wanted) => {
    expect(faults(target, tool, wanted)).toBe('');
  });
  it.each([
    ['ball, plane that touches it', skins.ball, flatSheet([20, 0, 0], [1, 0, 0])],
    ['balls that touch', skins.ball, moved(asSkin(ball(10)), [30, 0, 0])],
  ] as [string, Body, Body][])('%s: one part, and the touch is told with its place', (_, target, tool) => {
    const r = split(target, tool);
    if (!r.ok) throw new Error(r.why);
    expect(r.cut.length).toBe(0);
    expect(r.touches.length).toBe(1);
    expect(distance(r.touches[0].at, [20, 0, 0])).toBeLessThan(1e-6);
  });
  it('a cutter that ends inside says where; one in a face of a box is refused, not guessed', () => {
    const r = split(wavyTube(randomFrom(3), 20, 60), moved(flatSheet([0, 0, 0], [1, 0.1, 0], 12), [0, 20, 0]));
    expect(r.ok && r.cut.length === 0 && r.loose.length > 0).toBe(true);
    const flat = split(skins.box, flatSheet([10, 0, 0], [1, 0, 0]));
    expect(flat.ok ? flat.cut.length : flat.why).not.toBe(2);
  });
  it('two tools that cross: four quarters of a ball, curves within 1e-6 mm of both sides', () => {
    const tools = [flatSheet([0, 0, 0], [1, 0.2, 0.1]), flatSheet([0, 0, 0], [-0.1, 1, 0.3])];
    const r = splitByTools(skins.ball, tools, { fit: 1e-7, name: 'c' });
    if (!r.ok) throw new Error(r.why);
    expect(cutRegions(r.body, r.cut).length).toBe(4);
    expect(offCut(r, tools[0])).toBeLessThan(1e-6);
  });
  it('a solid by a plane: two solids, exact volumes; a closed skin inside it parts its core', async () => {
    const r = splitByTools(ball(20), [flatSheet([0, 0, 5], [0, 0, 1])], { fit: FIT, name: 'c' });
    if (!r.ok) throw new Error(r.why);
    const volumes = r.body.solids
      .map(
        (list) =>
          massProperties(
            r.body,
            list.flatMap((s) => r.body.shells[s].faces),
          ).volume,
      )
      .sort((a, b) => a - b);
    const cap = (Math.PI * 15 ** 2 * (60 - 15)) / 3;
    expect(volumes[0] / cap).toBeCloseTo(1, 7);
    expect(volumes[1] / ((4 / 3) * Math.PI * 8000 - cap)).toBeCloseTo(1, 7);
    const core = splitByTools(ball(20), [asSkin(ball(5))], { fit: FIT, name: 'c' });
    if (!core.ok) throw new Error(core.why);
    expect(core.body.solids.map((l) => l.length).sort()).toEqual([1, 2]);
    for (const list of r.body.solids) {
      const part = subBody(
        r.body,
        list.flatMap((s) => r.body.shells[s].faces),
      );
      expect((await checkBody(localKernel, { ...part, solids: [part.shells.map((_, i) => i)] })).valid).toBe(true);
    }
  });
});
