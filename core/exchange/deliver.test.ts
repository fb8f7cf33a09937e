import { describe, expect, it } from 'vitest';
import { type Body, bodyBox, massProperties, subBody, transformBody } from '../brep/index.ts';
import { localKernel as kernel } from '../brep/local.ts';
import { boxSize, translation, WORLD } from '../math/index.ts';
import { circleCurve } from '../nurbs/index.ts';
import { otherSurfaces, otherTriangles } from '../testing/independent.ts';
import { seeded } from '../testing/mutate.ts';
import { ball, block, placed, ringBody } from '../testing/random-bodies.ts';
import { randomParts } from '../testing/random-parts.ts';
import { deliver, differences, type OutPart, readIges, readScan, readStep, SPACE_FORMATS, type SpaceFormat, UNIT_MM } from './index.ts';

const MESHES = SPACE_FORMATS.filter((f) => f !== 'step' && f !== 'iges');
const moved = (b: Body, seed: number): Body => placed(b, seeded(seed), 60);
/** A block in two groups, a ring with a coloured piece, and an open skin: 8 a b c and 2 pi² R r² mm³ by their closed forms. */
const parts = (): OutPart[] => [
  { name: 'Block "<&>"', path: ['Outside', 'Fein'], colour: '#ff8000', body: moved(block(10, 6, 4), 1) },
  { name: 'Ring', path: ['Outside'], body: moved(ringBody(15, 4), 2) },
  { name: 'Skin', colour: '#2f6b4f', body: subBody(block(5, 4, 3), [0, 1, 2]) },
];
const volumes = { block: 8 * 10 * 6 * 4, ring: 2 * Math.PI ** 2 * 15 * 16 };
const write = async (list: readonly OutPart[], format: SpaceFormat, more: object = {}) => {
  const r = await deliver(list, { format, stem: 'part', ...more }, kernel);
  if (!r.ok) throw new Error(r.message);
  return r.files;
};

