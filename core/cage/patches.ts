/**
 * A cage as NURBS surfaces: regular faces merged into large bicubic ones, exact, and one Bézier patch a face around every pole and in every sector
 * between creases (`cap.ts`). Patches and their sides are told by half-edges of the refined cage they were made on, so that what is put together from
 * them shares its edges by construction.
 */
import type { Vec3 } from '../math/index.ts';
import { clipSurface, makeSurface, type NurbsSurface } from '../nurbs/index.ts';
import { pointOf } from './cage.ts';
import { CAP, type CapSettings, type CapTable, capOf, capTable } from './cap.ts';
import { netOfFace } from './face-net.ts';
import type { Fan } from './fan.ts';
import { gradedFaces } from './graded.ts';
import { hardened } from './hardened.ts';
import { mergeRegular } from './merge.ts';
import { fanOfSector, isHeld, isRegularFace, netOfSector, regularAt, type Sector, sectorsOf, sharpCount } from './sectors.ts';
import { cornersOf } from './shape.ts';
import { type Level, type Refinable, refine } from './subdivide.ts';

export interface Patch {
  /** rows[y][x] = half-edge along +x of the face at (x, y); u runs along x from 0 to the number of faces, v along y. */
  readonly rows: readonly (readonly number[])[];
  readonly surface: NurbsSurface;
  /** Around which vertex of the refined cage, and which face of its sector; nothing for a regular one. */
  readonly cap?: {
    readonly vertex: number;
    readonly sector: number;
    readonly index: number;
    readonly of: number;
    readonly closed: boolean;
  };
}
export interface Patched {
  readonly ok: true;
  readonly level: Level;
  /** Steps of refinement before the patches. */
  readonly steps: number;
  /** Edges and vertices whose partial sharpness is too high to be refined away: taken as fully sharp in `cage`. */
  readonly hardened?: { readonly count: number; readonly above: number; readonly cage: Refinable };
  readonly patches: readonly Patch[];
}
export type PatchedOrNot = Patched | { readonly ok: false; readonly message: string; readonly place: readonly Vec3[] };

export interface PatchOptions {
  /** Degree of the caps, 6 to 9. */
  readonly degree: number;
  /** Steps of refinement beyond those that are needed: caps come closer to the smooth surface. */
  readonly closer: number;
  /** Regular faces put together into large ones. */
  readonly merge: boolean;
}
/** Weights by degree, as measured: the higher the degree, the more the tangent rows may ask. */
export const capSettings = (degree: number): CapSettings => ({ ...CAP, degree, g1: degree >= 8 ? 1e4 : 1e3 });

const tables = new Map<string, CapTable>();
function tableOf(fan: Fan, settings: CapSettings): CapTable {
  const key = JSON.stringify([fan, settings]);
  let t = tables.get(key);
  if (!t) {
    t = capTable(fan, settings);
    tables.set(key, t);
  }
  return t;
}

/** Most faces that are worked on. */
const MOST = 300_000;
/** Share of a map's largest Jacobian below which the patches of a table would fold. */
const LEAST_JACOBIAN = 0.02;

/** What keeps a level from being patched: faces with two poles, or a pole whose ring is not regular yet. */
function readyAt(c: Refinable): boolean {
  const { shape: s } = c;
  const settled = new Map<number, boolean>();
  for (let f = 0; f < s.faces; f++) {
    if (cornersOf(s, f) !== 4) return false;
    if (isRegularFace(c, f)) continue;
    let found = 0;
    for (let h = s.faceStart[f]; h < s.faceStart[f + 1]; h++) {
      const v = s.corners[h];
      let ok = settled.get(h);
      if (ok === undefined) {
        for (const sector of sectorsOf(c, v)) {
          const fine = sectorReady(c, v, sector);
          for (const g of sector.halves) settled.set(g, fine);
        }
        ok = settled.get(h) ?? false;
      }
      if (ok) found++;
    }
    if (found < 1) return false;
  }
  return true;
}
/** A sector whose faces are graded: a corner that is held, a smooth crease with one face on this side, a crease that ends. */
const isGraded = (c: Refinable, v: number, sector: Sector): boolean =>
  isHeld(c, v) || (!sector.closed && (sector.halves.length === 1 || sharpCount(c, v) === 1));
function sectorReady(c: Refinable, v: number, sector: Sector): boolean {
  if (!isGraded(c, v, sector)) return netOfSector(c, fanOfSector(c, v, sector), sector) !== undefined;
  const { shape: s } = c;
  return sector.halves.every(
    (h) => cornersOf(s, s.face[h]) === 4 && [s.next[h], s.next[s.next[h]], s.prev[h]].every((g) => regularAt(c, g)),
  );
}

