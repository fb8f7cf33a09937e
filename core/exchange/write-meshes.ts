import { Document, type Material, type Node, WebIO } from '@gltf-transform/core';
import { strToU8, zipSync } from 'fflate';
import { plainLetters } from './iges-sheet.ts';
import type { OutMesh } from './out-mesh.ts';
import { groupsOf, type OutGroup } from './out-part.ts';

/** Millimetres of a unit. */
export const UNIT_MM = { MM: 1, INCH: 25.4, M: 1000 } as const;
export type OutUnit = keyof typeof UNIT_MM;

/** One line of text, whatever was typed. */
const oneLine = (s: string): string => s.replace(/[\r\n]+/g, ' ').trim() || 'unnamed';
const fullName = (m: Pick<OutMesh, 'name' | 'path'>): string => oneLine([...m.path, m.name].join(' / '));
const shares = (hex: string): [number, number, number] =>
  [1, 3, 5].map((o) => Number.parseInt(hex.slice(o, o + 2), 16) / 255) as [number, number, number];

/**
 * OBJ text: an object for each part, exact surface normals, colours as materials in a file beside it. Numbers read back as the same doubles
 * (in mm). The format has no unit; it is told in a comment.
 */
export function writeObj(meshes: readonly OutMesh[], unit: OutUnit, stem: string): { text: string; materials?: string } {
  const k = 1 / UNIT_MM[unit];
  const palette = new Map<string, string>();
  const out: string[] = [`# Ample Skin, lengths in ${unit.toLowerCase()}`];
  if (meshes.some((m) => m.colours.some((c) => c.colour))) out.push(`mtllib ${oneLine(stem)}.mtl`);
  let [places, normals] = [1, 1];
  for (const m of meshes) {
    out.push(`o ${fullName(m)}`);
    for (let i = 0; i < m.positions.length; i += 3) out.push(`v ${m.positions[i] * k} ${m.positions[i + 1] * k} ${m.positions[i + 2] * k}`);
    if (m.split)
      for (let i = 0; i < m.split.normals.length; i += 3)
        out.push(`vn ${[0, 1, 2].map((d) => Number((m.split as NonNullable<OutMesh['split']>).normals[i + d].toFixed(9))).join(' ')}`);
    const corner = (t: number) => (m.split ? `${places + m.indices[t]}//${normals + m.split.indices[t]}` : String(places + m.indices[t]));
    for (const run of m.colours.length ? m.colours : [{ from: 0, count: m.indices.length, colour: undefined }]) {
      if (run.colour) {
        if (!palette.has(run.colour)) palette.set(run.colour, `colour-${run.colour.slice(1)}`);
        out.push(`usemtl ${palette.get(run.colour)}`);
      } else if (palette.size || m.colours.length) out.push('usemtl plain');
      for (let t = run.from; t < run.from + run.count; t += 3) out.push(`f ${corner(t)} ${corner(t + 1)} ${corner(t + 2)}`);
    }
    places += m.positions.length / 3;
    normals += (m.split?.normals.length ?? 0) / 3;
  }
  const materials = palette.size
    ? [
        ...[...palette].map(
          ([hex, name]) =>
            `newmtl ${name}\nKd ${shares(hex)
              .map((x) => x.toFixed(6))
              .join(' ')}\n`,
        ),
        'newmtl plain\nKd 0.8 0.8 0.8\n',
      ].join('\n')
    : undefined;
  return { text: `${out.join('\n')}\n`, materials };
}