describe('files of surfaces', () => {
  it.each([
    ['step', 'AP214', 'INCH'],
    ['step', 'AP242', 'M'],
    ['iges', undefined, 'MM'],
    ['iges', undefined, 'INCH'],
  ] as const)(
    '%s %s in %s: names, groups, colours, volumes by closed forms; another library reads the same',
    async (format, schema, unit) => {
      const [file] = await write(parts(), format, { schema, unit });
      const read = format === 'step' ? await readStep(file.data, kernel) : await readIges(file.data, kernel);
      if (!read.ok) throw new Error(read.message);
      const names = read.parts.map((p) => p.name).sort();
      expect(names).toEqual(['Outside / Fein / Block "<&>"', 'Outside / Ring', 'Skin']);
      const by = (n: string) => read.parts.find((p) => p.name.includes(n))?.body as Body;
      expect(Math.abs(massProperties(by('Block')).volume / volumes.block - 1)).toBeLessThan(1e-9);
      expect(Math.abs(massProperties(by('Ring')).volume / volumes.ring - 1)).toBeLessThan(1e-9);
      expect(by('Block').faces.every((f) => f.colour === '#ff8000')).toBe(true);
      expect(by('Skin').faces.every((f) => f.colour === '#2f6b4f')).toBe(true);
      expect(by('Ring').faces.every((f) => f.colour === undefined)).toBe(true);
      // what it calls groups differs, what they hold does not
      const other = await otherSurfaces(file.data, format, 0.02);
      const sum = (list: readonly { volume: number; area: number }[], get: 'area' | 'volume') => list.reduce((s, p) => s + p[get], 0);
      const [skin, grouped] = [other.filter((p) => p.name.includes('Skin')), other.filter((p) => p.name.includes('Outside'))];
      expect(Math.abs(sum(skin, 'area') / massProperties(by('Skin')).area - 1)).toBeLessThan(1e-5);
      expect(Math.abs(sum(grouped, 'volume') / (volumes.block + volumes.ring) - 1)).toBeLessThan(1e-2);
      // it tells colours as shares of light
      if (format === 'step') expect(other.find((p) => p.name.includes('Fein'))?.colour).toBe('#ff3700');
    },
  );
  it('IGES takes curves along, alone or beside skins, by their names', async () => {
    const circle: OutPart = { name: 'rim', path: ['Outside'], curves: [circleCurve(WORLD, 9)] };
    const [alone] = await write([circle], 'iges');
    expect(alone.compared).toEqual([expect.objectContaining({ what: 'length of curves', model: expect.closeTo(18 * Math.PI, 9) })]);
    const [both] = await write([circle, ...parts()], 'iges', { unit: 'M' });
    const r = await readIges(both.data, kernel);
    expect(r.ok && r.curves.map((c) => c.name)).toEqual(['Outside / rim']);
    const refused = await deliver([circle], { format: 'step', stem: 'x' }, kernel);
    expect(refused).toMatchObject({ ok: false, message: expect.stringContaining('export it as IGES, SVG or DXF') });
  });
  it('a hollow solid comes back as one solid with its void', async () => {
    const body = hollow();
    for (const format of ['step', 'iges'] as const) {
      const [file] = await write([{ name: 'hollow', body }], format);
      const read = format === 'step' ? await readStep(file.data, kernel) : await readIges(file.data, kernel);
      if (!read.ok) throw new Error(read.message);
      expect(read.parts.map((p) => p.body.solids.map((s) => s.length))).toEqual([[2]]);
      expect(Math.abs(massProperties(read.parts[0].body).volume / ((4 / 3) * Math.PI * (1000 - 343)) - 1)).toBeLessThan(1e-8);
    }
  });
});
/** A ball in a ball, its void turned inside out. */
function hollow(): Body {
  const [a, b] = [ball(10), ball(7)];
  const whole = { ...a };
  const shift = { v: a.vertices.length, e: a.edges.length, f: a.faces.length };
  return {
    vertices: [...whole.vertices, ...b.vertices],
    edges: [...whole.edges, ...b.edges.map((e) => ({ ...e, start: e.start + shift.v, end: e.end + shift.v }))],
    faces: [
      ...whole.faces,
      ...b.faces.map((f) => ({ ...f, reversed: !f.reversed, loops: f.loops.map((l) => l.map((u) => ({ ...u, edge: u.edge + shift.e }))) })),
    ],
    shells: [
      { faces: a.faces.map((_, i) => i), closed: true },
      { faces: b.faces.map((_, i) => i + shift.f), closed: true },
    ],
    solids: [[0, 1]],
  };
}

