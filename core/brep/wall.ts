import { boxSize, type Vec3 } from '../math/index.ts';
import { curvatureOf, domainU, domainV, surfaceJet } from '../nurbs/index.ts';
import { type Body, bodyBox, type Face } from './body.ts';
import { meshBody } from './mesh.ts';

/**
 * Smallest radius of curvature on the side towards which a wall grows. `inwards` looks against the outside. A wall thicker than this
 * radius would fold over itself at `at`. Looked for at the nodes of a coarse mesh, then followed downhill from the worst nodes of each face.
 */
export function smallestInnerRadius(b: Body, inwards: boolean): { radius: number; at: Vec3 } {
  const mesh = meshBody(b, { chord: boxSize(bodyBox(b)) / 400, angle: 0.4 });
  let best: { radius: number; at: Vec3 } = { radius: Infinity, at: [0, 0, 0] };
  b.faces.forEach((f, i) => {
    if (f.record?.type === 1) return;
    const seen = new Map<number, number>();
    const [first, count] = [mesh.faceRanges[2 * i], mesh.faceRanges[2 * i + 1]];
    for (let t = first; t < first + count; t++) {
      const n = mesh.indices[t];
      if (!seen.has(n)) seen.set(n, bend(f, inwards, mesh.uv[2 * n], mesh.uv[2 * n + 1]));
    }
    const worst = [...seen].sort((a, c) => c[1] - a[1]).slice(0, 3);
    for (const [n] of worst) {
      const r = climb(f, inwards, mesh.uv[2 * n], mesh.uv[2 * n + 1]);
      if (r.bend > 0 && 1 / r.bend < best.radius) best = { radius: 1 / r.bend, at: r.at };
    }
  });
  return best;
}

/** Curvature towards the wall; positive when the surface bends towards it. */
function bend(f: Face, inwards: boolean, u: number, v: number): number {
  const c = curvatureOf(surfaceJet(f.surface, u, v));
  return f.reversed !== inwards ? -c.smallest : c.largest;
}

/** Pattern search for the largest bend near (u, v); steps stay within a fiftieth of the domain, so that trims are hardly left. */
function climb(f: Face, inwards: boolean, u0: number, v0: number): { bend: number; at: Vec3 } {
  const [ua, ub] = domainU(f.surface);
  const [va, vb] = domainV(f.surface);
  let [u, v] = [u0, v0];
  let value = bend(f, inwards, u, v);
  for (let step = 0.02; step > 1e-5; ) {
    let moved = false;
    for (const [du, dv] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      const x = Math.min(ub, Math.max(ua, u + du * step * (ub - ua)));
      const y = Math.min(vb, Math.max(va, v + dv * step * (vb - va)));
      if (Math.abs(x - u0) > 0.02 * (ub - ua) || Math.abs(y - v0) > 0.02 * (vb - va)) continue;
      const next = bend(f, inwards, x, y);
      if (next > value + 1e-12 * Math.abs(value)) {
        [u, v, value, moved] = [x, y, next, true];
      }
    }
    if (!moved) step /= 3;
  }
  return { bend: value, at: surfaceJet(f.surface, u, v).point };
}
