import { describe, expect, it } from 'vitest';
import { topologyOf } from '../brep/index.ts';
import type { Pick } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, run, step } from '../testing/run.ts';

const edge = (of: string, name: string, more: object = {}): Pick =>
  ({ step: of, output: 'main', part: { kind: 'edge', name }, ...more }) as unknown as Pick;
const bow = (id: string, y: number, dz: number, dx = 0): ReturnType<typeof step> =>
  step(id, 'spline-through', {
    flat: false,
    points: [
      [-30 + dx, y, dz],
      [-10 + dx, y, 4 + dz],
      [12 + dx, y, 3 + dz],
      [30 + dx, y, dz - 2],
    ],
  });
/** Two lofted skins with a gap of 6 mm between their sides: `a` ends at y = 0, `b` starts at y = 6. */
const skins = [
  bow('a0', -40, 0),
  bow('a1', -20, 2, 1),
  bow('a2', 0, 1),
  step('a', 'loft', { degree: 2 }, { sections: ['a0', 'a1', 'a2'] }),
  bow('b0', 6, 2, 1),
  bow('b1', 30, 3),
  bow('b2', 50, -1),
  step('b', 'loft', { degree: 2 }, { sections: ['b0', 'b1', 'b2'] }),
];
const sideNear = async (of: string, y: number) => {
  const b = bodyOf(await run(...skins), of);
  const i = topologyOf(b).rims.find(
    (e) => Math.abs(b.vertices[b.edges[e].start].point[1] - y) < 1e-6 && Math.abs(b.vertices[b.edges[e].end].point[1] - y) < 1e-6,
  );
  return b.edges[i ?? -1].name;
};
const match = async (params: Record<string, unknown>, grade: string, to?: Pick[]) =>
  step('x', 'match-edge', params, {
    edge: [edge('a', await sideNear('a', 0), { settings: { grade } })],
    to: (to ?? [edge('b', await sideNear('b', 6))]).slice(0, 1),
    moreTo: (to ?? []).slice(1),
  });

describe('match edge as a step', () => {
  it('brings the side over and tells what it cost; the two knit without a gap', async () => {
    for (const g of ['0', '1', '2']) {
      const r = await run(...skins, await match({}, g), step('k', 'knit', {}, { skins: ['x', 'b'] }));
      expect(factOf(r, 'x', 'edge'), g).toContain(`G${g} reached`);
      expect(factOf(r, 'x', 'rows moved')).toMatch(/ of /);
      expect(Number(factOf(r, 'x', 'moved by at most')?.split(' ')[0])).toBeGreaterThan(5);
      const b = bodyOf(r, 'k');
      expect(topologyOf(b).seams.length).toBe(1);
      expect(topologyOf(b).rims.length).toBe(6);
    }
  });
  it('both meet halfway: two pieces that knit', async () => {
    const r = await run(...skins, await match({ who: 'both' }, '2'), step('k', 'knit', {}, { skins: ['x/main', 'x/other'] }));
    expect(r.get('x')?.status).toBe('fine');
    expect(factOf(r, 'x', 'edges')).toContain('G2 reached');
    expect(topologyOf(bodyOf(r, 'k')).seams.length).toBe(1);
  });
  it('runs square into a plane', async () => {
    const plane = step('p', 'work-plane', { base: 'xz', offset: [0, 1, 0] });
    const r = await run(...skins, plane, await match({}, '2', [{ step: 'p', output: 'main' }]));
    expect(factOf(r, 'x', 'edge, mirror')).toContain('G1 reached');
  });
  it('two sides at once agree at their corner', async () => {
    // b turned by a quarter stands beside the other side
    const c = [
      step('c0', 'spline-through', {
        flat: false,
        points: [
          [34, -40, -2],
          [35, -20, 1],
          [30.5, 0, 0],
        ],
      }),
      step('c1', 'spline-through', {
        flat: false,
        points: [
          [60, -40, -4],
          [60, -20, 0],
          [60, 0, -3],
        ],
      }),
      step('c', 'loft', { degree: 1 }, { sections: ['c0', 'c1'] }),
    ];
    const given = await run(...skins, ...c);
    const b = bodyOf(given, 'a');
    const right = topologyOf(b).rims.find((e) => b.vertices[b.edges[e].start].point[0] > 20 && b.vertices[b.edges[e].end].point[0] > 20);
    const cb = bodyOf(given, 'c');
    const left = topologyOf(cb).rims.find(
      (e) => cb.vertices[cb.edges[e].start].point[0] < 40 && cb.vertices[cb.edges[e].end].point[0] < 40,
    );
    const two = step(
      'x',
      'match-edge',
      {},
      {
        edge: [edge('a', await sideNear('a', 0), { settings: { grade: '0' } })],
        to: [edge('b', await sideNear('b', 6))],
        more: [edge('a', b.edges[right ?? -1].name, { settings: { grade: '1' } })],
        moreTo: [edge('c', cb.edges[left ?? -1].name)],
      },
    );
    // the two places do not end in one corner: said with the number
    const apart = await run(...skins, ...c, two);
    expect(codeOf(apart, 'x')).toBe('corners');
    expect(apart.get('x')?.diagnostics[0].message).toMatch(/mm apart/);
    // with the corner in one place both borders are met
    const [c0, ...rest] = c;
    const moved = {
      ...c0,
      params: {
        ...c0.params,
        points: [
          [34, -40, -2],
          [35, -20, 1],
          [31, 6, 0],
        ],
      },
    };
    const r = await run(...skins, moved, ...rest, two);
    expect(factOf(r, 'x', 'edge 1')).toContain('G0 reached');
    // what is asked at that corner contradicts itself (the other skin's border leaves the tangent plane there): told with the angle
    expect(r.get('x')?.diagnostics.map((d) => d.code)).toEqual(['below-grade', 'corners']);
    expect(r.get('x')?.diagnostics[1].message).toMatch(/by up to 15\.\d+°/);
    expect(factOf(r, 'x', 'edge 2')).toMatch(/0\.000\d* mm/);
    // the third and fourth side stay
    const after = bodyOf(r, 'x');
    const corner = after.vertices.map((v) => v.point).filter((v) => Math.abs(v[1] + 40) < 1e-6 && v[0] < 0);
    expect(corner.length).toBe(1);
  });
  it('says what cannot be', async () => {
    const free = await run(...skins, await match({}, '1', [{ step: 'b0', output: 'main' } as Pick]));
    expect(codeOf(free, 'x')).toBe('free-curve');
    const met = await run(...skins, await match({}, '0', [{ step: 'b0', output: 'main' } as Pick]));
    expect(met.get('x')?.status).toBe('fine');
    const count = await run(...skins, await match({}, '1', [edge('b', await sideNear('b', 6)), edge('b', await sideNear('b', 50))]));
    expect(codeOf(count, 'x')).toBe('count');
  });
});
