import { describe, expect, it } from 'vitest';
import { edgePoint, massProperties, topologyOf } from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { closestOnCurve } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import { type Pick, partName, partPlace } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, onPlane, run, step } from '../testing/run.ts';

const box = step('b', 'primitive', { width: 60, depth: 40, height: 30 });
/** The edge of the box whose middle is nearest to a place. */
async function edgeAt(p: Vec3): Promise<Pick> {
  const b = bodyOf(await run(box), 'b');
  const middle = (i: number) => edgePoint(b.edges[i], (b.edges[i].range[0] + b.edges[i].range[1]) / 2);
  const i = b.edges.map((_, k) => k).reduce((m, k) => (distance(middle(k), p) < distance(middle(m), p) ? k : m));
  return {
    step: 'b',
    output: 'main',
    part: { kind: 'edge', name: partName(b, 'edge', i), near: partPlace(b, 'edge', i) as [number, number, number] },
  };
}
const fillet = async (params: object, ...edges: Pick[]) => run(box, { ...step('f', 'fillet', { ...params }), inputs: { edges } });

describe('the fillet as a step', () => {
  it('tells what is reached, and keeps a solid', async () => {
    const r = await fillet({ radius: 6 }, await edgeAt([30, -20, 15]));
    expect(r.get('f')?.status).toBe('fine');
    for (const side of ['left', 'right']) expect(factOf(r, 'f', side)).toContain('G1 reached');
    expect(factOf(r, 'f', 'radius')).toBe('6 mm');
    expect(massProperties(bodyOf(r, 'f')).volume).toBeCloseTo(72_000 - (1 - Math.PI / 4) * 36 * 30, 3);
  });
  it('edges that meet in a corner go to the kernel, and the card says so', async () => {
    const edges = [await edgeAt([-30, 0, 30]), await edgeAt([0, 20, 30])];
    const r = await fillet({ rule: 'tube', distance: 3, section: 'flat' }, ...edges);
    expect(factOf(r, 'f', 'made by')).toContain('corner');
    // two wedges less what they share in the corner
    expect(massProperties(bodyOf(r, 'f')).volume).toBeCloseTo(72_000 - 4.5 * 100 + 9, 3);
    expect(topologyOf(bodyOf(r, 'f')).rims).toHaveLength(0);
    expect(codeOf(await fillet({ rule: 'width', width: 3, section: '2' }, ...edges), 'f')).toBe('corner');
  });
});

describe('a fillet between two skins that cross', () => {
  const sheet = step('p', 'rectangle-skin', {
    points: [
      [-30, -30],
      [30, 30],
    ],
  });
  const tube = [
    step('c', 'circle', { radius: 10 }),
    step('t', 'extrude', { extent: 'symmetric', distance: 40, cap: false }, { profile: ['c'] }),
  ];
  const between = (params: object, skins = ['p', 't']) =>
    run(sheet, ...tube, step('f', 'fillet', { between: 'skins', ...params }, { skins }));
  const area = (r: Awaited<ReturnType<typeof run>>) => massProperties(bodyOf(r, 'f'), undefined, true).area;
  // quarter of a torus round the tube, its ball of 3 mm outside
  const round = 2 * Math.PI * ((13 * 3 * Math.PI) / 2 - 9);

  it.each([
    ['above', 1],
    ['below', -1],
  ])('a tube through a sheet, the half %s: cut, joined and rounded with the torus', async (_, side) => {
    const r = await between({
      radius: 3,
      places: [
        [25, 0, 0],
        [10, 0, 15 * side],
      ],
    });
    expect(r.get('f')?.status).toBe('fine');
    for (const k of ['left', 'right']) expect(factOf(r, 'f', k)).toContain('G1 reached');
    expect(area(r)).toBeCloseTo(3600 - Math.PI * 169 + 2 * Math.PI * 10 * 17 + round, 2);
    expect(measureSeams(bodyOf(r, 'f')).filter((x) => x.grade === 'G1')).toHaveLength(2);
  });
  it('of a sheet kept inside the tube the ball rolls inside: the torus of the smaller circle', async () => {
    const r = await between({
      radius: 3,
      places: [
        [1, 0, 0],
        [10, 0, 15],
      ],
    });
    expect(area(r)).toBeCloseTo(Math.PI * 49 + 2 * Math.PI * 10 * 17 + 2 * Math.PI * ((7 * 3 * Math.PI) / 2 + 9), 2);
  });
  it('says what to do when they do not meet', async () => {
    const away = await run(
      sheet,
      ...tube,
      step('m', 'move', { by: [0, 200, 0] }, { pieces: ['t'] }),
      step('f', 'fillet', { between: 'skins' }, { skins: ['p', 'm'] }),
    );
    expect(codeOf(away, 'f')).toBe('no-cut');
    expect(away.get('f')?.diagnostics[0].message).toContain('do not meet');
  });
});

