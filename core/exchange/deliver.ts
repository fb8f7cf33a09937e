import {
  type Body,
  type CallOptions,
  combineBodies,
  connectedFaces,
  extentsOf,
  KernelError,
  type KernelService,
  massProperties,
  rimChains,
  topologyOf,
} from '../brep/index.ts';
import { formatNumber } from '../math/index.ts';
import { arcLength } from '../nurbs/index.ts';
import { Budget, FILE_LIMITS } from './budget.ts';
import { type Format, formatOf, type SpaceFormat } from './formats.ts';
import { readIges } from './iges.ts';
import { MeshBuilder, type TriangleMesh } from './mesh.ts';
import { meshMeasures, type OutMesh, outMeshes } from './out-mesh.ts';
import type { OutPart } from './out-part.ts';
import { readScan } from './scan.ts';
import { readStep, solidVolume, writeStep } from './step.ts';
import { writeStl } from './stl.ts';
import { writeIges } from './write-iges.ts';
import { type OutUnit, UNIT_MM, write3mf, writeGlb, writeObj, writePly } from './write-meshes.ts';

export const isExact = (f: SpaceFormat): boolean => f === 'step' || f === 'iges';
/** Keeps single precision only. */
const SINGLE: ReadonlySet<SpaceFormat> = new Set(['stl', 'gltf']);

export interface DeliverOptions {
  readonly format: SpaceFormat;
  /** File name without its ending. */
  readonly stem: string;
  readonly schema?: 'AP214' | 'AP242';
  readonly unit?: OutUnit;
  /** Largest chord error of triangles, mm. */
  readonly chord?: number;
  /** A file for each part instead of one for all. */
  readonly apart?: boolean;
}
/** One thing that was measured in the model and again in the file that was read back. */
export interface Compared {
  readonly what: string;
  readonly unit: string;
  readonly model: number;
  readonly file: number;
  /** Largest difference that counts as the same; 0 for counts. */
  readonly limit: number;
}
export interface Delivered {
  readonly name: string;
  readonly type: string;
  readonly data: Uint8Array;
  readonly compared: readonly Compared[];
  /** Beside it, what the file needs: materials. */
  readonly companions: readonly { readonly name: string; readonly type: string; readonly data: Uint8Array }[];
}
export type Delivery =
  | { readonly ok: true; readonly files: readonly Delivered[]; readonly notes: readonly string[] }
  | { readonly ok: false; readonly message: string };

/** What is out of its limit, in words; nothing when model and file are the same. */
export const differences = (rows: readonly Compared[]): string[] =>
  rows
    .filter((r) => !(Math.abs(r.file - r.model) <= r.limit))
    .map((r) => `${r.what} ${formatNumber(r.file, 6)} instead of ${formatNumber(r.model, 6)}${r.unit ? ` ${r.unit}` : ''}`);

/** Why a part cannot go into a format, in words that follow its name. */
export function unfit(p: OutPart, format: SpaceFormat): string | undefined {
  if (p.mesh && isExact(format)) return 'is a mesh and has no surfaces: export it as 3MF, STL, OBJ, PLY or glTF';
  if (p.curves && format !== 'iges') return `is a curve, which ${labelOf(format)} files of ours do not hold: export it as IGES, SVG or DXF`;
  return undefined;
}
const formatBy = (format: SpaceFormat): Format => formatOf(`x.${format === 'gltf' ? 'glb' : format}`) as Format;
const labelOf = (format: SpaceFormat): string => formatBy(format).label;

/**
 * Pieces as files: written, read back by our reader and compared (counts, area, volume, rims, extents). A file that differs is not handed
 * over: the message tells in what.
 */
