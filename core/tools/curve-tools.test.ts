import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { distance, type Frame, length, type Vec3 } from '../math/index.ts';
import { arcLength, domain, type NurbsCurve, pointAt } from '../nurbs/index.ts';
import { emptyModel, evaluateModel, type Model, type Pick, type Step, type StepResult } from '../recipe/index.ts';
import { bodyOf, codeOf, facePick, factOf, onPlane, run, square, step, volume } from '../testing/run.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

type Results = ReadonlyMap<string, StepResult>;
const curvesOf = (r: Results, id: string, output = 'main'): readonly NurbsCurve[] => {
  const p = r.get(id)?.outputs[output];
  if (p?.kind !== 'curve')
    throw new Error(
      `${id}: ${r.get(id)?.status} ${r
        .get(id)
        ?.diagnostics.map((d) => d.message)
        .join('; ')}`,
    );
  return p.curves;
};
const all = (r: Results, id: string): NurbsCurve[] =>
  Object.values(r.get(id)?.outputs ?? {}).flatMap((p) => (p.kind === 'curve' ? [...p.curves] : []));
const total = (list: readonly NurbsCurve[]) => list.reduce((s, c) => s + arcLength(c), 0);
const frameOf = (r: Results, id: string): Frame => {
  const p = r.get(id)?.outputs.main;
  if (p?.kind !== 'plane') throw new Error(`${id}: ${r.get(id)?.diagnostics[0]?.message}`);
  return p.frame;
};
const worst = (list: readonly NurbsCurve[], f: (p: Vec3) => number) => {
  let m = 0;
  for (const c of list) {
    const [a, b] = domain(c);
    for (let i = 0; i <= 120; i++) m = Math.max(m, Math.abs(f(pointAt(c, a + ((b - a) * i) / 120))));
  }
  return m;
};
const edge = (s: string, name: string, near?: [number, number, number]): Pick => ({
  step: s,
  output: 'main',
  part: { kind: 'edge', name, near },
});
const tube = [step('c', 'circle', { radius: 10 }), step('e', 'extrude', { distance: 40, cap: false }, { profile: ['c'] })];

