import type { BodyMesh } from '../brep/index.ts';
import { Budget } from './budget.ts';
import { MeshBuilder, type TriangleMesh } from './mesh.ts';

/** Beyond this a mesh is neither shown nor measured well. */
export const MOST_TRIANGLES = 2_000_000;

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
export function readStl(data: Uint8Array, budget = new Budget()): ReadMesh {
  if (data.length < 15) return { ok: false, message: 'The file is empty or far too short for an STL file' };
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const count = data.length >= 84 ? view.getUint32(80, true) : 0;
  const notes: string[] = [];
  const head = new TextDecoder().decode(data.subarray(0, 512));
  const builder = new MeshBuilder(budget);
  const most = (n: number): ReadMesh | undefined =>
    n > MOST_TRIANGLES
      ? {
          ok: false,
          message: `The STL file holds ${n.toLocaleString('en')} triangles; at most ${MOST_TRIANGLES.toLocaleString('en')} are read: make it coarser`,
        }
      : undefined;
  if (data.length >= 84 && 84 + count * 50 === data.length && count > 0) {
    const over = most(count);
    if (over) return over;
    for (let t = 0; t < count; t++) {
      const o = 84 + t * 50 + 12;
      const node = (k: number) =>
        builder.node(view.getFloat32(o + k, true), view.getFloat32(o + k + 4, true), view.getFloat32(o + k + 8, true));
      builder.triangle(node(0), node(12), node(24));
    }
  } else if (/^\s*solid/i.test(head) && /facet|vertex/i.test(new TextDecoder().decode(data.subarray(0, 4096)))) {
    const text = new TextDecoder().decode(data);
    let [corners, last]: [number[], number] = [[], 0];
    for (const m of text.matchAll(/vertex\s+(\S+)\s+(\S+)\s+(\S+)/g)) {
      corners.push(builder.node(Number(m[1]), Number(m[2]), Number(m[3])));
      if (corners.length < 3) continue;
      const over = most(++last);
      if (over) return over;
      builder.triangle(corners[0], corners[1], corners[2]);
      corners = [];
    }
    if (corners.length) notes.push('The file ends inside a triangle; the broken one was left out');
    if (!/endsolid/i.test(text.slice(-200))) notes.push('The file has no end mark; it may have been cut off');
  } else if (data.length >= 84 && count > 0 && count < 5e7 && 84 + count * 50 > data.length && !/^\s*solid/i.test(head)) {
    return {
      ok: false,
      message: `The STL file is cut off: it announces ${count} triangles and holds ${Math.max(0, Math.floor((data.length - 84) / 50))}`,
    };
  } else return { ok: false, message: 'This is not an STL file: neither the binary length nor the text form fits' };
  if (builder.broken) return { ok: false, message: 'The STL file holds corners that are not numbers' };
  const mesh = builder.mesh();
  if (!mesh.indices.length)
    return { ok: false, message: builder.dropped ? 'The STL file holds no triangle with an area' : 'The STL file holds no triangles' };
  if (builder.dropped) notes.push(`${builder.dropped} triangles without area were left out`);
  return { ok: true, mesh, notes };
}
