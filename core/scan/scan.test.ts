import { describe, expect, it } from 'vitest';
import { localKernel as kernel } from '../brep/local.ts';
import { writeStl } from '../exchange/index.ts';
import { angleBetween, distance, type Vec3 } from '../math/index.ts';
import { closestOnSurface } from '../nurbs/index.ts';
import { emptyModel, evaluateModel, type StepResult } from '../recipe/index.ts';
import { bodyOf, factOf, step } from '../testing/run.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { RUNNABLE as TOOLS } from '../tools/evaluations.ts';
import {
  bendTo,
  fitScatter,
  noiseOf,
  recognise,
  regionBorders,
  regionByLoop,
  regionByNormal,
  regionByPaint,
  regionPoints,
  scanMesh,
  surfaceOfShape,
} from './index.ts';

/** Mesh of a parametric sheet of n x m quads, with noise along z. */
function sheet(n: number, m: number, at: (u: number, v: number) => Vec3, noise = 0, seed = 1, closed = false) {
  const rnd = randomFrom(seed);
  const positions: number[] = [];
  const gauss = () => Math.sqrt(-2 * Math.log(rnd() + 1e-12)) * Math.cos(2 * Math.PI * rnd());
  for (let i = 0; i <= n; i++)
    for (let j = 0; j < m + (closed ? 0 : 1); j++) {
      const p = at(i / n, j / m);
      positions.push(p[0] + noise * gauss(), p[1] + noise * gauss(), p[2] + noise * gauss());
    }
  const w = m + (closed ? 0 : 1);
  const indices: number[] = [];
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++) {
      const [a, b, c, d] = [i * w + j, (i + 1) * w + j, (i + 1) * w + ((j + 1) % w), i * w + ((j + 1) % w)];
      indices.push(a, b, c, a, c, d);
    }
  return { positions: Float64Array.from(positions), indices: Uint32Array.from(indices) };
}
const all = (m: { indices: Uint32Array }) => Uint32Array.from({ length: m.indices.length / 3 }, (_, i) => i);
const cloud = (mesh: ReturnType<typeof sheet>) => {
  const s = scanMesh(mesh);
  return regionPoints(s, all(mesh), 4000);
};
const NOISE = 0.02;

describe('what a region is', () => {
  const axis: Vec3 = [0.36, 0.48, 0.8];
  const x: Vec3 = [0.8, -0.6, 0];
  const y: Vec3 = [0.48, 0.64, -0.6];
  const on = (a: number, b: number, c: number): Vec3 => [0, 1, 2].map((k) => 5 + a * x[k] + b * y[k] + c * axis[k]) as unknown as Vec3;
  it.each([
    ['plane', (u: number, v: number) => on(40 * u, 30 * v, 0)],
    [
      'sphere',
      (u: number, v: number) =>
        on(20 * Math.cos(u - 0.5) * Math.cos(2 * v), 20 * Math.cos(u - 0.5) * Math.sin(2 * v), 20 * Math.sin(u - 0.5)),
    ],
    ['cylinder', (u: number, v: number) => on(12 * Math.cos(2.5 * v), 12 * Math.sin(2.5 * v), 40 * u)],
    ['cone', (u: number, v: number) => on((10 + 12 * u) * Math.cos(2 * v), (10 + 12 * u) * Math.sin(2 * v), 30 * u)],
    ['extruded', (u: number, v: number) => on(30 * v, 6 * Math.sin(4 * v), 40 * u)],
    [
      'revolved',
      (u: number, v: number) => on((15 + 4 * Math.sin(3 * u)) * Math.cos(2.4 * v), (15 + 4 * Math.sin(3 * u)) * Math.sin(2.4 * v), 40 * u),
    ],
  ] as const)('%s, with noise of 0.02 mm', (kind, at) => {
    const mesh = sheet(50, 50, at, NOISE, 7);
    const { points, normals } = cloud(mesh);
    const s = recognise(points, normals, 0.1);
    expect(s?.kind).toBe(kind);
    if (!s) return;
    if (s.kind === 'sphere') {
      expect(s.radius).toBeCloseTo(20, 1);
      expect(distance(s.centre, [5, 5, 5])).toBeLessThan(0.03);
    }
    if (s.kind === 'cylinder') expect(s.radius).toBeCloseTo(12, 1);
    if (s.kind === 'cone') expect(Math.tan(s.angle)).toBeCloseTo(0.4, 2);
    if (s.kind === 'cylinder' || s.kind === 'cone' || s.kind === 'revolved') {
      const lean = angleBetween(s.axis, axis);
      expect(Math.min(lean, Math.PI - lean)).toBeLessThan(s.kind === 'revolved' ? 0.01 : 0.003);
    }
    const surface = surfaceOfShape(s, points, { margin: 0, profile: 10 });
    // the true places, without noise, lie on what was made
    for (let i = 1; i < 10; i++)
      for (let j = 1; j < 10; j++) expect(closestOnSurface(surface, at(i / 10, j / 10)).distance).toBeLessThan(0.09);
  });
  it('a free form is none of them', () => {
    const mesh = sheet(40, 40, (u, v) => [40 * u, 40 * v, 5 * Math.sin(5 * u) * Math.cos(4 * v)], 0);
    const { points, normals } = cloud(mesh);
    expect(recognise(points, normals, 0.1)).toBeUndefined();
  });
});

