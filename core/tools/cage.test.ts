import { describe, expect, it } from 'vitest';
import { massProperties } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { type Cage, type Operation, polesOf, refineAll } from '../cage/index.ts';
import { deliver, readStep } from '../exchange/index.ts';
import { findDefects, measureSeams } from '../proof/index.ts';
import { emptyModel, evaluateModel, partLabel, type Step, type StepResult } from '../recipe/index.ts';
import { step } from '../testing/run.ts';
import { RUNNABLE as TOOLS } from './evaluations.ts';

const run = async (steps: Step[], dials: { name: string; formula: string }[] = []) =>
  (await evaluateModel({ ...emptyModel('cage'), dials: dials as never, steps }, { tools: TOOLS, kernel, limit: 60_000 })).steps;
const cageOf = (r: StepResult | undefined): Cage => {
  const p = r?.outputs.main;
  if (p?.kind !== 'cage') throw new Error(r?.diagnostics[0]?.message ?? 'no cage');
  return p.cage;
};
const fact = (r: StepResult | undefined, label: string) => r?.facts.find((f) => f.label === label);

/** A can of eight sides and four rows, its ends filled by single faces, faces of three, five, six and seven corners in its side, its upper rim creased. */
const many: Operation[] = [
  { id: 'k1', op: 'fill', edge: 'v 0 0~v 1/8 0' },
  { id: 'k2', op: 'fill', edge: 'v 0 1~v 1/8 1' },
  // two quads and then three become one face each; corners are cut off both
  { id: 'k3', op: 'dissolve-edges', edges: ['v 1/8 1/2~v 1/8 1/4'], heal: false },
  { id: 'k4', op: 'connect', vertices: ['v 0 1/4', 'v 1/8 1/2'] },
  { id: 'k5', op: 'dissolve-edges', edges: ['v 1/2 1/2~v 1/2 3/4', 'v 5/8 1/2~v 5/8 3/4'], heal: false },
  { id: 'k6', op: 'connect', vertices: ['v 3/8 3/4', 'v 1/2 1/2'] },
  { id: 'k7', op: 'dissolve-edges', edges: ['v 3/4 1/2~v 3/4 1/4'].map((e) => e.split('~').sort().join('~')), heal: false },
  {
    id: 'k8',
    op: 'crease',
    edges: ['0', '1/8', '1/4', '3/8', '1/2', '5/8', '3/4', '7/8'].map((a, i, l) => [`v ${a} 1`, `v ${l[(i + 1) % 8]} 1`].sort().join('~')),
    sharpness: 11,
  },
];
const manySteps = (): Step[] => [
  step('c', 'cage-start', { shape: 'cylinder', radius: 30, height: 60, segments: 8, up: 4, caps: false }),
  step('e', 'cage-edit', { operations: many }, { cage: ['c'] }),
  step('n', 'cage-skin', { closer: 0 }, { cage: ['e'] }),
];

describe('a cage with poles of every valence from 3 to 8 and a creased rim', () => {
  it('closes to a solid whose smooth seams meet within 0.01 degrees; STEP comes back the same', async () => {
    const r = await run(manySteps());
    expect([...r.values()].map((s) => [s.status, s.diagnostics.filter((d) => d.severity !== 'note').map((d) => d.message)])).toEqual([
      ['fine', []],
      ['fine', []],
      ['fine', []],
    ]);
    // once refined, the middle of a face of n corners is a pole of n edges
    const level = refineAll(cageOf(r.get('e')), 'l', 1e6);
    if (!level.ok) throw new Error(level.message);
    const valences = new Set(polesOf(level.cage, 'print').map((p) => p.valence));
    for (const n of [3, 5, 6, 7, 8]) expect([n, valences.has(n)]).toEqual([n, true]);
    const solid = r.get('n')?.outputs.main;
    if (solid?.kind !== 'solid') throw new Error('no solid');
    expect(findDefects(solid.body, 1e-6)).toEqual([]);
    const seams = measureSeams(solid.body);
    expect(Math.max(...seams.map((s) => s.gap))).toBeLessThan(1e-9);
    const rim = seams.filter((s) => s.kink > 20);
    expect(rim.length).toBeGreaterThanOrEqual(8);
    expect(Math.max(...seams.filter((s) => s.kink <= 20).map((s) => s.kink))).toBeLessThan(0.01);
    expect(fact(r.get('n'), 'steps of refinement')?.number).toBe(2);
    // faces have names that people can tell apart and say
    const model = { ...emptyModel('cage'), steps: manySteps() };
    const told = solid.body.faces.map((f) => partLabel(f.name, 'face', model, TOOLS));
    expect(told.every((x) => /^To NURBS (face \d{4}|[a-z ]+)$/.test(x))).toBe(true);
    expect(new Set(told).size).toBeGreaterThan(0.95 * told.length);
    expect(fact(r.get('n'), 'kink over smooth seams')?.number).toBeLessThan(0.01);
    expect(fact(r.get('n'), 'off the smooth surface')?.number).toBeLessThan(0.02);
    const made = await deliver(
      [{ name: 'many', body: solid.body }],
      { format: 'step', stem: 'many', schema: 'AP242', unit: 'MM', chord: 0.1, apart: false },
      kernel,
      {},
    );
    if (!made.ok) throw new Error(made.message);
    const back = await readStep(made.files[0].data, kernel, 'many', {});
    if (!back.ok) throw new Error(back.message);
    expect(back.parts[0].body.faces.length).toBe(solid.body.faces.length);
    expect(back.parts[0].body.solids.length).toBe(1);
    expect(massProperties(back.parts[0].body).volume / massProperties(solid.body).volume).toBeCloseTo(1, 7);
  });
});

