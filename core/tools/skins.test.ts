import { describe, expect, it } from 'vitest';
import { edgePoint, isWatertight, massProperties, topologyOf, usePoint } from '../brep/index.ts';
import { distance, type Vec3 } from '../math/index.ts';
import { domainU, domainV, pointAt, surfaceControlPoint, surfacePoint } from '../nurbs/index.ts';
import { measureSeams } from '../proof/index.ts';
import type { Pick, Step, StepResult } from '../recipe/index.ts';
import { bodyOf, codeOf, factOf, run, step, volume } from '../testing/run.ts';

type Results = ReadonlyMap<string, StepResult>;
const messages = (r: Results, id: string): string =>
  r
    .get(id)
    ?.diagnostics.map((d) => `${d.code}: ${d.message}`)
    .join(' | ') ?? '';
const area = (r: Results, id: string, output = 'main'): number => massProperties(bodyOf(r, id, output)).area;
/** The edge of a body nearest to a point, as a pick. */
const edgePick = (r: Results, id: string, near: Vec3, more: Partial<Pick> = {}): Pick => {
  const b = bodyOf(r, id);
  const far = (e: number) =>
    Math.min(
      ...[0.03, 0.25, 0.5, 0.75, 0.97].map((k) =>
        distance(edgePoint(b.edges[e], b.edges[e].range[0] + k * (b.edges[e].range[1] - b.edges[e].range[0])), near),
      ),
    );
  const list = b.edges.map((_, i) => i).filter((i) => !b.edges[i].degenerate && topologyOf(b).uses[i].length);
  const best = list.reduce((x, e) => (far(e) < far(x) ? e : x));
  return { step: id, output: 'main', part: { kind: 'edge', name: b.edges[best].name, near: [...near] }, ...more } as Pick;
};
const line = (id: string, a: number[], b: number[]): Step => step(id, 'polyline', { points: [a, b] });
const plane = (id: string, offset: number[], turns = [0, 0, 0]): Step => ({ ...step(id, 'work-plane', { offset, turns }), version: 2 });
const circle = (id: string, radius: number, height = 0, centre = [0, 0]): Step[] => [
  plane(`${id}p`, [0, 0, height]),
  { ...step(id, 'circle', { radius, centre: [centre] }, { plane: [`${id}p`] }) },
];

describe('four points', () => {
  it('a parallelogram has base times height, in whatever order the corners come', async () => {
    for (const order of [
      [0, 1, 2, 3],
      [0, 2, 1, 3],
      [3, 0, 2, 1],
      [1, 3, 0, 2],
    ]) {
      const corners = [
        [0, 0],
        [30, 0],
        [40, 20],
        [10, 20],
      ];
      const r = await run(step('q', 'corner-skin', { points: order.map((i) => corners[i]) }));
      expect(area(r, 'q')).toBeCloseTo(600, 9);
      const crossed = r.get('q')?.diagnostics.some((d) => d.code === 'crossed');
      // the given order is crossed where neighbours in it are no sides
      const neighbours = order.every((x, i) => Math.abs(x - order[(i + 1) % 4]) % 2 === 1);
      expect(crossed).toBe(!neighbours);
    }
  });
  it('three points make a flat triangle; corners in one line are refused', async () => {
    const r = await run(
      step('t', 'corner-skin', {
        points: [
          [0, 0],
          [30, 0],
          [0, 40],
        ],
      }),
      step('l', 'corner-skin', {
        points: [
          [0, 0],
          [10, 0],
          [30, 0],
        ],
      }),
    );
    expect(area(r, 't')).toBeCloseTo(600, 9);
    expect(codeOf(r, 'l')).toBe('in-line');
  });
  it('a twisted one is the bilinear patch: point at the middle is the mean of the corners', async () => {
    const r = await run(
      step('q', 'corner-skin', {
        points: [
          [0, 0],
          [20, 0, 8],
          [20, 20],
          [0, 20, 4],
        ],
      }),
    );
    expect(distance(surfacePoint(bodyOf(r, 'q').faces[0].surface, 0.5, 0.5), [10, 10, 3])).toBeLessThan(1e-12);
  });
});

