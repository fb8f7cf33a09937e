import { transformBody } from '../brep/index.ts';
import { type Affine, applyPoint } from '../math/index.ts';
import { transformCurve } from '../nurbs/index.ts';
import type { Piece } from './pieces.ts';

/** Any piece under an affine map. */
export function transformPiece(p: Piece, map: Affine): Piece {
  switch (p.kind) {
    case 'curve':
      return { ...p, curves: p.curves.map((c) => transformCurve(c, map)) };
    case 'point':
      return { ...p, point: applyPoint(map, p.point) };
    case 'plane': {
      const o = applyPoint(map, p.frame.origin);
      const dir = (v: readonly [number, number, number]) => {
        const q = applyPoint(map, [p.frame.origin[0] + v[0], p.frame.origin[1] + v[1], p.frame.origin[2] + v[2]]);
        const d = [q[0] - o[0], q[1] - o[1], q[2] - o[2]] as const;
        const l = Math.hypot(...d) || 1;
        return [d[0] / l, d[1] / l, d[2] / l] as const;
      };
      const [x, y] = [dir(p.frame.x), dir(p.frame.y)];
      return { ...p, frame: { origin: o, x, y, z: [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]] } };
    }
    case 'skin':
    case 'solid':
      return { ...p, body: transformBody(p.body, map) };
    case 'scan': {
      const positions = new Float64Array(p.mesh.positions.length);
      for (let i = 0; i < positions.length; i += 3) positions.set(applyPoint(map, [p.mesh.positions[i], p.mesh.positions[i + 1], p.mesh.positions[i + 2]]), i);
      return { ...p, mesh: { ...p.mesh, positions } };
    }
  }
}
