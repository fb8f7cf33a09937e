import {
  type Body,
  bodyBox,
  edgePoint,
  faceNormal,
  isOriented,
  massProperties,
  topologyOf,
  traceTangent,
  usedRange,
  usePoint,
  useUV,
} from '../brep/index.ts';
import { angleBetween, boxSize, DEG, distance, type Vec3 } from '../math/index.ts';
import { checkNesting, findCrossings, findDoubled } from './crossings.ts';
import { lookAtRims } from './rim-defects.ts';
import { measureRims } from './seams.ts';

export type DefectCode =
  | 'open-rim'
  | 'not-joined'
  | 'gap'
  | 'opening'
  | 'pinched-pole'
  | 'crowded-edge'
  | 'tiny-edge'
  | 'sliver-face'
  | 'duplicate-face'
  | 'doubled-faces'
  | 'flipped-face'
  | 'loose-edge'
  | 'crossing-faces'
  | 'bad-nesting'
  | 'shared-space'
  | 'inside-out'
  | 'not-settled'
  | 'second-opinion'
  | 'mesh-solid';
/** A tool that mends a defect, and what it takes: the whole piece, or the faces of the defect. */
export interface Mend {
  readonly label: string;
  readonly tool: string;
  readonly slot: string;
  readonly takes: 'piece' | 'faces';
  readonly params: Readonly<Record<string, unknown>>;
}
export interface Defect {
  readonly code: DefectCode;
  /** An error makes a body invalid; a warning may trouble whoever makes it; a note is for knowing. */
  readonly severity: 'error' | 'warning' | 'note';
  readonly message: string;
  readonly place: Vec3;
  /** Direction from which the place is seen. */
  readonly normal?: Vec3;
  readonly faces: readonly { readonly index: number; readonly name: string; readonly near: Vec3 }[];
  readonly edges: readonly number[];
  readonly mend?: Mend;
}

const KINDS = ['doubled', 'slivers', 'gaps', 'tiny', 'flipped', 'openings'] as const;
/** A repair of one kind, at one place or everywhere, that may move things by `most` mm. */
const repair = (label: string, kind: (typeof KINDS)[number], near?: Vec3, most?: number): Mend => ({
  label,
  tool: 'repair',
  slot: 'piece',
  takes: 'piece',
  params: {
    ...Object.fromEntries(KINDS.map((k) => [k, k === kind])),
    ...(near ? { near } : {}),
    ...(most ? { most: Number(most.toPrecision(2)) } : {}),
  },
});

function edgeLength(b: Body, i: number): number {
  const e = b.edges[i];
  let len = 0;
  let last = edgePoint(e, e.range[0]);
  for (let k = 1; k <= 24; k++) {
    const p = edgePoint(e, e.range[0] + ((e.range[1] - e.range[0]) * k) / 24);
    len += distance(last, p);
    last = p;
  }
  return len;
}
const PLACES = 12;
/** How far an edge is off the faces that use it, mm, measured at 13 places of every use; where, and which face. */
function offFaces(b: Body, edge: number): { distance: number; at: Vec3; face: number } {
  const e = b.edges[edge];
  let worst = { distance: 0, at: edgePoint(e, e.range[0]), face: -1 };
  for (const { face, use } of topologyOf(b).uses[edge])
    for (let k = 0; k <= PLACES; k++) {
      const t = e.range[0] + ((e.range[1] - e.range[0]) * k) / PLACES;
      const p = edgePoint(e, t);
      const d = distance(p, usePoint(b.faces[face], use, t));
      if (d > worst.distance) worst = { distance: d, at: p, face };
    }
  return worst;
}

/** What keeps a body from being a good solid, each with its place, worst first. Lengths in mm; `tolerance` is the model tolerance. */
export function findDefects(b: Body, tolerance: number): Defect[] {
  const size = Math.max(boxSize(bodyBox(b)), 1e-9);
  const facts = b.faces.map((_, i) => massProperties(b, [i], true));
  const facing = (i: number): Vec3 => {
    const r = usedRange(b.faces[i], b);
    return faceNormal(b.faces[i], (r[0] + r[1]) / 2, (r[2] + r[3]) / 2);
  };
  const named = (...list: number[]) => list.map((index) => ({ index, name: b.faces[index].name, near: facts[index].areaCentre }));
  const label = (i: number) => b.faces[i].name || String(i + 1);
  const at = (i: number) => edgePoint(b.edges[i], (b.edges[i].range[0] + b.edges[i].range[1]) / 2);
  const context: Context = { b, tolerance, size, facts, facing, named, label, at };
  const out = [...edgeDefects(context), ...faceDefects(context), ...rimDefects(context), ...spaceDefects(context)];
  const order = { error: 0, warning: 1, note: 2 };
  return out.sort((x, y) => order[x.severity] - order[y.severity]);
}
interface Context {
  readonly b: Body;
  readonly tolerance: number;
  readonly size: number;
  readonly facts: readonly { readonly area: number; readonly areaCentre: Vec3 }[];
  readonly facing: (face: number) => Vec3;
  readonly named: (...faces: number[]) => Defect['faces'];
  readonly label: (face: number) => string;
  readonly at: (edge: number) => Vec3;
}