describe('rectangle skins', () => {
  it.each([
    [
      'corner',
      {
        points: [
          [0, 0],
          [30, 20],
        ],
      },
      600,
    ],
    [
      'three',
      {
        points: [
          [0, 0],
          [30, 40],
          [0, 60],
        ],
      },
      50 * (60 * 0.6),
    ],
    [
      'upright',
      {
        points: [
          [0, 0],
          [30, 40],
        ],
        height: 12,
      },
      600,
    ],
  ] as const)('%s: area is width times height', async (by, params, want) => {
    const r = await run(step('r', 'rectangle-skin', { by, ...params }));
    expect(area(r, 'r')).toBeCloseTo(want, 8);
  });
  it('best fit through a circle is its own plane, sized to it; cutting a solid covers its box', async () => {
    const r = await run(
      ...circle('c', 10, 7),
      step('f', 'rectangle-skin', { by: 'fit', margin: 0 }, { fit: ['c'] }),
      step('b', 'primitive', { width: 30, depth: 20, height: 20 }),
      plane('p', [0, 0, 5]),
      step('k', 'rectangle-skin', { by: 'cut', margin: 1 }, { plane: ['p'], pieces: ['b'] }),
      plane('q', [0, 0, 50]),
      step('m', 'rectangle-skin', { by: 'cut' }, { plane: ['q'], pieces: ['b'] }),
    );
    expect(Math.abs(area(r, 'f') / 400 - 1)).toBeLessThan(0.01);
    for (const v of bodyOf(r, 'f').vertices) expect(v.point[2]).toBeCloseTo(7, 9);
    expect(area(r, 'k')).toBeCloseTo(32 * 22, 9);
    expect(codeOf(r, 'm')).toBe('beside');
  });
});

describe('basic shapes: volumes by formula', () => {
  it.each([
    ['box', { width: 30, depth: 20, height: 10 }, 6000],
    ['ball', { radius: 9 }, (4 / 3) * Math.PI * 729],
    ['cylinder', { radius: 5, height: 12 }, Math.PI * 25 * 12],
    ['cone', { radius: 6, top: 2, height: 9 }, (Math.PI * 9 * (36 + 12 + 4)) / 3],
    ['cone', { radius: 6, top: 0, height: 9 }, (Math.PI * 9 * 36) / 3],
    ['ring', { radius: 20, thick: 4 }, 2 * Math.PI ** 2 * 20 * 16],
    ['ellipsoid', { width: 20, depth: 12, height: 8 }, (4 / 3) * Math.PI * 10 * 6 * 4],
  ] as const)('%s', async (shape, sizes, want) => {
    const r = await run(step('s', 'primitive', { shape, ...sizes, centre: [[3, 4, 5]] }));
    expect(r.get('s')?.status).toBe('fine');
    expect(volume(bodyOf(r, 's')) / want).toBeCloseTo(1, 9);
    expect(isWatertight(bodyOf(r, 's'))).toBe(true);
  });
  it('a ring too thick for its radius is refused', async () => {
    const r = await run(step('s', 'primitive', { shape: 'ring', radius: 5, thick: 6 }));
    expect(codeOf(r, 's')).toBe('self-crossing');
  });
});

describe('ruled', () => {
  it('two circles: frustum; circle and point: cone; part of the length: part of the area', async () => {
    const r = await run(
      ...circle('a', 10),
      ...circle('b', 4, 30),
      step('f', 'ruled', { cap: true }, { ends: ['a', 'b'] }),
      line('l', [0, 0], [40, 0]),
      plane('lp', [0, 0, 10]),
      step(
        'm',
        'polyline',
        {
          points: [
            [0, 0],
            [40, 0],
          ],
        },
        { plane: ['lp'] },
      ),
      step('h', 'ruled', { firstFrom: 0.25, firstTo: 0.75, secondFrom: 0.25, secondTo: 0.75 }, { ends: ['l', 'm'] }),
      step('none', 'ruled', { firstFrom: 0.6, firstTo: 0.6 }, { ends: ['l', 'm'] }),
    );
    expect(volume(bodyOf(r, 'f')) / ((Math.PI * 30 * 156) / 3)).toBeCloseTo(1, 10);
    expect(area(r, 'h')).toBeCloseTo(200, 9);
    expect(codeOf(r, 'none')).toBe('no-part');
  });
  it('hyperbolic paraboloid: the middle of the rulings is known', async () => {
    const r = await run(
      line('a', [0, 0], [10, 0]),
      plane('bp', [0, 10, 0], [0, -30, 0]),
      step(
        'b',
        'polyline',
        {
          points: [
            [0, 0],
            [10, 0],
          ],
        },
        { plane: ['bp'] },
      ),
      step('s', 'ruled', { match: 'parameter' }, { ends: ['a', 'b'] }),
    );
    const s = bodyOf(r, 's').faces[0].surface;
    const tip = bodyOf(r, 's')
      .vertices.map((v) => v.point)
      .reduce((m, p) => (Math.abs(p[2]) > Math.abs(m[2]) ? p : m));
    expect(Math.abs(tip[2])).toBeCloseTo(5, 9);
    const mid = surfacePoint(s, 0.5, 0.5);
    expect(distance(mid, [(5 + 5 * Math.cos(Math.PI / 6)) / 2, 5, tip[2] / 4])).toBeLessThan(1e-9);
  });
});

