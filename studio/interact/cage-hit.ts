import { edgeName, pointOf } from '@ample-skin/core/cage';
import type { Vec3 } from '@ample-skin/core/math';
import type { CageKind } from '../state/state.ts';
import type { OpenCage } from './caging.ts';
import type { Place, Stage } from './mode.ts';

/** Pixels within which a vertex and an edge are taken. */
const VERTEX = 11;
const EDGE = 8;
/** Share of the depth by which a place may lie behind the surface and still count as seen. */
const BEHIND = 1e-4;

interface Seen {
  readonly x: number;
  readonly y: number;
  readonly depth: number;
}
const projected = (stage: Stage, o: OpenCage, pane: number): Seen[] =>
  Array.from({ length: o.cage.shape.vertices }, (_, v) => stage.project(pointOf(o.cage.points, v), pane));

/** Does nothing of the cage stand in front of a place? */
function inFront(stage: Stage, o: OpenCage, at: Seen, pane: number): boolean {
  const hit = stage.hits(at.x, at.y, { face: false, edge: false, vertex: false, piece: () => false, cage: o.piece })[0];
  return !hit || stage.project(hit.point, pane).depth >= at.depth - BEHIND;
}

/** The nearest of the cage's own faces under the pointer: where they reach beyond the smooth surface. */
function besideSurface(o: OpenCage, at: Place, seen: readonly Seen[]): { name: string; point: Vec3 } | undefined {
  const { shape: s } = o.cage;
  let best: { face: number; depth: number } | undefined;
  for (let f = 0; f < s.faces; f++) {
    const own = [...s.corners.subarray(s.faceStart[f], s.faceStart[f + 1])].map((v) => seen[v]);
    if (own.some((q) => q.depth >= 1)) continue;
    let inside = false;
    own.forEach((p, i) => {
      const q = own[(i + 1) % own.length];
      if (p.y > at.y !== q.y > at.y && at.x < ((q.x - p.x) * (at.y - p.y)) / (q.y - p.y) + p.x) inside = !inside;
    });
    const depth = own.reduce((sum, q) => sum + q.depth, 0) / own.length;
    if (inside && (!best || depth < best.depth)) best = { face: f, depth };
  }
  if (!best) return undefined;
  const own = [...s.corners.subarray(s.faceStart[best.face], s.faceStart[best.face + 1])].map((v) => pointOf(o.cage.points, v));
  const point = [0, 1, 2].map((k) => own.reduce((sum, p) => sum + p[k] / own.length, 0)) as unknown as Vec3;
  return { name: o.cage.faceNames[best.face], point };
}

/** The vertex, edge or face under the pointer, by name; what lies behind the cage is not taken. */
export function cageHit(stage: Stage, o: OpenCage, at: Place, kind: CageKind): { name: string; point: Vec3 } | undefined {
  const pane = stage.paneAt(at.x, at.y);
  const { cage: c } = o;
  if (kind === 'face') {
    const hit = stage.hits(at.x, at.y, { face: true, edge: false, vertex: false, piece: () => false, cage: o.piece })[0];
    if (hit) return { name: hit.pick.part?.name ?? '', point: hit.point };
    return besideSurface(o, at, projected(stage, o, pane));
  }
  const seen = projected(stage, o, pane);
  const near: { index: number; pixels: number; at: Seen; point: Vec3 }[] = [];
  if (kind === 'vertex') {
    seen.forEach((q, v) => {
      const pixels = Math.hypot(q.x - at.x, q.y - at.y);
      if (pixels < VERTEX && q.depth < 1) near.push({ index: v, pixels, at: q, point: pointOf(c.points, v) });
    });
  } else
    for (let e = 0; e < c.shape.edges; e++) {
      const h = c.shape.edgeHalf[e];
      const [v, w] = [c.shape.corners[h], c.shape.corners[c.shape.next[h]]];
      const [a, b] = [seen[v], seen[w]];
      if (a.depth >= 1 || b.depth >= 1) continue;
      const [dx, dy] = [b.x - a.x, b.y - a.y];
      const l = dx * dx + dy * dy;
      const t = l > 0 ? Math.min(1, Math.max(0, ((at.x - a.x) * dx + (at.y - a.y) * dy) / l)) : 0;
      const q = { x: a.x + t * dx, y: a.y + t * dy, depth: a.depth + t * (b.depth - a.depth) };
      const pixels = Math.hypot(q.x - at.x, q.y - at.y);
      if (pixels < EDGE) {
        const [p, r] = [pointOf(c.points, v), pointOf(c.points, w)];
        near.push({ index: e, pixels, at: q, point: p.map((x, k) => x + t * (r[k] - x)) as unknown as Vec3 });
      }
    }
  near.sort((a, b) => a.pixels - b.pixels || a.at.depth - b.at.depth);
  const found = near.slice(0, 12).find((n) => inFront(stage, o, n.at, pane));
  return found && { name: kind === 'vertex' ? c.vertexNames[found.index] : edgeName(c, found.index), point: found.point };
}

/** Everything of a kind whose vertices all lie in a rectangle of the screen, seen or not. */
export function cageInside(stage: Stage, o: OpenCage, a: Place, b: Place, kind: CageKind): string[] {
  const pane = stage.paneAt(a.x, a.y);
  const { cage: c } = o;
  const [x0, x1, y0, y1] = [Math.min(a.x, b.x), Math.max(a.x, b.x), Math.min(a.y, b.y), Math.max(a.y, b.y)];
  const inside = projected(stage, o, pane).map((q) => q.depth < 1 && q.x >= x0 && q.x <= x1 && q.y >= y0 && q.y <= y1);
  if (kind === 'vertex') return c.vertexNames.filter((_, v) => inside[v]);
  if (kind === 'face')
    return c.faceNames.filter((_, f) => c.shape.corners.subarray(c.shape.faceStart[f], c.shape.faceStart[f + 1]).every((v) => inside[v]));
  const out: string[] = [];
  for (let e = 0; e < c.shape.edges; e++) {
    const h = c.shape.edgeHalf[e];
    if (inside[c.shape.corners[h]] && inside[c.shape.corners[c.shape.next[h]]]) out.push(edgeName(c, e));
  }
  return out;
}