function edgeDefects({ b, tolerance, size, named, label, at }: Context): Defect[] {
  const out: Defect[] = [];
  const { uses, crowded } = topologyOf(b);
  // a sheet has rims by its nature; a solid must not
  if (b.solids.length)
    for (const r of measureRims(b))
      out.push({
        code: 'open-rim',
        severity: 'error',
        message: `A rim of ${r.length.toFixed(3)} mm is open in a solid`,
        place: r.at,
        faces: [],
        edges: r.edges,
        mend: repair('Close it', 'openings', r.at),
      });
  for (const i of crowded) {
    const place = traceTangent(b.edges[i], (b.edges[i].range[0] + b.edges[i].range[1]) / 2)[0];
    const faces = [...new Set(uses[i].map((u) => u.face))];
    const mend: Mend = { label: 'Remove a face', tool: 'remove-faces', slot: 'faces', takes: 'faces', params: {} };
    out.push({
      code: 'crowded-edge',
      severity: 'error',
      message: `${uses[i].length} faces meet at one edge`,
      place,
      faces: named(...faces.slice(2)),
      edges: [i],
      mend,
    });
  }
  b.edges.forEach((e, i) => {
    if (e.degenerate || !uses[i].length) return;
    const len = edgeLength(b, i);
    if (len < Math.max(2 * tolerance, 1e-6 * size))
      out.push({
        code: 'tiny-edge',
        severity: 'warning',
        message: `An edge of only ${len.toPrecision(2)} mm`,
        place: at(i),
        faces: [],
        edges: [i],
        mend: repair('Make a corner', 'tiny', undefined, Math.max(2 * tolerance, 1.1 * len)),
      });
    const off = offFaces(b, i);
    if (off.distance > tolerance)
      out.push({
        code: 'loose-edge',
        severity: 'error',
        message: `An edge lies ${off.distance.toPrecision(2)} mm off face ${label(off.face)}; ${tolerance} mm is allowed`,
        place: off.at,
        faces: named(off.face),
        edges: [i],
        mend: repair('Bring together', 'gaps', undefined, 1.2 * off.distance),
      });
  });
  return out;
}

/** What rims of a skin tell: faces side by side that are not joined, gaps, and openings that are small beside the skin. */
function rimDefects({ b, tolerance, size, at }: Context): Defect[] {
  if (b.solids.length) return [];
  const r = lookAtRims(b, tolerance, Math.max(20 * tolerance, 2e-3 * size));
  const out: Defect[] = r.gaps.map((g) => ({
    code: 'gap',
    severity: 'warning',
    message: `A rim runs beside another one, ${g.gap.toPrecision(2)} mm apart at the most`,
    place: g.at,
    faces: [],
    edges: [g.edge],
    mend: repair('Bring together', 'gaps', undefined, 1.5 * g.gap),
  }));
  if (r.touching.length)
    out.push({
      code: 'not-joined',
      severity: 'warning',
      message: `${r.touching.length} rims lie on others and are not joined to them`,
      place: at(r.touching[0]),
      faces: [],
      edges: r.touching,
      mend: repair('Join them', 'gaps', undefined, Math.max(2 * tolerance, 1e-4)),
    });
  for (const o of r.openings)
    out.push({
      code: 'opening',
      severity: 'note',
      message: `An opening with a rim of ${o.length.toFixed(3)} mm: small beside the skin, something may be missing`,
      place: o.at,
      faces: [],
      edges: o.edges,
      mend: repair('Fill it', 'openings', o.at),
    });
  return out;
}

/** Poles at which the normals of the surface do not agree, degrees; undefined where they do. */
function pinchOf(b: Body, face: number): { angle: number; at: Vec3 } | undefined {
  const f = b.faces[face];
  for (const use of f.loops.flat()) {
    const e = b.edges[use.edge];
    if (!e.degenerate) continue;
    const [r0, r1, q0, q1] = usedRange(f, b);
    const middle = [(r0 + r1) / 2, (q0 + q1) / 2];
    const normals = Array.from({ length: 9 }, (_, k) => {
      const uv = useUV(f, use, e.range[0] + ((e.range[1] - e.range[0]) * k) / 8);
      return faceNormal(f, uv[0] + 1e-3 * (middle[0] - uv[0]), uv[1] + 1e-3 * (middle[1] - uv[1]));
    });
    const angle = Math.max(...normals.flatMap((n, i) => normals.slice(i + 1).map((m) => angleBetween(n, m)))) / DEG;
    if (angle > PINCH) return { angle, at: b.vertices[e.start].point };
  }
  return undefined;
}
/** Normals at a pole that differ by more than this are told, degrees. */
const PINCH = 5;