/** PLY, binary, little end first, doubles; corners carry their colour when anything is coloured. Parts follow each other, named in comments. */
export function writePly(meshes: readonly OutMesh[], unit: OutUnit): Uint8Array {
  const k = 1 / UNIT_MM[unit];
  const coloured = meshes.some((m) => m.colours.length);
  // where colours meet, a corner stands once for each
  const corners: { m: OutMesh; node: number; colour?: string }[] = [];
  const faces: number[] = [];
  for (const m of meshes) {
    const ids = new Map<string, number>();
    for (const run of m.colours.length ? m.colours : [{ from: 0, count: m.indices.length, colour: undefined }])
      for (let t = run.from; t < run.from + run.count; t++) {
        const key = `${m.indices[t]} ${run.colour ?? ''}`;
        let id = ids.get(key);
        if (id === undefined) {
          ids.set(key, (id = corners.length));
          corners.push({ m, node: m.indices[t], colour: run.colour });
        }
        faces.push(id);
      }
  }
  const head = [
    'ply',
    'format binary_little_endian 1.0',
    `comment Ample Skin, lengths in ${unit.toLowerCase()}`,
    ...meshes.map((m) => `comment part ${plainLetters(fullName(m))}`),
    `element vertex ${corners.length}`,
    'property double x',
    'property double y',
    'property double z',
    ...(coloured ? ['property uchar red', 'property uchar green', 'property uchar blue'] : []),
    `element face ${faces.length / 3}`,
    'property list uchar int vertex_indices',
    'end_header',
    '',
  ].join('\n');
  const first = strToU8(head);
  const row = 24 + (coloured ? 3 : 0);
  const bytes = new Uint8Array(first.length + corners.length * row + (faces.length / 3) * 13);
  bytes.set(first);
  const view = new DataView(bytes.buffer);
  let o = first.length;
  for (const c of corners) {
    for (let d = 0; d < 3; d++) view.setFloat64(o + 8 * d, c.m.positions[3 * c.node + d] * k, true);
    if (coloured) shares(c.colour ?? '#cccccc').forEach((x, d) => view.setUint8(o + 24 + d, Math.round(255 * x)));
    o += row;
  }
  for (let t = 0; t < faces.length; t += 3) {
    view.setUint8(o, 3);
    for (let d = 0; d < 3; d++) view.setInt32(o + 1 + 4 * d, faces[t + d], true);
    o += 13;
  }
  return bytes;
}