describe('regions', () => {
  // two planes with a rounded edge of 3 mm between them
  const bent = sheet(120, 30, (u, v) => {
    const s = 60 * u;
    const y = 30 * v;
    if (s < 25) return [s, y, 0];
    const a = Math.min(1, (s - 25) / (3 * 1.2)) * 1.2;
    const [cx, cz] = [25 + 3 * Math.sin(a), 3 - 3 * Math.cos(a)];
    const rest = Math.max(0, s - 25 - 3.6);
    return [cx + rest * Math.cos(1.2), y, cz + rest * Math.sin(1.2)];
  });
  it('by smoothness: one plane alone at a small angle, everything at a large one', () => {
    const m = scanMesh(bent);
    const part = regionByNormal(m, [[10, 15, 0]], 2);
    const points = regionPoints(m, part).points;
    expect(Math.max(...points.map((p) => p[2]))).toBeLessThan(0.2);
    expect(points.length).toBeGreaterThan(1000);
    expect(regionByNormal(m, [[10, 15, 0]], 40).length).toBe(bent.indices.length / 3);
  });
  it('by paint: within the brush; by loop: inside it', () => {
    const m = scanMesh(bent);
    const painted = regionByPaint(m, [[10, 15, 0]], 6);
    for (const p of regionPoints(m, painted).points) expect(distance(p, [10, 15, 0])).toBeLessThan(7.5);
    const loop: Vec3[] = Array.from({ length: 40 }, (_, i) => [12 + 8 * Math.cos(i / 6.366), 15 + 8 * Math.sin(i / 6.366), 20]);
    const inside = regionByLoop(m, loop, { origin: [12, 15, 20], x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] });
    const area = inside.length * 0.5 * 0.5;
    expect(area / (Math.PI * 64)).toBeGreaterThan(0.9);
    expect(regionBorders(m, inside).length).toBe(1);
  });
  it('the noise told is the noise put in, within a third', () => {
    for (const noise of [0.01, 0.05]) {
      const mesh = sheet(80, 80, (u, v) => [60 * u, 60 * v, 3 * Math.sin(3 * u)], noise, 5);
      const told = noiseOf(scanMesh(mesh), all(mesh));
      expect(told / noise).toBeGreaterThan(0.6);
      expect(told / noise).toBeLessThan(1.4);
    }
  });
  it('a million triangles: neighbours and a region in some seconds', () => {
    const mesh = sheet(707, 707, (u, v) => [100 * u, 100 * v, 4 * Math.sin(6 * u) * Math.sin(5 * v)]);
    const start = process.cpuUsage();
    const m = scanMesh(mesh);
    const region = regionByNormal(m, [[50, 50, 0]], 20);
    const used = process.cpuUsage(start);
    expect(region.length).toBe(mesh.indices.length / 3);
    expect((used.user + used.system) / 1e6).toBeLessThan(30);
  }, 60_000);
});