describe('normal ruled', () => {
  it('out of the rim of a cylinder: a flat ring, exact area; inwards and both ways too', async () => {
    const first = [...circle('c', 10), { ...step('e', 'extrude', { distance: 20, cap: false }, { profile: ['c'] }), version: 2 }];
    const r0 = await run(...first);
    const rim = edgePick(r0, 'e', [0, 10, 20]);
    const r = await run(
      ...first,
      step('o', 'normal-ruled', { distance: 5 }, { chain: [rim] }),
      step('i', 'normal-ruled', { distance: 5, side: 'in' }, { chain: [rim] }),
      step('b', 'normal-ruled', { distance: 5, side: 'both', back: 3 }, { chain: [rim] }),
      step('l', 'normal-ruled', { distance: 5, angle: 30 }, { chain: [rim] }),
      step('p', 'normal-ruled', { distance: 5, along: 'pull', angle: 90 }, { chain: [rim] }),
    );
    expect(area(r, 'o')).toBeCloseTo(Math.PI * (225 - 100), 3);
    expect(area(r, 'i')).toBeCloseTo(Math.PI * (100 - 25), 3);
    expect(area(r, 'b')).toBeCloseTo(Math.PI * (225 - 49), 3);
    // leaned by 30 degrees: a cone of slant 5 from radius 10 to 10 + 5 cos 30
    expect(area(r, 'l')).toBeCloseTo(Math.PI * 5 * (20 + 5 * Math.cos(Math.PI / 6)), 3);
    expect(area(r, 'p')).toBeCloseTo(Math.PI * (225 - 100), 3);
  });
  it('round the edges of a box: corners are closed, one chain of four walls', async () => {
    const first = [step('x', 'primitive', { width: 30, depth: 20, height: 10 })];
    const r0 = await run(...first);
    const top = edgePick(r0, 'x', [15, 0, 10], { grow: { way: 'loop' } });
    const r = await run(...first, step('w', 'normal-ruled', { distance: 4, faces: 'first' }, { chain: [top] }));
    const b = bodyOf(r, 'w');
    expect(b.faces.length).toBe(4);
    // neighbouring walls share their edge at the corner
    expect(topologyOf(b).seams.length).toBe(4);
    expect(r.get('w')?.status).not.toBe('error');
  });
  it('a free curve without a skin is asked for one', async () => {
    const r = await run(...circle('c', 10), step('w', 'normal-ruled', {}, { chain: ['c'] }));
    expect(codeOf(r, 'w')).toBe('no-skin');
  });
});

