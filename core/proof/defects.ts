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
} from '../brep/index.ts';
import { boxSize, distance, type Vec3 } from '../math/index.ts';
import { checkNesting, findCrossings, findDoubled } from './crossings.ts';
import { measureRims } from './seams.ts';

export type DefectCode =
  | 'open-rim'
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

const knit = (label: string, tolerance: number): Mend => ({
  label,
  tool: 'knit',
  slot: 'skins',
  takes: 'piece',
  params: tolerance > 0 ? { tolerance: Number(tolerance.toPrecision(2)) } : {},
});
const remove: Mend = { label: 'Remove face', tool: 'remove-faces', slot: 'faces', takes: 'faces', params: {} };

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
  const out = [...edgeDefects(context), ...faceDefects(context), ...spaceDefects(context)];
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
        mend: knit('Knit', 0),
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
        mend: knit('Knit closer', 2 * len),
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
        mend: knit('Knit anew', 1.2 * off.distance),
      });
  });
  return out;
}

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
        mend: remove,
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
          faces: named(i),
          edges: [],
          mend: remove,
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
      faces: named(smaller),
      edges: [],
      mend: remove,
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
        mend: knit('Turn over', 0),
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
