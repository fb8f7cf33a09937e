import { type Body, type Face, useUV } from './body.ts';

/** Sides of the loops of a face in its (u, v), walked as polygons of at least `steps` points an edge: u, v and next u, v of each. */
function sidesOf(b: Body, face: number, steps: number): [number, number, number, number][] {
  const f: Face = b.faces[face];
  const polygon: [number, number, number, number][] = [];
  for (const loop of f.loops) {
    const ring: (readonly [number, number])[] = [];
    for (const use of loop) {
      const [a, z] = b.edges[use.edge].range;
      const n = Math.max(steps, 4 * (use.pcurve.curve.control.length / 3));
      for (let i = 0; i <= n; i++) ring.push(useUV(f, use, use.reversed ? z + ((a - z) * i) / n : a + ((z - a) * i) / n));
    }
    // neighbours' ends differ by rounding: the ring is closed over every gap
    ring.forEach((p, i) => {
      const q = ring[(i + 1) % ring.length];
      polygon.push([p[0], p[1], q[0], q[1]]);
    });
  }
  return polygon;
}
/** Is a place inside the loops of a face? */
export function insideFace(b: Body, face: number, steps = 48): (u: number, v: number) => boolean {
  const polygon = sidesOf(b, face, steps);
  return (u, v) => {
    let odd = false;
    for (const [ua, va, uc, vc] of polygon) if (vc > v !== va > v && u < ((uc - ua) * (v - va)) / (vc - va) + ua) odd = !odd;
    return odd;
  };
}
/** The same for many places of one v, asked for row by row: the loops are crossed once for each row. */
export function insideRow(b: Body, face: number, steps = 48): (v: number) => (u: number) => boolean {
  const polygon = sidesOf(b, face, steps);
  return (v) => {
    const crossings: number[] = [];
    for (const [ua, va, uc, vc] of polygon) if (vc > v !== va > v) crossings.push(((uc - ua) * (v - va)) / (vc - va) + ua);
    return (u) => {
      let odd = false;
      for (const c of crossings) if (u < c) odd = !odd;
      return odd;
    };
  };
}