describe('tube', () => {
  it('a straight rod, a bent pipe, round ends: volumes by formula', async () => {
    const bent = step('p', 'polyline', {
      points: [
        [0, 0],
        [50, 0],
        [50, 40],
      ],
    });
    const r = await run(
      line('l', [0, 0], [40, 0]),
      step('rod', 'tube', { diameter: 6 }, { path: ['l'] }),
      step('pill', 'tube', { diameter: 6, ends: 'round' }, { path: ['l'] }),
      step('hollow', 'tube', { diameter: 6, ends: 'round', make: 'pipe', wall: 1 }, { path: ['l'] }),
      bent,
      step('pipe', 'tube', { diameter: 8, make: 'pipe', wall: 1, corner: 'round', radius: 10 }, { path: ['p'] }),
      step('mitred', 'tube', { diameter: 8, corner: 'mitre' }, { path: ['p'] }),
      step(
        'taper',
        'tube',
        {
          diameter: 10,
          varies: [
            [0, 1],
            [1, 0.5],
          ],
        },
        { path: ['l'] },
      ),
    );
    for (const id of ['rod', 'pill', 'hollow', 'pipe', 'mitred', 'taper'])
      expect(`${id} ${r.get(id)?.status} ${messages(r, id)}`).toBe(`${id} fine `);
    expect(volume(bodyOf(r, 'rod')) / (Math.PI * 9 * 40)).toBeCloseTo(1, 9);
    const ball = (x: number) => (4 / 3) * Math.PI * x ** 3;
    expect(volume(bodyOf(r, 'pill')) / (Math.PI * 9 * 40 + ball(3))).toBeCloseTo(1, 8);
    expect(volume(bodyOf(r, 'hollow')) / (Math.PI * (9 - 4) * 40 + ball(3) - ball(2))).toBeCloseTo(1, 7);
    expect(volume(bodyOf(r, 'pipe')) / (Math.PI * (16 - 9) * (40 + 30 + 5 * Math.PI))).toBeCloseTo(1, 8);
    expect(volume(bodyOf(r, 'mitred')) / (Math.PI * 16 * 90)).toBeCloseTo(1, 8);
    expect(volume(bodyOf(r, 'taper')) / ((Math.PI * 40 * (25 + 12.5 + 6.25)) / 3)).toBeCloseTo(1, 6);
  });
  it('branches and folds are refused with their place and a way on', async () => {
    const r = await run(
      line('a', [0, 0], [20, 0]),
      line('b', [20, 0], [40, 10]),
      line('c', [20, 0], [40, -10]),
      step('t', 'tube', {}, { path: ['a', 'b', 'c'] }),
      step('s', 'spline', {
        points: [
          [0, 0],
          [20, 0],
          [22, 12],
          [0, 14],
        ],
        degree: 3,
      }),
      step('f', 'tube', { diameter: 30 }, { path: ['s'] }),
    );
    expect(codeOf(r, 't')).toBe('branches');
    expect(r.get('t')?.diagnostics[0].place?.[0]).toEqual([20, 0, 0]);
    expect(codeOf(r, 'f')).toBe('folds');
    const action = r.get('f')?.actions[0];
    const again = await run(
      step('s', 'spline', {
        points: [
          [0, 0],
          [20, 0],
          [22, 12],
          [0, 14],
        ],
        degree: 3,
      }),
      step('f', 'tube', action?.params ?? {}, { path: ['s'] }),
    );
    expect(again.get('f')?.status).toMatch(/fine|warning/);
  });
});