describe('splines near a scan', () => {
  const wave = (u: number, v: number): Vec3 => [60 * u, 50 * v, 4 * Math.sin(4 * u) * Math.cos(3 * v)];
  it('come within the tolerance with few points, and the noise is evened out', () => {
    const mesh = sheet(60, 60, wave, NOISE, 3);
    const { points, normals } = cloud(mesh);
    const fit = fitScatter(points, normals, { degree: 3, countU: 9, countV: 9, calm: 1e-6, margin: 0 });
    let worst = 0;
    for (let i = 1; i < 20; i++)
      for (let j = 1; j < 20; j++) worst = Math.max(worst, closestOnSurface(fit.surface, wave(i / 20, j / 20)).distance);
    expect(worst).toBeLessThan(0.03);
  });
  it('a surface with given borders is bent to the points inside, borders untouched', () => {
    const mesh = sheet(40, 40, (u, v) => [60 * u, 50 * v, 20 * u * (1 - u) * v * (1 - v) * 4]);
    const { points } = cloud(mesh);
    const base = surfaceOfShape(
      { kind: 'plane', origin: [0, 0, 0], normal: [0, 0, 1], rms: 0, worst: 0 },
      [
        [0, 0, 0],
        [60, 0, 0],
        [60, 50, 0],
        [0, 50, 0.0001],
      ],
      { margin: 0, profile: 4 },
    );
    const s = bendTo(base, points, { countU: 10, countV: 10, calm: 1e-8 });
    let worst = 0;
    for (const p of points) worst = Math.max(worst, closestOnSurface(s, p).distance);
    expect(worst).toBeLessThan(0.05);
  });
});

describe('the tool', () => {
  const over = async (mesh: ReturnType<typeof sheet>, params: Record<string, unknown>): Promise<ReadonlyMap<string, StepResult>> => {
    const data = writeStl([{ positions: mesh.positions, indices: mesh.indices } as never], 'scan');
    const steps = [step('i', 'import', { file: 'scan' }), step('s', 'scan-skin', params, { scan: ['i'] })];
    const tool = [...TOOLS.values()].find((t) => t.id === 'import-file' || t.id === 'import');
    steps[0] = { ...steps[0], tool: tool?.id ?? 'import' };
    return (await evaluateModel({ ...emptyModel('m'), steps }, { tools: TOOLS, kernel, asset: async () => ({ name: 'scan.stl', data }) }))
      .steps;
  };
  it('clicked on a cylinder: a cylinder, told with its radius and distances', async () => {
    const mesh = sheet(60, 60, (u, v) => [12 * Math.cos(3 * v), 12 * Math.sin(3 * v), 40 * u], 0.01, 4);
    const r = await over(mesh, { points: [[12, 0, 20]], angle: 20 });
    expect(r.get('s')?.status).toMatch(/fine|warning/);
    expect(factOf(r, 's', 'recognised')).toBe('a cylinder');
    expect(Number.parseFloat(factOf(r, 's', 'radius') ?? '')).toBeCloseTo(12, 1);
    expect(bodyOf(r, 's').faces.length).toBe(1);
  });
  it('a free region: a light spline within 0.1 mm; nothing clicked asks for a click', async () => {
    const mesh = sheet(60, 60, (u, v) => [60 * u, 50 * v, 4 * Math.sin(4 * u) * Math.cos(3 * v)], 0.01, 4);
    const r = await over(mesh, { points: [[30, 25, 4 * Math.sin(2) * Math.cos(1.5)]], angle: 30 });
    const off = r.get('s')?.facts.find((f) => f.label === 'largest distance')?.number ?? 9;
    expect(off).toBeLessThan(0.1);
    const s = bodyOf(r, 's').faces[0].surface;
    expect(s.countU * s.countV).toBeLessThan(200);
    const none = await over(mesh, {});
    expect(none.get('s')?.diagnostics[0].code).toBe('no-place');
  });
});
