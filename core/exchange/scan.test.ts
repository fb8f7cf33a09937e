import { Document, WebIO } from '@gltf-transform/core';
import fc from 'fast-check';
import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import type { Vec3 } from '../math/index.ts';
import { earsOf, inspectMesh, type ReadScan, readScan } from './index.ts';

/** A block of 2 x 3 x 4 with its corner at the origin, as six outward polygons. */
const CORNERS = [0, 1, 2, 3, 4, 5, 6, 7].map((i): Vec3 => [i & 1 ? 2 : 0, i & 2 ? 3 : 0, i & 4 ? 4 : 0]);
const SIDES = [
  [0, 2, 3, 1],
  [4, 5, 7, 6],
  [0, 1, 5, 4],
  [2, 6, 7, 3],
  [0, 4, 6, 2],
  [1, 3, 7, 5],
];
const TRIANGLES = SIDES.flatMap(([a, b, c, d]) => [
  [a, b, c],
  [a, c, d],
]);
const bytes = (text: string) => new TextEncoder().encode(text);
const good = (r: ReadScan) => {
  if (!r.ok) throw new Error(r.message);
  return r;
};
const reason = async (data: Uint8Array, name: string) => {
  const r = await readScan(data, name);
  return r.ok ? 'it was read' : r.message;
};
const boxOf = (p: ArrayLike<number>, axis: number) => {
  const v = Array.from(p).filter((_, i) => i % 3 === axis);
  return [Math.min(...v), Math.max(...v)];
};

describe('ears', () => {
  it('cut hollow polygons into triangles of the same area, none turned over', () =>
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.3, max: 3, noNaN: true }), { minLength: 4, maxLength: 14 }),
        fc.integer({ min: 0, max: 2 }),
        (radii, axis) => {
          // a star about the origin, laid across one of the axes
          const flat = radii.map((r, i) => [
            r * Math.cos((2 * Math.PI * i) / radii.length),
            r * Math.sin((2 * Math.PI * i) / radii.length),
          ]);
          const points = flat.map(([x, y]): Vec3 => (axis === 0 ? [1, x, y] : axis === 1 ? [y, 2, x] : [x, y, 3]));
          const area = (list: number[][]) =>
            list.reduce((s, p, i) => s + (p[0] * list[(i + 1) % list.length][1] - p[1] * list[(i + 1) % list.length][0]) / 2, 0);
          const parts = earsOf(points).map((t) => area(t.map((i) => flat[i])));
          expect(parts.length).toBe(points.length - 2);
          expect(Math.min(...parts)).toBeGreaterThan(-1e-12);
          expect(parts.reduce((s, x) => s + x, 0)).toBeCloseTo(area(flat), 10);
        },
      ),
    ));
});

describe('OBJ', () => {
  const block = (face: (s: number[]) => string) =>
    `# a block\n${CORNERS.map((c) => `v ${c.join(' ')}`).join('\n')}\n${SIDES.map((s) => `f ${face(s)}`).join('\n')}\n`;
  it('reads quads with forward and backward counts and with texture and normal numbers', async () => {
    for (const text of [
      block((s) => s.map((i) => i + 1).join(' ')),
      block((s) => s.map((i) => i - 8).join(' ')),
      block((s) => s.map((i) => `${i + 1}/${i + 5}/2`).join(' ')),
    ]) {
      const r = good(await readScan(bytes(text), 'block.obj'));
      const m = inspectMesh(r.parts[0].mesh);
      expect([m.triangles, m.corners, m.open, m.multiple, m.clashing, m.islands]).toEqual([12, 8, 0, 0, 0, 1]);
      expect(m.volume).toBeCloseTo(24, 12);
    }
  });
  it('keeps objects as parts with their names, and continued lines', async () => {
    const text = `v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\no lid\nf 1 2 \\\n 3\no foot\nf 1 2 4\n`;
    expect(good(await readScan(bytes(text), 'x.obj')).parts.map((p) => [p.name, p.mesh.indices.length])).toEqual([
      ['lid', 3],
      ['foot', 3],
    ]);
  });
  it('tells what is wrong, with the line', async () => {
    const r = good(await readScan(bytes('v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\nf 1 2 9\nf 1 1 2\nl 1 2\n'), 'x.obj'));
    expect(r.notes.join('; ')).toMatch(/1 faces name corners .* line 5; 1 triangles without area.*; 1 lines/);
    expect(await reason(bytes('v 0 0 0\nv 1 2 3\n'), 'x.obj')).toMatch(/2 points and no faces/);
    expect(await reason(bytes('hello'), 'x.obj')).toMatch(/not an OBJ/);
    expect(await reason(bytes('v 0 0 0\nf 1 2 3\n'), 'x.obj')).toMatch(/line 2/);
  });
});