describe('files of triangles', () => {
  it.each(MESHES)('%s: parts, volumes and colours; another library reads the same', async (format) => {
    const unit = format === 'gltf' ? 'M' : 'INCH';
    const [file] = await write(parts(), format, { unit, chord: 0.005 });
    const other = await otherTriangles(file.name, file.data, UNIT_MM[unit], file.companions);
    const triangles = file.compared.find((c) => c.what === 'triangles')?.file ?? 0;
    expect(other.reduce((s, p) => s + p.triangles, 0)).toBe(triangles);
    const exact = parts().reduce((s, p) => s + massProperties(p.body as Body).area, 0);
    expect(Math.abs(other.reduce((s, p) => s + p.area, 0) / exact - 1)).toBeLessThan(1e-3);
    const back = await readScan(file.data, file.name);
    if (!back.ok) throw new Error(back.message);
    if (format === '3mf' || format === 'gltf' || format === 'obj')
      expect(back.parts.map((p) => p.name).sort()).toEqual(['Outside / Fein / Block "<&>"', 'Outside / Ring', 'Skin']);
    if (format === '3mf' || format === 'gltf' || format === 'obj') {
      const block = other.find((p) => Math.abs(p.volume / volumes.block - 1) < 1e-4);
      // shares of light, not of a screen
      expect(block?.colour).toBe(format === 'gltf' ? '#ff3700' : '#ff8000');
    }
  });
  it('a scan goes out as it came: the same corners to the last bit where the format has room, the same triangles', async () => {
    const text = 'solid a\n'.concat(
      [0, 1, 2, 3]
        .map(
          (k) =>
            `facet normal 0 0 0\nouter loop\nvertex 0.1 ${k} 0\nvertex 1.3333 ${k} 0\nvertex 0.1 ${k + 0.7} 0.017\nendloop\nendfacet\n`,
        )
        .join(''),
      'endsolid a\n',
    );
    const scan = await readScan(new TextEncoder().encode(text), 'a.stl');
    if (!scan.ok) throw new Error(scan.message);
    const { mesh } = scan.parts[0];
    for (const format of MESHES) {
      const [file] = await write([{ name: 'scan', mesh }], format);
      const back = await readScan(file.data, file.name);
      if (!back.ok) throw new Error(back.message);
      const now = back.parts[0].mesh;
      expect(now.indices.length).toBe(mesh.indices.length);
      const off = Math.max(...now.positions.map((x, i) => Math.abs(x - mesh.positions[i])));
      expect(off).toBeLessThanOrEqual(format === 'stl' ? 2 ** -22 : format === 'gltf' ? 1e-6 : 0);
    }
    expect(await deliver([{ name: 'scan', mesh }], { format: 'step', stem: 'x' }, kernel)).toMatchObject({
      ok: false,
      message: expect.stringContaining('has no surfaces'),
    });
  });
  it('a piece a few micrometres beside the origin keeps its place in glTF', async () => {
    const [file] = await write(
      [{ name: 'grain', body: transformBody(block(0.01, 0.02, 0.01), translation([0.0003, 0.0001, -0.0002])) }],
      'gltf',
      {
        chord: 0.01,
      },
    );
    const back = await readScan(file.data, file.name);
    if (!back.ok) throw new Error(back.message);
    const { positions } = back.parts[0].mesh;
    expect(Math.max(...positions.filter((_, i) => i % 3 === 0))).toBeCloseTo(0.0103, 8);
    expect(Math.min(...positions.filter((_, i) => i % 3 === 0))).toBeCloseTo(-0.0097, 8);
  });
  it('a file for each piece, with names that files can have', async () => {
    const files = await write([...parts(), { ...parts()[2] }], '3mf', { apart: true });
    expect(files.map((f) => f.name)).toEqual(['part Block &.3mf', 'part Ring.3mf', 'part Skin.3mf', 'part Skin 2.3mf']);
  });
  it('too fine a chord is refused before it is meshed, with one that can be had', async () => {
    const start = performance.now();
    const r = await deliver([{ name: 'b', body: ball(5000) }], { format: 'stl', stem: 'x', chord: 1e-4 }, kernel);
    expect(r).toMatchObject({ ok: false, message: expect.stringMatching(/takes about .* million triangles.* or more/) });
    expect(performance.now() - start).toBeLessThan(5000);
  });
});

it('a difference beyond its limit is told, and a number that is none is one', () => {
  const row = { what: 'area', unit: 'mm²', model: 10, limit: 1e-6 };
  expect(differences([{ ...row, file: 10 + 1e-7 }])).toEqual([]);
  expect(differences([{ ...row, file: 10.1 }])).toEqual(['area 10.1 instead of 10 mm²']);
  expect(differences([{ ...row, file: Number.NaN }]).length).toBe(1);
});
it('random pieces through every format', async () => {
  for (const seed of [2, 3, 9, 13]) {
    const list = await randomParts(seed);
    const size = Math.max(...list.map((p) => boxSize(bodyBox(p.body as Body))));
    for (const format of SPACE_FORMATS)
      expect(await deliver(list, { format, stem: `seed ${seed}`, chord: size / 500 }, kernel)).toMatchObject({ ok: true });
  }
});
