/** Patches of a cage put together as a body: neighbours share their edges because they share half-edges, not because they lie near each other. */
import { type Body, type Edge, type EdgeUse, type Face, type Vertex, withShells } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import { clipCurve, closestOnSurface, domain, isoU, isoV, line2, type NurbsCurve, reverseCurve, surfacePoint } from '../nurbs/index.ts';
import { type Cage, pointOf } from './cage.ts';
import type { Patched } from './patches.ts';
import { isHeld, sharpOf } from './sectors.ts';
import { smoothMesh } from './smooth.ts';

const FINE = 1e-7;

/** One side of a patch: its half-edges in running order, and the surface parameters of the places between them. */
interface Side {
  readonly patch: number;
  readonly halves: readonly number[];
  readonly at: readonly (readonly [number, number])[];
}

/** Face of the cage that a face of the refined cage lies in. */
function facesBelow(cage: Cage, steps: number, faces: number): Uint32Array {
  const out = new Uint32Array(faces);
  if (!steps) return out.map((_, f) => f);
  const share = 4 ** (steps - 1);
  for (let f = 0; f < faces; f++) out[f] = cage.shape.face[Math.floor(f / share)];
  return out;
}

export interface Skin {
  readonly body: Body;
  /** Edges that are creases. */
  readonly sharp: ReadonlySet<number>;
  /** Smooth edges that run into a held corner: the surface comes to a point there, so they have a kink in it and nowhere else. */
  readonly pointed: ReadonlySet<number>;
}
/** The body of patches. Names of faces tell the faces of the cage they lie in. */
export function skinOf(cage: Cage, { level, steps, patches }: Patched, id: string): Skin {
  const sharp = new Set<number>();
  const pointed = new Set<number>();
  const { shape: s } = level;
  const vertices: Vertex[] = [];
  const edges: Edge[] = [];
  const faces: Face[] = [];
  const below = facesBelow(cage, steps, s.faces);
  // a patch is called after the first face of the cage it lies in; several in one face are counted
  const names = patches.map((p) => {
    const list = p.rows.flat().map((h) => cage.faceNames[below[s.face[h]]]);
    return list.reduce((a, b) => (b < a ? b : a));
  });
  const count = new Map<string, number>();
  const faceNames = names.map((n) => {
    const k = (count.get(n) ?? 0) + 1;
    count.set(n, k);
    return `${id}:${n}${k > 1 ? `.${k}` : ''}`;
  });
  const owner = new Int32Array(s.corners.length).fill(-1);
  const place = new Int32Array(s.corners.length);
  const sides: Side[] = [];
  patches.forEach((p, patch) => {
    const [nx, ny] = [p.rows[0].length, p.rows.length];
    const put = (halves: number[], at: [number, number][]) => {
      halves.forEach((h, i) => {
        owner[h] = sides.length;
        place[h] = i;
      });
      sides.push({ patch, halves, at });
    };
    const up = Array.from({ length: nx + 1 }, (_, x) => x);
    const along = Array.from({ length: ny + 1 }, (_, y) => y);
    const first = p.rows[0];
    const last = p.rows[ny - 1];
    put(
      [...first],
      up.map((x) => [x, 0]),
    );
    put(
      p.rows.map((r) => s.next[r[nx - 1]]),
      along.map((y) => [nx, y]),
    );
    put(
      [...last].reverse().map((h) => s.next[s.next[h]]),
      up.map((x) => [nx - x, ny]),
    );
    put(
      [...p.rows].reverse().map((r) => s.prev[r[0]]),
      along.map((y) => [0, ny - y]),
    );
  });
  const vertexOf = new Map<number, number>();
  const corner = (v: number, patch: number, [u, w]: readonly [number, number]): number => {
    let i = vertexOf.get(v);
    if (i === undefined) {
      i = vertices.push({ point: surfacePoint(patches[patch].surface, u, w), tolerance: FINE }) - 1;
      vertexOf.set(v, i);
    }
    return i;
  };
  /** The curve along a side between two of its places, run as the side runs. */
  const curveOf = (side: Side, from: number, to: number): NurbsCurve => {
    const { surface } = patches[side.patch];
    const [[u0, v0], [u1, v1]] = [side.at[from], side.at[to]];
    if (v0 === v1) return u0 < u1 ? clipCurve(isoV(surface, v0), u0, u1) : reverseCurve(clipCurve(isoV(surface, v0), u1, u0));
    return v0 < v1 ? clipCurve(isoU(surface, u0), v0, v1) : reverseCurve(clipCurve(isoU(surface, u0), v1, v0));
  };
  const edgeAt = new Int32Array(s.corners.length).fill(-1);
  const edgeNames = new Map<string, number>();
  const nameEdge = (a: string, b: string): string => {
    const base = a < b ? `${a}|${b}` : `${b}|${a}`;
    const k = (edgeNames.get(base) ?? 0) + 1;
    edgeNames.set(base, k);
    return k > 1 ? `${base}#${k}` : base;
  };
  patches.forEach((p, patch) => {
    const uses: EdgeUse[] = [];
    for (const side of sides.slice(4 * patch, 4 * patch + 4)) {
      const n = side.halves.length;
      const same = (i: number): boolean => {
        const [h, g] = [side.halves[i], side.halves[i + 1]];
        const [t, w] = [s.twin[h], s.twin[g]];
        if (t < 0 || w < 0) return t < 0 && w < 0;
        return owner[t] === owner[w] && place[w] === place[t] - 1 && sharpOf(level, h) === sharpOf(level, g);
      };
      for (let from = 0; from < n; ) {
        let to = from + 1;
        while (to < n && same(to - 1)) to++;
        const [h, end] = [side.halves[from], side.halves[to - 1]];
        const t = s.twin[end];
        const known = t >= 0 ? edgeAt[t] : -1;
        if (known >= 0) {
          const [t0, t1] = edges[known].range;
          uses.push({ edge: known, reversed: true, pcurve: { curve: line2(side.at[to], side.at[from], t0, t1) } });
        } else {
          const curve = curveOf(side, from, to);
          const range = domain(curve);
          const other = t >= 0 ? faceNames[sides[owner[t]].patch] : 'rim';
          edges.push({
            curve,
            range,
            start: corner(s.corners[h], patch, side.at[from]),
            end: corner(s.corners[s.next[end]], patch, side.at[to]),
            tolerance: FINE,
            name: nameEdge(faceNames[patch], other),
          });
          edgeAt[h] = edges.length - 1;
          if (sharpOf(level, h) > 0) sharp.add(edges.length - 1);
          else if (isHeld(level, s.corners[h]) || isHeld(level, s.corners[s.next[end]])) pointed.add(edges.length - 1);
          uses.push({ edge: edges.length - 1, reversed: false, pcurve: { curve: line2(side.at[from], side.at[to], ...range) } });
        }
        from = to;
      }
    }
    faces.push({ surface: p.surface, loops: [uses], reversed: false, name: faceNames[patch], tolerance: FINE });
  });
  return { body: withShells({ vertices, edges, faces, shells: [], solids: [] }), sharp, pointed };
}