describe('sweep, two rails and weave in the recipe', () => {
  it('a fold is an error with a button that clears it', async () => {
    const path = step('s', 'spline', {
      points: [
        [0, 0],
        [30, 0],
        [32, 12],
        [0, 20],
      ],
      degree: 3,
    });
    const upright = plane('pl', [0, 0, 0], [0, 90, 0]);
    const section = step('c', 'circle', { radius: 14 }, { plane: ['pl'] });
    const r = await run(path, upright, section, step('w', 'sweep', {}, { sections: ['c'], path: ['s'] }));
    expect(codeOf(r, 'w')).toBe('folds');
    const params = r.get('w')?.actions[0].params ?? {};
    const again = await run(path, upright, section, step('w', 'sweep', params, { sections: ['c'], path: ['s'] }));
    expect(again.get('w')?.status).toMatch(/fine|warning/);
    expect(factOf(again, 'w', 'room before it folds')).toMatch(/%$/);
  });
  it('twelve ribs over rails picked as groups, in one step', async () => {
    const rails: Step[] = [];
    const n = 12;
    for (let k = 0; k < n; k++) {
      const at = (a: number, radius: number) => [radius * Math.cos(a), radius * Math.sin(a)];
      const [a, b] = [(2 * Math.PI * k) / n, (2 * Math.PI * k) / n + 0.2];
      rails.push(line(`a${k}`, at(a, 20), at(a, 50)), line(`b${k}`, at(b, 20), at(b, 50)));
    }
    const section = step('s', 'arc', {
      by: 'three',
      points: [
        [20, 0],
        [20.5, 2, 3],
        [20 * Math.cos(0.2), 20 * Math.sin(0.2)],
      ],
    });
    const r = await run(
      ...rails,
      section,
      step(
        'w',
        'two-rails',
        { height: 'width' },
        {
          first: rails.filter((x) => x.id[0] === 'a').map((x) => x.id),
          second: rails.filter((x) => x.id[0] === 'b').map((x) => x.id),
          sections: ['s'],
        },
      ),
    );
    expect(messages(r, 'w')).not.toContain('error');
    const b = bodyOf(r, 'w');
    expect(b.faces.length).toBe(n);
    // all the same but turned: equal areas, all on the upper side
    const areas = b.faces.map((_, i) => massProperties(b, [i]).area);
    for (const x of areas) expect(x / areas[0]).toBeCloseTo(1, 6);
    for (const [i] of areas.entries()) expect(massProperties(b, [i]).areaCentre[2]).toBeGreaterThan(0.5);
    expect(factOf(r, 'w', 'way from the rails')).toBe('exact');
  });
  it.each(['G2', 'G3'])('a weave between two skins, %s on both, knits into seams of that grade', async (meets) => {
    const sheet = (id: string, x: number): Step => ({
      ...step(id, 'grid-skin', {
        columns: 4,
        grid: Array.from({ length: 16 }, (_, k) => [
          x + 8 * (k % 4),
          10 * Math.floor(k / 4),
          2 * Math.sin(0.06 * (x + 8 * (k % 4))) + 1.5 * Math.cos(1 + 0.5 * Math.floor(k / 4)),
        ]),
      }),
    });
    const first = [sheet('l', -60), sheet('r', 36)];
    const r0 = await run(...first);
    const [a, b] = [edgePick(r0, 'l', [-36, 15, 0]), edgePick(r0, 'r', [36, 15, 0])];
    const r = await run(
      ...first,
      step(
        'w',
        'weave',
        {},
        {
          curves: [
            { ...a, settings: { meets } },
            { ...b, settings: { meets } },
          ],
        },
      ),
      step('k', 'knit', {}, { skins: ['l', 'w', 'r'] }),
    );
    expect(messages(r, 'w')).toBe('');
    expect(factOf(r, 'w', 'curve 1')).toContain(`${meets} reached`);
    const seams = measureSeams(bodyOf(r, 'k')).filter((s) => s.faces[0] !== s.faces[1]);
    expect(seams.length).toBe(2);
    for (const s of seams) expect(meets === 'G3' ? ['G3'] : ['G2', 'G3']).toContain(s.grade);
  });
  it.each(['G1', 'G2', 'G3'])('a woven window in a skin meets all four sides with %s', async (meets) => {
    // four sheets of one wavy surface round a window
    const z = (x: number, y: number) => 4 * Math.sin(0.03 * x + 0.2) * Math.cos(0.025 * y);
    const sheet = (id: string, x0: number, x1: number, y0: number, y1: number): Step =>
      step(id, 'grid-skin', {
        columns: 13,
        grid: Array.from({ length: 169 }, (_, k) => {
          const [x, y] = [x0 + ((x1 - x0) * (k % 13)) / 12, y0 + ((y1 - y0) * Math.floor(k / 13)) / 12];
          return [x, y, z(x, y)];
        }),
      });
    const around = [sheet('l', -60, -20, -20, 20), sheet('r', 20, 60, -20, 20), sheet('b', -20, 20, -60, -20), sheet('t', -20, 20, 20, 60)];
    const r0 = await run(...around);
    const edges = [
      edgePick(r0, 'l', [-20, 0, z(-20, 0)]),
      edgePick(r0, 'r', [20, 0, z(20, 0)]),
      edgePick(r0, 'b', [0, -20, z(0, -20)]),
      edgePick(r0, 't', [0, 20, z(0, 20)]),
    ];
    const r = await run(...around, step('w', 'weave', {}, { curves: edges.map((e) => ({ ...e, settings: { meets } })) }));
    expect(messages(r, 'w')).toBe('');
    for (let i = 1; i <= 4; i++) expect(factOf(r, 'w', `curve ${i}`)).toContain(`${meets} reached`);
    const { surface } = bodyOf(r, 'w').faces[0];
    for (let i = 1; i < 10; i++)
      for (let j = 1; j < 10; j++) {
        const p = surfacePoint(surface, domainU(surface)[1] * (i / 10), domainV(surface)[1] * (j / 10));
        expect(Math.abs(p[2] - z(p[0], p[1]))).toBeLessThan(0.05);
      }
  });
  it('curves that are no grid: said why, with ways on that take the same curves', async () => {
    const r = await run(
      line('a', [0, 0], [40, 0]),
      line('b', [0, 0], [20, 30]),
      line('c', [40, 0], [20, 30]),
      step('w', 'weave', {}, { curves: ['a', 'b', 'c'] }),
    );
    expect(codeOf(r, 'w')).toBe('not-a-grid');
    const ways = r.get('w')?.diagnostics[0].suggestions ?? [];
    expect(ways.length).toBeGreaterThan(0);
    for (const w of ways)
      expect(w.changes.some((c) => c.type === 'addStep' && Object.values(c.step.inputs).flat().length === 3)).toBe(true);
  });
});

