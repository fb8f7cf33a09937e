import { earsOf } from '../exchange/mesh.ts';
import { angleBetween, cross, sub, type Vec3 } from '../math/index.ts';
import { type Cage, makeCage, pointOf } from './cage.ts';
import type { Edited } from './edits.ts';
import { cornersOf } from './shape.ts';
import { smoothMesh } from './smooth.ts';

interface Triangles {
  readonly positions: ArrayLike<number>;
  readonly indices: ArrayLike<number>;
}

/**
 * Triangles as a cage: two that share a side become a quad where they fold by less than `flat` degrees, the squarest pairs first; what is left over
 * stays a triangle. A mesh that was cut out of quads comes back as those.
 */
export function quadsOf(m: Triangles, flat: number): Edited {
  const count = m.indices.length / 3;
  const P = (i: number): Vec3 => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]];
  const corner = (t: number, k: number) => m.indices[3 * t + (k % 3)];
  const normal = (t: number): Vec3 => cross(sub(P(corner(t, 1)), P(corner(t, 0))), sub(P(corner(t, 2)), P(corner(t, 0))));
  const sides = new Map<string, { t: number; k: number }>();
  const pairs: { a: number; b: number; quad: number[]; cost: number }[] = [];
  for (let t = 0; t < count; t++)
    for (let k = 0; k < 3; k++) {
      const [v, w] = [corner(t, k), corner(t, k + 1)];
      const other = sides.get(`${w} ${v}`);
      if (!other) {
        sides.set(`${v} ${w}`, { t, k });
        continue;
      }
      if ((angleBetween(normal(t), normal(other.t)) * 180) / Math.PI > flat) continue;
      const quad = [v, corner(other.t, other.k + 2), w, corner(t, k + 2)];
      // how far its corners are from right angles
      const cost = quad.reduce((sum, q, i) => {
        const angle = angleBetween(sub(P(quad[(i + 3) % 4]), P(q)), sub(P(quad[(i + 1) % 4]), P(q)));
        return sum + (angle - Math.PI / 2) ** 2;
      }, 0);
      pairs.push({ a: t, b: other.t, quad, cost });
    }
  pairs.sort((x, y) => x.cost - y.cost);
  const used = new Uint8Array(count);
  const faces: number[][] = [];
  for (const p of pairs) {
    if (used[p.a] || used[p.b]) continue;
    used[p.a] = used[p.b] = 1;
    faces.push(p.quad);
  }
  for (let t = 0; t < count; t++) if (!used[t]) faces.push([corner(t, 0), corner(t, 1), corner(t, 2)]);
  const names = new Map<number, number>();
  const points: Vec3[] = [];
  const list = faces.map((f) =>
    f.map((v) => {
      let i = names.get(v);
      if (i === undefined) {
        i = points.push(P(v)) - 1;
        names.set(v, i);
      }
      return i;
    }),
  );
  const made = makeCage({ points, faces: list });
  return made.ok
    ? { ok: true, cage: made.cage }
    : { ok: false, message: `The mesh is no whole cage: ${made.trouble.message.toLowerCase()}`, at: made.trouble.at };
}

/** The cage's own faces as triangles. */
export function facesAsTriangles(c: Cage): { positions: Float64Array; indices: Uint32Array } {
  const { shape: s } = c;
  const out: number[] = [];
  for (let f = 0; f < s.faces; f++) {
    const own = Array.from({ length: cornersOf(s, f) }, (_, i) => s.corners[s.faceStart[f] + i]);
    if (own.length === 3) out.push(...own);
    else for (const t of earsOf(own.map((v) => pointOf(c.points, v)))) out.push(own[t[0]], own[t[1]], own[t[2]]);
  }
  return { positions: c.points.slice(), indices: Uint32Array.from(out) };
}

/** The smooth surface as triangles over its vertices alone: where normals differ along creases the corners are one. */
export function smoothTriangles(c: Cage, steps: number): { positions: Float64Array; indices: Uint32Array } {
  const m = smoothMesh(c, steps);
  const { shape: s } = m;
  const indices = new Uint32Array(6 * s.faces);
  for (let f = 0; f < s.faces; f++) {
    const [v, w, x, y] = s.corners.subarray(4 * f, 4 * f + 4);
    indices.set([v, w, x, v, x, y], 6 * f);
  }
  return { positions: m.positions.slice(0, 3 * s.vertices), indices };
}
