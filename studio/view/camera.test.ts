import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { Orbit, VIEWS } from './camera.ts';

/** Where a point appears: -1 to 1, x to the right and y up. */
const seen = (o: Orbit, p: readonly [number, number, number], aspect = 1): [number, number] => {
  o.update(aspect);
  const q = new THREE.Vector3(...p).project(o.camera);
  return [q.x, q.y];
};
const look = (name: keyof typeof VIEWS, flat = false): Orbit => {
  const o = new Orbit(flat);
  [o.heading, o.tilt] = VIEWS[name];
  return o;
};

describe('the orbit', () => {
  it.each([
    ['front', [1, 0, 0], [0, 0, 1]],
    ['right', [0, 1, 0], [0, 0, 1]],
    ['back', [-1, 0, 0], [0, 0, 1]],
    ['left', [0, -1, 0], [0, 0, 1]],
    ['top', [1, 0, 0], [0, 1, 0]],
    ['bottom', [1, 0, 0], [0, -1, 0]],
  ] as const)('from the %s: what is to the right and what is up', (name, right, up) => {
    for (const flat of [false, true]) {
      const o = look(name, flat);
      const [x, y] = [seen(o, right), seen(o, up)];
      expect(x[0]).toBeGreaterThan(0);
      expect(Math.abs(x[1])).toBeLessThan(1e-9);
      expect(y[1]).toBeGreaterThan(0);
      expect(Math.abs(y[0])).toBeLessThan(1e-9);
    }
  });
  it('turns about its target and stops at the poles', () => {
    const o = look('front');
    o.orbit(-225, 0);
    expect(o.heading).toBe(90);
    o.orbit(0, 10_000);
    expect(o.tilt).toBe(90);
    expect(seen(o, [0, 0, 0])).toEqual([expect.closeTo(0, 9), expect.closeTo(0, 9)]);
  });
  it('zooms towards the place under the pointer', () => {
    for (const flat of [false, true])
      for (const aspect of [0.7, 1.6]) {
        const o = look('front', flat);
        const p = [37, 0, -21] as const;
        const [x, y] = seen(o, p, aspect);
        for (const factor of [0.5, 0.3, 4]) {
          o.zoom(factor, x, y, aspect);
          const after = seen(o, p, aspect);
          expect(after[0]).toBeCloseTo(x, 6);
          expect(after[1]).toBeCloseTo(y, 6);
        }
      }
  });
  it('pans by pixels at the target', () => {
    const o = look('top', true);
    const before = seen(o, [0, 0, 0]);
    o.pan(50, 0, 400);
    // 50 of 400 pixels is a quarter of the half height
    expect(seen(o, [0, 0, 0])[0] - before[0]).toBeCloseTo(0.25, 9);
  });
  it('fits a box into the pane, whatever its shape', () => {
    const [min, max] = [[-10, 5, 0] as const, [30, 25, 180] as const];
    for (const aspect of [0.5, 1, 2.2])
      for (const name of ['front', 'right', 'top'] as const)
        for (const flat of [false, true]) {
          const o = look(name, flat);
          o.frame(min, max, aspect);
          let most = 0;
          for (let k = 0; k < 8; k++)
            most = Math.max(
              most,
              ...seen(o, [k & 1 ? max[0] : min[0], k & 2 ? max[1] : min[1], k & 4 ? max[2] : min[2]], aspect).map(Math.abs),
            );
          expect(most).toBeLessThan(1);
        }
  });
  it('counts heading and tilt in the axes of a plane when it is aligned to one', () => {
    const o = look('top');
    // a plane standing upright, its normal along -y
    o.base = { x: [1, 0, 0], y: [0, 0, 1], z: [0, -1, 0] };
    expect(
      o
        .outward()
        .toArray()
        .map((x) => Math.round(x) + 0),
    ).toEqual([0, -1, 0]);
    expect(seen(o, [0, 0, 1])[1]).toBeGreaterThan(0);
  });
});