describe('the cage tools', () => {
  it('sizes of the smooth surface: a ball of radius 20 has its vertices’ limits at 20', async () => {
    const r = await run([
      step('c', 'cage-start', { shape: 'ball', radius: 20, quarter: 3, sizes: 'smooth' }),
      step('m', 'cage-mesh', { steps: 1 }, { cage: ['c'] }),
    ]);
    const mesh = r.get('m')?.outputs.main;
    if (mesh?.kind !== 'scan') throw new Error('no mesh');
    const c = cageOf(r.get('c'));
    for (let v = 0; v < c.shape.vertices; v++) expect(Math.hypot(...mesh.mesh.positions.slice(3 * v, 3 * v + 3))).toBeCloseTo(20, 6);
  });
  it('numbers of operations hang on dials; a lost element and a refused operation are told with their place, the rest is done', async () => {
    const operations = [
      { id: 'k1', op: 'extrude-faces', faces: ['f z1 0 0 of 2 2'], by: 'lift' },
      { id: 'k2', op: 'move', vertices: ['gone', 'v 0 0 0'], by: [0, 0, '-lift/2'] },
      { id: 'k3', op: 'fill', edge: 'v 0 0 0~v 0 0 1/2' },
    ];
    const steps = [step('c', 'cage-start', { width: 4, depth: 4, height: 4 }), step('e', 'cage-edit', { operations }, { cage: ['c'] })];
    const r = await run(steps, [{ name: 'lift', formula: '3 mm' }]);
    const c = cageOf(r.get('e'));
    expect(c.points[3 * c.vertexNames.indexOf('k1(v 0 0 1)') + 2]).toBeCloseTo(7, 12);
    expect(c.points[3 * c.vertexNames.indexOf('v 0 0 0') + 2]).toBeCloseTo(-1.5, 12);
    expect(r.get('e')?.status).toBe('warning');
    expect(
      r
        .get('e')
        ?.diagnostics.filter((d) => d.severity === 'warning')
        .map((d) => d.message),
    ).toEqual([
      'Operation 2, move: 1 of 2 elements are not there any more, "gone" among them: it acts on the rest',
      'Operation 3, fill: Only a border can be filled: pick one of its edges',
    ]);
    const bad = await run(steps);
    expect(bad.get('e')?.diagnostics[0].message).toMatch(/Operations, 1 extrude faces: .*lift/);
  });
  it('a mirror: the half behind a plane is left out, both sides are done alike, the seam lies in the plane exactly', async () => {
    const r = await run([
      step('c', 'cage-start', { width: 40, across: 4 }),
      step('p', 'work-plane', { base: 'yz' }),
      step(
        'e',
        'cage-edit',
        { operations: [{ id: 'k1', op: 'extrude-faces', faces: ['f z1 3/4 0 of 4 2'], by: 6 }] },
        { cage: ['c'], mirror: ['p'] },
      ),
    ]);
    expect(r.get('e')?.diagnostics).toEqual([]);
    const c = cageOf(r.get('e'));
    expect(c.vertexNames.filter((n) => n.endsWith('*')).length).toBe(c.vertexNames.length / 2 - 4);
    const names = new Map(c.vertexNames.map((n, i) => [n, i]));
    for (const [n, i] of names) {
      const j = names.get(`${n}*`);
      if (j !== undefined) expect(c.points[3 * i] + c.points[3 * j]).toBeCloseTo(0, 12);
      else if (!n.endsWith('*')) expect(c.points[3 * i]).toBe(0);
    }
  });
  it('a skin becomes a cage whose smooth surface runs through it; laid onto it again it stays', async () => {
    const r = await run([
      step('a', 'circle', { radius: 20 }),
      step('p', 'work-plane', { offset: [0, 0, 40] }),
      { ...step('b', 'circle', { radius: 12 }), inputs: { plane: [{ step: 'p', output: 'main' }] } },
      step('l', 'loft', { cap: false }, { sections: ['a', 'b'] }),
      step('c', 'cage-from', { along: 4, across: 16 }, { of: ['l'] }),
      step('f', 'cage-fit', { tolerance: 0.05 }, { cage: ['c'], onto: ['l'] }),
    ]);
    expect([...r].map(([id, s]) => [id, s.status, s.diagnostics.map((d) => d.message)])).toEqual(
      ['a', 'p', 'b', 'l', 'c', 'f'].map((id) => [id, 'fine', []]),
    );
    expect(fact(r.get('f'), 'off at most')?.number).toBeLessThan(0.05);
    expect(fact(r.get('c'), 'faces')?.number).toBe(64);
  });
  it('lines drawn on a scan become rows of quads that lie on it; bent in a lattice the cage has the same faces', async () => {
    const r = await run([
      step('c', 'cage-start', { shape: 'torus', radius: 30, tube: 10, segments: 16, tubeSegments: 10 }),
      step('m', 'cage-mesh', { steps: 3 }, { cage: ['c'] }),
      step(
        'l1',
        'scan-line',
        {
          points: [
            [30, -12, 9],
            [31, 0, 9],
            [30, 12, 9],
          ],
        },
        { onto: ['m'] },
      ),
      step(
        'l2',
        'scan-line',
        {
          points: [
            [38, -12, 0],
            [40, 0, 0],
            [38, 12, 0],
          ],
        },
        { onto: ['m'] },
      ),
      step('q', 'cage-rows', { along: 6, between: 2 }, { lines: ['l1', 'l2'], onto: ['m'] }),
      step('f', 'cage-fit', { tolerance: 0.15, hold: false }, { cage: ['q'], onto: ['m'] }),
      step('x', 'lattice', { shifts: [{ point: [1, 1, 2], to: [45, 14, 20] }] }, { pieces: ['f'] }),
    ]);
    expect([...r].map(([id, s]) => [id, s.status])).toEqual(['c', 'm', 'l1', 'l2', 'q', 'f', 'x'].map((id) => [id, 'fine']));
    const [q, x] = [cageOf(r.get('q')), cageOf(r.get('x'))];
    expect(q.shape.faces).toBe(18);
    expect(x.shape.faces).toBe(18);
    // rows lie on the tube: as far from its middle line as its mesh is
    for (let v = 0; v < q.shape.vertices; v++) {
      const [a, b, z] = q.points.slice(3 * v, 3 * v + 3);
      const d = Math.hypot(Math.hypot(a, b) - 30, z);
      expect(d).toBeGreaterThan(7.5);
      expect(d).toBeLessThan(10);
    }
  });
  it('a run of quads joins the cage it comes to; two cages of the same faces have one between', async () => {
    const r = await run([
      step('a', 'pave', {
        points: [
          [0, 0],
          [10, 0],
          [20, 0],
        ],
        width: 6,
      }),
      step(
        'b',
        'pave',
        {
          points: [
            [20, 0],
            [30, 4],
          ],
          width: 6,
          within: 2,
        },
        { joins: ['a'] },
      ),
      step('m', 'move', { by: [0, 0, 10] }, { pieces: ['b'] }),
      step(
        'far',
        'pave',
        {
          points: [
            [200, 0],
            [230, 4],
          ],
        },
        { joins: ['m'] },
      ),
    ]);
    expect(cageOf(r.get('b')).shape.faces).toBe(3);
    expect(cageOf(r.get('b')).shape.vertices).toBe(8);
    expect(r.get('far')?.diagnostics[0].message).toMatch(/meets no border/);
    const between = await run([
      step('a', 'cage-start', { shape: 'grid', width: 10, depth: 10 }),
      step('b', 'cage-start', { shape: 'grid', width: 20, depth: 10, centre: [[0, 0, 8]] }),
      step('t', 'between-skins', { at: 0.25 }, { skins: ['a', 'b'] }),
      step('u', 'cage-start', { shape: 'box' }),
      step('w', 'between-skins', {}, { skins: ['a', 'u'] }),
    ]);
    const t = cageOf(between.get('t'));
    expect([...t.points.slice(0, 3)]).toEqual([-6.25, -5, 2]);
    expect(between.get('w')?.diagnostics[0].message).toMatch(/not alike/);
  });
  it('goes out as OBJ with its polygons and creases and comes in as the same cage; as STL it is the smooth surface', async () => {
    const steps = [...manySteps().slice(0, 2), step('x', 'export', { format: 'obj', name: 'many' }, { pieces: ['e'] })];
    const made = await evaluateModel({ ...emptyModel('cage'), steps }, { tools: TOOLS, kernel, files: new Set(['x']) });
    const [file] = made.steps.get('x')?.files ?? [];
    expect(file?.name).toBe('many.obj');
    const back = await evaluateModel(
      { ...emptyModel('cage'), steps: [step('i', 'import', { file: 'a', polygons: 'cage' })].map((s) => ({ ...s, version: 2 })) },
      { tools: TOOLS, kernel, asset: async () => ({ name: 'many.obj', data: file.data }) },
    );
    const [a, b] = [cageOf(made.steps.get('e')), cageOf(back.steps.get('i'))];
    expect([...b.points]).toEqual([...a.points]);
    expect([b.shape.faces, b.sharpness.filter((x) => x > 0).length]).toEqual([a.shape.faces, 8]);
    const stl = await evaluateModel(
      { ...emptyModel('cage'), steps: steps.map((s) => (s.id === 'x' ? { ...s, params: { ...s.params, format: 'stl' } } : s)) },
      { tools: TOOLS, kernel, files: new Set(['x']) },
    );
    expect(stl.steps.get('x')?.diagnostics).toEqual([]);
    expect(stl.steps.get('x')?.files[0].name).toBe('many.stl');
  });
});
