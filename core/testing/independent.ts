// @ts-expect-error the library brings no types
import assimpjs from 'assimpjs';
// @ts-expect-error the library brings no types
import occtimportjs from 'occt-import-js';
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js';

/** What a library of others makes of a file: its parts by name, with enclosed volume, area and triangles. Lengths in mm. */
export interface OtherPart {
  readonly name: string;
  readonly volume: number;
  readonly area: number;
  readonly triangles: number;
  /** Longest sides of all triangles together: by so much times a shift of the corners the area may change. */
  readonly sides: number;
  readonly colour?: string;
}
const hex = (c: ArrayLike<number>): string =>
  `#${[0, 1, 2]
    .map((k) =>
      Math.round(255 * c[k])
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;
function measured(name: string, p: ArrayLike<number>, indices: ArrayLike<number>, scale: number, colour?: string): OtherPart {
  let [volume, area, sides] = [0, 0, 0];
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => [0, 1, 2].map((d) => scale * p[3 * indices[t + k] + d]));
    const u = b.map((x, d) => x - a[d]);
    const v = c.map((x, d) => x - a[d]);
    const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    area += Math.hypot(...n) / 2;
    sides += Math.max(Math.hypot(...u), Math.hypot(...v), Math.hypot(...u.map((x, d) => x - v[d])));
    volume += (a[0] * n[0] + a[1] * n[1] + a[2] * n[2]) / 6;
  }
  return { name, volume, area, triangles: indices.length / 3, sides, colour };
}

interface OcctMesh {
  name: string;
  color?: number[];
  attributes: { position: { array: number[] } };
  index: { array: number[] };
  brep_faces?: { color?: number[] }[];
}
/** The colour of all faces, where they have the same. */
const colours = (m: OcctMesh): string | undefined => {
  const all = new Set((m.brep_faces ?? []).map((f) => f.color && hex(f.color)));
  return all.size === 1 ? [...all][0] : undefined;
};
interface OcctNode {
  name: string;
  meshes: number[];
  children: OcctNode[];
}
interface OcctReader {
  ReadStepFile(d: Uint8Array, o: object): { success: boolean; root: OcctNode; meshes: OcctMesh[] };
  ReadIgesFile(d: Uint8Array, o: object): { success: boolean; root: OcctNode; meshes: OcctMesh[] };
}
let occt: Promise<OcctReader> | undefined;
let [surfacesRead, trianglesRead] = [0, 0];
/** Files after which a library is begun anew: what it holds is never given back. */
const ANEW = 40;
/** Surfaces read by an exchange library compiled apart from our kernel; names are the way down to the part. */
export async function otherSurfaces(data: Uint8Array, format: 'step' | 'iges', chord = 0.01): Promise<OtherPart[]> {
  if (surfacesRead++ % ANEW === 0) occt = undefined;
  occt ??= occtimportjs({ print() {}, printErr() {} }) as Promise<OcctReader>;
  const o = await occt;
  const how = { linearUnit: 'millimeter', linearDeflectionType: 'absolute_value', linearDeflection: chord };
  const log = console.log;
  console.log = () => {};
  const r = format === 'step' ? o.ReadStepFile(data, how) : o.ReadIgesFile(data, how);
  console.log = log;
  if (!r.success) throw new Error('the other library cannot read the file');
  const out: OtherPart[] = [];
  const walk = (n: OcctNode, path: readonly string[]): void => {
    const here = n.name ? [...path, n.name] : path;
    const meshes = n.meshes.map((k) => {
      const m = r.meshes[k];
      return measured('', m.attributes.position.array, m.index.array, 1, m.color && hex(m.color));
    });
    if (meshes.length)
      out.push({
        name: here.join(' / '),
        volume: meshes.reduce((s, m) => s + m.volume, 0),
        area: meshes.reduce((s, m) => s + m.area, 0),
        triangles: meshes.reduce((s, m) => s + m.triangles, 0),
        sides: meshes.reduce((s, m) => s + m.sides, 0),
        colour: meshes[0].colour ?? colours(r.meshes[n.meshes[0]]),
      });
    for (const c of n.children) walk(c, here);
  };
  walk(r.root, []);
  return out;
}

interface AssimpScene {
  rootnode: AssimpNode;
  meshes: { name?: string; vertices: number[]; faces: number[][]; materialindex: number }[];
  materials?: { properties: { key: string; value: unknown }[] }[];
}
interface AssimpNode {
  name: string;
  meshes?: number[];
  children?: AssimpNode[];
  transformation?: number[];
}
interface AssimpLibrary {
  FileList: new () => { AddFile(name: string, data: Uint8Array): void };
  ConvertFileList(
    list: object,
    to: string,
  ): { IsSuccess(): boolean; GetErrorCode(): string; GetFile(i: number): { GetContent(): Uint8Array } };
}
let assimp: Promise<AssimpLibrary> | undefined;
/** Triangles read by a mesh library of others, in the numbers of the file times `scale`; nodes keep their places. */
export async function otherTriangles(
  name: string,
  data: Uint8Array,
  scale = 1,
  beside: readonly { name: string; data: Uint8Array }[] = [],
): Promise<OtherPart[]> {
  if (trianglesRead++ % ANEW === 0) assimp = undefined;
  assimp ??= (assimpjs as () => Promise<AssimpLibrary>)();
  const a = await assimp;
  const list = new a.FileList();
  list.AddFile(name, data);
  for (const b of beside) list.AddFile(b.name, b.data);
  let r: ReturnType<AssimpLibrary['ConvertFileList']>;
  try {
    r = a.ConvertFileList(list, 'assjson');
  } catch (e) {
    assimp = undefined;
    // it breaks on some PLY files: another one reads them
    if (!name.endsWith('.ply')) throw e;
    const g = new PLYLoader().parse(data.slice().buffer);
    return [measured('', g.getAttribute('position').array, g.getIndex()?.array ?? [], scale)];
  }
  if (!r.IsSuccess()) throw new Error(`the other library cannot read the file: ${r.GetErrorCode()}`);
  const scene = JSON.parse(
    // the library does not escape what stands in names
    new TextDecoder().decode(r.GetFile(0).GetContent()).replace(/\\(?!["\\/bfnrtu])/g, '\\\\'),
  ) as AssimpScene;
  const out: OtherPart[] = [];
  const walk = (n: AssimpNode, above: readonly number[]): void => {
    const m = n.transformation ?? [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
    const at = Array.from({ length: 16 }, (_, i) => [0, 1, 2, 3].reduce((s, k) => s + above[4 * (i >> 2) + k] * m[4 * k + (i & 3)], 0));
    for (const k of n.meshes ?? []) {
      const mesh = scene.meshes[k];
      const p = new Float64Array(mesh.vertices.length);
      for (let i = 0; i < p.length; i += 3)
        for (let d = 0; d < 3; d++)
          p[i + d] =
            at[4 * d] * mesh.vertices[i] + at[4 * d + 1] * mesh.vertices[i + 1] + at[4 * d + 2] * mesh.vertices[i + 2] + at[4 * d + 3];
      const colour = scene.materials?.[mesh.materialindex]?.properties.find((x) => x.key === '$clr.diffuse')?.value as number[] | undefined;
      out.push(measured(n.name, p, mesh.faces.flat(), scale, colour && hex(colour)));
    }
    for (const c of n.children ?? []) walk(c, at);
  };
  walk(scene.rootnode, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
  return out;
}
