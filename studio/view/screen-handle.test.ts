import type { Vec3 } from '@ample-skin/core/math';
import { describe, expect, it } from 'vitest';
import { type Handle, handleKey, MOVER } from './handles.ts';
import { screenHandle, toSegment } from './screen-handle.ts';

// seen from above, ten pixels a millimetre: one pixel is a tenth of a millimetre
const project = (p: Vec3) => ({ x: 10 * p[0], y: -10 * p[1], depth: 0 });
const PIXEL = 0.1;
const at = (h: Handle, x: number, y: number) => screenHandle(h, { x: 10 * x, y: -10 * y }, project, PIXEL);
const base = { id: { kind: 'push', index: 0 } as const, at: [0, 0, 0] as Vec3 };

describe('how far the pointer is from a handle', () => {
  it('dots are taken within ten pixels', () => {
    const dot: Handle = { ...base, shape: 'dot' };
    expect(at(dot, 0, 0)).toBe(-4);
    expect(at(dot, 0.9, 0)).toBeCloseTo(5, 9);
    expect(at(dot, 1.01, 0)).toBe(Infinity);
  });
  it('arrows are taken along their shaft, from a little off their foot to the tip, whatever the zoom', () => {
    const arrow: Handle = { ...base, shape: 'arrow', along: [1, 0, 0], pixels: 50 };
    // 50 pixels are 5 mm here
    expect(at(arrow, 4.9, 0.3)).toBeCloseTo(1, 6);
    expect(at(arrow, 2, 0)).toBeCloseTo(-2, 6);
    expect(at(arrow, 2, 0.8)).toBe(Infinity);
    expect(at(arrow, 6, 0)).toBe(Infinity);
    expect(at(arrow, -0.5, 0)).toBe(Infinity);
    // an arrow towards the eye has no length on screen
    expect(at({ ...arrow, along: [0, 0, 1] }, 3, 0)).toBe(Infinity);
  });
  it('a ring is taken on its round, not inside it', () => {
    const ring: Handle = { ...base, shape: 'ring', along: [0, 0, 1], side: [1, 0, 0], pixels: 60 };
    for (let k = 0; k < 12; k++) {
      const a = (k * Math.PI) / 6;
      expect(at(ring, 6 * Math.cos(a), 6 * Math.sin(a))).toBeLessThan(3);
    }
    expect(at(ring, 0, 0)).toBe(Infinity);
    expect(at(ring, 6.8, 0)).toBe(Infinity);
  });
  it('a square is taken inside; beside it not', () => {
    const square: Handle = { ...base, shape: 'square', along: [0, 0, 1], side: [1, 0, 0], pixels: MOVER.square };
    const middle = MOVER.square * PIXEL;
    expect(at(square, middle, middle)).toBe(0);
    expect(at(square, 0, 0)).toBe(Infinity);
    expect(at(square, middle, -middle)).toBe(Infinity);
  });
  it('of handles in one place the dot wins over the arrow, the arrow over the ring', () => {
    const dot: Handle = { ...base, shape: 'dot' };
    const arrow: Handle = { ...base, shape: 'arrow', along: [1, 0, 0], pixels: 60 };
    const ring: Handle = { ...base, shape: 'ring', along: [0, 0, 1], pixels: 60 };
    const [a, r] = [at(arrow, 6, 0), at(ring, 6, 0)];
    expect(at(dot, 0, 0)).toBeLessThan(a);
    expect(a).toBeLessThan(r);
  });
  it('nothing behind the eye is taken', () => {
    const behind = (p: Vec3) => ({ ...project(p), depth: 1.2 });
    expect(screenHandle({ ...base, shape: 'dot' }, { x: 0, y: 0 }, behind, PIXEL)).toBe(Infinity);
  });
  it('distances to segments, also of no length', () => {
    expect(toSegment({ x: 5, y: 3 }, { x: 0, y: 0 }, { x: 10, y: 0 })).toBe(3);
    expect(toSegment({ x: 13, y: 4 }, { x: 0, y: 0 }, { x: 10, y: 0 })).toBe(5);
    expect(toSegment({ x: 3, y: 4 }, { x: 0, y: 0 }, { x: 0, y: 0 })).toBe(5);
  });
  it('keys tell all nine grips of a mover and both ends of a chain apart', () => {
    const parts = ['x', 'y', 'z', 'xy', 'yz', 'zx', 'turn x', 'turn y', 'turn z'] as const;
    const keys = [
      ...parts.map((part) => handleKey({ kind: 'mover', index: 0, part })),
      ...([0, 1] as const).map((end) => handleKey({ kind: 'chain', index: 0, end })),
      handleKey({ kind: 'point', index: 0 }),
      handleKey({ kind: 'point', index: 1 }),
    ];
    expect(new Set(keys).size).toBe(keys.length);
  });
});
