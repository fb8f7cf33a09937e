import { type BodyMesh, bodyBox, isWatertight, type MeshVerdict, meshBody, meshVerdict } from '../brep/index.ts';
import { boxSize, formatNumber } from '../math/index.ts';
import { inspectMesh, type TriangleMesh } from './mesh.ts';
import type { OutPart } from './out-part.ts';
import { MOST_TRIANGLES } from './stl.ts';

/** A part as triangles on their way out. */
export interface OutMesh {
  readonly name: string;
  readonly path: readonly string[];
  /** xyz per node, mm; equal places are one node. */
  readonly positions: Float64Array;
  readonly indices: Uint32Array;
  /** Exact surface normals by node of `split`, and which node of `positions` each is; none for meshes that came as such. */
  readonly split?: { readonly node: Uint32Array; readonly normals: Float64Array; readonly indices: Uint32Array };
  /** Runs of indices of one colour, the whole covered; none where nothing is coloured. */
  readonly colours: readonly { readonly colour?: string; readonly from: number; readonly count: number }[];
}
export type OutMeshes =
  | {
      readonly ok: true;
      readonly meshes: readonly OutMesh[];
      /** What the mesh library says of every closed part. */
      readonly solids: readonly { readonly name: string; readonly verdict: MeshVerdict }[];
    }
  | { readonly ok: false; readonly message: string };

const known = new WeakMap<object, { chord: number; mesh: BodyMesh }>();
/** The mesh of a body within `chord` mm; the last one of each body is kept. */
export function outMesh(body: NonNullable<OutPart['body']>, chord: number): BodyMesh {
  const last = known.get(body);
  if (last?.chord === chord) return last.mesh;
  const mesh = meshBody(body, { chord });
  known.set(body, { chord, mesh });
  return mesh;
}
const coarse = new WeakMap<object, { chord: number; triangles: number }>();
/** About how many triangles a body takes within `chord` mm: those of a coarse mesh, and as many more as the chord is finer. */
function expected(body: NonNullable<OutPart['body']>, chord: number): number {
  let c = coarse.get(body);
  if (!c) {
    const wide = boxSize(bodyBox(body)) / 200;
    const mesh = meshBody(body, { chord: wide, angle: 0.5 });
    coarse.set(body, (c = { chord: wide, triangles: mesh.indices.length / 3 }));
  }
  return c.triangles * Math.max(1, c.chord / chord);
}
/** Triangles of parts within `chord` mm, before anything is written. */
export const triangleCount = (parts: readonly OutPart[], chord: number): number =>
  parts.reduce((n, p) => n + (p.mesh?.indices.length ?? (p.body ? outMesh(p.body, chord).indices.length : 0)) / 3, 0);

/**
 * Meshes of parts within `chord` mm, to be written to a file: refused when a face is missing, or when a closed part is no solid mesh to
 * whoever reads it. `single`: corners count as one where single precision has them at one place, as in files that keep no more. Meshes that
 * came as such go out as they are, whatever they are like.
 */
export async function outMeshes(parts: readonly OutPart[], chord: number, single: boolean): Promise<OutMeshes> {
  const bodies = parts.flatMap((p) => (p.body?.faces.length ? [p.body] : []));
  const many = bodies.reduce((n, b) => n + expected(b, chord), 0);
  if (many > MOST_TRIANGLES)
    return {
      ok: false,
      message: `A chord error of ${formatNumber(chord)} mm takes about ${formatNumber(many / 1e6, 1)} million triangles; at most ${MOST_TRIANGLES / 1e6} million are written: choose ${formatNumber((chord * many) / MOST_TRIANGLES, 2)} mm or more`,
    };
  const meshes: OutMesh[] = [];
  const solids: { name: string; verdict: MeshVerdict }[] = [];
  for (const p of parts) {
    if (p.mesh) meshes.push(asItIs(p, p.mesh));
    if (!p.body?.faces.length) continue;
    const m = outMesh(p.body, chord);
    if (m.failed.length)
      return { ok: false, message: `Faces cannot be meshed: ${m.failed.map((f) => p.body?.faces[f].name).join(', ')}. Try another chord` };
    const out = welded(p, m);
    meshes.push(out);
    if (!isWatertight(p.body)) continue;
    const positions = single ? Float64Array.from(Float32Array.from(out.positions)) : out.positions;
    const verdict = await meshVerdict({ positions, indices: out.indices });
    if (!verdict.solid) return { ok: false, message: `Not written: the mesh of ${p.name} ${verdict.reason}. Try another chord` };
    solids.push({ name: p.name, verdict });
  }
  return { ok: true, meshes, solids };
}

const asItIs = (p: OutPart, m: TriangleMesh): OutMesh => ({
  name: p.name,
  path: p.path ?? [],
  positions: m.positions,
  indices: m.indices,
  colours: p.colour ? [{ colour: p.colour, from: 0, count: m.indices.length }] : [],
});

/** Nodes that are one place become one; triangles that lose their area by it go. */
function welded(p: OutPart, m: BodyMesh): OutMesh {
  const body = p.body as NonNullable<OutPart['body']>;
  const place = new Map<number, number>();
  const positions: number[] = [];
  const node = Uint32Array.from(m.shared, (id, i) => {
    let at = place.get(id);
    if (at === undefined) {
      place.set(id, (at = positions.length / 3));
      positions.push(m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]);
    }
    return at;
  });
  const indices: number[] = [];
  const split: number[] = [];
  const colours: { colour?: string; from: number; count: number }[] = [];
  body.faces.forEach((f, k) => {
    const from = indices.length;
    const [first, count] = [m.faceRanges[2 * k], m.faceRanges[2 * k + 1]];
    for (let t = first; t < first + count; t += 3) {
      const [a, b, c] = [m.indices[t], m.indices[t + 1], m.indices[t + 2]];
      if (node[a] === node[b] || node[b] === node[c] || node[c] === node[a]) continue;
      indices.push(node[a], node[b], node[c]);
      split.push(a, b, c);
    }
    const colour = f.colour ?? p.colour;
    const last = colours[colours.length - 1];
    if (last && last.colour === colour) last.count += indices.length - from;
    else colours.push({ colour, from, count: indices.length - from });
  });
  return {
    name: p.name,
    path: p.path ?? [],
    positions: Float64Array.from(positions),
    indices: Uint32Array.from(indices),
    split: { node, normals: m.normals, indices: Uint32Array.from(split) },
    colours: colours.some((c) => c.colour) ? colours.filter((c) => c.count) : [],
  };
}

/** What a mesh measures: area, volume, open edges, and its box as low and high corner. */
export function meshMeasures(m: TriangleMesh): { area: number; volume: number; open: number; box: readonly number[] } {
  const report = inspectMesh(m);
  const p = m.positions;
  let area = 0;
  const box = [Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity];
  for (let t = 0; t < m.indices.length; t += 3) {
    const [a, b, c] = [3 * m.indices[t], 3 * m.indices[t + 1], 3 * m.indices[t + 2]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    area += Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 2;
    for (const n of [a, b, c])
      for (let k = 0; k < 3; k++) {
        box[k] = Math.min(box[k], p[n + k]);
        box[k + 3] = Math.max(box[k + 3], p[n + k]);
      }
  }
  return { area, volume: report.volume, open: report.open, box };
}
