import {
  type Body,
  bodyBox,
  edgeCurve,
  faceNormal,
  flatFrame,
  inertiaOf,
  massProperties,
  measuredBox,
  meshBody,
  subBody,
  usedRange,
} from '../brep/index.ts';
import { angleBetween, boxSize, DEG, distance, dot, type Frame, formatNumber, sub, unit, type Vec3 } from '../math/index.ts';
import {
  arcLength,
  closestOnCurve,
  closestOnSurface,
  curvatureAt,
  curvatureOf,
  displayParameters,
  domain,
  endPoint,
  type NurbsCurve,
  planeOf,
  pointAt,
  startPoint,
  surfaceJet,
} from '../nurbs/index.ts';

import { borderFoot, insideFace } from './inside-face.ts';

/** Something that can be measured: a place, curves end to end, faces of a body (all of them for a whole piece), or a plane. */
export type Thing =
  | { readonly kind: 'point'; readonly point: Vec3 }
  | { readonly kind: 'curves'; readonly curves: readonly NurbsCurve[] }
  | { readonly kind: 'faces'; readonly body: Body; readonly faces: readonly number[]; readonly whole: boolean; readonly closed: boolean }
  | { readonly kind: 'plane'; readonly frame: Frame };

export interface MeasuredFact {
  readonly label: string;
  readonly value: string;
  /** In mm, mm², mm³ or degrees. */
  readonly number: number;
  readonly unit: 'mm' | 'mm²' | 'mm³' | '°' | 'g' | 'g·cm²' | '';
  /** Where it was measured: a place, or the two ends of a distance. */
  readonly places?: readonly Vec3[];
}
/** Smaller is what rounding leaves of a zero. */
const ZERO = 1e-9;
const fact = (label: string, measured: number, unit: MeasuredFact['unit'], places?: readonly Vec3[]): MeasuredFact => {
  const number = Math.abs(measured) < ZERO ? 0 : measured;
  return {
    label,
    number,
    unit,
    places,
    value: `${formatNumber(number, unit === '°' ? 4 : 5)}${unit === '°' || !unit ? unit : ` ${unit}`}`,
  };
};
const axes = (p: Vec3, names: readonly string[]): MeasuredFact[] => names.map((n, k) => fact(n, p[k], 'mm'));

/**
 * Everyday facts of what is picked: of one thing its own measures; of two their distance, least and along the axes, and their angle. Mass
 * and moments of inertia are for `density` in g/cm³.
 */
export function factsOf(things: readonly Thing[], density = 1): MeasuredFact[] {
  if (things.length === 1) return own(things[0], density);
  if (things.length === 2) return between(things[0], things[1]);
  const curves = things.flatMap((t) => (t.kind === 'curves' ? t.curves : []));
  const faces = things.flatMap((t) => (t.kind === 'faces' ? [t] : []));
  return [
    fact('picked', things.length, ''),
    ...(curves.length
      ? [
          fact(
            'length, all',
            curves.reduce((s, c) => s + arcLength(c), 0),
            'mm',
          ),
        ]
      : []),
    ...(faces.length
      ? [
          fact(
            'area, all',
            faces.reduce((s, t) => s + massProperties(t.body, t.faces).area, 0),
            'mm²',
          ),
        ]
      : []),
  ];
}

function own(t: Thing, density: number): MeasuredFact[] {
  if (t.kind === 'point') return axes(t.point, ['x', 'y', 'z']);
  if (t.kind === 'plane') return axes(t.frame.origin, ['origin x', 'origin y', 'origin z']);
  if (t.kind === 'curves') {
    const total = t.curves.reduce((s, c) => s + arcLength(c), 0);
    const out = [fact('length', total, 'mm')];
    const round = t.curves.length === 1 ? roundCurve(t.curves[0]) : undefined;
    if (round !== undefined) out.push(fact('radius', round, 'mm'), fact('diameter', 2 * round, 'mm'));
    const [a, b] = [startPoint(t.curves[0]), endPoint(t.curves[t.curves.length - 1])];
    if (distance(a, b) > 1e-9 * total) out.push(fact('end to end', distance(a, b), 'mm', [a, b]));
    return out;
  }
  const m = massProperties(t.body, t.faces);
  const out = [fact('area', m.area, 'mm²')];
  if (t.faces.length === 1) {
    const r = roundFace(t.body, t.faces[0]);
    if (r) out.push(fact(r.word, r.radius, 'mm'));
    const loops = t.body.faces[t.faces[0]].loops.flat();
    out.push(
      fact(
        'border',
        loops.reduce((s, u) => s + (t.body.edges[u.edge].degenerate ? 0 : arcLength(edgeCurve(t.body.edges[u.edge]))), 0),
        'mm',
      ),
    );
  }
  if (t.whole && t.closed) {
    out.push(fact('volume', m.volume, 'mm³'));
    if (m.volumeError > 1e-6 * Math.abs(m.volume)) out.push(fact('volume unsure by', m.volumeError, 'mm³'));
    out.push(...axes(m.centre, ['centre x', 'centre y', 'centre z']));
    out.push(fact('mass', (m.volume * density) / 1000, 'g'));
    // mm^5 times g/cm³ is 1e-3 g·mm², or 1e-5 g·cm²
    const { moments } = inertiaOf(t.body);
    out.push(...moments.map((x, k) => fact(['inertia, least', 'inertia, middle', 'inertia, largest'][k], x * density * 1e-5, 'g·cm²')));
  } else out.push(...axes(m.areaCentre, ['centre x', 'centre y', 'centre z']));
  if (t.whole) {
    const box = measuredBox(t.body);
    out.push(...axes(sub(box.max, box.min), ['size x', 'size y', 'size z']));
  }
  return out;
}