describe('skins from skins', () => {
  it('offset of a cylinder is a cylinder; the other side too; beyond the radius it is refused with the largest that works', async () => {
    const first = [...circle('c', 10), { ...step('e', 'extrude', { distance: 20, cap: false }, { profile: ['c'] }), version: 2 }];
    const r = await run(
      ...first,
      step('o', 'offset-skin', { distance: 3, side: 'both' }, { skin: ['e'] }),
      step('x', 'offset-skin', { distance: 11, side: 'in' }, { skin: ['e'] }),
    );
    expect(area(r, 'o')).toBeCloseTo(2 * Math.PI * 13 * 20, 2);
    expect(area(r, 'o', 'other')).toBeCloseTo(2 * Math.PI * 7 * 20, 2);
    expect(codeOf(r, 'x')).toBe('self-crossing');
    expect(r.get('x')?.actions[0].params.distance).toBeCloseTo(9.5, 3);
  });
  it('a copied face has the area it had; whole ones lose their hole', async () => {
    const r = await run(
      step('q', 'rectangle', {
        points: [
          [-20, -20],
          [20, 20],
        ],
      }),
      step('h', 'circle', { radius: 5 }),
      step('f', 'flat-skin', {}, { loops: ['q', 'h'] }),
      step('c', 'copy-faces', {}, { faces: ['f'] }),
    );
    expect(area(r, 'c')).toBeCloseTo(1600 - 25 * Math.PI, 8);
  });
  it('halfway between two cylinders is the cylinder of the mean radius; a third and two thirds in steps', async () => {
    const at = (id: string, radius: number): Step[] => [
      ...circle(id, radius),
      { ...step(`${id}e`, 'extrude', { distance: 20, cap: false }, { profile: [id] }), version: 2 },
    ];
    const r = await run(
      ...at('a', 10),
      ...at('b', 16),
      step('m', 'between-skins', {}, { skins: ['ae', 'be'] }),
      step('n', 'between-skins', { count: 2 }, { skins: ['ae', 'be'] }),
    );
    expect(area(r, 'm')).toBeCloseTo(2 * Math.PI * 13 * 20, 8);
    expect(area(r, 'n')).toBeCloseTo(2 * Math.PI * 12 * 20, 8);
    expect(area(r, 'n', 'step2')).toBeCloseTo(2 * Math.PI * 14 * 20, 8);
  });
  it('a grid goes through its points; an uneven one says how many are left over', async () => {
    const grid = Array.from({ length: 20 }, (_, k): Vec3 => [10 * (k % 5), 10 * Math.floor(k / 5), Math.sin(k)]);
    const r = await run(step('g', 'grid-skin', { grid, columns: 5 }), step('u', 'grid-skin', { grid: grid.slice(0, 18), columns: 5 }));
    expect(factOf(r, 'g', 'way from the points')).toBe('exact');
    expect(codeOf(r, 'u')).toBe('uneven-grid');
    expect(r.get('u')?.diagnostics[0].message).toContain('3 are left over');
  });
  it('refit: a bicubic keeps its shape at its own count, and the deviation told is the true one', async () => {
    const grid = Array.from(
      { length: 36 },
      (_, k): Vec3 => [10 * (k % 6), 10 * Math.floor(k / 6), 4 * Math.sin(0.7 * (k % 6)) * Math.cos(0.5 * Math.floor(k / 6))],
    );
    const r = await run(
      step('g', 'grid-skin', { grid, columns: 6 }),
      step('c', 'refit-skin', { pointsU: 5, pointsV: 5, allowed: 10 }, { skin: ['g'] }),
      step('t', 'refit-skin', { by: 'tolerance', tolerance: 1e-4 }, { skin: ['g'] }),
      step('w', 'refit-skin', { pointsU: 4, pointsV: 4, allowed: 0.001 }, { skin: ['g'] }),
    );
    const told = Number(r.get('c')?.facts.find((f) => f.label === 'deviation')?.number);
    const [old, next] = [bodyOf(r, 'g').faces[0].surface, bodyOf(r, 'c').faces[0].surface];
    // a second measure: the nearest of a fine grid of the old surface, for random places of the new one
    let worst = 0;
    for (let k = 0; k < 60; k++) {
      const p = surfacePoint(next, ((k * 0.618) % 1) * 1, (k * 0.755) % 1);
      let d = Infinity;
      for (let i = 0; i <= 120; i++) for (let j = 0; j <= 120; j++) d = Math.min(d, distance(p, surfacePoint(old, i / 120, j / 120)));
      worst = Math.max(worst, d);
    }
    // the grid is 0.4 mm wide: its own error is of second order in that
    expect(worst).toBeLessThan(told + 0.35);
    expect(told).toBeGreaterThan(0);
    expect(Number(r.get('t')?.facts.find((f) => f.label === 'deviation')?.number)).toBeLessThan(1e-4);
    expect(messages(r, 'w')).toContain('beyond-limit');
  });
  it('trims stay on a refitted or edited face: loops, length of the hole, edges on the new surface', async () => {
    const grid = Array.from(
      { length: 36 },
      (_, k): Vec3 => [10 * (k % 6) - 25, 10 * Math.floor(k / 6) - 25, 2 * Math.sin(0.7 * (k % 6)) * Math.cos(0.5 * Math.floor(k / 6))],
    );
    const r = await run(
      step('g', 'grid-skin', { grid, columns: 6 }),
      step('k', 'circle', { centre: [[3, 2]], radius: 9 }),
      step('x', 'trim', { places: [[20, 20, 0]] }, { target: ['g'], cutters: ['k'] }),
      step('c', 'refit-skin', { pointsU: 5, pointsV: 5, allowed: 10 }, { skin: ['x'] }),
      step('e', 'edit-skin', { shifts: [{ u: 2, v: 2, to: [-5, -5, 9] }] }, { skin: ['x'] }),
    );
    for (const id of ['c', 'e']) {
      const b = bodyOf(r, id);
      expect(b.faces.length).toBe(1);
      const f = b.faces[0];
      expect(f.loops.map((l) => l.length)).toEqual(bodyOf(r, 'x').faces[0].loops.map((l) => l.length));
      let off = 0;
      for (const u of f.loops.flat()) {
        const e = b.edges[u.edge];
        for (let i = 0; i <= 37; i++) {
          const t = e.range[0] + ((e.range[1] - e.range[0]) * i) / 37;
          off = Math.max(off, distance(edgePoint(e, t), usePoint(f, u, t)));
        }
        for (const [t, v] of [
          [e.range[0], e.start],
          [e.range[1], e.end],
        ])
          off = Math.max(off, distance(edgePoint(e, t), b.vertices[v].point));
      }
      expect(off).toBeLessThan(1e-5);
      expect(factOf(r, id, 'trims kept')).toBeDefined();
      expect(r.get(id)?.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
    }
    // in the plane the hole is where it was: the circle has moved by no more than the surface has in x and y
    const hole = bodyOf(r, 'c').faces[0].loops[1];
    const e = bodyOf(r, 'c').edges[hole[0].edge];
    for (let i = 0; i <= 20; i++) {
      const p = edgePoint(e, e.range[0] + ((e.range[1] - e.range[0]) * i) / 20);
      expect(Math.abs(Math.hypot(p[0] - 3, p[1] - 2) - 9)).toBeLessThan(0.5);
    }
  });
  it('edited points: by a way, by rows, along normals, kept flat', async () => {
    const grid = Array.from({ length: 16 }, (_, k): Vec3 => [10 * (k % 4), 10 * Math.floor(k / 4), 0]);
    const edit = (id: string, params: Record<string, unknown>) => step(id, 'edit-skin', params, { skin: ['g'] });
    const r = await run(
      step('g', 'grid-skin', { grid, columns: 4 }),
      edit('p', { shifts: [{ u: 1, v: 2, to: [1, 2, 3] }] }),
      edit('r', { shifts: [{ u: 1, v: 0, scope: 'u', along: 5 }] }),
      edit('f', { shifts: [{ u: 0, v: 1, to: [10, 0, 7] }], flatU: [1], axis: 'z', value: 2 }),
      edit('k', { insertU: [0.5], raiseV: 1 }),
    );
    const s = (id: string) => bodyOf(r, id).faces[0].surface;
    expect(surfaceControlPoint(s('p'), 1, 2)).toEqual([1, 2, 3]);
    for (let v = 0; v < 4; v++) expect(Math.abs(surfaceControlPoint(s('r'), 1, v)[2])).toBeCloseTo(5, 12);
    for (let v = 0; v < 4; v++) expect(surfaceControlPoint(s('f'), 0, v)[2]).toBe(2);
    expect([s('k').countU, s('k').degreeV]).toEqual([5, 4]);
    expect(distance(surfacePoint(s('k'), 0.3, 0.6), surfacePoint(s('g'), 0.3, 0.6))).toBeLessThan(1e-12);
  });
});

describe('fair', () => {
  const wobbly = (amount: number): number[][] =>
    Array.from({ length: 14 }, (_, i) => [10 * i, 20 * Math.sin(i / 4) + amount * (i % 2 ? 1 : -1) * (i > 1 && i < 12 ? 1 : 0)]);
  it('a wobble is calmed within the limit, ends keep point and tangent', async () => {
    const r = await run(step('s', 'spline', { points: wobbly(0.4), degree: 3 }), step('f', 'fair', { limit: 0.5 }, { curve: ['s'] }));
    const moved = Number(/[0-9.]+/.exec(factOf(r, 'f', 'points moved') ?? '')?.[0]);
    expect(moved).toBeLessThanOrEqual(0.5 + 1e-3);
    expect(Number(/[0-9.]+/.exec(factOf(r, 'f', 'unrest of the comb') ?? '')?.[0])).toBeLessThan(20);
    const [a, b] = ['s', 'f'].map((id) => {
      const p = r.get(id)?.outputs.main;
      if (p?.kind !== 'curve') throw new Error('no curve');
      return p.curves[0];
    });
    for (const k of [0, 1, 12, 13]) for (let d = 0; d < 3; d++) expect(b.control[4 * k + d]).toBe(a.control[4 * k + d]);
    expect(distance(pointAt(a, 0), pointAt(b, 0))).toBe(0);
  });
  it('a smaller limit moves less; kept points stay; arcs and polylines are told why not', async () => {
    const r = await run(
      step('s', 'spline', { points: wobbly(0.4), degree: 3 }),
      step('f', 'fair', { limit: 0.05, fixed: [7] }, { curve: ['s'] }),
      ...circle('c', 10),
      step('x', 'fair', {}, { curve: ['c'] }),
    );
    expect(Number(/[0-9.]+/.exec(factOf(r, 'f', 'points moved') ?? '')?.[0])).toBeLessThanOrEqual(0.0501);
    expect(codeOf(r, 'x')).toBe('weights');
  });
});

describe('lofts between unlike sections', () => {
  it('a turned ellipse beside a circle: both met within a millionth, from random places and turns', async () => {
    for (let k = 0; k < 12; k++) {
      const [rx, ry, turn, r] = [6 + 0.7 * k, 4 + 0.3 * ((5 * k) % 7), (104 + 37 * k) % 360, 7 + 0.6 * ((3 * k) % 11)];
      const shift = [((7 * k) % 9) - 4, ((4 * k) % 7) - 3];
      const made = await run(
        { ...step('e', 'ellipse', { radiusX: rx, radiusY: ry, turn }) },
        ...circle('c', r, 14, shift),
        step('t', 'loft', {}, { sections: ['e', 'c'] }),
      );
      expect(made.get('t')?.status).toBe('fine');
      const s = bodyOf(made, 't').faces[0].surface;
      const [cos, sin] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
      const heights = [...s.control].filter((_, i) => i % 4 === 2);
      expect(Math.min(...heights)).toBeCloseTo(0, 9);
      expect(Math.max(...heights)).toBeCloseTo(14, 9);
      for (let i = 0; i <= 64; i++)
        for (const end of [0, 1]) {
          const t = (end: number, q: Float64Array) => q[0] + (q[q.length - 1] - q[0]) * end;
          const p = surfacePoint(s, t(end, s.knotsU), t(i / 64, s.knotsV));
          if (p[2] > 7) expect(Math.abs(Math.hypot(p[0] - shift[0], p[1] - shift[1]) - r)).toBeLessThan(1e-6);
          else {
            const [x, y] = [cos * p[0] + sin * p[1], -sin * p[0] + cos * p[1]];
            // distance to first order: the equation over its gradient
            const f = (x / rx) ** 2 + (y / ry) ** 2 - 1;
            expect(Math.abs(f) / (2 * Math.hypot(x / rx ** 2, y / ry ** 2))).toBeLessThan(1e-6);
          }
        }
    }
  });

  it('a circle to a rounded rectangle never runs back along a side', async () => {
    const r = await run(
      ...circle('a', 11),
      plane('p', [0, 0, 15]),
      step('b', 'rectangle', { by: 'centre', points: [[0, 0]], width: 22, height: 16, radius: 2.4 }, { plane: ['p'] }),
      step('t', 'loft', {}, { sections: ['a', 'b'] }),
    );
    expect(r.get('t')?.status).toBe('fine');
    const s = bodyOf(r, 't').faces[0].surface;
    const knots = s.knotsV;
    const [a, z] = [knots[0], knots[knots.length - 1]];
    for (const end of [s.knotsU[0], s.knotsU[s.knotsU.length - 1]]) {
      // the angle about the axis of a convex section only grows or only falls
      const turns = Array.from({ length: 720 }, (_, i) => {
        const at = (k: number) => surfacePoint(s, end, a + ((z - a) * k) / 720);
        const [p, q] = [at(i), at(i + 1)];
        return Math.sign(p[0] * q[1] - p[1] * q[0]);
      });
      expect(new Set(turns).size).toBe(1);
    }
  });
});
