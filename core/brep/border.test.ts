import { describe, expect, it } from 'vitest';
import { distance, type Vec3 } from '../math/index.ts';
import { measureSeams } from '../proof/index.ts';
import { cone } from '../testing/random-bodies.ts';
import { bodyOf, factOf, run, step } from '../testing/run.ts';
import { Border, topologyOf } from './index.ts';

describe('a border that closes', () => {
  const b = cone(20, 20, 30);
  const edge = b.edges.findIndex((e, i) => !e.degenerate && e.start === e.end && topologyOf(b).uses[i].length === 2);
  it('is met from both sides of its start', () => {
    const ring = new Border([{ body: b, edge, part: [0, 1], side: 0 }]);
    expect(ring.closed).toBe(true);
    for (const share of [1e-5, 1e-4, 0.003, 0.5, 0.997, 1 - 1e-4, 1 - 1e-5]) {
      const p = ring.place(share).point;
      const found = ring.nearest(p);
      expect(Math.min(Math.abs(found - share), 1 - Math.abs(found - share))).toBeLessThan(1e-9);
      // the foot on the face behind is the place itself, not the start
      expect(distance(ring.at(p).point, p)).toBeLessThan(1e-9);
      const beside: Vec3 = [p[0] * 1.0001, p[1] * 1.0001, p[2]];
      expect(distance(ring.place(ring.nearest(beside)).point, p)).toBeLessThan(1e-6);
    }
  });
});

it('a blend between two level cuts of one loft says what its seams are: exact, not open', async () => {
  const ring = (id: string, z: number, r: number, x: number) => [
    step(`p${id}`, 'work-plane', { offset: [x, 0, z] }),
    { ...step(id, 'circle', { centre: [[0, 0]], radius: r }), inputs: { plane: [{ step: `p${id}`, output: 'main' }] } },
  ];
  const cut = (id: string, z: number, keep: string) => [
    step(`q${id}`, 'work-plane', { offset: [0, 0, z], size: 90 }),
    step(id, 'trim', { keep }, { target: ['s'], cutters: [`q${id}`] }),
  ];
  const edge = (of: string) => ({ step: of, output: 'main', part: { kind: 'edge' as const, name: `${of}.cut(s:side)` } });
  const r = await run(
    ...ring('a', 0, 20, 0),
    ...ring('b', 40, 26, 4),
    ...ring('c', 80, 14, 12),
    step('s', 'loft', { degree: 3 }, { sections: ['a', 'b', 'c'] }),
    ...cut('low', 45, 'behind'),
    ...cut('high', 65, 'front'),
    { ...step('x', 'blend', { gradeFirst: '2', gradeSecond: '2' }), inputs: { first: [edge('low')], second: [edge('high')] } },
    step('k', 'knit', {}, { skins: ['low', 'x', 'high'] }),
  );
  expect(r.get('x')?.diagnostics).toEqual([]);
  for (const side of ['first', 'second']) expect(factOf(r, 'x', side)).toContain('G2 reached');
  const seams = measureSeams(bodyOf(r, 'k')).filter((s) => s.faces[0] !== s.faces[1]);
  expect(seams).toHaveLength(2);
  for (const s of seams) expect([s.grade === 'G2' || s.grade === 'G3', s.gap < 1e-6]).toEqual([true, true]);
});