/** Radius of a curve of constant curvature. */
function roundCurve(c: NurbsCurve): number | undefined {
  const [a, b] = domain(c);
  const k = Array.from({ length: 9 }, (_, i) => curvatureAt(c, a + ((b - a) * (i + 0.5)) / 9));
  const mean = k.reduce((s, x) => s + x, 0) / k.length;
  const flat = planeOf([c]);
  if (mean < 1e-9 || !flat || flat.deviation > 1e-6 || k.some((x) => Math.abs(x - mean) > 1e-7 * mean)) return undefined;
  return 1 / mean;
}
/** Radius of a sphere, a cylinder, or the section of a ring: a principal curvature that is the same everywhere. */
function roundFace(b: Body, f: number): { radius: number; word: string } | undefined {
  const face = b.faces[f];
  const [u0, u1, v0, v1] = usedRange(face, b);
  const list = [0.2, 0.5, 0.8].flatMap((x) =>
    [0.2, 0.5, 0.8].map((y) => curvatureOf(surfaceJet(face.surface, u0 + (u1 - u0) * x, v0 + (v1 - v0) * y))),
  );
  const steady = (get: (k: (typeof list)[number]) => number): number | undefined => {
    const first = get(list[0]);
    return list.every((k) => Math.abs(get(k) - first) < 1e-6 * Math.max(Math.abs(first), 1e-6)) ? first : undefined;
  };
  const [low, high] = [steady((k) => k.smallest), steady((k) => k.largest)];
  const curved = (k: number | undefined): k is number => k !== undefined && Math.abs(k) > 1e-9;
  if (curved(low) && curved(high) && Math.abs(low - high) < 1e-6 * Math.abs(low))
    return { radius: 1 / Math.abs(low), word: 'radius (sphere)' };
  const k = curved(low) ? low : curved(high) ? high : undefined;
  if (k === undefined) return undefined;
  return { radius: 1 / Math.abs(k), word: low !== undefined && high !== undefined ? 'radius (cylinder)' : 'radius of section' };
}

/** Direction of a straight curve, normal of something flat. */
function directionOf(t: Thing): { along?: Vec3; normal?: Vec3 } {
  if (t.kind === 'plane') return { normal: t.frame.z };
  if (t.kind === 'curves') {
    const [a, b] = [startPoint(t.curves[0]), endPoint(t.curves[t.curves.length - 1])];
    const total = t.curves.reduce((s, c) => s + arcLength(c), 0);
    return Math.abs(distance(a, b) - total) < 1e-9 * total ? { along: unit(sub(b, a)) } : {};
  }
  if (t.kind === 'faces' && t.faces.length === 1) {
    const f = t.body.faces[t.faces[0]];
    if (!flatFrame(t.body, f)) return {};
    const r = usedRange(f, t.body);
    return { normal: faceNormal(f, (r[0] + r[1]) / 2, (r[2] + r[3]) / 2) };
  }
  return {};
}

