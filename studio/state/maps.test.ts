import type { MapView } from '@ample-skin/engine';
import { describe, expect, it } from 'vitest';
import { colourAt, coloursOf, histogramOf, rampOf } from './maps.ts';

/** A map with given values, each for 1 mm² unless said otherwise; nothing of it is drawn here. */
const view = (
  values: number[],
  areas: number[] = values.map(() => 1),
  state: number[] = values.map(() => 0),
): ReadonlyMap<string, MapView> =>
  new Map([
    [
      'a/main',
      {
        key: 'a/main',
        stamp: '1',
        positions: new Float32Array(),
        normals: new Float32Array(),
        bend: new Float32Array(),
        indices: new Uint32Array(),
        values: Float32Array.from(values),
        state: Uint8Array.from(state),
        areas: Float32Array.from(areas),
      },
    ],
  ]);
const hundred = Array.from({ length: 100 }, (_, i) => i + 1);

describe('ends of the colours', () => {
  it('leave out a share of the area, not of the nodes', () => {
    expect(coloursOf(view(hundred), { kind: 'ray', beyond: 0, bands: 0 })).toEqual({ low: 1, high: 100 });
    expect(coloursOf(view(hundred), { kind: 'ray', beyond: 0.2, bands: 0 })).toEqual({ low: 10, high: 90 });
    // a crowd of tiny nodes at one end weighs as much as it covers
    const crowd = view(
      [...Array.from({ length: 1000 }, () => 0.5), ...hundred],
      [...Array.from({ length: 1000 }, () => 1e-6), ...hundred.map(() => 1)],
    );
    expect(coloursOf(crowd, { kind: 'ray', beyond: 0.2, bands: 0 })).toEqual({ low: 10, high: 90 });
  });
  it('of signed maps have nothing in their middle, when both signs are there', () => {
    expect(coloursOf(view([-2, 1, 5]), { kind: 'mean', beyond: 0, bands: 0 })).toEqual({ low: -5, high: 5 });
    expect(coloursOf(view([2, 3, 5]), { kind: 'mean', beyond: 0, bands: 0 })).toEqual({ low: 2, high: 5 });
  });
  it('set by hand are kept; of radii they are turned over', () => {
    expect(coloursOf(view([1]), { kind: 'ray', range: [1, 3], beyond: 0, bands: 0 })).toEqual({ low: 1, high: 3 });
    expect(coloursOf(view([1]), { kind: 'radius', range: [2, 10], beyond: 0, bands: 0 })).toEqual({ low: 0.1, high: 0.5 });
  });
  it('are never equal, and places without a value say nothing', () => {
    const { low, high } = coloursOf(view([4, 4, 4, 900], undefined, [0, 0, 0, 2]), { kind: 'ray', beyond: 0, bands: 0 });
    expect(high - low).toBeGreaterThan(0);
    expect(high).toBeLessThan(4.001);
    expect(low).toBeGreaterThan(3.999);
  });
});
it('the histogram counts area, what lies beyond in its last parts', () => {
  expect(histogramOf(view([-9, 0.5, 1.5, 1.6, 99], [1, 2, 2, 2, 0]), 0, 2, 2)).toEqual([0.75, 1]);
});
it('colours go from one end to the other without a jump, and lie apart in lightness where there is no sign', () => {
  for (const signed of [true, false]) {
    const ramp = rampOf(signed);
    let jump = 0;
    for (let i = 4; i < ramp.length; i++) if (i % 4 < 3) jump = Math.max(jump, Math.abs(ramp[i] - ramp[i - 4]));
    expect(jump).toBeLessThan(12);
  }
  const light = (t: number) => (colourAt(false, t).match(/\d+/g) ?? []).map(Number).reduce((s, v, k) => s + v * [0.3, 0.59, 0.11][k], 0);
  for (let k = 0; k < 10; k++) expect(light((k + 1) / 10)).toBeGreaterThan(light(k / 10));
});
