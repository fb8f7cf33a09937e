import { type Body, type Face, useUV } from './body.ts';

/** Is a place inside the loops of a face? Loops are walked as polygons of `steps` points an edge. */
export function insideFace(b: Body, face: number, steps = 48): (u: number, v: number) => boolean {
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
  return (u, v) => {
    let odd = false;
    for (const [ua, va, uc, vc] of polygon) if (vc > v !== va > v && u < ((uc - ua) * (v - va)) / (vc - va) + ua) odd = !odd;
    return odd;
  };
}
