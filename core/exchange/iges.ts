import {
  type Body,
  combineBodies,
  isWatertight,
  KernelError,
  type KernelService,
  makeSolid,
  orientConsistently,
  sewBodies,
  subBody,
} from '../brep/index.ts';
import { type Affine, applyPoint, compose, IDENTITY, scaling, type Vec3 } from '../math/index.ts';
import { type NurbsCurve, transformCurve } from '../nurbs/index.ts';
import { Budget, BudgetError, CURVE_LIMITS, readingTrouble } from './budget.ts';
import { FACES, igesFace } from './iges-faces.ts';
import { IGES_NAMES, IgesReader, IgesTrouble } from './iges-geometry.ts';
import { OUR_NAME } from './iges-sheet.ts';
import { type IgesEntity, type IgesFile, readIgesText } from './iges-text.ts';
import type { StepPart } from './step.ts';

export interface IgesResult {
  readonly ok: true;
  readonly parts: readonly StepPart[];
  readonly curves: readonly { readonly name: string; readonly curves: readonly NurbsCurve[] }[];
  readonly points: readonly Vec3[];
  readonly unit: string;
  readonly faces: number;
  readonly notes: readonly string[];
}
export type ReadIges = IgesResult | { readonly ok: false; readonly message: string };

const CURVES = new Set([100, 102, 104, 106, 110, 112, 126]);

/** Reads an IGES file: trimmed and bare surfaces are sewn to skins, closed ones to solids; free curves and points come too. Lengths arrive in mm. */
export async function readIges(
  data: Uint8Array,
  kernel: KernelService,
  name = 'Import',
  options?: { signal?: AbortSignal; limit?: number },
  budget = new Budget({ ...CURVE_LIMITS, elements: 1_000_000 }),
): Promise<ReadIges> {
  try {
    return await read(data, kernel, name, options, budget);
  } catch (e) {
    if (e instanceof KernelError) throw e;
    return { ok: false, message: `The IGES file cannot be read: ${readingTrouble(e)}` };
  }
}
/** What an entity gave: faces to be sewn, each with the named groups it stands in, free curves, points. */
interface Found {
  readonly faces: { readonly body: Body; readonly path: readonly string[] }[];
  readonly curves: { name: string; curves: NurbsCurve[] }[];
  readonly points: Vec3[];
}
/** Entities that only serve others, or say nothing about shape. */
const SERVE: ReadonlySet<number> = new Set([102, 108, 123, 124, 141, 142, 186, 190, 308, 314, 402, 404, 406, 410, 502, 504, 508, 514]);

async function read(
  data: Uint8Array,
  kernel: KernelService,
  name: string,
  options: { signal?: AbortSignal; limit?: number } | undefined,
  budget: Budget,
): Promise<ReadIges> {
  const text = readIgesText(data);
  if (!text.ok) return text;
  const { file } = text;
  // files of others are often looser than they say; ours are not
  const tolerance = Math.min(0.02, Math.max(file.sender === OUR_NAME ? 1e-6 : 1e-4, 1.1 * file.resolution));
  const { faces, curves, points, notes } = collect(file, tolerance, budget);
  if (!faces.length && !curves.length && !points.length)
    return { ok: false, message: `The IGES file holds nothing that can be used${notes.length ? `: ${notes[0]}` : ''}` };
  const how: Sewing = { name, tolerance, kernel, options, notes };
  const parts = faces.length ? await partsOf(faces, file.sender === OUR_NAME, how) : [];
  return { ok: true, parts, curves, points, unit: file.unit.name, faces: faces.reduce((n, f) => n + f.body.faces.length, 0), notes };
}

/** Everything in a file that stands for itself, in mm; what could not be read is told and does not cost the rest. */
function collect(file: IgesFile, tolerance: number, budget: Budget): Found & { notes: string[] } {
  const r = new IgesReader(file, budget);
  const mm = scaling([0, 0, 0], file.unit.mm);
  const found: Found = { faces: [], curves: [], points: [] };
  const { faces, curves, points } = found;
  const passed = new Map<number, number>();
  const pathOf = namedGroups(file, r);
  let [hidden, lost] = [0, 0];
  let firstLost = '';
  const instance = (e: IgesEntity, place: Affine, depth: number) => {
    const d = r.get(e.params[1]);
    const k = Number(e.params[5] ?? 1) || 1;
    const t: Vec3 = [Number(e.params[2] ?? 0), Number(e.params[3] ?? 0), Number(e.params[4] ?? 0)];
    const at = compose(place, compose(r.matrix(e.matrix), { m: scaling([0, 0, 0], k).m, t }));
    for (let i = 0; i < r.count(d, 3, 0); i++) take(r.get(d.params[4 + i]), at, depth + 1);
  };
  const take = (e: IgesEntity, place: Affine, depth = 0): void => {
    budget.take(1, 'entities');
    try {
      if (FACES.has(e.type)) {
        const label = r.name(e) ?? (e.label ? `${e.label}${faces.length}` : `face${faces.length + 1}`);
        faces.push({ body: igesFace(r, e, place, mm, label, tolerance), path: pathOf(e.id) });
      } else if (CURVES.has(e.type)) {
        const list = r.curves(e.id).map((c) => transformCurve(c, compose(mm, place)));
        const own = r.name(e) ?? (e.label || `curve ${curves.length + 1}`);
        if (list.length) curves.push({ name: [...pathOf(e.id), own].join(' / '), curves: list });
      } else if (e.type === 116) {
        const map = compose(mm, compose(place, r.matrix(e.matrix)));
        points.push(applyPoint(map, [Number(e.params[1]), Number(e.params[2]), Number(e.params[3])]));
      } else if (e.type === 408 && depth < 16) instance(e, place, depth);
      else if (!SERVE.has(e.type)) passed.set(e.type, (passed.get(e.type) ?? 0) + 1);
    } catch (x) {
      // a fault of one entity, foreseen or not, does not cost the others
      if (!(x instanceof Error) || x instanceof BudgetError) throw x;
      lost++;
      firstLost ||= x instanceof IgesTrouble ? x.message : readingTrouble(x);
    }
  };
  for (const e of file.entities.values()) {
    if (e.use > 0 && e.use !== 2 && e.type !== 408) continue;
    if (e.blanked) hidden++;
    else if (e.subordinate === 0 || e.subordinate === 2 || e.type === 510) take(e, IDENTITY);
  }
  const notes = [
    ...(lost ? [`${lost} ${lost === 1 ? 'entity' : 'entities'} could not be read and were left out; the first: ${firstLost}`] : []),
    ...(hidden ? [`${hidden} hidden entities were left out`] : []),
    ...[...passed].map(([type, n]) => `${n} of type ${type}${IGES_NAMES[type] ? ` (${IGES_NAMES[type]})` : ''} were passed over`),
  ];
  return { ...found, notes };
}