const escaped = (s: string): string =>
  s
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f]/g, '')
    .replace(/&/g, '&amp;')
    .replace(/</g, '&lt;')
    .replace(/>/g, '&gt;')
    .replace(/"/g, '&quot;');
/** 3MF core package: an object for each part, groups as objects of components, colours as base materials; the unit is the file's own. */
export function write3mf(meshes: readonly OutMesh[], unit: OutUnit, title: string): Uint8Array {
  const k = 1 / UNIT_MM[unit];
  const palette = [...new Set(meshes.flatMap((m) => m.colours.map((c) => c.colour ?? '#CCCCCC')))];
  const out: string[] = [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<model unit="${{ MM: 'millimeter', INCH: 'inch', M: 'meter' }[unit]}" xml:lang="en" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">`,
    `<metadata name="Title">${escaped(title)}</metadata>`,
    '<metadata name="Application">Ample Skin</metadata>',
    '<resources>',
  ];
  const materials = palette.length ? 1 : 0;
  if (materials)
    out.push(
      '<basematerials id="1">',
      ...palette.map((c) => `<base name="${c}" displaycolor="${c.toUpperCase()}FF"/>`),
      '</basematerials>',
    );
  let next = 1 + materials;
  const ids = meshes.map((m) => {
    const id = next++;
    const index = (c: string | undefined) => palette.indexOf(c ?? '#CCCCCC');
    const whole = m.colours.length ? ` pid="1" pindex="${index(m.colours[0].colour)}"` : '';
    out.push(`<object id="${id}" type="model" name="${escaped(oneLine(m.name))}"${whole}>`, '<mesh><vertices>');
    for (let i = 0; i < m.positions.length; i += 3)
      out.push(`<vertex x="${m.positions[i] * k}" y="${m.positions[i + 1] * k}" z="${m.positions[i + 2] * k}"/>`);
    out.push('</vertices><triangles>');
    for (const run of m.colours.length ? m.colours : [{ from: 0, count: m.indices.length, colour: undefined }]) {
      const own = m.colours.length > 1 ? ` pid="1" p1="${index(run.colour)}"` : '';
      for (let t = run.from; t < run.from + run.count; t += 3)
        out.push(`<triangle v1="${m.indices[t]}" v2="${m.indices[t + 1]}" v3="${m.indices[t + 2]}"${own}/>`);
    }
    out.push('</triangles></mesh></object>');
    return id;
  });
  const level = (g: OutGroup): number[] => [
    ...g.parts.map((i) => ids[i]),
    ...g.groups.map((x) => {
      const members = level(x);
      const id = next++;
      out.push(
        `<object id="${id}" type="model" name="${escaped(oneLine(x.name))}"><components>${members.map((c) => `<component objectid="${c}"/>`).join('')}</components></object>`,
      );
      return id;
    }),
  ];
  const build = level(groupsOf(meshes));
  out.push('</resources>', '<build>', ...build.map((id) => `<item objectid="${id}"/>`), '</build>', '</model>');
  return zipSync({
    '[Content_Types].xml': strToU8(
      '<?xml version="1.0" encoding="UTF-8"?>\n<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>',
    ),
    '_rels/.rels': strToU8(
      '<?xml version="1.0" encoding="UTF-8"?>\n<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>',
    ),
    '3D/3dmodel.model': strToU8(out.join('\n')),
  });
}

/** Share of light of an sRGB share. */
const linear = (x: number): number => (x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4);
/** glTF 2.0, packed (.glb): metres with y up, single precision about each part's own middle, exact normals, groups as nodes. */
export async function writeGlb(meshes: readonly OutMesh[]): Promise<Uint8Array> {
  const doc = new Document();
  const buffer = doc.createBuffer();
  const scene = doc.createScene();
  doc.getRoot().setDefaultScene(scene);
  doc.getRoot().getAsset().generator = 'Ample Skin';
  const materials = new Map<string, Material>();
  const materialOf = (hex: string | undefined): Material => {
    const key = hex ?? '#cccccc';
    let m = materials.get(key);
    if (!m) {
      const [r, g, b] = shares(key).map(linear);
      m = doc.createMaterial(key).setBaseColorFactor([r, g, b, 1]).setRoughnessFactor(0.6).setMetallicFactor(0).setDoubleSided(true);
      materials.set(key, m);
    }
    return m;
  };
  const partNode = (m: OutMesh): Node => {
    const node = doc.createNode(oneLine(m.name));
    // metres, y up: (x, z, -y)
    const low = [0, 1, 2].map((d) => m.positions.reduce((s, v, i) => (i % 3 === d ? Math.min(s, v) : s), Infinity));
    const high = [0, 1, 2].map((d) => m.positions.reduce((s, v, i) => (i % 3 === d ? Math.max(s, v) : s), -Infinity));
    // a middle that single precision holds exactly: nothing is lost between it and the places
    const middle = low.map((v, d) => Math.fround((v + high[d]) / 2000) * 1000);
    // the library takes a shift of less than 10 µm for none and leaves it out
    const [cx, cy, cz] = middle.every((x) => Math.abs(x) < 0.02) ? [0, 0, 0] : middle;
    node.setTranslation([cx / 1000, cz / 1000, -cy / 1000]);
    const count = m.split ? m.split.node.length : m.positions.length / 3;
    const at = new Float32Array(3 * count);
    for (let i = 0; i < count; i++) {
      const n = 3 * (m.split ? m.split.node[i] : i);
      at[3 * i] = (m.positions[n] - cx) / 1000;
      at[3 * i + 1] = (m.positions[n + 2] - cz) / 1000;
      at[3 * i + 2] = -(m.positions[n + 1] - cy) / 1000;
    }
    const position = doc.createAccessor().setType('VEC3').setArray(at).setBuffer(buffer);
    const normal = m.split && doc.createAccessor().setType('VEC3').setBuffer(buffer);
    if (m.split && normal) {
      const n = new Float32Array(3 * count);
      for (let i = 0; i < count; i++) {
        n[3 * i] = m.split.normals[3 * i];
        n[3 * i + 1] = m.split.normals[3 * i + 2];
        n[3 * i + 2] = -m.split.normals[3 * i + 1];
      }
      normal.setArray(n);
    }
    const mesh = doc.createMesh(oneLine(m.name));
    const indices = m.split?.indices ?? m.indices;
    for (const run of m.colours.length ? m.colours : [{ from: 0, count: indices.length, colour: undefined }]) {
      const p = doc
        .createPrimitive()
        .setAttribute('POSITION', position)
        .setIndices(
          doc
            .createAccessor()
            .setType('SCALAR')
            .setArray(indices.slice(run.from, run.from + run.count))
            .setBuffer(buffer),
        )
        .setMaterial(materialOf(run.colour));
      if (normal) p.setAttribute('NORMAL', normal);
      mesh.addPrimitive(p);
    }
    return node.setMesh(mesh);
  };
  const level = (g: OutGroup, add: (n: Node) => void): void => {
    for (const i of g.parts) add(partNode(meshes[i]));
    for (const x of g.groups) {
      const node = doc.createNode(oneLine(x.name));
      level(x, (n) => node.addChild(n));
      add(node);
    }
  };
  level(groupsOf(meshes), (n) => scene.addChild(n));
  return new WebIO().writeBinary(doc);
}
