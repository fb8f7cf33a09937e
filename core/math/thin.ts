/**
 * The points of a polyline that are needed so that every other one lies within `tolerance` of the chord it stands on (Douglas and Peucker,
 * 1973). `points` are triples; the first and the last are kept. Returns triples.
 */
export function thinPolyline(points: Float64Array, tolerance: number): Float64Array {
  const n = points.length / 3;
  if (n < 3) return points;
  const keep = new Uint8Array(n);
  keep[0] = keep[n - 1] = 1;
  const open: [number, number][] = [[0, n - 1]];
  for (let span = open.pop(); span; span = open.pop()) {
    const [a, b] = span;
    let [worst, far] = [-1, tolerance * tolerance];
    for (let i = a + 1; i < b; i++) {
      const d = squareToChord(points, a, b, i);
      if (d > far) [worst, far] = [i, d];
    }
    if (worst < 0) continue;
    keep[worst] = 1;
    open.push([a, worst], [worst, b]);
  }
  return points.filter((_, k) => keep[Math.floor(k / 3)] === 1);
}
function squareToChord(p: Float64Array, a: number, b: number, i: number): number {
  const [ax, ay, az] = [p[3 * a], p[3 * a + 1], p[3 * a + 2]];
  const [dx, dy, dz] = [p[3 * b] - ax, p[3 * b + 1] - ay, p[3 * b + 2] - az];
  const [x, y, z] = [p[3 * i] - ax, p[3 * i + 1] - ay, p[3 * i + 2] - az];
  const l = dx * dx + dy * dy + dz * dz;
  const t = l > 0 ? Math.min(1, Math.max(0, (x * dx + y * dy + z * dz) / l)) : 0;
  return (x - t * dx) ** 2 + (y - t * dy) ** 2 + (z - t * dz) ** 2;
}