describe('PLY', () => {
  const header = (format: string, extra = '') =>
    `ply\nformat ${format} 1.0\ncomment a block\nelement vertex 8\nproperty float x\nproperty float y\nproperty float z\n${extra}element face 6\nproperty list uchar int vertex_indices\nend_header\n`;
  const text = `${header('ascii', 'property uchar red\n')}${CORNERS.map((c) => `${c.join(' ')} 200`).join('\n')}\n${SIDES.map((s) => `4 ${s.join(' ')}`).join('\n')}\n`;
  const binary = (little: boolean) => {
    const head = bytes(header(little ? 'binary_little_endian' : 'binary_big_endian'));
    const out = new Uint8Array(head.length + 8 * 12 + 6 * 17);
    out.set(head);
    const view = new DataView(out.buffer);
    let at = head.length;
    for (const x of CORNERS.flat()) {
      view.setFloat32(at, x, little);
      at += 4;
    }
    for (const s of SIDES) {
      view.setUint8(at++, 4);
      for (const i of s) {
        view.setInt32(at, i, little);
        at += 4;
      }
    }
    return out;
  };
  it.each([
    ['text', bytes(text)],
    ['little-endian', binary(true)],
    ['big-endian', binary(false)],
  ])('reads the %s form', async (_, data) => {
    const m = inspectMesh(good(await readScan(data, 'block.ply')).parts[0].mesh);
    expect([m.triangles, m.corners, m.open]).toEqual([12, 8, 0]);
    expect(m.volume).toBeCloseTo(24, 6);
  });
  it('tells where a cut file ends, and what is not a mesh', async () => {
    expect(await reason(binary(true).slice(0, -20), 'x.ply')).toMatch(
      /cut off: its header announces 8 vertex, 6 face; 8 corners and 4 faces/,
    );
    expect(await reason(bytes(header('ascii').replace('face 6', 'face 0') + CORNERS.map((c) => c.join(' ')).join('\n')), 'x.ply')).toMatch(
      /8 points and no faces/,
    );
    expect(await reason(bytes('plywood'), 'x.ply')).toMatch(/does not begin/);
    expect(await reason(bytes(header('ascii').replace('float x', 'octave x')), 'x.ply')).toMatch(/octave/);
  });
});