function faceDefects({ b, tolerance, size, facts, facing, named, label }: Context): Defect[] {
  const out: Defect[] = [];
  const doubles = new Set<string>();
  b.faces.forEach((f, i) => {
    const around = f.loops.flat().reduce((s, u) => s + (b.edges[u.edge].degenerate ? 0 : edgeLength(b, u.edge)), 0);
    const width = around > 0 ? (2 * facts[i].area) / around : 0;
    if (width < Math.max(5 * tolerance, 2e-5 * size))
      out.push({
        code: 'sliver-face',
        severity: 'warning',
        message: `Face ${label(i)} is a sliver, about ${width.toPrecision(2)} mm wide`,
        place: facts[i].areaCentre,
        normal: facing(i),
        faces: named(i),
        edges: [],
        mend: repair('Take it out', 'slivers', facts[i].areaCentre),
      });
    const pinch = pinchOf(b, i);
    if (pinch)
      out.push({
        code: 'pinched-pole',
        severity: 'note',
        message: `Face ${label(i)} is pinched at a pole: normals beside it differ by ${pinch.angle.toFixed(1)}°. Trim the tip off and patch it`,
        place: pinch.at,
        faces: named(i),
        edges: [],
      });
    for (let j = 0; j < i; j++)
      if (
        Math.abs(facts[i].area - facts[j].area) < 1e-6 * facts[i].area &&
        distance(facts[i].areaCentre, facts[j].areaCentre) < 10 * tolerance &&
        facts[i].area > 0
      ) {
        doubles.add(`${j},${i}`);
        out.push({
          code: 'duplicate-face',
          severity: 'error',
          message: `Faces ${label(j)} and ${label(i)} are the same twice`,
          place: facts[i].areaCentre,
          normal: facing(i),
          faces: named(i, j),
          edges: [],
          mend: repair('Keep one', 'doubled', facts[i].areaCentre),
        });
      }
  });
  for (const d of findDoubled(b, tolerance)) {
    const [i, j] = d.faces;
    if (doubles.has(`${i},${j}`)) continue;
    const smaller = facts[i].area < facts[j].area ? i : j;
    out.push({
      code: 'doubled-faces',
      severity: 'error',
      message: `Faces ${label(i)} and ${label(j)} lie on each other`,
      place: d.at,
      normal: facing(smaller),
      faces: named(smaller, smaller === i ? j : i),
      edges: [],
      mend: repair('Keep one', 'doubled', d.at),
    });
  }
  if (!isOriented(b)) {
    const { uses, seams } = topologyOf(b);
    const told = new Set<number>();
    for (const e of seams) {
      const [p, q] = uses[e];
      if ((p.use.reversed !== b.faces[p.face].reversed) !== (q.use.reversed !== b.faces[q.face].reversed)) continue;
      const smaller = facts[p.face].area < facts[q.face].area ? p.face : q.face;
      if (told.has(smaller)) continue;
      told.add(smaller);
      out.push({
        code: 'flipped-face',
        severity: 'error',
        message: `Face ${label(smaller)} has its outside turned in`,
        place: facts[smaller].areaCentre,
        normal: facing(smaller),
        faces: named(smaller),
        edges: [],
        mend: repair('Turn over', 'flipped'),
      });
    }
  }
  return out;
}

function spaceDefects({ b, tolerance, facing, named, label }: Context): Defect[] {
  const out: Defect[] = [];
  const crossings = findCrossings(b, tolerance);
  for (const c of crossings.found)
    out.push({
      code: 'crossing-faces',
      severity: 'error',
      message: `Faces ${label(c.faces[0])} and ${label(c.faces[1])} run through each other`,
      place: c.at,
      normal: facing(c.faces[0]),
      faces: named(...c.faces),
      edges: [],
    });
  if (!crossings.complete)
    out.push({
      code: 'not-settled',
      severity: 'note',
      message: 'Not all pairs of faces were looked at: the search for crossings was stopped',
      place: [0, 0, 0],
      faces: [],
      edges: [],
    });
  if (!b.solids.length || topologyOf(b).rims.length) return out;
  const nesting = checkNesting(b);
  for (const w of nesting.wrong) {
    const outward =
      massProperties(
        b,
        b.solids[w.solid].flatMap((s) => b.shells[s].faces),
        true,
      ).volume > 0;
    const code = outward ? 'bad-nesting' : 'inside-out';
    const message = outward ? 'Shells of a solid do not nest: its inside is not bounded once' : 'The solid is inside out';
    out.push({
      code,
      severity: 'error',
      message,
      place: w.at,
      faces: [],
      edges: [],
      mend: { label: 'Close anew', tool: 'close', slot: 'skin', takes: 'piece', params: {} },
    });
  }
  for (const s of nesting.shared)
    out.push({ code: 'shared-space', severity: 'error', message: 'Two solids fill the same space', place: s.at, faces: [], edges: [] });
  return out;
}
