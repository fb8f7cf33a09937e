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
/** What an entity gave: faces to be sewn, free curves, points. */
interface Found {
  readonly faces: Body[];
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
  const tolerance = Math.min(0.02, Math.max(1e-4, file.resolution));
  const { faces, curves, points, notes } = collect(file, tolerance, budget);
  if (!faces.length && !curves.length && !points.length)
    return { ok: false, message: `The IGES file holds nothing that can be used${notes.length ? `: ${notes[0]}` : ''}` };
  const parts = faces.length ? await sewn(faces, name, tolerance, kernel, options, notes) : [];
  return { ok: true, parts, curves, points, unit: file.unit.name, faces: faces.reduce((n, b) => n + b.faces.length, 0), notes };
}

/** Everything in a file that stands for itself, in mm; what could not be read is told and does not cost the rest. */
function collect(file: IgesFile, tolerance: number, budget: Budget): Found & { notes: string[] } {
  const r = new IgesReader(file, budget);
  const mm = scaling([0, 0, 0], file.unit.mm);
  const found: Found = { faces: [], curves: [], points: [] };
  const { faces, curves, points } = found;
  const passed = new Map<number, number>();
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
        const label = e.label ? `${e.label}${faces.length}` : `face${faces.length + 1}`;
        faces.push(igesFace(r, e, place, mm, label, tolerance));
      } else if (CURVES.has(e.type)) {
        const list = r.curves(e.id).map((c) => transformCurve(c, compose(mm, place)));
        if (list.length) curves.push({ name: e.label || `curve ${curves.length + 1}`, curves: list });
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

/** Faces sewn to skins, closed ones to solids. */
async function sewn(
  faces: readonly Body[],
  name: string,
  tolerance: number,
  kernel: KernelService,
  options: { signal?: AbortSignal; limit?: number } | undefined,
  notes: string[],
): Promise<StepPart[]> {
  let whole = combineBodies([...faces]);
  if (whole.faces.length > 1)
    try {
      whole = orientConsistently((await sewBodies(kernel, [...faces], tolerance, options)).body).body;
    } catch (e) {
      if (!(e instanceof KernelError) || e.kind !== 'refused') throw e;
      notes.push(`The faces could not be sewn (${e.message}): they are loose; knit them with a wider tolerance`);
    }
  return whole.shells.map((shell, i) => {
    const part = subBody(whole, shell.faces);
    const solid = isWatertight(part) ? makeSolid(part) : undefined;
    if (solid && !solid.ok) notes.push(`Skin ${i + 1} closes, but makes no solid: ${solid.message}`);
    return { name: whole.shells.length > 1 ? `${name} ${i + 1}` : name, body: solid?.ok ? solid.body : part };
  });
}