describe('3MF', () => {
  const mesh = `<mesh><vertices>${CORNERS.map((c) => `<vertex x="${c[0]}" y="${c[1]}" z="${c[2]}"/>`).join('')}</vertices><triangles>${TRIANGLES.map((t) => `<triangle v1="${t[0]}" v2="${t[1]}" v3="${t[2]}"/>`).join('')}</triangles></mesh>`;
  const pack = (model: string) =>
    zipSync({
      '_rels/.rels': strToU8(
        '<Relationships><Relationship Target="/3D/body.model" Id="r" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>',
      ),
      '3D/body.model': strToU8(model),
    });
  it('reads items in place, parts of parts, mirrored ones, names and the unit', async () => {
    const model = `<model unit="inch"><resources><object id="1" name="block">${mesh}</object><object id="2" name="pair"><components><component objectid="1" transform="1 0 0 0 1 0 0 0 1 10 0 0"/><component objectid="1" transform="-1 0 0 0 1 0 0 0 1 0 20 0"/></components></object></resources><build><item objectid="1"/><item objectid="2" transform="0 1 0 -1 0 0 0 0 1 0 0 5"/></build></model>`;
    const r = good(await readScan(pack(model), 'x.3mf'));
    expect(r.unit).toEqual({ mm: 25.4, name: 'in' });
    expect(r.parts.map((p) => p.name)).toEqual(['block', 'pair']);
    const pair = inspectMesh(r.parts[1].mesh);
    expect([pair.islands, pair.open, pair.clashing]).toEqual([2, 0, 0]);
    expect(pair.volume).toBeCloseTo(48, 10);
    // the first of the pair stands at x 10..12; a quarter turn brings that to y
    expect(boxOf(r.parts[1].mesh.positions, 1)).toEqual([-2, 12]);
    expect(boxOf(r.parts[1].mesh.positions, 0)).toEqual([-23, 0]);
    expect(boxOf(r.parts[1].mesh.positions, 2)).toEqual([5, 9]);
  });
  it('tells what is wrong', async () => {
    expect(await reason(pack('<model><resources/><build/></model>'), 'x.3mf')).toMatch(/no items/);
    expect(await reason(bytes('PK but no package'), 'x.3mf')).toMatch(/cut off or damaged/);
    expect(await reason(zipSync({ 'readme.txt': strToU8('x') }), 'x.3mf')).toMatch(/no model/);
    const lost = good(
      await readScan(
        pack(
          `<model><resources><object id="1">${mesh}</object></resources><build><item objectid="1"/><item objectid="7"/></build></model>`,
        ),
        'x.3mf',
      ),
    );
    expect(lost.notes[0]).toMatch(/not in the package/);
  });
});

describe('glTF', () => {
  const make = (scale: [number, number, number], split = false) => {
    const doc = new Document();
    const buffer = doc.createBuffer();
    // each triangle with corners of its own, as exporters do for flat shading
    const corners = split ? TRIANGLES.flat().flatMap((i) => CORNERS[i]) : CORNERS.flat();
    const indices = split ? TRIANGLES.flat().map((_, i) => i) : TRIANGLES.flat();
    const position = doc.createAccessor().setType('VEC3').setArray(Float32Array.from(corners)).setBuffer(buffer);
    const prim = doc
      .createPrimitive()
      .setAttribute('POSITION', position)
      .setIndices(doc.createAccessor().setType('SCALAR').setArray(Uint16Array.from(indices)).setBuffer(buffer));
    const node = doc.createNode('block').setMesh(doc.createMesh('shape').addPrimitive(prim)).setScale(scale).setTranslation([0, 1, 0]);
    doc.createScene().addChild(doc.createNode('frame').setTranslation([5, 0, 0]).addChild(node));
    return doc;
  };
  it('reads packed and text form: metres with y up become millimetres with z up', async () => {
    const io = new WebIO();
    const doc = make([1, 1, 1], true);
    const packed = good(await readScan(await io.writeBinary(doc), 'x.glb'));
    const { json, resources } = await io.writeJSON(doc);
    for (const b of json.buffers ?? [])
      b.uri = `data:application/octet-stream;base64,${Buffer.from(resources[b.uri ?? '']).toString('base64')}`;
    for (const r of [packed, good(await readScan(bytes(JSON.stringify(json)), 'x.gltf'))]) {
      expect(r.parts[0].name).toBe('frame / block');
      const m = inspectMesh(r.parts[0].mesh);
      expect([m.triangles, m.corners, m.open, m.clashing]).toEqual([12, 8, 0, 0]);
      expect(m.volume / 24e9).toBeCloseTo(1, 6);
      expect(boxOf(r.parts[0].mesh.positions, 0)).toEqual([5000, 7000]);
      expect(boxOf(r.parts[0].mesh.positions, 1)).toEqual([-4000, 0]);
      expect(boxOf(r.parts[0].mesh.positions, 2)).toEqual([1000, 4000]);
    }
  });
  it('a mirrored node stays outside out', async () => {
    const m = inspectMesh(good(await readScan(await new WebIO().writeBinary(make([-1, 1, 1])), 'x.glb')).parts[0].mesh);
    expect(m.volume / 24e9).toBeCloseTo(1, 6);
  });
  it('tells what is wrong', async () => {
    const packed = await new WebIO().writeBinary(make([1, 1, 1]));
    expect(await reason(packed.slice(0, 200), 'x.glb')).toMatch(/cut off/);
    expect(await reason(bytes('{"asset":{"version":"2.0"},"buffers":[{"uri":"block.bin","byteLength":4}]}'), 'x.gltf')).toMatch(
      /block.bin.*\.glb/,
    );
    expect(
      await reason(
        bytes(
          '{"asset":{"version":"2.0"},"extensionsRequired":["KHR_draco_mesh_compression"],"extensionsUsed":["KHR_draco_mesh_compression"]}',
        ),
        'x.gltf',
      ),
    ).toMatch(/KHR_draco_mesh_compression, which is not read/);
    expect(await reason(bytes('not json'), 'x.gltf')).toMatch(/not a glTF/);
    expect(await reason(bytes('{"asset":{"version":"2.0"}}'), 'x.gltf')).toMatch(/no mesh/);
  });
});