/** Steps of refinement whose vertices the caps are compared with. */
const LOOK = 2;
/**
 * How far the smooth surface stands off the caps, mm: places of it in every face at a pole (the limits of vertices two steps on), each to the nearest
 * place on the caps of that pole. Regular faces are exact.
 */
export function capsOff({ level, patches }: Patched): { most: number; place?: Vec3; looked: number } {
  const byPole = new Map<number, Patched['patches'][number][]>();
  for (const p of patches)
    if (p.cap) {
      const list = byPole.get(p.cap.vertex) ?? [];
      list.push(p);
      byPole.set(p.cap.vertex, list);
    }
  if (!byPole.size) return { most: 0, looked: 0 };
  const mesh = smoothMesh(level, LOOK);
  let [most, looked] = [0, 0];
  let place: Vec3 | undefined;
  const share = 4 ** LOOK;
  for (const list of byPole.values())
    for (const own of list) {
      // quads of the face this patch stands for: those of its four half-edges
      const f = level.shape.face[own.rows[0][0]];
      const seen = new Set<number>();
      for (let q = (share / 4) * level.shape.faceStart[f]; q < (share / 4) * level.shape.faceStart[f + 1]; q++)
        for (let k = 0; k < 4; k++) seen.add(mesh.shape.corners[4 * q + k]);
      for (const v of seen) {
        const p = pointOf(mesh.positions, v);
        let off = closestOnSurface(own.surface, p).distance;
        if (off > most)
          for (const other of list) {
            if (other === own) continue;
            off = Math.min(off, closestOnSurface(other.surface, p).distance);
          }
        looked++;
        if (off > most) [most, place] = [off, p];
      }
    }
  return { most, place, looked };
}