describe('a fillet that runs out where its faces become tangent', () => {
  // a dished recess in a curved back: tangent to it along a straight root, meeting it in a sharp edge round the rest
  const recess = (bulge: number) => [
    step('c', 'arc', {
      points: [
        [-40, 0],
        [0, bulge],
        [40, 0],
      ],
    }),
    step('t', 'extrude', { distance: 100 }, { profile: ['c'] }),
    step('p', 'work-plane', { base: 'xz' }),
    onPlane(
      'p',
      step('root', 'polyline', {
        points: [
          [-11, 20],
          [11, 20],
        ],
      }),
    ),
    onPlane(
      'p',
      step('u', 'spline-through', {
        points: [
          [11, 20],
          [14, 45],
          [9, 66],
          [0, 73],
          [-9, 66],
          [-14, 45],
          [-11, 20],
        ],
      }),
    ),
    step('j', 'join-curves', {}, { curves: ['root', 'u'] }),
    step('o', 'trim', { keep: 'picked', direction: 'y', places: [[-35, 3, 5]] }, { target: ['t'], cutters: ['j'] }),
    step('d', 'spline-through', {
      flat: false,
      points: [
        [0, bulge - 1.4, 34],
        [0, bulge - 4.6, 48],
        [0, bulge - 5, 60],
      ],
    }),
    {
      ...step('f', 'patch', { points: 20 }, { through: ['d'] }),
      inputs: {
        rim: [rim([0, bulge, 20], '2'), rim([0, bulge, 73], '0')],
        through: [{ step: 'd', output: 'main' }],
      },
    },
    step('k', 'knit', {}, { skins: ['o', 'f'] }),
  ];
  const rim = (near: [number, number, number], grade?: string): Pick => ({
    step: grade ? 'o' : 'k',
    output: 'main',
    part: { kind: 'edge', name: 'o.cut(t:side)', near },
    ...(grade ? { settings: { grade } } : {}),
  });
  const along = (params: object, bulge = 10) =>
    run(...recess(bulge), { ...step('x', 'fillet', { rule: 'tube', section: '2', ...params }), inputs: { edges: [rim([0, bulge, 73])] } });

  it.each([
    [10, 3],
    [20, 2],
  ])(
    'keeps its distance along the edge and round its tips, and meets everything with G2 (bulge %d, %d mm)',
    async (bulge, distance) => {
      const r = await along({ distance }, bulge);
      expect(r.get('x')?.diagnostics).toEqual([]);
      const b = bodyOf(r, 'x');
      const old = bodyOf(r, 'k').edges.filter((e) => e.name === 'o.cut(t:side)');
      const edge = old.reduce((m, e) => (edgePoint(e, e.range[1] / 2)[2] > edgePoint(m, m.range[1] / 2)[2] ? e : m)).curve;
      expect(b.faces.map((f) => f.name).filter((n) => n.startsWith('x:fillet'))).toHaveLength(3);
      // the sheet's own rim stays, nothing else is open
      expect(topologyOf(b).rims.map((i) => b.edges[i].name.split('.')[0])).toEqual(['t', 't', 't', 't']);
      const seams = measureSeams(b);
      expect(seams.filter((s) => s.grade === 'G0' || s.grade === 'G1').map((s) => [s.name, s.kink, s.step])).toEqual([]);
      // every place of both rails, and of the arcs that join them, is as far from the old edge as was asked
      for (const s of seams.filter((x) => x.name.startsWith('x.rail')))
        for (const p of s.samples) expect(Math.abs(closestOnCurve(edge, p.point).distance - distance)).toBeLessThan(0.04 * distance);
    },
    90_000,
  );
  it('says how it is set where no ball can run out', async () => {
    for (const params of [
      { rule: 'ball', radius: 2 },
      { rule: 'width', width: 4 },
    ]) {
      const r = await along({ ...params, section: 'round' });
      expect(codeOf(r, 'x')).toBe('runs-out');
      expect(r.get('x')?.diagnostics[0].message).toContain('set it by its distance');
      expect(r.get('x')?.diagnostics[0].place).toHaveLength(2);
    }
  }, 60_000);
});