describe('drawing', () => {
  it('arcs three ways', async () => {
    const r = await run(
      step('three', 'arc', {
        points: [
          [10, 0],
          [0, 10],
          [-10, 0],
        ],
      }),
      step('centre', 'arc', {
        by: 'centre',
        points: [
          [0, 0],
          [5, 0],
          [0, 9],
        ],
      }),
      step('long', 'arc', {
        by: 'centre',
        points: [
          [0, 0],
          [5, 0],
          [0, 9],
        ],
        otherWay: true,
      }),
      step('l', 'polyline', {
        points: [
          [-20, 0],
          [0, 0],
        ],
      }),
      step('on', 'arc', { by: 'tangent', points: [[10, 10]] }, { from: ['l'] }),
      step('line', 'arc', {
        points: [
          [0, 0],
          [1, 1],
          [2, 2],
        ],
      }),
    );
    expect(total(curvesOf(r, 'three'))).toBeCloseTo(10 * Math.PI, 9);
    expect(total(curvesOf(r, 'centre'))).toBeCloseTo(2.5 * Math.PI, 9);
    expect(total(curvesOf(r, 'long'))).toBeCloseTo(7.5 * Math.PI, 9);
    expect(total(curvesOf(r, 'on'))).toBeCloseTo(5 * Math.PI, 9);
    expect(codeOf(r, 'line')).toBe('in-line');
  });
  it('rectangles and polygons: sizes typed or drawn, chosen corners round', async () => {
    const r = await run(
      step('a', 'rectangle', {
        points: [
          [0, 0],
          [30, 20],
        ],
      }),
      step('b', 'rectangle', { by: 'centre', points: [[5, 5]], width: 30, height: 20, radius: 5 }),
      step('one', 'rectangle', {
        points: [
          [0, 0],
          [30, 20],
        ],
        radius: 5,
        corners: [1],
      }),
      step('tilt', 'rectangle', {
        by: 'three',
        points: [
          [0, 0],
          [30, 40],
          [-8, 6],
        ],
      }),
      step('hex', 'polygon', { radius: 10 }),
      step('flats', 'polygon', { radius: 10, size: 'side' }),
      step('star', 'polygon', { shape: 'star', sides: 5, radius: 10, inner: 4, round: 0.3 }),
      step('fat', 'rectangle', {
        points: [
          [0, 0],
          [30, 20],
        ],
        radius: 11,
      }),
    );
    expect(total(curvesOf(r, 'a'))).toBeCloseTo(100, 9);
    expect(total(curvesOf(r, 'b'))).toBeCloseTo(100 - 40 + 10 * Math.PI, 9);
    expect(total(curvesOf(r, 'one'))).toBeCloseTo(100 - 10 + 2.5 * Math.PI, 9);
    const arc = curvesOf(r, 'one').find((c) => c.rational) as NurbsCurve;
    expect(worst([arc], (p) => Math.hypot(p[0] - 5, p[1] - 5) - 5)).toBeLessThan(1e-9);
    expect(total(curvesOf(r, 'tilt'))).toBeCloseTo(2 * (50 + 10), 9);
    expect(total(curvesOf(r, 'hex'))).toBeCloseTo(60, 9);
    expect(total(curvesOf(r, 'flats'))).toBeCloseTo((120 / Math.sqrt(3)) * 1, 9);
    expect(curvesOf(r, 'star').length).toBe(20);
    expect(codeOf(r, 'fat')).toBe('radius');
  });
  it('a rounded rectangle is extruded to a solid of the exact volume', async () => {
    const r = await run(
      step('a', 'rectangle', {
        points: [
          [0, 0],
          [30, 20],
        ],
        radius: 5,
      }),
      step('e', 'extrude', { distance: 10 }, { profile: ['a'] }),
    );
    expect(volume(bodyOf(r, 'e')) / (10 * (600 - (4 - Math.PI) * 25))).toBeCloseTo(1, 6);
  });
});

describe('planes', () => {
  it('all ways from picks', async () => {
    const r = await run(
      ...tube,
      step('across', 'work-plane', { method: 'across', share: 0.25 }, { curve: ['c'] }),
      step('tangent', 'work-plane', { method: 'tangent' }, { face: [facePick('e', 'e:side', [0, -12, 20])] }),
      step('slides', 'work-plane', { method: 'tangent', share: 0.5 }, { face: [facePick('e', 'e:side')], anchor: ['c'] }),
      step('fit', 'work-plane', { method: 'fit' }, { curve: ['c'] }),
      step('up', 'work-plane', { offset: [0, 0, 30] }),
      step('half', 'work-plane', { method: 'between' }, { planes: ['fit', 'up'] }),
      step('l', 'polyline', {
        points: [
          [0, 5],
          [20, 5],
        ],
      }),
      step('line', 'work-plane', { method: 'line', angle: 90 }, { curve: ['l'] }),
      step('par', 'work-plane', { method: 'parallel', base: 'xz', through: [1, 7, 2] }),
      step('view', 'work-plane', { method: 'view', eye: [0, -1, 0], top: [0, 0, 1], centre: [0, 0, 5] }),
      step('none', 'work-plane', { method: 'between' }, { planes: ['up'] }),
      step('bent', 'work-plane', { method: 'line' }, { curve: ['c'] }),
    );
    expect(distance(frameOf(r, 'across').origin, [0, 10, 0])).toBeLessThan(1e-6);
    const t = frameOf(r, 'tangent');
    expect(distance(t.origin, [0, -10, 20])).toBeLessThan(1e-6);
    expect(distance(t.z, [0, -1, 0])).toBeLessThan(1e-9);
    expect(distance(frameOf(r, 'slides').origin, [-10, 0, 0])).toBeLessThan(1e-6);
    expect(factOf(r, 'fit', 'out of flat by')).toBe('0 mm');
    expect(frameOf(r, 'half').origin[2]).toBeCloseTo(15, 9);
    expect(Math.abs(frameOf(r, 'line').z[1])).toBeCloseTo(1, 9);
    expect(frameOf(r, 'par').origin).toEqual([1, 7, 2]);
    expect(frameOf(r, 'view').z).toEqual([0, -1, 0]);
    expect(codeOf(r, 'none')).toBe('two-planes');
    expect(codeOf(r, 'bent')).toBe('not-straight');
  });
});

