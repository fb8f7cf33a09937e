import { type Cage, type CageParts, FULL, makeCage, partsOfCage } from '../cage/index.ts';
import type { Vec3 } from '../math/index.ts';
import { Budget, readingTrouble } from './budget.ts';

/** Word for a sharpness that no refinement rounds off. */
const SHARP = 'full';

/**
 * Cages as OBJ: polygons with all their corners, an object for each. What the format has no word for stands in comments that other readers pass over:
 * "#crease a b sharpness" for edges and "#hold a sharpness" for vertices, corners counted as in the file, from one. Places read back as the same
 * doubles, in mm.
 */
export function writeCageObj(cages: readonly { readonly name: string; readonly cage: Cage }[]): string {
  const out = ['# Ample Skin, cages, lengths in mm'];
  let first = 1;
  const sharpness = (s: number): string => (s === FULL ? SHARP : String(s));
  for (const { name, cage } of cages) {
    const parts = partsOfCage(cage);
    out.push(`o ${name.replace(/[\r\n]+/g, ' ').trim() || 'cage'}`);
    for (const p of parts.points) out.push(`v ${p[0]} ${p[1]} ${p[2]}`);
    for (const f of parts.faces) out.push(`f ${f.map((v) => v + first).join(' ')}`);
    for (const e of parts.sharp) out.push(`#crease ${e.ends[0] + first} ${e.ends[1] + first} ${sharpness(e.sharpness)}`);
    for (const [v, s] of parts.pins) out.push(`#hold ${v + first} ${sharpness(s)}`);
    first += parts.points.length;
  }
  return `${out.join('\n')}\n`;
}

export type ReadCages =
  | { readonly ok: true; readonly cages: readonly { readonly name: string; readonly cage: Cage }[]; readonly notes: readonly string[] }
  | { readonly ok: false; readonly message: string };

/** Reads the polygons of an OBJ text as cages, one for each object or group that has faces; creases and held vertices where they are told. */
export function readCageObj(data: Uint8Array, budget = new Budget()): ReadCages {
  try {
    return read(data, budget);
  } catch (e) {
    return { ok: false, message: `The file cannot be read: ${readingTrouble(e)}` };
  }
}
interface Object3 {
  readonly name: string;
  readonly faces: number[][];
}
function read(data: Uint8Array, budget: Budget): ReadCages {
  const text = new TextDecoder().decode(data).replace(/\\\r?\n/g, ' ');
  const points: Vec3[] = [];
  const objects: Object3[] = [{ name: '', faces: [] }];
  const sharp: { ends: [number, number]; sharpness: number }[] = [];
  const pins = new Map<number, number>();
  let [wrong, firstWrong] = [0, 0];
  const bad = (row: number) => {
    wrong++;
    firstWrong ||= row;
  };
  const told = (s: string | undefined): number => (s === SHARP ? FULL : Number(s));
  text.split('\n').forEach((raw, i) => {
    budget.take(1, 'lines');
    const [word, ...rest] = raw.trim().split(/\s+/);
    const corner = (c: string): number => {
      const k = Number.parseInt(c, 10);
      return k < 0 ? points.length + k : k - 1;
    };
    if (word === 'v') {
      const p = rest.slice(0, 3).map(Number);
      if (p.length < 3 || !p.every(Number.isFinite)) bad(i + 1);
      points.push([p[0], p[1], p[2]].map((x) => (Number.isFinite(x) ? x : 0)) as unknown as Vec3);
    } else if (word === 'o' || word === 'g') objects.push({ name: rest.join(' '), faces: [] });
    else if (word === 'f') {
      budget.take(rest.length, 'corners');
      const own = rest.map(corner);
      if (own.length < 3 || own.some((v) => !(v >= 0 && v < points.length))) bad(i + 1);
      else objects[objects.length - 1].faces.push(own);
    } else if (word === '#crease' && rest.length === 3) {
      const [a, b] = rest.slice(0, 2).map(corner);
      const s = told(rest[2]);
      if (a >= 0 && b >= 0 && s >= 0) sharp.push({ ends: [a, b], sharpness: s });
      else bad(i + 1);
    } else if (word === '#hold' && rest.length === 2) {
      const [a, s] = [corner(rest[0]), told(rest[1])];
      if (a >= 0 && s >= 0) pins.set(a, s);
      else bad(i + 1);
    }
  });
  const full = objects.filter((o) => o.faces.length);
  if (!full.length)
    return {
      ok: false,
      message: points.length
        ? `The OBJ file holds ${points.length} points and no faces`
        : 'This is not an OBJ file: it holds neither corners nor faces',
    };
  const cages: { name: string; cage: Cage }[] = [];
  for (const o of full) {
    const place = new Map<number, number>();
    const own: Vec3[] = [];
    const at = (v: number): number => {
      let k = place.get(v);
      if (k === undefined) {
        k = own.push(points[v]) - 1;
        place.set(v, k);
      }
      return k;
    };
    // in the order of the file, so that a cage of ours comes back with its vertices where they were
    for (const v of [...new Set(o.faces.flat())].sort((a, b) => a - b)) at(v);
    const parts: CageParts = {
      points: own,
      faces: o.faces.map((f) => f.map(at)),
      sharp: sharp.flatMap((e) => (e.ends.every((v) => place.has(v)) ? [{ ...e, ends: e.ends.map(at) as [number, number] }] : [])),
      pins: new Map([...pins].flatMap(([v, s]) => (place.has(v) ? [[at(v), s] as const] : []))),
    };
    const made = makeCage(parts);
    if (!made.ok)
      return {
        ok: false,
        message: `${o.name ? `"${o.name}"` : 'The mesh'} is no whole cage: ${made.trouble.message.toLowerCase()}. Bring it in as a scan, or mend it where it was made`,
      };
    cages.push({ name: o.name, cage: made.cage });
  }
  return {
    ok: true,
    cages,
    notes: wrong ? [`${wrong} lines could not be used and were left out; the first is line ${firstWrong}`] : [],
  };
}