/** The bicubic spline of a rectangle of regular faces, on [0, columns] x [0, rows]. */
function splineOf(c: Refinable, rows: readonly (readonly number[])[]): NurbsSurface {
  const [nx, ny] = [rows[0].length, rows.length];
  const grid: Vec3[][] = Array.from({ length: nx + 3 }, () => new Array<Vec3>(ny + 3));
  for (let y = 0; y < ny; y++)
    for (let x = 0; x < nx; x++) {
      // only the border of the rectangle needs all sixteen; inside, what is new is one vertex
      const g = netOfFace(c, rows[y][x]);
      for (let a = 0; a < 4; a++) for (let b = 0; b < 4; b++) grid[x + a][y + b] = g[a][b];
    }
  const uniform = (n: number) => Float64Array.from({ length: n + 7 }, (_, i) => i - 3);
  return clipSurface(makeSurface(3, 3, grid, uniform(nx), uniform(ny)), 0, nx, 0, ny);
}

/** All patches of a cage. */
export function patchesOf(cage: Refinable, o: PatchOptions): PatchedOrNot {
  // steps that can be taken at all: each rounds off a sharpness of one
  const above = Math.max(0, Math.floor(Math.log(MOST / Math.max(1, cage.shape.corners.length / 4)) / Math.log(4)) - o.closer);
  const { cage: start, count } = hardened(cage, above);
  let level: Level = { shape: start.shape, points: start.points, sharpness: start.sharpness, pins: start.pins };
  let steps = 0;
  const further = (): PatchedOrNot | undefined => {
    if (4 * level.shape.faces > MOST)
      return {
        ok: false,
        message: `It would take more than ${MOST} faces: the poles of this cage lie too close together for so many faces`,
        place: [],
      };
    level = refine(level);
    steps++;
    return undefined;
  };
  while (!readyAt(level)) {
    if (steps > 12) return { ok: false, message: 'The poles of this cage do not come apart', place: [] };
    const no = further();
    if (no) return no;
  }
  for (let k = 0; k < o.closer; k++) {
    const no = further();
    if (no) return no;
  }
  const { shape: s } = level;
  const settings = capSettings(o.degree);
  const patches: Patch[] = [];
  const regular = Uint8Array.from({ length: s.faces }, (_, f) => (isRegularFace(level, f) ? 1 : 0));
  const rectangles = o.merge
    ? mergeRegular(level, (f) => regular[f] === 1).rectangles.map((r) => r.rows)
    : [...regular].flatMap((r, f) => (r ? [[[s.faceStart[f]]]] : []));
  for (const rows of rectangles) patches.push({ rows, surface: splineOf(level, rows) });
  const done = new Uint8Array(s.faces);
  const p = settings.degree;
  const knots = [...Array(p + 1).fill(0), ...Array(p + 1).fill(1)];
  for (let v = 0; v < s.vertices; v++) {
    if (s.out[v] < 0) continue;
    const list = sectorsOf(level, v);
    for (const [k, sector] of list.entries()) {
      const faces = sector.halves.map((h) => s.face[h]);
      if (faces.some((f) => regular[f] || done[f])) continue;
      const graded = isGraded(level, v, sector);
      if (graded && !sectorReady(level, v, sector)) continue;
      const cap = (index: number) => ({ vertex: v, sector: k, index, of: faces.length, closed: sector.closed, graded });
      if (graded) {
        gradedFaces(level, v, sector.halves).forEach((surface, i) => {
          done[faces[i]] = 1;
          patches.push({ rows: [[sector.halves[i]]], surface, cap: cap(i) });
        });
        continue;
      }
      const fan = fanOfSector(level, v, sector);
      const net = netOfSector(level, fan, sector);
      if (!net) continue;
      const table = tableOf(fan, settings);
      if (!(table.leastJacobian > LEAST_JACOBIAN))
        return {
          ok: false,
          message: `The ${faces.length} faces round a pole have no faces of their own: there are too many of them. Add a ring of faces round it`,
          place: [pointOf(level.points, v)],
        };
      capOf(table, net.data).forEach((flat, i) => {
        const points = Array.from({ length: p + 1 }, (_, a) => Array.from({ length: p + 1 }, (_, b) => pointOf(flat, a * (p + 1) + b)));
        done[faces[i]] = 1;
        patches.push({ rows: [[sector.halves[i]]], surface: makeSurface(p, p, points, knots, knots), cap: cap(i) });
      });
    }
  }
  const left = Array.from({ length: s.faces }, (_, f) => f).filter((f) => !regular[f] && !done[f]);
  if (left.length)
    return {
      ok: false,
      message: `${left.length} ${left.length === 1 ? 'face has' : 'faces have'} no patch: creases meet there in a way that has none`,
      place: left.map((f) => pointOf(level.points, s.corners[s.faceStart[f]])),
    };
  return { ok: true, level, steps, patches, ...(count ? { hardened: { count, above, cage: start } } : {}) };
}