it('a work plane saved before offsets applied to every kind opens as it was', async () => {
  const old = step('p', 'work-plane', {
    method: 'points',
    a: [1, 2, 3],
    b: [2, 2, 3],
    c: [1, 3, 3],
    offset: [0, 0, 50],
    turns: [30, 0, 0],
  });
  const was = frameOf(await run({ ...old, version: 1 }), 'p');
  expect(was.origin).toEqual([1, 2, 3]);
  expect(was.z[2]).toBeCloseTo(1, 12);
  expect(frameOf(await run({ ...old, version: 2 }), 'p').origin[2]).toBeCloseTo(53, 12);
});

describe('changing curves', () => {
  it('cut by a curve, a plane, at shares; keep the place clicked; ends are told when nothing meets', async () => {
    const r = await run(
      step('l', 'polyline', {
        points: [
          [-20, 0],
          [20, 0],
        ],
      }),
      step('c', 'circle', { radius: 8 }),
      step('in', 'trim-curve', { places: [[1, 0.5, 0]] }, { curve: ['l'], cutters: ['c'] }),
      step('parts', 'trim-curve', { mode: 'split' }, { curve: ['l'], cutters: ['c'] }),
      step('p', 'work-plane', { method: 'parallel', base: 'yz', through: [5, 0, 0] }),
      step('by', 'trim-curve', { mode: 'split' }, { curve: ['l'], cutters: ['p'] }),
      step('far', 'circle', { radius: 3, centre: [[0, 30]] }),
      step('miss', 'trim-curve', {}, { curve: ['l'], cutters: ['far'] }),
      step('arc', 'trim-curve', { at: [0.25, 0.5], places: [[-5.66, 5.66, 0]] }, { curve: ['c'], cutters: [] }),
    );
    expect(total(curvesOf(r, 'in'))).toBeCloseTo(16, 9);
    expect(all(r, 'parts').map((c) => Math.round(1e6 * arcLength(c)) / 1e6)).toEqual([12, 16, 12]);
    expect(all(r, 'by').map((c) => Math.round(1e6 * arcLength(c)) / 1e6)).toEqual([25, 15]);
    expect(codeOf(r, 'miss')).toBe('no-meeting');
    // what is left of a circle is still a circle
    expect(worst(curvesOf(r, 'arc'), (p) => length(p) - 8)).toBeLessThan(1e-9);
    expect(total(curvesOf(r, 'arc'))).toBeCloseTo(4 * Math.PI, 6);
  });
  it('extend by a length, as an arc, up to a plane', async () => {
    const r = await run(
      step('l', 'polyline', {
        points: [
          [0, 0],
          [10, 0],
        ],
      }),
      step('by', 'extend-curve', { how: 'line', by: 7 }, { curve: ['l'] }),
      step('p', 'work-plane', { method: 'parallel', base: 'yz', through: [33, 0, 0] }),
      step('l2', 'polyline', {
        points: [
          [0, 0],
          [10, 0],
        ],
      }),
      step('to', 'extend-curve', { how: 'line' }, { curve: ['l2'], upTo: ['p'] }),
      step('a', 'arc', {
        by: 'centre',
        points: [
          [0, 0],
          [5, 0],
          [0, 9],
        ],
      }),
      step('more', 'extend-curve', { how: 'arc', by: 2.5 * Math.PI }, { curve: ['a'] }),
      step('s', 'spline', {
        points: [
          [0, 0],
          [6, 9],
          [15, -4],
          [24, 2],
        ],
      }),
      step('nat', 'extend-curve', { by: 5 }, { curve: ['s'] }),
    );
    expect(total(curvesOf(r, 'by'))).toBeCloseTo(17, 9);
    expect(total(curvesOf(r, 'to'))).toBeCloseTo(33, 8);
    expect(total(curvesOf(r, 'more'))).toBeCloseTo(5 * Math.PI, 8);
    expect(worst(curvesOf(r, 'more'), (p) => length(p) - 5)).toBeLessThan(1e-8);
    expect(factOf(r, 'nat', 'longer by')).toBe('5 mm');
  });
  it('join, round corners, offset', async () => {
    const r = await run(
      step('a', 'polyline', {
        points: [
          [0, 0],
          [20, 0],
          [20, 10],
        ],
      }),
      step('b', 'polyline', {
        points: [
          [20, 10.004],
          [0, 10],
        ],
      }),
      step('j', 'join-curves', { tolerance: 0.01 }, { curves: ['a', 'b'] }),
      step('q', 'polyline', { points: square(10), closed: true }),
      step('round', 'corners', { radius: 2 }, { chain: ['q'] }),
      step('off', 'offset-curve', { distance: -3 }, { chain: ['round'] }),
      step('two', 'offset-curve', { distance: 1, both: true }, { chain: ['round'] }),
      step('gone', 'offset-curve', { distance: 12 }, { chain: ['round'] }),
      step('line', 'polyline', {
        points: [
          [0, 0],
          [20, 0],
        ],
      }),
      step('no', 'offset-curve', {}, { chain: ['line'] }),
    );
    expect(factOf(r, 'j', 'widest gap')).toBe('0.004 mm');
    expect(r.get('j')?.diagnostics.some((d) => d.code === 'gap-closed')).toBe(true);
    expect(total(curvesOf(r, 'round'))).toBeCloseTo(80 - 16 + 4 * Math.PI, 8);
    const out = total(curvesOf(r, 'off'));
    // to one side or the other: the length changes by exactly a full turn times the distance
    expect(Math.abs(out - (64 + 4 * Math.PI))).toBeCloseTo(6 * Math.PI, 6);
    expect(total(all(r, 'two'))).toBeCloseTo(2 * (64 + 4 * Math.PI), 6);
    expect(['vanished', undefined]).toContain(codeOf(r, 'gone'));
    expect(codeOf(r, 'no')).toBe('straight');
  });
  it('match keeps degree and count, says what is missing, and can make room', async () => {
    const base = [
      step('arc', 'arc', {
        by: 'centre',
        points: [
          [0, 0],
          [10, 0],
          [0, 9],
        ],
      }),
      step('s', 'spline', {
        points: [
          [0, 11],
          [-8, 12],
          [-15, 6],
          [-22, 8],
          [-30, 0],
        ],
        degree: 4,
      }),
      step('few', 'spline', {
        points: [
          [0, 11],
          [-8, 12],
          [-15, 6],
        ],
        degree: 2,
      }),
    ];
    const r = await run(
      ...base,
      step('m', 'match-curve', { grade: '2' }, { curve: ['s'], to: ['arc'] }),
      step('no', 'match-curve', { grade: '2' }, { curve: ['few'], to: ['arc'] }),
    );
    expect(factOf(r, 'm', 'gap')).toBe('0 mm');
    expect(Number(factOf(r, 'm', 'kink')?.replace('°', ''))).toBeLessThan(0.01);
    expect(Number(factOf(r, 'm', 'curvature step')?.replace(' %', ''))).toBeLessThan(1);
    expect(factOf(r, 'm', 'points')).toBe('5');
    expect(r.get('no')?.diagnostics[0].message).toContain('Insert');
    const made = await run(...base, step('room', 'match-curve', { grade: '2', room: true }, { curve: ['few'], to: ['arc'] }));
    expect(Number(factOf(made, 'room', 'curvature step')?.replace(' %', ''))).toBeLessThan(1);
    const plane = await run(
      base[1],
      step('p', 'work-plane', { base: 'yz' }),
      step('half', 'match-curve', { grade: '1', end: 'start' }, { curve: ['s'], to: ['p'] }),
    );
    expect(pointAt(curvesOf(plane, 'half')[0], 0)[0]).toBeCloseTo(0, 12);
  });
  it('edited points stay flat in their plane, whatever is moved', async () => {
    const s = step('s', 'spline', {
      points: [
        [0, 0, 0],
        [6, 9, 4],
        [15, -4, 2],
        [24, 2, 5],
      ],
      flat: false,
    });
    const r = await run(
      s,
      step('p', 'work-plane', { offset: [0, 0, 3] }),
      step('e', 'edit-curve', { shifts: [{ point: 1, to: [6, 12, 20] }], flat: [1, 2] }, { curve: ['s'], plane: ['p'] }),
      step('s2', 'spline', {
        points: [
          [0, 0],
          [6, 9],
          [15, -4],
          [24, 2],
        ],
      }),
      step('k', 'edit-curve', { insert: [0.3, 0.7], raise: 1 }, { curve: ['s2'] }),
      step('bad', 'edit-curve', { flat: [9], axis: 'x' }, { curve: ['s2'] }),
    );
    const c = curvesOf(r, 'e')[0].control;
    expect([c[2], c[6], c[10], c[14]]).toEqual([3, 3, 2, 5]);
    expect(c[5]).toBe(12);
    // degree and knots change the net and not the shape
    expect(total(curvesOf(r, 'k'))).toBeCloseTo(
      total(
        curvesOf(
          await run(
            step('s2', 'spline', {
              points: [
                [0, 0],
                [6, 9],
                [15, -4],
                [24, 2],
              ],
            }),
          ),
          's2',
        ),
      ),
      9,
    );
    expect(factOf(r, 'k', 'points')).toBe('7');
    expect(codeOf(r, 'bad')).toBe('no-point');
  });
});

