import type { Vec3 } from '@ample-skin/core/math';
import { describe, expect, it } from 'vitest';
import type { Doc } from './doc.ts';
import type { Command, PointerAt, Stage } from './mode.ts';
import { sectionDrag, sectionHandles } from './section.ts';

const at = (x: number, y: number, ctrl = false): PointerAt => ({ x, y, pane: 0, button: 0, shift: false, ctrl, alt: false });
/** The world seen from the front, ten pixels to the millimetre: x is x, y is z. */
const stage = {
  onLine: (x: number, y: number, from: Vec3, d: Vec3) => (x / 10 - from[0]) * d[0] + (-y / 10 - from[2]) * d[2],
  onPlane: (x: number, y: number) => [x / 10, 0, -y / 10] as Vec3,
} as unknown as Stage;
const doc = { sections: [{ id: 's', origin: [0, 0, 5], normal: [0, 0, 1] }], section: 's' } as unknown as Doc;
const sectionIn = (c: readonly Command[] | undefined) => {
  const last = c?.at(-1);
  if (last?.do !== 'section') throw new Error('no section');
  return last;
};

describe('a section in hand', () => {
  it('has an arrow and two rings, only while it is chosen and on', () => {
    expect(sectionHandles(doc).map((h) => h.shape)).toEqual(['ring', 'ring', 'arrow']);
    expect(sectionHandles({ ...doc, section: undefined })).toEqual([]);
    expect(sectionHandles({ ...doc, sections: [{ ...doc.sections[0], off: true }] })).toEqual([]);
  });
  it('goes along its normal by what the pointer goes, and is kept when let go', () => {
    const mode = sectionDrag(stage, doc, { kind: 'section', index: 0, part: 'push' }, at(0, -50));
    const during = sectionIn(mode?.drag?.(at(3, -83), at(0, -50)).commands);
    expect(during.preview).toBe(true);
    expect(during.section.origin).toEqual([0, 0, 8.3]);
    const end = sectionIn(mode?.release?.(at(3, -83), at(0, -50)).commands);
    expect(end.preview).toBe(false);
    expect(end.section.origin).toEqual([0, 0, 8.3]);
  });
  it('turns about its side by whole degrees', () => {
    // its y runs along the world's y, square to the screen
    const mode = sectionDrag(stage, doc, { kind: 'section', index: 0, part: 'y' }, at(50, -50));
    const turned = sectionIn(mode?.drag?.(at(50 * Math.cos(0.5), -50 - 50 * Math.sin(0.5)), at(50, -50)).commands).section;
    expect(Math.hypot(...turned.normal)).toBeCloseTo(1, 12);
    const degrees = (Math.acos(turned.normal[2]) * 180) / Math.PI;
    expect(degrees).toBeCloseTo(Math.round((0.5 * 180) / Math.PI), 9);
    expect(turned.normal[1]).toBeCloseTo(0, 12);
  });
  it('a press without a way changes nothing; what was begun and given up is put back', () => {
    const mode = sectionDrag(stage, doc, { kind: 'section', index: 0, part: 'push' }, at(0, -50));
    expect(mode?.drag?.(at(1, -51), at(0, -50)).commands).toBeUndefined();
    expect(mode?.release?.(at(1, -51), at(0, -50)).commands).toBeUndefined();
    mode?.drag?.(at(0, -90), at(0, -50));
    expect(sectionIn(mode?.leave?.().commands).section).toEqual(doc.sections[0]);
  });
});
