import type { Vec3 } from '@ample-skin/core/math';
import type { Pick } from '@ample-skin/core/recipe';
import type { PieceView } from '@ample-skin/engine';
import * as THREE from 'three';
import type { Orbit } from './camera.ts';
import { middle } from './lines.ts';
import { drawnAsLines, type Shown } from './shown.ts';

export interface Hit {
  readonly pick: Pick;
  readonly kind: 'face' | 'edge' | 'vertex' | 'piece';
  readonly point: Vec3;
  readonly label: string;
}
export interface HitFilter {
  readonly face: boolean;
  readonly edge: boolean;
  readonly vertex: boolean;
  readonly piece: (kind: PieceView['kind']) => boolean;
  /** Where a curve lies on an edge, the edge is meant. */
  readonly edgesFirst?: boolean;
  /** The cage whose own faces are picked, by its piece. */
  readonly cage?: string;
  /** Pieces of this step are looked through. */
  readonly skip?: string;
}
interface PickingContext {
  /** Pointer in CSS pixels. */
  readonly x: number;
  readonly y: number;
  readonly filter: HitFilter;
  readonly shown: ReadonlyMap<string, Shown>;
  /** Aimed through the pointer. */
  readonly raycaster: THREE.Raycaster;
  readonly orbit: Orbit;
  readonly project: (p: Vec3) => { x: number; y: number; depth: number };
  /** Is a place cut away by a section? */
  readonly gone?: (p: Vec3) => boolean;
}

/** Everything pickable under the pointer, best first: vertices, edges and curves within a few pixels, then faces from front to back. */
export function findHits({ x, y, filter, shown, raycaster, orbit, project, gone }: PickingContext): Hit[] {
  const faces: { hit: Hit; distance: number }[] = [];
  let front = Infinity;
  const eye = raycaster.ray.origin.clone();
  for (const s of shown.values()) {
    if (!s.group.visible || !s.mesh || s.locked || s.view.step === filter.skip) continue;
    const d = s.view.display;
    const flat = s.net?.flat?.mesh.visible ? s.net.flat : undefined;
    for (const h of raycaster.intersectObject(flat?.mesh ?? s.mesh, false)) {
      const point: Vec3 = [h.point.x, h.point.y, h.point.z];
      if (gone?.(point)) continue;
      if (d?.kind !== 'picture') front = Math.min(front, h.distance);
      const [step, output] = splitKey(s.view.key);
      if (d?.kind === 'body' && (d.cage ? filter.cage === s.view.key : filter.face)) {
        const ranges = flat?.faceRanges ?? d.mesh.faceRanges;
        const index = (h.faceIndex ?? 0) * 3;
        const f = d.faces.findIndex((_, i) => index >= ranges[2 * i] && index < ranges[2 * i] + ranges[2 * i + 1]);
        if (f >= 0)
          faces.push({
            distance: h.distance,
            hit: {
              kind: 'face',
              point,
              label: d.faces[f].name,
              pick: { step, output, part: { kind: 'face', name: d.faces[f].name, near: point as [number, number, number] } },
            },
          });
      }
      if (filter.piece(s.view.kind))
        faces.push({ distance: h.distance + 1e-6, hit: { kind: 'piece', point, label: s.view.key, pick: { step, output } } });
    }
  }
  const near: { hit: Hit; pixels: number }[] = [];
  const visible = (p: Vec3) => eye.distanceTo(new THREE.Vector3(p[0], p[1], p[2])) <= front + 0.02 * orbit.distance || orbit.flat;
  for (const s of shown.values()) {
    if (!s.group.visible || s.locked || s.view.step === filter.skip) continue;
    const [step, output] = splitKey(s.view.key);
    const d = s.view.display;
    const isCurve = drawnAsLines(s.view.kind);
    if (s.view.kind === 'cage') continue;
    if ((filter.edge && !isCurve) || (isCurve && filter.piece(s.view.kind)))
      for (const l of s.lines) {
        const c = closestOnScreen(l, x, y, project);
        if (c.pixels > 8 || !visible(c.point) || gone?.(c.point)) continue;
        const part = isCurve ? undefined : { kind: 'edge' as const, name: l.name, near: middle(l.points, l.origin) };
        near.push({
          pixels: c.pixels + (filter.edgesFirst ? (isCurve ? 3 : 0) : isCurve ? 0 : 0.5),
          hit: { kind: isCurve ? 'piece' : 'edge', point: c.point, label: isCurve ? s.view.key : l.name, pick: { step, output, part } },
        });
      }
    if (filter.vertex && d?.kind === 'body')
      for (const v of d.vertices) {
        const p = project(v.point);
        const pixels = Math.hypot(p.x - x, p.y - y);
        if (pixels < 8 && visible(v.point))
          near.push({
            pixels: pixels - 4,
            hit: {
              kind: 'vertex',
              point: v.point,
              label: v.name,
              pick: { step, output, part: { kind: 'vertex', name: v.name, near: v.point as [number, number, number] } },
            },
          });
      }
    if (d?.kind === 'point' && filter.piece('point')) {
      const p = project(d.point);
      const pixels = Math.hypot(p.x - x, p.y - y);
      if (pixels < 9) near.push({ pixels: pixels - 4, hit: { kind: 'piece', point: d.point, label: s.view.key, pick: { step, output } } });
    }
  }
  near.sort((a, b) => a.pixels - b.pixels);
  faces.sort((a, b) => a.distance - b.distance);
  const out: Hit[] = [];
  const seen = new Set<string>();
  for (const { hit } of [...near, ...faces]) {
    const key = `${hit.pick.step}/${hit.pick.output}/${hit.pick.part?.kind}/${hit.pick.part?.name}/${hit.kind === 'edge' ? hit.pick.part?.near?.map((v) => v.toFixed(3)) : ''}`;
    if (!seen.has(key)) {
      seen.add(key);
      out.push(hit);
    }
  }
  return out;
}
function closestOnScreen(
  { points, origin }: { points: Float32Array; origin: Vec3 },
  x: number,
  y: number,
  project: PickingContext['project'],
): { pixels: number; point: Vec3 } {
  let best: { pixels: number; point: Vec3 } = { pixels: Infinity, point: [0, 0, 0] };
  let last: { x: number; y: number; depth: number } | undefined;
  let lastPoint: Vec3 = [0, 0, 0];
  for (let i = 0; i + 2 < points.length; i += 3) {
    const p: Vec3 = [points[i] + origin[0], points[i + 1] + origin[1], points[i + 2] + origin[2]];
    const q = project(p);
    if (last && q.depth < 1 && last.depth < 1) {
      const [dx, dy] = [q.x - last.x, q.y - last.y];
      const l = dx * dx + dy * dy;
      const t = l > 0 ? Math.min(1, Math.max(0, ((x - last.x) * dx + (y - last.y) * dy) / l)) : 0;
      const pixels = Math.hypot(last.x + t * dx - x, last.y + t * dy - y);
      if (pixels < best.pixels)
        best = {
          pixels,
          point: [
            lastPoint[0] + t * (p[0] - lastPoint[0]),
            lastPoint[1] + t * (p[1] - lastPoint[1]),
            lastPoint[2] + t * (p[2] - lastPoint[2]),
          ],
        };
    }
    last = q;
    lastPoint = p;
  }
  return best;
}

export const splitKey = (key: string): [string, string] => {
  const i = key.indexOf('/');
  return [key.slice(0, i), key.slice(i + 1)];
};
