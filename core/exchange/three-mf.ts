import { unzipSync } from 'fflate';
import { type Affine, applyPoint, compose, determinant, IDENTITY, type Vec3 } from '../math/index.ts';
import { Budget } from './budget.ts';
import { MeshBuilder, type ReadScan, type ScanPart } from './mesh.ts';
import { tagsOf } from './xml.ts';

const MM: Record<string, number> = { micron: 0.001, millimeter: 1, centimeter: 10, meter: 1000, inch: 25.4, foot: 304.8 };
const MOST_BYTES = 1 << 28;

interface Thing {
  name: string;
  positions: number[];
  triangles: number[];
  components: { id: string; map: Affine }[];
}
const mapOf = (text: string | undefined): Affine => {
  const v = (text ?? '').trim().split(/\s+/).map(Number);
  if (v.length !== 12 || v.some((x) => !Number.isFinite(x))) return IDENTITY;
  // rows of the file are columns of the map: points stand on the left there
  return {
    m: [
      [v[0], v[3], v[6]],
      [v[1], v[4], v[7]],
      [v[2], v[5], v[8]],
    ],
    t: [v[9], v[10], v[11]],
  };
};

/** Reads a 3MF package: every item of the build as a part with its name, in place; the unit is the file's own. */
export function read3mf(data: Uint8Array, budget = new Budget()): ReadScan {
  let files: Record<string, Uint8Array>;
  let total = 0;
  try {
    files = unzipSync(data, {
      filter: (f) => {
        total += f.originalSize;
        if (total > MOST_BYTES) throw new RangeError('large');
        return /\.(model|rels)$/i.test(f.name);
      },
    });
  } catch (e) {
    return {
      ok: false,
      message:
        e instanceof RangeError ? 'The 3MF package unpacks to more than 256 MB' : 'This is not a 3MF package: it is cut off or damaged',
    };
  }
  const read = (name: string) => {
    const key = Object.keys(files).find((k) => k.toLowerCase() === name.replace(/^\//, '').toLowerCase());
    return key ? new TextDecoder().decode(files[key]) : undefined;
  };
  let main = '3D/3dmodel.model';
  for (const t of tagsOf(read('_rels/.rels') ?? ''))
    if (t.name === 'Relationship' && /3dmodel$/i.test(t.attributes.Type ?? '')) main = t.attributes.Target ?? main;
  if (read(main) === undefined) return { ok: false, message: 'The 3MF package holds no model' };
  const things = new Map<string, Thing>();
  const items: { id: string; map: Affine }[] = [];
  const notes: string[] = [];
  let unit = 'millimeter';
  const done = new Set<string>();
  const load = (path: string) => {
    const file = path.replace(/^\//, '').toLowerCase();
    if (done.has(file)) return;
    done.add(file);
    let now: Thing | undefined;
    const key = (id: string | undefined, other?: string) => `${(other ?? path).replace(/^\//, '').toLowerCase()}#${id}`;
    const wanted: string[] = [];
    for (const { name, open, attributes: a } of tagsOf(read(path) ?? '')) {
      if (!open) continue;
      budget.take(1, 'elements');
      if (name === 'model' && file === main.replace(/^\//, '').toLowerCase()) unit = a.unit ?? unit;
      else if (name === 'object') things.set(key(a.id), (now = { name: a.name ?? '', positions: [], triangles: [], components: [] }));
      else if (name === 'vertex') now?.positions.push(Number(a.x), Number(a.y), Number(a.z));
      else if (name === 'triangle') now?.triangles.push(Number(a.v1), Number(a.v2), Number(a.v3));
      else if (name === 'component' || name === 'item') {
        const other = a['p:path'] ?? a.path;
        if (other) wanted.push(other);
        const entry = { id: key(a.objectid, other), map: mapOf(a.transform) };
        if (name === 'component') now?.components.push(entry);
        else if (file === main.replace(/^\//, '').toLowerCase()) items.push(entry);
      }
    }
    for (const w of wanted) load(w);
  };
  load(main);
  const parts: ScanPart[] = [];
  let [dropped, wrong] = [0, 0];
  const place = (id: string, map: Affine, builder: MeshBuilder, depth: number) => {
    const t = things.get(id);
    if (!t || depth > 32) {
      wrong++;
      return;
    }
    budget.take(t.positions.length / 3 + t.triangles.length / 3 + t.components.length, 'placed parts');
    const nodes = Array.from({ length: t.positions.length / 3 }, (_, i) =>
      builder.node(...(applyPoint(map, t.positions.slice(3 * i, 3 * i + 3) as unknown as Vec3) as [number, number, number])),
    );
    const mirrored = determinant(map) < 0;
    for (let i = 0; i < t.triangles.length; i += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => nodes[t.triangles[i + k]] ?? -1);
      if (mirrored) builder.triangle(a, c, b);
      else builder.triangle(a, b, c);
    }
    for (const c of t.components) place(c.id, compose(map, c.map), builder, depth + 1);
  };
  /** A named object of different named components is a group of parts; any other is one part, whatever it is put together from. */
  const placeItem = (id: string, map: Affine, above: readonly string[]): void => {
    budget.take(1, 'items');
    const t = things.get(id);
    const members = t?.components.map((c) => c.id) ?? [];
    const distinct = new Set(members).size === members.length && members.every((m) => things.get(m)?.name);
    if (t?.name && !t.triangles.length && members.length && distinct && above.length < 16) {
      for (const c of t.components) placeItem(c.id, compose(map, c.map), [...above, t.name]);
      return;
    }
    const builder = new MeshBuilder(budget);
    place(id, map, builder, 0);
    dropped += builder.dropped;
    const mesh = builder.mesh();
    if (mesh.indices.length) parts.push({ name: [...above, t?.name ?? ''].join(' / '), mesh });
  };
  for (const i of items) placeItem(i.id, i.map, []);
  if (!parts.length)
    return { ok: false, message: items.length ? 'The 3MF model holds no triangles' : 'The 3MF model builds nothing: it has no items' };
  if (wrong) notes.push(`${wrong} parts refer to objects that are not in the package`);
  if (dropped) notes.push(`${dropped} triangles without area were left out`);
  if (!MM[unit]) notes.push(`The unit "${unit}" is not known; millimetres were taken`);
  return {
    ok: true,
    parts,
    unit: {
      mm: MM[unit] ?? 1,
      name: { millimeter: 'mm', centimeter: 'cm', meter: 'm', inch: 'in', foot: 'ft', micron: 'µm' }[unit] ?? 'mm',
    },
    notes,
  };
}
