import { type Body, BodyBuilder, measuredTolerancesOf, surfaceBody } from '../brep/index.ts';
import { type Affine, applyPoint, compose, cross, type Frame, frameFromNormal, sub, unit, type Vec3 } from '../math/index.ts';
import { type NurbsCurve, reverseCurve, transformCurve, transformSurface } from '../nurbs/index.ts';
import { type Run, trimmed } from './iges-face.ts';
import type { IgesReader } from './iges-geometry.ts';
import type { IgesEntity } from './iges-text.ts';

/** Where a face is to lie, what it is called, and how far apart its border may be (mm). */
interface Wanted {
  readonly r: IgesReader;
  /** From the file's lengths and the places of the entity to the model, in mm. */
  readonly map: Affine;
  readonly label: string;
  readonly tolerance: number;
}
type Id = number | string | undefined;

/** Entities that are faces by themselves: bare surfaces and trimmed ones of three kinds. */
export const FACES: ReadonlySet<number> = new Set([118, 120, 122, 128, 143, 144, 510]);

/** The face of an entity, in mm. `scale` takes the file's lengths to mm, `place` is where the entity lies. */
export function igesFace(r: IgesReader, e: IgesEntity, place: Affine, scale: Affine, label: string, tolerance: number): Body {
  const w: Wanted = { r, map: compose(scale, compose(place, r.matrix(e.matrix))), label, tolerance };
  const colour = r.colour(e);
  const body =
    e.type === 144
      ? trimmedSurface(w, e)
      : e.type === 143
        ? boundedSurface(w, e)
        : e.type === 510
          ? shellFace(w, e)
          : bare(w, e, compose(scale, place));
  return { ...body, faces: body.faces.map((f) => ({ ...f, colour })) };
}

const moved = (w: Wanted, c: NurbsCurve): NurbsCurve => transformCurve(c, w.map);
function flatFace(w: Wanted, frame: Frame, loops: readonly (readonly NurbsCurve[])[]): Body {
  const k = new BodyBuilder(w.tolerance);
  const uses = loops.map((l) => l.map((c, i) => ({ edge: k.edge(c, `${w.label}.e${i}`), reversed: false })));
  k.flatFace(frameUnder(frame, w.map), uses, w.label);
  return measuredTolerancesOf(k.body());
}
const onSurface = (w: Wanted, id: Id, loops: readonly Run[][], natural: boolean): Body =>
  trimmed(transformSurface(w.r.surface(id), w.map), [...loops], w.label, w.tolerance, natural);
/** Images in the parameter plane are the better source, where they are those of the surface as it is read: they lie on it by themselves. */
const isExact = (w: Wanted, id: Id): boolean => w.r.get(id).type === 128;

/** 144: an outer boundary (or the surface's own) and inner ones, each a curve on the surface. */
function trimmedSurface(w: Wanted, e: IgesEntity): Body {
  const { r } = w;
  const inner = Array.from({ length: r.count(e, 3, 0) }, (_, i) => e.params[5 + i]);
  const outer = Number(e.params[2] ?? 0) === 1 ? [e.params[4]] : [];
  const frame = r.plane(e.params[1]);
  const boundaries = [...outer, ...inner].map((id) => r.get(id));
  const inSpace = (id: Id) => r.curves(id).map((c) => moved(w, c));
  if (frame)
    return flatFace(
      w,
      frame,
      boundaries.map((c) => inSpace(c.params[4])),
    );
  const exact = isExact(w, e.params[1]);
  const runs = (c: IgesEntity): Run[] => {
    const image = exact || !c.params[4] ? c.params[3] : undefined;
    return image ? r.curves(image).map((uv) => ({ uv: flat2(uv) })) : inSpace(c.params[4]).map((space) => ({ space }));
  };
  return onSurface(w, e.params[1], boundaries.map(runs), !outer.length);
}

/** 143: a surface with boundaries, each a list of curves with their sense and their images. */
function boundedSurface(w: Wanted, e: IgesEntity): Body {
  const { r } = w;
  const loops = Array.from({ length: r.count(e, 3, 0) }, (_, i) => {
    const b = r.get(e.params[4 + i]);
    let o = 5;
    return Array.from({ length: r.count(b, 4, 0) }, () => {
      const [curve, sense, count] = [b.params[o], b.params[o + 1], r.count(b, o + 2, 0)];
      const images = Array.from({ length: count }, (_, j) => b.params[o + 3 + j]);
      o += 3 + count;
      const list = r.curves(curve).map((c) => moved(w, c));
      return { images, list: Number(sense) === 2 ? list.reverse().map(reverseCurve) : list };
    });
  });
  const frame = r.plane(e.params[2]);
  if (frame)
    return flatFace(
      w,
      frame,
      loops.map((l) => l.flatMap((x) => x.list)),
    );
  const exact = isExact(w, e.params[2]);
  const runs = (x: (typeof loops)[number][number]): Run[] =>
    exact && x.images.length ? x.images.flatMap((i) => r.curves(i)).map((uv) => ({ uv: flat2(uv) })) : x.list.map((space) => ({ space }));
  return onSurface(
    w,
    e.params[2],
    loops.map((l) => l.flatMap(runs)),
    false,
  );
}

/** 510: a face of a shell, its loops made of edges in lists. */
function shellFace(w: Wanted, e: IgesEntity): Body {
  const { r } = w;
  const loops = Array.from({ length: r.count(e, 2, 0) }, (_, i) => {
    const l = r.get(e.params[4 + i]);
    let o = 2;
    return Array.from({ length: r.count(l, 1, 0) }, () => {
      const [type, list, index, sense, count] = [0, 1, 2, 3, 4].map((j) => Number(l.params[o + j]));
      o += 5 + 2 * count;
      if (type === 1) return [];
      const found = r.curves(r.get(list).params[2 + 5 * (index - 1)]).map((c) => moved(w, c));
      return sense === 0 ? found.reverse().map(reverseCurve) : found;
    }).flat();
  });
  const frame = r.plane(e.params[1]);
  if (frame) return flatFace(w, frame, loops);
  return onSurface(
    w,
    e.params[1],
    loops.map((l) => l.map((space) => ({ space }))),
    false,
  );
}

/** A surface that nothing trims. */
function bare(w: Wanted, e: IgesEntity, map: Affine): Body {
  const { label } = w;
  const s = transformSurface(w.r.surface(e.id), map);
  return surfaceBody(s, { prefix: label, face: (i, j, n, m) => (n * m > 1 ? `${label}.${i}.${j}` : label) }).body;
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
