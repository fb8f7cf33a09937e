import { describe, expect, it } from 'vitest';
import { massProperties } from '../brep/index.ts';
import type { Vec3 } from '../math/index.ts';
import { ball, cone, ringBody } from '../testing/random-bodies.ts';
import { randomFrom } from '../testing/section-sets.ts';
import { probeOf } from './surface-probe.ts';

/** Distance to the segment from (x0, z0) to (x1, z1) in the half plane of a turned body. */
function toSegment(r: number, z: number, [x0, z0, x1, z1]: readonly number[]): number {
  const [dx, dz] = [x1 - x0, z1 - z0];
  const t = Math.min(1, Math.max(0, ((r - x0) * dx + (z - z0) * dz) / (dx * dx + dz * dz)));
  return Math.hypot(r - x0 - t * dx, z - z0 - t * dz);
}
describe('the nearest place of a body against closed forms, at random places', () => {
  it('a ball, half of the places beside its poles and its seam', () => {
    const probe = probeOf(ball(20));
    const random = randomFrom(3);
    for (let i = 0; i < 6000; i++) {
      const tilt = i % 2 ? Math.acos(2 * random() - 1) : random() * 0.06;
      const turn = i % 3 ? random() * 2 * Math.PI : Math.PI * Math.round(random()) + (random() - 0.5) * 0.02;
      const radius = 19 + 2.5 * random();
      const side = i % 4 < 2 ? 1 : -1;
      const p: Vec3 = [radius * Math.sin(tilt) * Math.cos(turn), radius * Math.sin(tilt) * Math.sin(turn), side * radius * Math.cos(tilt)];
      expect(Math.abs((probe.nearest(p)?.distance ?? Number.NaN) - Math.abs(radius - 20))).toBeLessThan(1e-10);
    }
  });
  it('a ring', () => {
    const probe = probeOf(ringBody(20, 6));
    const random = randomFrom(4);
    for (let i = 0; i < 3000; i++) {
      const p: Vec3 = [60 * (random() - 0.5), i % 3 ? 60 * (random() - 0.5) : 0.01 * (random() - 0.5), 20 * (random() - 0.5)];
      const d = Math.abs(Math.hypot(Math.hypot(p[0], p[1]) - 20, p[2]) - 6);
      expect(Math.abs((probe.nearest(p)?.distance ?? Number.NaN) - d)).toBeLessThan(1e-9);
    }
  });
  it('a blunt cone: its side, its floors and the edges between them', () => {
    const body = cone(10, 4, 30);
    const closed = massProperties(body).volume > 0 && body.faces.length === 3;
    const probe = probeOf(body);
    const random = randomFrom(5);
    for (let i = 0; i < 3000; i++) {
      const [r, turn, z] = [15 * random(), 2 * Math.PI * random(), 40 * random() - 5];
      const p: Vec3 = [r * Math.cos(turn), r * Math.sin(turn), z];
      const d = Math.min(
        toSegment(r, z, [10, 0, 4, 30]),
        ...(closed ? [toSegment(r, z, [0, 0, 10, 0]), toSegment(r, z, [0, 30, 4, 30])] : []),
      );
      expect(Math.abs((probe.nearest(p)?.distance ?? Number.NaN) - d)).toBeLessThan(1e-9);
    }
  });
});
