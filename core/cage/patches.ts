/**
 * A cage as NURBS surfaces: regular faces merged into large bicubic ones, exact, and one Bézier patch a face around every pole and in every sector
 * between creases (`cap.ts`). Patches and their sides are told by half-edges of the refined cage they were made on, so that what is put together from
 * them shares its edges by construction.
 */
import type { Vec3 } from '../math/index.ts';
import { clipSurface, makeSurface, type NurbsSurface } from '../nurbs/index.ts';
import { pointOf } from './cage.ts';
import { CAP, type CapSettings, type CapTable, capOf, capTable } from './cap.ts';
import type { Fan } from './fan.ts';
import { mergeRegular } from './merge.ts';
import { fanOfSector, isRegularFace, netOfSector, type Sector, sectorsOf, sharpCount, sharpOf } from './sectors.ts';
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
const sectorReady = (c: Refinable, v: number, sector: Sector): boolean => netOfSector(c, fanOfSector(c, v, sector), sector) !== undefined;

/** Faces round a vertex of which a crease ends, or a smooth crease has a single face: what has no patch. */
function troubles(c: Refinable): { message: string; place: Vec3[] } | undefined {
  const darts: Vec3[] = [];
  for (let v = 0; v < c.shape.vertices; v++) if (c.shape.out[v] >= 0 && sharpCount(c, v) === 1) darts.push(pointOf(c.points, v));
  if (darts.length)
    return {
      message:
        'A crease ends inside the cage, and no face can follow it there: carry it on to a border or to another crease, hold its last vertex with a second one, or make it smooth',
      place: darts,
    };
  return undefined;
}

/** The sixteen vertices round a regular face as its bicubic needs them: past a sharp edge stand the images that make it the border of a spline. */
function netOfFace(c: Refinable, h: number): Vec3[][] {
  const { shape: s } = c;
  const P = (v: number): Vec3 => pointOf(c.points, v);
  // corners (x, y) of the face from half-edge h: its origin, then counterclockwise
  const halves = [h, s.next[h], s.next[s.next[h]], s.prev[h]];
  const sharp = halves.map((g) => sharpOf(c, g) > 0);
  const g: (Vec3 | undefined)[][] = Array.from({ length: 4 }, () => Array.from({ length: 4 }, () => undefined));
  const spot = [
    [1, 1],
    [2, 1],
    [2, 2],
    [1, 2],
  ];
  halves.forEach((k, i) => {
    const [x, y] = spot[i];
    g[x][y] = P(s.corners[k]);
  });
  const out = [
    [0, -1],
    [1, 0],
    [0, 1],
    [-1, 0],
  ];
  // over each side that is not sharp: the two far corners of the face there
  halves.forEach((k, i) => {
    if (sharp[i]) return;
    const t = s.twin[k];
    const [dx, dy] = out[i];
    const [a, b] = [spot[i], spot[(i + 1) % 4]];
    // the twin runs from b to a: what follows it leads on from a, outwards
    g[a[0] + dx][a[1] + dy] = P(s.corners[s.next[s.next[t]]]);
    g[b[0] + dx][b[1] + dy] = P(s.corners[s.prev[t]]);
  });
  // past the corners: the vertex across, where both sides go on
  halves.forEach((k, i) => {
    const before = (i + 3) % 4;
    if (sharp[i] || sharp[before]) return;
    const [x, y] = spot[i];
    const [p, q] = [out[i], out[before]];
    // round the corner from the face over side i to the one between the two
    const over = s.next[s.twin[k]];
    const beyond = s.twin[over];
    g[x + p[0] + q[0]][y + p[1] + q[1]] = beyond < 0 ? undefined : P(s.corners[s.prev[beyond]]);
  });
  // images past sharp sides, first along sides, then at corners
  const mirrorOf = (a: Vec3, b: Vec3): Vec3 => [2 * a[0] - b[0], 2 * a[1] - b[1], 2 * a[2] - b[2]];
  halves.forEach((_, i) => {
    if (!sharp[i]) return;
    const [dx, dy] = out[i];
    for (const [x, y] of [spot[i], spot[(i + 1) % 4]]) g[x + dx][y + dy] = mirrorOf(g[x][y] as Vec3, g[x - dx][y - dy] as Vec3);
  });
  halves.forEach((_, i) => {
    const before = (i + 3) % 4;
    const [x, y] = spot[i];
    const [p, q] = [out[i], out[before]];
    const [cx, cy] = [x + p[0] + q[0], y + p[1] + q[1]];
    if (g[cx][cy]) return;
    // along the sharp side that goes on, or past both
    if (sharp[i]) g[cx][cy] = mirrorOf(g[x + q[0]][y + q[1]] as Vec3, g[x + q[0] - p[0]][y + q[1] - p[1]] as Vec3);
    else g[cx][cy] = mirrorOf(g[x + p[0]][y + p[1]] as Vec3, g[x + p[0] - q[0]][y + p[1] - q[1]] as Vec3);
  });
  return g as Vec3[][];
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
  const stop = troubles(cage);
  if (stop) return { ok: false, ...stop };
  let level: Level = { shape: cage.shape, points: cage.points, sharpness: cage.sharpness, pins: cage.pins };
  let steps = 0;
  const further = (): PatchedOrNot | undefined => {
    if (4 * level.shape.faces > MOST)
      return {
        ok: false,
        message: `It would take more than ${MOST} faces: partial sharpness above 4 needs a step of refinement for each, make such edges fully sharp or softer`,
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
      const fan = fanOfSector(level, v, sector);
      const net = netOfSector(level, fan, sector);
      if (!net) continue;
      const table = tableOf(fan, settings);
      if (!(table.leastJacobian > LEAST_JACOBIAN))
        return {
          ok: false,
          message: `A sector of ${faces.length} ${faces.length === 1 ? 'face' : 'faces'} between creases turns too far for its faces: add a face there, or make one of its creases smooth`,
          place: [pointOf(level.points, v)],
        };
      capOf(table, net.data).forEach((flat, i) => {
        const points = Array.from({ length: p + 1 }, (_, a) => Array.from({ length: p + 1 }, (_, b) => pointOf(flat, a * (p + 1) + b)));
        done[faces[i]] = 1;
        patches.push({
          rows: [[sector.halves[i]]],
          surface: makeSurface(p, p, points, knots, knots),
          cap: { vertex: v, sector: k, index: i, of: faces.length, closed: sector.closed },
        });
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
  return { ok: true, level, steps, patches };
}
