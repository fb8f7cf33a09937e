import { bodyBox, deformBody, deformCurve, type SpaceMap } from '../brep/index.ts';
import { cagePoints, withPoints } from '../cage/index.ts';
import type { Vec3 } from '../math/index.ts';
import { controlPoints } from '../nurbs/index.ts';
import type { Piece } from './pieces.ts';

/** Places that tell how far a piece reaches. */
export function placesOf(p: Piece): Vec3[] {
  if (p.kind === 'curve') return p.curves.flatMap((c) => controlPoints(c) as unknown as Vec3[]);
  if (p.kind === 'skin' || p.kind === 'solid') {
    const { min, max } = bodyBox(p.body);
    return [0, 1, 2, 3, 4, 5, 6, 7].map((k): Vec3 => [k & 1 ? max[0] : min[0], k & 2 ? max[1] : min[1], k & 4 ? max[2] : min[2]]);
  }
  if (p.kind === 'scan') {
    const x = p.mesh.positions;
    return Array.from({ length: x.length / 3 }, (_, i): Vec3 => [x[3 * i], x[3 * i + 1], x[3 * i + 2]]);
  }
  if (p.kind === 'cage') return cagePoints(p.cage);
  return [p.kind === 'point' ? p.point : p.frame.origin];
}
/** A piece under a map of space: cages and scans by their vertices, curves and skins refitted within the tolerance, with what they miss. */
export function deformed(p: Piece, map: SpaceMap, tolerance: number): { piece: Piece; deviation: number; beside?: number } {
  if (p.kind === 'curve') {
    const made = p.curves.map((c) => deformCurve(c, map, tolerance));
    return { piece: { ...p, curves: made.map((m) => m.curve), plane: undefined }, deviation: Math.max(...made.map((m) => m.deviation)) };
  }
  if (p.kind === 'skin' || p.kind === 'solid') {
    const r = deformBody(p.body, map, tolerance);
    return { piece: { ...p, body: r.body }, deviation: r.deviation, beside: r.beside };
  }
  if (p.kind === 'point') return { piece: { ...p, point: map(p.point) }, deviation: 0 };
  if (p.kind === 'cage')
    return { piece: { ...p, cage: withPoints(p.cage, Float64Array.from(cagePoints(p.cage).flatMap((q) => [...map(q)]))) }, deviation: 0 };
  if (p.kind === 'scan') {
    const positions = new Float64Array(p.mesh.positions.length);
    for (let i = 0; i < positions.length; i += 3)
      positions.set(map([p.mesh.positions[i], p.mesh.positions[i + 1], p.mesh.positions[i + 2]]), i);
    return { piece: { ...p, mesh: { ...p.mesh, positions } }, deviation: 0 };
  }
  return { piece: p, deviation: 0 };
}