describe('the report on a mesh', () => {
  const of = (triangles: number[][]) =>
    inspectMesh({ positions: Float64Array.from(CORNERS.flat()), indices: Uint32Array.from(triangles.flat()) });
  it('counts open edges, edges of three, turned neighbours, doubles and islands', () => {
    expect(of(TRIANGLES)).toMatchObject({ open: 0, multiple: 0, clashing: 0, doubled: 0, islands: 1 });
    expect(of(TRIANGLES.slice(1))).toMatchObject({ open: 3, multiple: 0, places: expect.arrayContaining([[0, 1.5, 0]]) });
    expect(of([...TRIANGLES, TRIANGLES[0]])).toMatchObject({ multiple: 3, doubled: 1 });
    const [first, ...rest] = TRIANGLES;
    expect(of([[first[0], first[2], first[1]], ...rest])).toMatchObject({ open: 0, clashing: 3 });
    expect(of([TRIANGLES[0], TRIANGLES[2]])).toMatchObject({ islands: 2, open: 6 });
  });
  it('18 closed cubes that stand edge to edge on a chessboard are closed', () => {
    const corners: number[][] = [];
    const at = new Map<string, number>();
    const corner = (p: number[]) => {
      const k = p.join();
      if (!at.has(k)) at.set(k, corners.push(p) - 1);
      return at.get(k) as number;
    };
    const squares = [
      [0, 2, 3, 1],
      [4, 5, 7, 6],
      [0, 1, 5, 4],
      [2, 6, 7, 3],
      [0, 4, 6, 2],
      [1, 3, 7, 5],
    ];
    const triangles: number[] = [];
    for (let x = 0; x < 6; x++)
      for (let y = 0; y < 6; y++) {
        if ((x + y) % 2) continue;
        const c = Array.from({ length: 8 }, (_, k) => corner([x + (k & 1), y + ((k >> 1) & 1), k >> 2]));
        for (const [a, b, d, e] of squares) triangles.push(c[a], c[b], c[d], c[a], c[d], c[e]);
      }
    const r = inspectMesh({ positions: Float64Array.from(corners.flat()), indices: Uint32Array.from(triangles) });
    expect(r).toMatchObject({ open: 0, multiple: 0, clashing: 0, triangles: 18 * 12 });
    expect(Math.abs(r.volume)).toBeCloseTo(18, 12);
    // one side less is open again, and two on one edge the same way are an edge of three
    expect(
      inspectMesh({ positions: Float64Array.from(corners.flat()), indices: Uint32Array.from(triangles.slice(3)) }).open,
    ).toBeGreaterThan(0);
  });
});