function between(a: Thing, b: Thing): MeasuredFact[] {
  const out: MeasuredFact[] = [];
  const near = nearest(a, b);
  if (near) {
    const d = sub(near[1], near[0]);
    out.push(fact('distance', distance(near[0], near[1]), 'mm', near));
    out.push(...['along x', 'along y', 'along z'].map((n, k) => fact(n, Math.abs(d[k]), 'mm')));
  }
  const [p, q] = [directionOf(a), directionOf(b)];
  const [u, v] = [p.along ?? p.normal, q.along ?? q.normal];
  if (u && v) {
    const between = angleBetween(u, v) / DEG;
    const acute = Math.min(between, 180 - between);
    out.push(fact('angle', !!p.along === !!q.along ? acute : 90 - acute, '°'));
    // parallel flat things have one distance, however far apart they lie sideways
    if (acute < 1e-6 && p.normal && q.normal) out.push(fact('between the planes', Math.abs(dot(sub(placeOf(b), placeOf(a)), u)), 'mm'));
  }
  return out;
}
const placeOf = (t: Thing): Vec3 =>
  t.kind === 'plane'
    ? t.frame.origin
    : t.kind === 'point'
      ? t.point
      : t.kind === 'curves'
        ? startPoint(t.curves[0])
        : massProperties(t.body, t.faces, true).areaCentre;

/** A thing as places to start from and a way to the nearest place on it; `hint` is the number of a part (curve, face). */
interface Probe {
  readonly starts: readonly { readonly at: Vec3; readonly hint: number }[];
  readonly foot: (p: Vec3, hint: number) => Vec3;
}
function probeOf(t: Thing): Probe | undefined {
  if (t.kind === 'point') return { starts: [{ at: t.point, hint: 0 }], foot: () => t.point };
  if (t.kind === 'plane') {
    const { origin, z } = t.frame;
    return { starts: [{ at: origin, hint: 0 }], foot: (p) => sub(p, scaled(z, dot(sub(p, origin), z))) };
  }
  if (t.kind === 'curves')
    return {
      starts: t.curves.flatMap((c, hint) => displayParameters(c, arcLength(c) / 400, 0.1).map((x) => ({ at: pointAt(c, x), hint }))),
      foot: (p, hint) => closestOnCurve(t.curves[hint], p).point,
    };
  const b = subBody(t.body, t.faces);
  const size = boxSize(bodyBox(b));
  const mesh = meshBody(b, { chord: size / 300, angle: 0.3, longest: size / 12 });
  const starts: { at: Vec3; hint: number }[] = [];
  b.faces.forEach((_, hint) => {
    const [first, count] = [mesh.faceRanges[2 * hint], mesh.faceRanges[2 * hint + 1]];
    for (const n of new Set(mesh.indices.subarray(first, first + count)))
      starts.push({ at: [mesh.positions[3 * n], mesh.positions[3 * n + 1], mesh.positions[3 * n + 2]], hint });
  });
  return { starts, foot: (p, hint) => closestOnFace(b, hint, p) };
}
const scaled = (v: Vec3, s: number): Vec3 => [v[0] * s, v[1] * s, v[2] * s];

/** Nearest place of a trimmed face: the foot on its surface where that lies inside, else on its border. */
export function closestOnFace(b: Body, face: number, p: Vec3): Vec3 {
  const foot = closestOnSurface(b.faces[face].surface, p);
  if (insideFace(b, face, foot.u, foot.v, foot.point, boxSize(bodyBox(b)) / 100)) return foot.point;
  return borderFoot(b, face, p)?.point ?? foot.point;
}

/** Least distance: from the best pairs of starting places, feet are taken in turn on either thing until they rest. */
function nearest(a: Thing, b: Thing): [Vec3, Vec3] | undefined {
  const [p, q] = [probeOf(a), probeOf(b)];
  if (!p?.starts.length || !q?.starts.length) return undefined;
  const some = <T>(list: readonly T[], most: number) =>
    list.length <= most ? list : list.filter((_, i) => i % Math.ceil(list.length / most) === 0);
  const pairs: { a: Vec3; ha: number; b: Vec3; hb: number; d: number }[] = [];
  for (const x of some(p.starts, 700)) {
    let least: (typeof pairs)[number] | undefined;
    for (const y of some(q.starts, 700)) {
      const d = distance(x.at, y.at);
      if (!least || d < least.d) least = { a: x.at, ha: x.hint, b: y.at, hb: y.hint, d };
    }
    if (least) pairs.push(least);
  }
  pairs.sort((x, y) => x.d - y.d);
  let best: [Vec3, Vec3] | undefined;
  for (const s of pairs.slice(0, 8)) {
    let [x, y] = [s.a, s.b];
    let last = Infinity;
    for (let k = 0; k < 400; k++) {
      y = q.foot(x, s.hb);
      x = p.foot(y, s.ha);
      const d = distance(x, y);
      if (last - d < 1e-13 * (1 + d)) break;
      last = d;
    }
    if (!best || distance(x, y) < distance(best[0], best[1])) best = [x, y];
  }
  return best;
}
