import {
  type Body,
  edgeCurve,
  edgePoint,
  flipBody,
  isWatertight,
  makeSolid,
  massProperties,
  orientConsistently,
  rimChains,
  subBody,
  topologyOf,
  usePoint,
  withShells,
} from '../brep/index.ts';
import { knitBodies } from '../joins/index.ts';
import { distance, formatNumber, length, type Vec3 } from '../math/index.ts';
import { closestOnCurve } from '../nurbs/index.ts';
import { type Defect, findDefects } from '../proof/index.ts';
import { outwardFlux } from '../skins/index.ts';
import { alignParts } from './align-parts.ts';
import { letGo } from './let-go.ts';
import { type Filled, fillOpenings, middleOf } from './openings.ts';
import { dropTinyEdges } from './tiny-edges.ts';

/** What is repaired, in the order in which it is done. */
export type RepairKind = 'doubled' | 'slivers' | 'gaps' | 'tiny' | 'flipped' | 'openings';
export const REPAIR_KINDS: readonly RepairKind[] = ['doubled', 'slivers', 'gaps', 'tiny', 'flipped', 'openings'];
export interface RepairOptions {
  readonly kinds: ReadonlySet<RepairKind>;
  /** Only what lies at this place; everywhere when left out. */
  readonly near?: Vec3;
  /** Nothing moves by more than this, mm. */
  readonly most: number;
  readonly tolerance: number;
  /** Names of new faces begin with it. */
  readonly name: string;
  readonly pause?: () => void;
}
/** One thing that was changed, where, and how far it moved what was there (mm; 0 when nothing moved). */
export interface Change {
  readonly kind: RepairKind | 'solid';
  readonly message: string;
  readonly place: Vec3;
  readonly by: number;
}
export interface Refused {
  readonly message: string;
  readonly place: Vec3;
}
export interface Repaired {
  readonly body: Body;
  readonly changes: readonly Change[];
  /** Openings that stay, because what their rims suggest would go wrong. */
  readonly refused: readonly Refused[];
  /** What was found before, and what is left. */
  readonly found: readonly Defect[];
  readonly left: readonly Defect[];
}

/**
 * Faults of a skin or solid mended: faces that are there twice or are slivers go; parts that lie beside their place are moved back and
 * knitted; short edges are drawn together; outsides agree; what is open is capped or patched. Nothing moves by more than was agreed to,
 * and every change is told with its place.
 */
