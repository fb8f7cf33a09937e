import type { BodyMesh } from '../brep/index.ts';
import { MeshBuilder, type TriangleMesh } from './mesh.ts';

export type ReadMesh = { ok: true; mesh: TriangleMesh; notes: string[] } | { ok: false; message: string };

/** Binary STL of meshes, outward normals, millimetres. */
export function writeStl(meshes: readonly Pick<BodyMesh, 'positions' | 'indices'>[], title = 'Ample Skin'): Uint8Array {
  const count = meshes.reduce((s, m) => s + m.indices.length / 3, 0);
  const bytes = new Uint8Array(84 + count * 50);
  new TextEncoder().encodeInto(title.slice(0, 79), bytes);
  const view = new DataView(bytes.buffer);
  view.setUint32(80, count, true);
  let o = 84;
  for (const m of meshes)
    for (let t = 0; t < m.indices.length; t += 3) {
      const p = [0, 1, 2].map((k) => m.indices[t + k] * 3);
      const at = (k: number, d: number) => m.positions[p[k] + d];
      const [ux, uy, uz] = [0, 1, 2].map((d) => at(1, d) - at(0, d));
      const [vx, vy, vz] = [0, 1, 2].map((d) => at(2, d) - at(0, d));
      const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      const l = Math.hypot(...n) || 1;
      for (const x of n) {
        view.setFloat32(o, x / l, true);
        o += 4;
      }
      for (let k = 0; k < 3; k++)
        for (let d = 0; d < 3; d++) {
          view.setFloat32(o, at(k, d), true);
          o += 4;
        }
      o += 2;
    }
  return bytes;
}

/** Reads binary or text STL; equal corners are merged. */
export function readStl(data: Uint8Array): ReadMesh {
  if (data.length < 15) return { ok: false, message: 'The file is empty or far too short for an STL file' };
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const count = data.length >= 84 ? view.getUint32(80, true) : 0;
  const raw: number[] = [];
  const notes: string[] = [];
  const head = new TextDecoder().decode(data.subarray(0, 512));
  if (data.length >= 84 && 84 + count * 50 === data.length && count > 0) {
    for (let t = 0; t < count; t++) for (let k = 0; k < 9; k++) raw.push(view.getFloat32(84 + t * 50 + 12 + k * 4, true));
  } else if (/^\s*solid/i.test(head) && /facet|vertex/i.test(new TextDecoder().decode(data.subarray(0, 4096)))) {
    const text = new TextDecoder().decode(data);
    for (const m of text.matchAll(/vertex\s+(\S+)\s+(\S+)\s+(\S+)/g)) raw.push(Number(m[1]), Number(m[2]), Number(m[3]));
    if (raw.length % 9) notes.push('The file ends inside a triangle; the broken one was left out');
    raw.length -= raw.length % 9;
    if (!/endsolid/i.test(text.slice(-200))) notes.push('The file has no end mark; it may have been cut off');
  } else if (data.length >= 84 && count > 0 && count < 5e7 && 84 + count * 50 > data.length && !/^\s*solid/i.test(head)) {
    return {
      ok: false,
      message: `The STL file is cut off: it announces ${count} triangles and holds ${Math.max(0, Math.floor((data.length - 84) / 50))}`,
    };
  } else return { ok: false, message: 'This is not an STL file: neither the binary length nor the text form fits' };
  if (!raw.length) return { ok: false, message: 'The STL file holds no triangles' };
  if (raw.some((x) => !Number.isFinite(x))) return { ok: false, message: 'The STL file holds corners that are not numbers' };
  const builder = new MeshBuilder();
  for (let i = 0; i < raw.length; i += 9) {
    const [p, q, r] = [0, 3, 6].map((k) => builder.node(raw[i + k], raw[i + k + 1], raw[i + k + 2]));
    builder.triangle(p, q, r);
  }
  if (builder.dropped) notes.push(`${builder.dropped} triangles without area were left out`);
  return { ok: true, mesh: builder.mesh(), notes };
}