/** The named groups (402) an entity stands in, the outermost first. */
function namedGroups(file: IgesFile, r: IgesReader): (id: number) => readonly string[] {
  const above = new Map<number, number>();
  for (const e of file.entities.values())
    if (e.type === 402 && GROUP_FORMS.has(e.form) && r.name(e) !== undefined)
      for (let k = 0; k < r.count(e, 1, 0); k++) above.set(Number(e.params[2 + k]), e.id);
  return (id) => {
    const path: string[] = [];
    for (let at = above.get(id); at !== undefined && path.length < 16; at = above.get(at)) path.unshift(r.name(r.get(at)) as string);
    return path;
  };
}
const GROUP_FORMS: ReadonlySet<number> = new Set([1, 7, 14, 15]);

interface Sewing {
  readonly name: string;
  readonly tolerance: number;
  readonly kernel: KernelService;
  readonly options: { signal?: AbortSignal; limit?: number } | undefined;
  readonly notes: string[];
}
/**
 * Faces as parts. Those of a named group that close by themselves, and all groups of a file of our own, are parts with that name; the rest
 * is sewn together, whatever groups it stands in.
 */
async function partsOf(faces: Found['faces'], ours: boolean, how: Sewing): Promise<StepPart[]> {
  const groups = new Map<string, Body[]>();
  for (const f of faces) {
    const key = f.path.join(' / ');
    groups.set(key, [...(groups.get(key) ?? []), f.body]);
  }
  const parts: StepPart[] = [];
  const rest: Body[] = groups.get('') ?? [];
  for (const [name, list] of groups) {
    if (!name) continue;
    const whole = await sewn(list, how);
    if (!ours && !isWatertight(whole)) rest.push(...list);
    else parts.push({ name, body: solidOf(whole, name, how) });
  }
  if (!rest.length) return parts;
  const whole = await sewn(rest, how);
  const closed = whole.shells.filter((s) => isWatertight(subBody(whole, s.faces))).flatMap((s) => s.faces);
  const loose: Body[] = whole.shells.filter((s) => !isWatertight(subBody(whole, s.faces))).map((s) => subBody(whole, s.faces));
  if (closed.length) {
    const solid = solidOf(subBody(whole, closed), how.name, how);
    if (solid.solids.length)
      loose.unshift(
        ...solid.solids.map((shells) => {
          const part = subBody(
            solid,
            shells.flatMap((k) => solid.shells[k].faces),
          );
          return { ...part, solids: [part.shells.map((_, k) => k)] };
        }),
      );
    else loose.unshift(...solid.shells.map((s) => subBody(solid, s.faces)));
  }
  return [...parts, ...loose.map((body, i) => ({ name: loose.length > 1 ? `${how.name} ${i + 1}` : how.name, body }))];
}
/** A closed skin as solids, one within another as its void; anything else as it is. */
function solidOf(b: Body, name: string, how: Sewing): Body {
  if (!isWatertight(b)) return b;
  const solid = makeSolid(b);
  if (!solid.ok) how.notes.push(`"${name}" closes, but makes no solid: ${solid.message}`);
  return solid.ok ? solid.body : b;
}
async function sewn(faces: readonly Body[], { tolerance, kernel, options, notes }: Sewing): Promise<Body> {
  const whole = combineBodies([...faces]);
  // a face that meets itself along its seam has to be sewn as well
  if (!whole.faces.length) return whole;
  try {
    return orientConsistently((await sewBodies(kernel, [...faces], tolerance, options)).body).body;
  } catch (e) {
    if (!(e instanceof KernelError) || e.kind !== 'refused') throw e;
    notes.push(`The faces could not be sewn (${e.message}): they are loose; knit them with a wider tolerance`);
    return whole;
  }
}