export function mendFaults(given: Body, o: RepairOptions): Repaired {
  const changes: Change[] = [];
  const refused: Refused[] = [];
  const found = findDefects(given, o.tolerance);
  const here = (p: Vec3): boolean => !o.near || distance(p, o.near) < 10 * o.tolerance + 1e-6;
  let body: Body = { ...given, solids: [] };
  const solid = given.solids.length > 0;
  const drop = (kind: 'doubled' | 'slivers', codes: readonly string[], text: (d: Defect) => string) => {
    const list = found.filter((d) => codes.includes(d.code) && here(d.place));
    const faces = new Set<number>();
    for (const d of list) {
      const f = d.faces[0]?.index;
      if (f === undefined || faces.has(f)) continue;
      faces.add(f);
      changes.push({ kind, message: text(d), place: d.place, by: 0 });
    }
    return faces;
  };
  const gone = new Set<number>();
  if (o.kinds.has('doubled'))
    for (const f of drop('doubled', ['duplicate-face', 'doubled-faces'], (d) => `Face ${d.faces[0].name} was there twice: one went`))
      gone.add(f);
  if (o.kinds.has('slivers')) for (const f of drop('slivers', ['sliver-face'], (d) => `${d.message}: it went`)) gone.add(f);
  if (gone.size)
    body = subBody(
      body,
      body.faces.map((_, i) => i).filter((i) => !gone.has(i)),
    );
  o.pause?.();
  if (o.kinds.has('gaps')) body = closeGaps(body, o, here, changes);
  o.pause?.();
  if (o.kinds.has('tiny')) {
    const r = dropTinyEdges(body, Math.min(o.most, Math.max(2 * o.tolerance, 1e-6)));
    body = r.body;
    for (const d of r.dropped)
      changes.push({ kind: 'tiny', message: `An edge of ${formatNumber(d.length, 5)} mm became a corner`, place: d.at, by: d.length / 2 });
  }
  if (o.kinds.has('flipped')) {
    const r = orientConsistently(body);
    body = r.body;
    for (const f of r.flipped)
      changes.push({ kind: 'flipped', message: `Face ${body.faces[f].name} was turned over`, place: placeOf(body, f), by: 0 });
  }
  o.pause?.();
  if (o.kinds.has('openings')) {
    const r = fillSoundly(body, o);
    body = r.body;
    changes.push(...r.filled.map((f): Change => ({ kind: 'openings', by: 0, ...f })));
    refused.push(...r.refused);
  }
  body = withShells(body);
  if (outwardFlux(body) < 0) body = flipBody(body);
  if (isWatertight(body) && (solid || o.kinds.has('openings'))) {
    const s = makeSolid(body);
    // a skin that closes over faults is no solid: it stays a skin, and the faults are told
    const left = s.ok ? findDefects(s.body, o.tolerance) : [];
    if (s.ok && (solid || !left.some((d) => d.severity === 'error'))) {
      if (!solid)
        changes.push({
          kind: 'solid',
          message: 'The skin is closed: it became a solid',
          place: massProperties(s.body, undefined, true).centre,
          by: 0,
        });
      return { body: s.body, changes, refused, found, left };
    }
  }
  return { body, changes, refused, found, left: findDefects(body, o.tolerance) };
}
/** Fillings that run through other faces, lie on them or miss their rim are taken back: the shape that was there cannot be told from the rim. */
function fillSoundly(b: Body, o: RepairOptions): { body: Body; filled: readonly Filled[]; refused: Refused[] } {
  const refused: Refused[] = [];
  const ours = (d: Defect) => d.severity === 'error' && d.faces.some((f) => f.name.startsWith(`${o.name}:fill`));
  // each round bars one opening or more
  for (let round = 0; round < 30; round++) {
    const r = fillOpenings(
      b,
      o.tolerance,
      o.name,
      o.near,
      refused.map((x) => x.place),
    );
    if (!r.filled.length) return { ...r, refused: [...refused, ...untold(r.body, o, refused)] };
    o.pause?.();
    const wrong = findDefects(withShells({ ...r.body, solids: [] }), o.tolerance).filter(ours);
    const bad = r.filled.filter((f) => wrong.some((d) => d.faces.some((x) => f.faces.includes(x.name))));
    if (!bad.length) return { ...r, refused: [...refused, ...untold(r.body, o, refused)] };
    for (const f of bad) {
      const why = wrong.find((d) => d.faces.some((x) => f.faces.includes(x.name)));
      refused.push({
        message: `An opening stays: filled as its rim suggests, ${why?.message}. Draw its shape with a blend, a loft or a patch`,
        place: f.place,
      });
    }
  }
  return { body: b, filled: [], refused };
}
/** Rims that nothing was found for. */
function untold(b: Body, o: RepairOptions, told: readonly Refused[]): Refused[] {
  return rimChains(b).flatMap((chain): Refused[] => {
    const place = middleOf(b, chain[0]);
    if (told.some((x) => chain.some((i) => distance(x.place, middleOf(b, i)) < 1e-9))) return [];
    if (o.near && !chain.some((i) => closestOnCurve(edgeCurve(b.edges[i]), o.near as Vec3).distance < 10 * o.tolerance + 1e-6)) return [];
    return [{ message: 'An opening stays: its rim does not tell what was there. Draw its shape with a blend, a loft or a patch', place }];
  });
}
const placeOf = (b: Body, face: number): Vec3 => massProperties(b, [face], true).areaCentre;

/** Parts that lie beside their place are moved back; rims within the distance agreed to are joined. */
function closeGaps(b: Body, o: RepairOptions, here: (p: Vec3) => boolean, changes: Change[]): Body {
  const { uses, rims } = topologyOf(b);
  // an edge that its faces do not meet holds them together on paper only
  const loose = new Set<number>();
  b.edges.forEach((e, i) => {
    if (e.degenerate || uses[i].length < 2) return;
    for (const u of uses[i])
      for (let k = 0; k <= 12; k++) {
        const t = e.range[0] + ((e.range[1] - e.range[0]) * k) / 12;
        if (distance(edgePoint(e, t), usePoint(b.faces[u.face], u.use, t)) > o.tolerance) loose.add(i);
      }
  });
  if (!loose.size && !rims.length) return b;
  // what meets within the tolerance belongs together before anything is moved
  const strict = knitBodies(letGo(b, loose), o.tolerance).body;
  const parts = letGo(strict, new Set());
  const { parts: placed, moved } = alignParts(parts, o.most);
  for (const m of moved)
    changes.push({
      kind: 'gaps',
      message: `${parts[m.part].faces.length === 1 ? `Face ${parts[m.part].faces[0].name}` : `A part of ${parts[m.part].faces.length} faces`} lay ${formatNumber(length(m.by), 5)} mm beside its place and was moved back (gap ${short(m.before)} → ${short(m.after)} mm)`,
      place: m.at,
      by: length(m.by),
    });
  // closely first: with a wide reach the short parts of rims beside each other would be drawn together
  let body = knitBodies(placed, o.tolerance).body;
  for (const reach of [o.most / 4, o.most]) {
    const open = topologyOf(body).rims.length;
    if (!open || reach <= o.tolerance) continue;
    const r = knitBodies([body], reach);
    if (topologyOf(r.body).rims.length >= open) continue;
    body = r.body;
    for (const g of r.gaps)
      if (g.gap > o.tolerance && here(g.at))
        changes.push({ kind: 'gaps', message: `A gap of ${short(g.gap)} mm was joined: its seam holds it`, place: g.at, by: g.gap / 2 });
  }
  return body;
}
const short = (x: number) => (x < 1e-6 ? '0' : formatNumber(x, 6));