export async function deliver(
  parts: readonly OutPart[],
  options: DeliverOptions,
  kernel: KernelService,
  call?: CallOptions,
): Promise<Delivery> {
  for (const p of parts) {
    const why = unfit(p, options.format);
    if (why) return { ok: false, message: `"${p.name}" ${why}` };
  }
  if (!parts.some((p) => p.body?.faces.length || p.mesh?.indices.length || p.curves?.length))
    return { ok: false, message: 'There is nothing to write: pick at least one piece with a shape' };
  const sets = options.apart ? parts.map((p) => ({ stem: `${options.stem} ${p.name}`, parts: [p] })) : [{ stem: options.stem, parts }];
  const files: Delivered[] = [];
  const notes: string[] = [];
  const taken = new Map<string, number>();
  for (const s of sets) {
    const stem = freeName(fileStem(s.stem), taken);
    const made = await (isExact(options.format) ? exactFile(s.parts, stem, options, kernel, call) : meshFile(s.parts, stem, options)).catch(
      (e: Error): Made => {
        // a kernel that was cancelled, hangs or dies is the caller's affair; its refusal is an answer
        if (!(e instanceof KernelError) || e.kind !== 'refused') throw e;
        return { ok: false, message: e.message };
      },
    );
    if (!made.ok) return made;
    const off = differences(made.file.compared);
    if (off.length)
      return { ok: false, message: `The file "${made.file.name}" reads back with another ${off.join('; ')}. It was not written` };
    files.push(made.file);
    notes.push(...made.notes.filter((n) => !notes.includes(n)));
  }
  return { ok: true, files, notes };
}
/** A name that file systems take. */
export const fileStem = (s: string): string =>
  s
    .replace(/[\u0000-\u001f<>:"/\\|?*]+/g, ' ')
    .replace(/\s+/g, ' ')
    .trim()
    .slice(0, 120) || 'part';
function freeName(stem: string, taken: Map<string, number>): string {
  const n = (taken.get(stem.toLowerCase()) ?? 0) + 1;
  taken.set(stem.toLowerCase(), n);
  return n > 1 ? `${stem} ${n}` : stem;
}

type Made = { ok: true; file: Delivered; notes: readonly string[] } | { ok: false; message: string };
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

async function exactFile(
  parts: readonly OutPart[],
  stem: string,
  options: DeliverOptions,
  kernel: KernelService,
  call: CallOptions | undefined,
): Promise<Made> {
  const bodies = parts.flatMap((p) => (p.body?.faces.length ? [{ ...p, body: p.body }] : []));
  const curves = parts.flatMap((p) => p.curves ?? []);
  let data: Uint8Array;
  let back: { parts: readonly { body: Body; name: string }[]; length: number; notes: readonly string[] };
  if (options.format === 'step') {
    data = bytes(await writeStep(bodies, kernel, { schema: options.schema, unit: options.unit }, call));
    const r = await readStep(data, kernel, stem, call);
    if (!r.ok) return { ok: false, message: `The written file does not read back: ${r.message}` };
    back = { parts: r.parts, length: 0, notes: r.report.notes };
  } else {
    data = writeIges(parts, { unit: options.unit, title: stem });
    const r = await readIges(data, kernel, stem, call);
    if (!r.ok) return { ok: false, message: `The written file does not read back: ${r.message}` };
    back = { parts: r.parts, length: r.curves.flatMap((c) => c.curves).reduce((s, c) => s + arcLength(c), 0), notes: r.notes };
  }
  const [a, b] = [combineBodies(bodies.map((p) => p.body)), combineBodies(back.parts.map((p) => p.body))];
  const compared: Compared[] = [];
  if (bodies.length) {
    const [m, n] = [massProperties(a), massProperties(b)];
    // of a file of trimmed surfaces all that closes is compared, solid or not
    const closedVolume = (x: Body) => (options.format === 'iges' ? shellVolume(x) : solidVolume(x));
    const v = closedVolume(a);
    const [e, f] = [extentsOf(a), extentsOf(b)];
    const size = Math.hypot(...e.high.map((x, k) => x - e.low[k]));
    const rims = (x: Body) => rimChains(x).length;
    compared.push(
      { what: 'faces', unit: '', model: a.faces.length, file: b.faces.length, limit: 0 },
      // trimmed surfaces do not say whether what closes is a solid
      options.format === 'iges'
        ? { what: 'closed shells', unit: '', model: closedShells(a), file: closedShells(b), limit: 0 }
        : { what: 'solids', unit: '', model: a.solids.length, file: b.solids.length, limit: 0 },
      { what: 'rims', unit: '', model: rims(a), file: rims(b), limit: 0 },
      { what: 'area', unit: 'mm²', model: m.area, file: n.area, limit: 1e-6 * m.area },
      ...(a.solids.length ? [{ what: 'volume', unit: 'mm³', model: v, file: closedVolume(b), limit: 1e-6 * Math.abs(v) }] : []),
      ...extentRows(e.low, e.high, f.low, f.high, 1e-6 * size + 1e-6),
    );
  }
  if (curves.length) {
    const length = curves.reduce((s, c) => s + arcLength(c), 0);
    compared.push({ what: 'length of curves', unit: 'mm', model: length, file: back.length, limit: 1e-6 * length });
  }
  const f = formatBy(options.format);
  return { ok: true, file: { name: `${stem}${f.endings[0]}`, type: f.mime, data, compared, companions: [] }, notes: back.notes };
}
/** Faces of the connected parts without a rim. */
function closedParts(b: Body): number[][] {
  const { uses } = topologyOf(b);
  return connectedFaces(b).filter((faces) => {
    const inside = new Set(faces);
    return !b.edges.some((e, i) => !e.degenerate && uses[i].length === 1 && inside.has(uses[i][0].face));
  });
}
const closedShells = (b: Body): number => closedParts(b).length;
/** Space enclosed by closed parts as they are turned; a closed skin that is inside out counts as much as one that is not. */
function shellVolume(b: Body): number {
  const solid = new Set(b.solids.flat().flatMap((s) => b.shells[s].faces));
  const inSolids = solid.size ? massProperties(b, [...solid]).volume : 0;
  return closedParts(b)
    .filter((f) => !solid.has(f[0]))
    .reduce((sum, f) => sum + Math.abs(massProperties(b, f).volume), inSolids);
}
const extentRows = (
  low: readonly number[],
  high: readonly number[],
  low2: readonly number[],
  high2: readonly number[],
  limit: number,
): Compared[] =>
  ['x', 'y', 'z'].flatMap((axis, k) => [
    { what: `${axis} from`, unit: 'mm', model: low[k], file: low2[k], limit },
    { what: `${axis} to`, unit: 'mm', model: high[k], file: high2[k], limit },
  ]);

async function meshFile(parts: readonly OutPart[], stem: string, options: DeliverOptions): Promise<Made> {
  const { format } = options;
  const single = SINGLE.has(format);
  const made = await outMeshes(parts, options.chord ?? 0.02, single);
  if (!made.ok) return made;
  const { meshes } = made;
  const unit = format === 'gltf' ? 'M' : (options.unit ?? 'MM');
  const f = formatBy(format);
  const { data, companions } = await written(meshes, stem, { ...options, unit });
  const back = await readScan(data, `x${f.endings[0]}`);
  if (!back.ok) return { ok: false, message: `The written file does not read back: ${back.message}` };
  const mm = back.unit?.mm ?? UNIT_MM[unit];
  // files without parts make one of corners that lie on each other, also of different parts
  const [a, b] = [
    togetherAs(format, whole(meshes), UNIT_MM[unit]),
    whole(
      back.parts.map((p) => p.mesh),
      mm,
    ),
  ];
  const [m, n] = [meshMeasures(a), meshMeasures(b)];
  const size = Math.hypot(...[0, 1, 2].map((k) => m.box[k + 3] - m.box[k]));
  const far = Math.max(...m.box.map(Math.abs));
  // places are kept to 24 bits where the format has single precision
  const grain = single ? (format === 'stl' ? far : size) * 2 ** -23 : size * 1e-12;
  const triangles = a.indices.length / 3;
  const closed = m.open === 0;
  const rows: Compared[] = [
    ...(format === 'stl' || format === 'ply' ? [] : [{ what: 'parts', unit: '', model: meshes.length, file: back.parts.length, limit: 0 }]),
    // triangles narrower than the grain lose their area with it
    {
      what: 'triangles',
      unit: '',
      model: triangles,
      file: b.indices.length / 3,
      limit: format === 'gltf' ? Math.floor(0.001 * triangles) : 0,
    },
    { what: 'open edges', unit: '', model: m.open, file: n.open, limit: 0 },
    { what: 'area', unit: 'mm²', model: m.area, file: n.area, limit: 1e-6 * m.area + 4 * grain * Math.sqrt(m.area * triangles) },
    ...(closed
      ? [{ what: 'volume', unit: 'mm³', model: m.volume, file: n.volume, limit: 1e-6 * Math.abs(m.volume) + grain * m.area }]
      : []),
    ...extentRows(m.box.slice(0, 3), m.box.slice(3), n.box.slice(0, 3), n.box.slice(3), grain + 1e-9 * far),
  ];
  return { ok: true, file: { name: `${stem}${f.endings[0]}`, type: f.mime, data, compared: rows, companions }, notes: back.notes };
}
async function written(
  meshes: readonly OutMesh[],
  stem: string,
  o: DeliverOptions & { readonly unit: OutUnit },
): Promise<{ data: Uint8Array; companions: Delivered['companions'] }> {
  const plain = (data: Uint8Array) => ({ data, companions: [] });
  switch (o.format) {
    case 'stl':
      return plain(
        writeStl(o.unit === 'MM' ? meshes : meshes.map((m) => ({ ...m, positions: m.positions.map((x) => x / UNIT_MM[o.unit]) })), stem),
      );
    case 'ply':
      return plain(writePly(meshes, o.unit));
    case '3mf':
      return plain(write3mf(meshes, o.unit, stem));
    case 'gltf':
      return plain(await writeGlb(meshes));
    default: {
      const obj = writeObj(meshes, o.unit, stem);
      return {
        data: bytes(obj.text),
        companions: obj.materials ? [{ name: `${stem}.mtl`, type: 'model/mtl', data: bytes(obj.materials) }] : [],
      };
    }
  }
}
/** Parts as one mesh, each on its own nodes. */
function whole(list: readonly TriangleMesh[], mm = 1): TriangleMesh {
  const positions = new Float64Array(list.reduce((n, m) => n + m.positions.length, 0));
  const indices = new Uint32Array(list.reduce((n, m) => n + m.indices.length, 0));
  let [p, t] = [0, 0];
  for (const m of list) {
    for (let i = 0; i < m.indices.length; i++) indices[t + i] = m.indices[i] + p / 3;
    for (let i = 0; i < m.positions.length; i++) positions[p + i] = mm * m.positions[i];
    p += m.positions.length;
    t += m.indices.length;
  }
  return { positions, indices };
}
/** What a reader of a format without parts makes of a mesh: equal corners are one, triangles that lose their area by it go. */
function togetherAs(format: SpaceFormat, m: TriangleMesh, mm: number): TriangleMesh {
  if (format !== 'stl' && format !== 'ply') return m;
  const builder = new MeshBuilder(new Budget({ ...FILE_LIMITS, elements: 1e8, milliseconds: 1e5 }));
  const kept = (x: number) => (format === 'stl' ? mm * Math.fround(x / mm) : mm * (x / mm));
  const ids = Array.from({ length: m.positions.length / 3 }, (_, i) =>
    builder.node(kept(m.positions[3 * i]), kept(m.positions[3 * i + 1]), kept(m.positions[3 * i + 2])),
  );
  for (let t = 0; t < m.indices.length; t += 3) builder.triangle(ids[m.indices[t]], ids[m.indices[t + 1]], ids[m.indices[t + 2]]);
  return builder.mesh();
}
