import { describe, expect, it } from 'vitest';
import { seeded } from '../testing/mutate.ts';
import { thinPolyline } from './index.ts';

const circle = (r: number, n: number) =>
  Float64Array.from(
    { length: 3 * (n + 1) },
    (_, k) => [r * Math.cos((2 * Math.PI * Math.floor(k / 3)) / n), r * Math.sin((2 * Math.PI * Math.floor(k / 3)) / n), 0][k % 3],
  );
/** Distance of a place to a polyline. */
const away = (p: readonly number[], line: Float64Array): number => {
  let least = Infinity;
  for (let i = 0; i + 5 < line.length; i += 3) {
    const d = [0, 1, 2].map((k) => line[i + 3 + k] - line[i + k]);
    const w = [0, 1, 2].map((k) => p[k] - line[i + k]);
    const l = d[0] ** 2 + d[1] ** 2 + d[2] ** 2;
    const t = l ? Math.min(1, Math.max(0, (w[0] * d[0] + w[1] * d[1] + w[2] * d[2]) / l)) : 0;
    least = Math.min(least, Math.hypot(...w.map((x, k) => x - t * d[k])));
  }
  return least;
};

describe('thinned polylines', () => {
  it('a circle of 2,000 chords keeps about as many as its tolerance asks, a straight line its ends', () => {
    const thin = thinPolyline(circle(30, 2000), 0.01);
    // a chord of angle a has a rise of r (1 - cos(a / 2))
    const least = Math.PI / Math.acos(1 - 0.01 / 30);
    expect(thin.length / 3).toBeGreaterThan(least);
    expect(thin.length / 3).toBeLessThan(2.2 * least);
    expect([...thin.slice(0, 3)]).toEqual([30, 0, 0]);
    const line = Float64Array.from({ length: 300 }, (_, k) => Math.floor(k / 3) * (1 + (k % 3)));
    expect([...thinPolyline(line, 1e-9)]).toEqual([0, 0, 0, 99, 198, 297]);
  });
  it('wild polylines: nothing that goes lies farther away than the tolerance, what stays is of the old', () => {
    const r = seeded(5);
    for (let k = 0; k < 60; k++) {
      const walk = new Float64Array(3 * (2 + Math.floor(200 * r())));
      for (let i = 3; i < walk.length; i++) walk[i] = walk[i - 3] + r() - 0.4;
      const tolerance = 10 ** (-2 + 3 * r());
      const thin = thinPolyline(walk, tolerance);
      const old = new Set(Array.from({ length: walk.length / 3 }, (_, i) => walk.slice(3 * i, 3 * i + 3).join()));
      for (let i = 0; i < thin.length; i += 3) expect(old.has(thin.slice(i, i + 3).join())).toBe(true);
      for (let i = 0; i < walk.length; i += 3) expect(away([...walk.slice(i, i + 3)], thin)).toBeLessThanOrEqual(tolerance * (1 + 1e-9));
    }
  });
});
