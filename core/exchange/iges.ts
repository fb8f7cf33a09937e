import {
  type Body,
  BodyBuilder,
  combineBodies,
  isWatertight,
  KernelError,
  type KernelService,
  makeSolid,
  measuredTolerancesOf,
  orientConsistently,
  sewBodies,
  subBody,
  surfaceBody,
} from '../brep/index.ts';
import {
  type Affine,
  applyPoint,
  compose,
  cross,
  type Frame,
  frameFromNormal,
  IDENTITY,
  scaling,
  sub,
  unit,
  type Vec3,
} from '../math/index.ts';
import { type NurbsCurve, reverseCurve, transformCurve, transformSurface } from '../nurbs/index.ts';
import { Budget, BudgetError, CURVE_LIMITS, readingTrouble } from './budget.ts';
import { type Run, trimmed } from './iges-face.ts';
import { IGES_NAMES, IgesReader, IgesTrouble } from './iges-geometry.ts';
import { type IgesEntity, readIgesText } from './iges-text.ts';
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
  const r = new IgesReader(file, budget);
  const mm = scaling([0, 0, 0], file.unit.mm);
  const notes: string[] = [];
  const left = new Map<number, number>();
  const tolerance = Math.min(0.02, Math.max(1e-4, file.resolution));
  const faces: Body[] = [];
  const curves: { name: string; curves: NurbsCurve[] }[] = [];
  const points: Vec3[] = [];
  let [hidden, lost] = [0, 0];
  let firstLost = '';
  const scaled = (c: NurbsCurve, map: Affine) => transformCurve(c, map);
  const runsOf = (curve: number | string | undefined, image: number | string | undefined, map: Affine): Run[] => {
    // the image is the better source: it lies on the surface by itself
    if (image) return r.curves(image).map((uv) => ({ uv: flat2(uv) }));
    return r.curves(curve).map((c) => ({ space: scaled(c, map) }));
  };
  const faceOf = (e: IgesEntity, place: Affine) => {
    const label = e.label ? `${e.label}${faces.length}` : `face${faces.length + 1}`;
    const map = compose(mm, compose(place, r.matrix(e.matrix)));
    const colour = r.colour(e);
    const keep = (b: Body) => faces.push({ ...b, faces: b.faces.map((f) => ({ ...f, colour })) });
    const flatFace = (frame: Frame, loops: NurbsCurve[][]) => {
      const k = new BodyBuilder(tolerance);
      const uses = loops.map((l) => l.map((c, i) => ({ edge: k.edge(c, `${label}.e${i}`), reversed: false })));
      k.flatFace(frame, uses, label);
      keep(measuredTolerancesOf(k.body()));
    };
    if (e.type === 144) {
      const inner = Array.from({ length: r.count(e, 3, 0) }, (_, i) => e.params[5 + i]);
      const outer = Number(e.params[2] ?? 0) === 1 ? [e.params[4]] : [];
      const frame = r.plane(e.params[1]);
      const boundaries = [...outer, ...inner].map((id) => r.get(id));
      if (frame) {
        flatFace(
          frameUnder(frame, map),
          boundaries.map((c) => r.curves(c.params[4]).map((x) => scaled(x, map))),
        );
        return;
      }
      const exact = r.get(e.params[1]).type === 128;
      const s = transformSurface(r.surface(e.params[1]), map);
      keep(
        trimmed(
          s,
          boundaries.map((c) => runsOf(c.params[4], exact || !c.params[4] ? c.params[3] : undefined, map)),
          label,
          tolerance,
          !outer.length,
        ),
      );
    } else if (e.type === 143) {
      const loops = Array.from({ length: r.count(e, 3, 0) }, (_, i) => {
        const b = r.get(e.params[4 + i]);
        let o = 5;
        return Array.from({ length: r.count(b, 4, 0) }, () => {
          const [curve, sense, count] = [b.params[o], b.params[o + 1], r.count(b, o + 2, 0)];
          const images = Array.from({ length: count }, (_, j) => b.params[o + 3 + j]);
          o += 3 + count;
          const list = r.curves(curve).map((c) => scaled(c, map));
          return { images, list: Number(sense) === 2 ? list.reverse().map(reverseCurve) : list };
        });
      });
      const frame = r.plane(e.params[2]);
      if (frame) {
        flatFace(
          frameUnder(frame, map),
          loops.map((l) => l.flatMap((x) => x.list)),
        );
        return;
      }
      const s = transformSurface(r.surface(e.params[2]), map);
      const exact = r.get(e.params[2]).type === 128;
      keep(
        trimmed(
          s,
          loops.map((l) =>
            l.flatMap((x): Run[] =>
              exact && x.images.length
                ? x.images.flatMap((i) => r.curves(i)).map((uv) => ({ uv: flat2(uv) }))
                : x.list.map((space) => ({ space })),
            ),
          ),
          label,
          tolerance,
          false,
        ),
      );
    } else if (e.type === 510) {
      const loops = Array.from({ length: r.count(e, 2, 0) }, (_, i) => {
        const l = r.get(e.params[4 + i]);
        let o = 2;
        return Array.from({ length: r.count(l, 1, 0) }, () => {
          const [type, list, index, sense, count] = [0, 1, 2, 3, 4].map((j) => Number(l.params[o + j]));
          o += 5 + 2 * count;
          if (type === 1) return [];
          const found = r.curves(r.get(list).params[2 + 5 * (index - 1)]).map((c) => scaled(c, map));
          return sense === 0 ? found.reverse().map(reverseCurve) : found;
        }).flat();
      });
      const frame = r.plane(e.params[1]);
      if (frame) flatFace(frameUnder(frame, map), loops);
      else
        keep(
          trimmed(
            transformSurface(r.surface(e.params[1]), map),
            loops.map((l) => l.map((space) => ({ space }))),
            label,
            tolerance,
            false,
          ),
        );
    } else {
      const s = transformSurface(r.surface(e.id), compose(mm, place));
      keep(surfaceBody(s, { prefix: label, face: (i, j, n, m) => (n * m > 1 ? `${label}.${i}.${j}` : label) }).body);
    }
  };
  const take = (e: IgesEntity, place: Affine, depth = 0): void => {
    budget.take(1, 'entities');
    try {
      if ([118, 120, 122, 128, 143, 144, 510].includes(e.type)) faceOf(e, place);
      else if (CURVES.has(e.type)) {
        const list = r.curves(e.id).map((c) => transformCurve(c, compose(mm, place)));
        if (list.length) curves.push({ name: e.label || `curve ${curves.length + 1}`, curves: list });
      } else if (e.type === 116)
        points.push(
          applyPoint(compose(mm, compose(place, r.matrix(e.matrix))), [Number(e.params[1]), Number(e.params[2]), Number(e.params[3])]),
        );
      else if (e.type === 408 && depth < 16) {
        const d = r.get(e.params[1]);
        const k = Number(e.params[5] ?? 1) || 1;
        const at: Affine = compose(
          place,
          compose(r.matrix(e.matrix), {
            m: scaling([0, 0, 0], k).m,
            t: [Number(e.params[2] ?? 0), Number(e.params[3] ?? 0), Number(e.params[4] ?? 0)],
          }),
        );
        for (let i = 0; i < r.count(d, 3, 0); i++) take(r.get(d.params[4 + i]), at, depth + 1);
      } else if (![102, 108, 123, 124, 141, 142, 186, 190, 308, 314, 402, 404, 406, 410, 502, 504, 508, 514].includes(e.type))
        left.set(e.type, (left.get(e.type) ?? 0) + 1);
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
  if (lost) notes.push(`${lost} ${lost === 1 ? 'entity' : 'entities'} could not be read and were left out; the first: ${firstLost}`);
  if (hidden) notes.push(`${hidden} hidden entities were left out`);
  for (const [type, n] of left) notes.push(`${n} of type ${type}${IGES_NAMES[type] ? ` (${IGES_NAMES[type]})` : ''} were passed over`);
  if (!faces.length && !curves.length && !points.length)
    return { ok: false, message: `The IGES file holds nothing that can be used${notes.length ? `: ${notes[0]}` : ''}` };
  const parts: StepPart[] = [];
  if (faces.length) {
    let sewn = combineBodies(faces);
    if (sewn.faces.length > 1)
      try {
        sewn = orientConsistently((await sewBodies(kernel, faces, tolerance, options)).body).body;
      } catch (e) {
        if (!(e instanceof KernelError) || e.kind !== 'refused') throw e;
        notes.push(`The faces could not be sewn (${e.message}): they are loose; knit them with a wider tolerance`);
      }
    sewn.shells.forEach((shell, i) => {
      const part = subBody(sewn, shell.faces);
      const solid = isWatertight(part) ? makeSolid(part) : undefined;
      if (solid && !solid.ok) notes.push(`Skin ${i + 1} closes, but makes no solid: ${solid.message}`);
      parts.push({ name: sewn.shells.length > 1 ? `${name} ${i + 1}` : name, body: solid?.ok ? solid.body : part });
    });
  }
  return { ok: true, parts, curves, points, unit: file.unit.name, faces: faces.reduce((n, b) => n + b.faces.length, 0), notes };
}

/** A curve of the parameter plane without its third number. */
const flat2 = (c: NurbsCurve): NurbsCurve => {
  if (c.dim === 2) return c;
  const n = c.control.length / 4;
  const control = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) control.set([c.control[4 * i], c.control[4 * i + 1], c.control[4 * i + 3]], 3 * i);
  return { ...c, dim: 2, control };
};
const frameUnder = (f: Frame, map: Affine): Frame => {
  const o = applyPoint(map, f.origin);
  const to = (v: Vec3) => sub(applyPoint(map, [f.origin[0] + v[0], f.origin[1] + v[1], f.origin[2] + v[2]]), o);
  return frameFromNormal(o, cross(to(f.x), to(f.y)), unit(to(f.x)));
};