describe('from skins', () => {
  const badge = (id: string, plane: string) =>
    onPlane(plane, step(id, 'rectangle', { by: 'centre', points: [[0, 0]], width: 8, height: 5, radius: 1 }));
  it('a badge drawn on a tangent plane, projected on the near side, splits the face', async () => {
    const r = await run(
      ...tube,
      step('t', 'work-plane', { method: 'tangent' }, { face: [facePick('e', 'e:side', [0, -10, 20])] }),
      badge('b', 't'),
      step('j', 'project-curve', {}, { curves: ['b'], onto: ['e'] }),
      step('both', 'project-curve', { side: 'both' }, { curves: ['b'], onto: ['e'] }),
      step('cut', 'trim', { mode: 'split', direction: 'y' }, { target: ['e'], cutters: ['j'] }),
    );
    expect(all(r, 'j').length).toBeGreaterThan(3);
    expect(worst(all(r, 'j'), (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
    expect(worst(all(r, 'j'), (p) => (p[1] < 0 ? 0 : 1))).toBe(0);
    expect(total(all(r, 'both'))).toBeCloseTo(2 * total(all(r, 'j')), 4);
    expect(Number(factOf(r, 'j', 'on the skin within')?.replace(' mm', ''))).toBeLessThan(1e-5);
    expect(r.get('cut')?.status).not.toBe('error');
  });
  it('wrapped letters-like outlines keep their lengths on a cylinder; a ball refuses', async () => {
    const ball = [
      step('h', 'arc', {
        points: [
          [0, -10],
          [10, 0],
          [0, 10],
        ],
      }),
      step('axis', 'polyline', {
        points: [
          [0, -20],
          [0, 20],
        ],
      }),
      step('ball', 'revolve', {}, { profile: ['h'], axis: ['axis'] }),
    ];
    const r = await run(
      ...tube,
      step('t', 'work-plane', { method: 'tangent' }, { face: [facePick('e', 'e:side', [0, -10, 20])] }),
      badge('b', 't'),
      step('w', 'wrap-curve', {}, { curves: ['b'], face: [facePick('e', 'e:side')], plane: ['t'] }),
      ...ball,
    );
    expect(total(all(r, 'w'))).toBeCloseTo(total(curvesOf(r, 'b')), 4);
    expect(worst(all(r, 'w'), (p) => Math.hypot(p[0], p[1]) - 10)).toBeLessThan(1e-5);
    const face = Object.values(r.get('ball')?.outputs ?? {})[0];
    if (face?.kind !== 'solid' && face?.kind !== 'skin') throw new Error(r.get('ball')?.diagnostics[0]?.message);
    const refused = await run(
      ...tube.slice(0, 1),
      ...ball,
      step('no', 'wrap-curve', {}, { curves: ['c'], face: [facePick('ball', face.body.faces[0].name)] }),
    );
    expect(refused.get('no')?.diagnostics[0].message).toContain('not developable');
  });
  it('outline of a revolved part as a parting line; intersection with planes; edges and isoparms', async () => {
    const r = await run(
      ...tube,
      step('o', 'outline-curve', { direction: 'x', rims: false }, { skin: ['e'] }),
      step('with', 'outline-curve', { direction: 'x' }, { skin: ['e'] }),
      step('p', 'work-plane', { offset: [0, 0, 5] }),
      step('x', 'intersect-curve', { count: 4, spacing: 10 }, { skin: ['e'], with: ['p'] }),
      step('far', 'work-plane', { offset: [0, 0, 90] }),
      step('none', 'intersect-curve', {}, { skin: ['e'], with: ['far'] }),
      step('rims', 'edge-curve', { what: 'rims' }, { skin: ['e'] }),
      step('iso', 'edge-curve', { what: 'isoparm', direction: 'u', at: 0.25 }, { face: [facePick('e', 'e:side')] }),
      step('one', 'edge-curve', {}, { edges: [edge('e', 'e.side0.v1')] }),
    );
    expect(total(all(r, 'o'))).toBeCloseTo(80, 3);
    expect(total(all(r, 'with'))).toBeCloseTo(80 + 40 * Math.PI, 3);
    expect(Object.keys(r.get('x')?.outputs ?? {}).length).toBe(4);
    expect(total(all(r, 'x'))).toBeCloseTo(80 * Math.PI, 3);
    expect(codeOf(r, 'none')).toBe('no-meeting');
    expect(total(all(r, 'rims'))).toBeCloseTo(40 * Math.PI, 6);
    const iso = total(all(r, 'iso'));
    expect(Math.min(Math.abs(iso - 20 * Math.PI), Math.abs(iso - 40))).toBeLessThan(1e-3);
  });
  it('a spline on a skin follows when the skin changes', async () => {
    const make = (radius: number) =>
      run(
        step('c', 'circle', { radius }),
        step('e', 'extrude', { distance: 40, cap: false }, { profile: ['c'] }),
        step(
          's',
          'skin-curve',
          {
            places: [
              [9, 3, 8],
              [6, 8, 18],
              [-2, 10, 30],
            ],
          },
          { face: [facePick('e', 'e:side')] },
        ),
      );
    for (const radius of [10, 12.5])
      expect(worst(curvesOf(await make(radius), 's'), (p) => Math.hypot(p[0], p[1]) - radius)).toBeLessThan(1e-5);
  });
});

describe('deriving', () => {
  it('bridge, in-between, two views, refit', async () => {
    const r = await run(
      step('a', 'spline', {
        points: [
          [0, 0],
          [6, 9],
          [15, -4],
          [24, 2],
        ],
      }),
      step('b', 'spline', {
        points: [
          [40, 10],
          [48, 0],
          [60, 12],
          [70, 4],
        ],
      }),
      step('br', 'bridge-curve', { first: '2', second: '3' }, { ends: ['a', 'b'] }),
      step('k', 'circle', { radius: 10 }),
      step('p', 'work-plane', { offset: [0, 0, 30] }),
      onPlane('p', step('k2', 'circle', { radius: 20 })),
      step('mid', 'between-curves', { count: 3 }, { curves: ['k', 'k2'] }),
      step('f', 'refit-curve', { points: 9, degree: 5 }, { curve: ['b'] }),
      step('deg', 'refit-curve', { by: 'degree', degree: 1 }, { curve: ['a'] }),
      step('pipe', 'bridge-curve', { kind: 'normals' }, { ends: ['k', 'k2'] }),
    );
    expect(curvesOf(r, 'br')[0].degree).toBe(6);
    expect(Number(factOf(r, 'br', 'kink, first')?.replace('°', ''))).toBeLessThan(1e-4);
    expect(Number(factOf(r, 'br', 'kink, second')?.replace('°', ''))).toBeLessThan(1e-4);
    const rings = Object.values(r.get('mid')?.outputs ?? {});
    expect(rings.length).toBe(3);
    rings.forEach((q, i) => {
      if (q.kind === 'curve') expect(total(q.curves)).toBeCloseTo(2 * Math.PI * (12.5 + 2.5 * i), 2);
    });
    expect(factOf(r, 'f', 'points')).toBe('9');
    expect(factOf(r, 'f', 'largest deviation')).toMatch(/mm/);
    expect(r.get('deg')?.diagnostics[0].message).toContain('polyline');
    expect(total(curvesOf(r, 'pipe'))).toBeCloseTo(30, 6);
  });
  it('a dimensioned profile whose dial goes from 100 to 125: the skin downstream follows', async () => {
    const pt = (id: string, x: number, y: number) => ({ id, x, y });
    const steps: Step[] = [
      step('s', 'sketch', {
        sketch: {
          points: [pt('a', 0, 0), pt('b', 90, 2), pt('c', 88, 31), pt('d', 1, 29)],
          curves: [
            { id: 'ab', type: 'line', a: 'a', b: 'b' },
            { id: 'bc', type: 'line', a: 'b', b: 'c' },
            { id: 'cd', type: 'line', a: 'c', b: 'd' },
            { id: 'da', type: 'line', a: 'd', b: 'a' },
          ],
          rules: [
            { id: '1', type: 'fixed', point: 'a' },
            { id: '2', type: 'horizontal', a: 'a', b: 'b' },
            { id: '3', type: 'vertical', a: 'b', b: 'c' },
            { id: '4', type: 'horizontal', a: 'c', b: 'd' },
            { id: '5', type: 'vertical', a: 'd', b: 'a' },
            { id: '6', type: 'distance', a: 'a', b: 'b', value: 'width' },
            { id: '7', type: 'distance', a: 'b', b: 'c', value: 'width*0.3' },
          ],
        },
      }),
      step('e', 'extrude', { distance: 10 }, { profile: ['s'] }),
    ];
    const model = (width: string): Model => ({ ...emptyModel('m'), dials: [{ name: 'width', formula: width, unit: 'length' }], steps });
    for (const [width, w] of [
      ['100 mm', 100],
      ['125', 125],
    ] as const) {
      const r = (await evaluateModel(model(width), { tools: TOOLS, kernel })).steps;
      expect(r.get('s')?.facts.find((f) => f.label === 'freedoms left')?.value).toBe('0');
      expect(volume(bodyOf(r, 'e')) / (w * w * 0.3 * 10)).toBeCloseTo(1, 9);
    }
    const bad = (await evaluateModel(model('nobody*2'), { tools: TOOLS, kernel })).steps.get('s');
    expect(bad?.diagnostics[0].message).toContain('nobody');
  });
  it('a sketch follows an edge upstream and says when it is gone', async () => {
    const sketch = {
      points: [
        { id: 'a', x: 0, y: 0, follows: { pick: 0, share: 0 } },
        { id: 'b', x: 5, y: 5 },
      ],
      curves: [{ id: 'l', type: 'line', a: 'a', b: 'b' }],
      rules: [{ id: 'r', type: 'distance', a: 'a', b: 'b', value: 7 }],
    };
    const make = (x: number, picked: boolean) =>
      run(
        step('c', 'polyline', {
          points: [
            [x, 0],
            [x, 9],
          ],
        }),
        step('s', 'sketch', { sketch }, { refers: picked ? ['c'] : [] }),
      );
    for (const x of [2, 11]) {
      const [l] = curvesOf(await make(x, true), 's');
      expect(pointAt(l, domain(l)[0])[0]).toBeCloseTo(x, 9);
      expect(arcLength(l)).toBeCloseTo(7, 8);
    }
    expect((await make(2, false)).get('s')?.diagnostics[0].code).toBe('lost-reference');
  });
});
