import { type Body, BodyBuilder, bodyBox, edgePoint, faceNormal, transformBody, useUV } from '../brep/index.ts';
import { distance, dot, type Frame, frameFromNormal, sub, toWorld, type Vec3, WORLD } from '../math/index.ts';
import { lineCurve } from '../nurbs/index.ts';

/** With this the names of the block's faces begin. */
export const BLOCK = 'block:';

/** A closed block `margin` mm larger than a body on all sides: of those along one of its flat faces, or the axes, the smallest. */
export function blockRound(b: Body, margin: number): Body {
  const fits = [WORLD, ...flatFrames(b).slice(0, 12)].map((frame) => {
    const { x, y, z, origin } = frame;
    const box = bodyBox(transformBody(b, { m: [x, y, z], t: [-dot(x, origin), -dot(y, origin), -dot(z, origin)] }));
    return { frame, box, size: [0, 1, 2].reduce((v, d) => v * (box.max[d] - box.min[d] + 2 * margin), 1) };
  });
  const { frame, box } = fits.reduce((least, x) => (x.size < least.size ? x : least));
  // corner i is high along axis d where its bit d is set
  const along = (i: number, d: number) => ((i >> d) & 1 ? box.max[d] + margin : box.min[d] - margin);
  const corners = Array.from({ length: 8 }, (_, i) => toWorld(frame, [along(i, 0), along(i, 1), along(i, 2)]));
  const k = new BodyBuilder();
  const edges = new Map<number, number>();
  const edge = (p: number, q: number) => {
    const [low, high] = p < q ? [p, q] : [q, p];
    const key = 8 * low + high;
    if (!edges.has(key)) edges.set(key, k.edge(lineCurve(corners[low], corners[high]), `${BLOCK}edge${key}`));
    return { edge: edges.get(key) as number, reversed: p > q };
  };
  const axes = [frame.x, frame.y, frame.z];
  for (const d of [0, 1, 2])
    for (const high of [0, 1]) {
      const [e, f] = [(d + 1) % 3, (d + 2) % 3];
      const base = high << d;
      const ring = [base, base | (1 << e), base | (1 << e) | (1 << f), base | (1 << f)];
      if (!high) ring.reverse();
      const normal: Vec3 = high ? axes[d] : sub([0, 0, 0], axes[d]);
      k.flatFace(frameFromNormal(corners[ring[0]], normal), [ring.map((c, i) => edge(c, ring[(i + 1) % 4]))], `${BLOCK}${2 * d + high}`);
    }
  return k.body();
}
/** Frames in the flat faces of a body, along the chord of their first edge. */
function flatFrames(b: Body): Frame[] {
  return b.faces.flatMap((f): Frame[] => {
    const { surface: s } = f;
    const use = f.loops[0]?.[0];
    if (!use || s.degreeU !== 1 || s.degreeV !== 1 || s.countU !== 2 || s.countV !== 2) return [];
    const e = b.edges[use.edge];
    const [p, q] = e.range.map((t) => edgePoint(e, t));
    return [frameFromNormal(p, faceNormal(f, ...useUV(f, use, e.range[0])), distance(p, q) > 1e-9 ? sub(q, p) : undefined)];
  });
}
