import { toRational } from '../brep/chart.ts';
import { type Body, bodyBox, type Edge, type EdgeUse, edgeCurve, type Face, traceBreaks, useUV } from '../brep/index.ts';
import { type Affine, scaling } from '../math/index.ts';
import {
  clipCurve,
  curveOfFit,
  fitFunction,
  type NurbsCurve,
  type NurbsSurface,
  polylineCurve,
  reverseCurve,
  reverseU,
  transformCurve,
  transformSurface,
} from '../nurbs/index.ts';
import { IgesSheet } from './iges-sheet.ts';
import { groupsOf, type OutGroup, type OutPart } from './out-part.ts';

const UNITS = { MM: { flag: 2, mm: 1 }, INCH: { flag: 1, mm: 25.4 }, M: { flag: 6, mm: 1000 } } as const;
export interface WriteIgesOptions {
  readonly unit?: keyof typeof UNITS;
  readonly title?: string;
}

/**
 * The image of an edge in the parameters of its face's surface, in running direction. Where the face keeps a turn (angles) the image is
 * taken over to the parameters of the spline: along a line of constant parameter exactly, elsewhere fitted within 1e-9 of the range.
 */
export function imageOf(f: Face, use: EdgeUse, e: Edge): NurbsCurve {
  const [a, b] = e.range;
  const turned = (c: NurbsCurve) => (use.reversed ? reverseCurve(c) : c);
  const c = use.pcurve;
  if (!f.turnU && !f.turnV) return turned(clipCurve(c.curve, toRational(c.turn, a), toRational(c.turn, b)));
  const at = (t: number) => useUV(f, use, t);
  const [first, last] = [at(a), at(b)];
  const size = Math.max(Math.abs(last[0] - first[0]), Math.abs(last[1] - first[1]), 1e-12);
  const still = (k: 0 | 1) => [0.25, 0.5, 0.75, 1].every((s) => Math.abs(at(a + s * (b - a))[k] - first[k]) < 1e-12 * size);
  if (still(0) || still(1)) return turned(polylineCurve([first, last].map(([u, v]) => [u, v, 0])));
  const fit = fitFunction(
    (t, out) => {
      const [u, v] = at(t);
      out[0] = u;
      out[1] = v;
      out[2] = 0;
    },
    a,
    b,
    3,
    5,
    1e-9 * size,
    traceBreaks(c, a, b),
  );
  return turned(curveOfFit(fit, 5));
}

/** A face whose surface shows its outside by its own normal: readers of trimmed surfaces know no other side. */
function outward(f: Face, images: readonly (readonly NurbsCurve[])[]): { surface: NurbsSurface; images: NurbsCurve[][]; turned: boolean } {
  if (!f.reversed) return { surface: f.surface, images: images.map((l) => [...l]), turned: false };
  const { knotsU, degreeU, countU } = f.surface;
  const ends = knotsU[degreeU] + knotsU[countU];
  const mirrored = (c: NurbsCurve): NurbsCurve => {
    const size = c.dim + 1;
    const control = Float64Array.from(c.control);
    for (let i = 0; i < control.length; i += size) control[i] = ends * control[i + c.dim] - control[i];
    return { ...c, control };
  };
  return {
    surface: reverseU(f.surface),
    images: images.map((l) => [...l].reverse().map((c) => reverseCurve(mirrored(c)))),
    turned: true,
  };
}

/** A face as a trimmed surface (144) with its images and its curves in space. */
function faceOf(sheet: IgesSheet, b: Body, f: Face, colour: number, map: Affine): number {
  const own = outward(
    f,
    f.loops.map((l) => l.map((u) => imageOf(f, u, b.edges[u.edge]))),
  );
  const surface = sheet.surface(transformSurface(own.surface, map));
  const loops = f.loops.map((l, k) => {
    const uses = own.turned ? [...l].reverse() : l;
    return sheet.loop(
      surface,
      own.images[k].map((c) => sheet.curve(c, true)),
      uses.flatMap((u) => {
        const e = b.edges[u.edge];
        if (e.degenerate) return [];
        const c = transformCurve(edgeCurve(e), map);
        return [sheet.curve(u.reversed !== own.turned ? reverseCurve(c) : c)];
      }),
    );
  });
  return sheet.add(144, [surface, 1, loops.length - 1, ...loops], { colour, status: IN_GROUP, name: f.name });
}
/** Status of an entity that belongs to a group, and yet stands for itself. */
const IN_GROUP = '00020000';

/**
 * Pieces as an IGES 5.3 file by our own code: every face as a trimmed spline surface (144 over 128, 142, 126) that shows its outside, free
 * curves as splines (126, 102), pieces and their groups as named groups (402 form 7), colours as shares (314), names as properties (406 form
 * 15). Numbers are written so that they read back as the same doubles; with another unit than mm they are divided once.
 */
export function writeIges(parts: readonly OutPart[], options: WriteIgesOptions = {}): Uint8Array {
  const unit = UNITS[options.unit ?? 'MM'];
  const map = scaling([0, 0, 0], 1 / unit.mm);
  const bodies = parts.flatMap((p) => (p.body ? [p.body] : []));
  const boxes = bodies.filter((b) => b.faces.length).map(bodyBox);
  const loosest = Math.max(1e-6, ...bodies.flatMap((b) => b.edges.map((e) => e.tolerance)));
  const sheet = new IgesSheet({
    unit: unit.flag,
    title: options.title,
    fileName: options.title ? `${options.title}.iges` : undefined,
    resolution: loosest / unit.mm,
    largest: Math.max(1, ...boxes.flatMap((b) => [...b.min, ...b.max].map(Math.abs))) / unit.mm,
  });
  const group = (name: string, members: readonly number[], inside: boolean) =>
    sheet.add(402, [members.length, ...members], { form: 7, status: inside ? IN_GROUP : '00000000', name });
  const partOf = (p: OutPart, inside: boolean): number[] => {
    const out: number[] = [];
    if (p.body?.faces.length) {
      const { body } = p;
      out.push(
        group(
          p.name,
          body.faces.map((f) => faceOf(sheet, body, f, sheet.colour(f.colour ?? p.colour), map)),
          inside,
        ),
      );
    }
    if (p.curves?.length) {
      const status = inside ? IN_GROUP : '00000000';
      const colour = sheet.colour(p.colour);
      const list = p.curves.map((c) => transformCurve(c, map));
      out.push(
        list.length === 1
          ? sheet.curve(list[0], false, { status, name: p.name, colour })
          : sheet.add(102, [list.length, ...list.map((c) => sheet.curve(c))], { status, name: p.name, colour }),
      );
    }
    return out;
  };
  const level = (g: OutGroup, inside: boolean): number[] => [
    ...g.parts.flatMap((i) => partOf(parts[i], inside)),
    ...g.groups.map((x) => group(x.name, level(x, true), inside)),
  ];
  level(groupsOf(parts), false);
  return sheet.bytes();
}
