import { transformBody } from '../brep/index.ts';
import { transformCage } from '../cage/index.ts';
import { type Affine, along, applyPoint, applyVector, cross, dot, type Frame, length, unit } from '../math/index.ts';
import { transformCurve } from '../nurbs/index.ts';
import type { Piece } from './pieces.ts';

/** A frame under an affine map, made square again, with the stretch of its x and y. */
function transformFrame(f: Frame, map: Affine): { frame: Frame; stretch: readonly [number, number] } {
  const [a, b] = [applyVector(map, f.x), applyVector(map, f.y)];
  const x = unit(a);
  const y = unit(along(b, x, -dot(b, x)));
  return { frame: { origin: applyPoint(map, f.origin), x, y, z: cross(x, y) }, stretch: [length(a), length(b)] };
}

/** Any piece under an affine map. */
export function transformPiece(p: Piece, map: Affine): Piece {
  switch (p.kind) {
    case 'curve':
      return { ...p, curves: p.curves.map((c) => transformCurve(c, map)), plane: p.plane && transformFrame(p.plane, map).frame };
    case 'point':
      return { ...p, point: applyPoint(map, p.point) };
    case 'plane':
      return { ...p, frame: transformFrame(p.frame, map).frame };
    case 'picture': {
      const r = transformFrame(p.frame, map);
      return { ...p, frame: r.frame, width: p.width * r.stretch[0], height: p.height * r.stretch[1] };
    }
    case 'skin':
    case 'solid':
      return { ...p, body: transformBody(p.body, map) };
    case 'cage':
      return { ...p, cage: transformCage(p.cage, map) };
    case 'scan': {
      const positions = new Float64Array(p.mesh.positions.length);
      for (let i = 0; i < positions.length; i += 3)
        positions.set(applyPoint(map, [p.mesh.positions[i], p.mesh.positions[i + 1], p.mesh.positions[i + 2]]), i);
      return { ...p, mesh: { ...p.mesh, positions } };
    }
  }
}
