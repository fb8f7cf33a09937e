import type { Pick } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { PieceView } from '@ample-skin/engine';
import { describe, expect, it } from 'vitest';
import { likelyTools } from './likely.ts';

const piece = (id: string, kind: PieceView['kind'], shape = ''): PieceView => ({
  key: `${id}/main`,
  step: id,
  output: 'main',
  kind,
  live: true,
  stale: false,
  stamp: '1',
  facts: shape ? [{ label: 'shape', value: shape }] : [],
});
const pieces = new Map(
  [
    piece('ring', 'curve', 'closed, flat'),
    piece('line', 'curve', 'open, straight'),
    piece('skin', 'skin'),
    piece('other', 'skin'),
    piece('solid', 'solid'),
    piece('plane', 'plane'),
    piece('point', 'point'),
    piece('scan', 'scan'),
    piece('picture', 'picture'),
  ].map((p) => [p.key, p]),
);
const pick = (step: string, part?: Pick['part']): Pick => ({ step, output: 'main', ...(part ? { part } : {}) });
const face = (step: string) => pick(step, { kind: 'face', name: 'f' });
const edge = (step: string) => pick(step, { kind: 'edge', name: 'e' });
const first = (n: number, ...s: Pick[]) =>
  likelyTools(s, pieces)
    .slice(0, n)
    .map((t) => t.label);

describe('tools for a selection', () => {
  it.each([
    ['a closed flat curve', [pick('ring')], ['Flat skin', 'Extrude', 'Revolve', 'Offset curve']],
    ['an open curve', [pick('line')], ['Extrude', 'Revolve', 'Offset curve']],
    ['two curves', [pick('ring'), pick('line')], ['Loft', 'Join', 'Extrude']],
    ['two skins', [pick('skin'), pick('other')], ['Knit', 'Trim']],
    ['a solid', [pick('solid')], ['Shell', 'Trim', 'Export']],
    ['a face', [face('skin')], ['Untrim', 'Remove faces']],
  ] as const)('%s', (_, selection, wanted) => {
    const got = first(20, ...selection);
    // in this order; other tools may stand between, but none before the first
    expect(got[0]).toBe(wanted[0]);
    const places = wanted.map((w) => got.indexOf(w));
    expect(places.every((p) => p >= 0)).toBe(true);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
  });
  it('every tool that is offered takes everything that is picked', () => {
    for (const selection of [[pick('ring')], [pick('skin'), pick('plane')], [edge('skin')], [pick('solid'), pick('skin')], [pick('scan')]])
      for (const t of likelyTools(selection, pieces)) {
        const room = Object.values(t.slots).reduce((n, s) => n + s.max, 0);
        expect(room).toBeGreaterThanOrEqual(selection.length);
      }
  });
  it('nothing picked, or gone: no tool', () => {
    expect(likelyTools([], pieces)).toEqual([]);
    expect(likelyTools([pick('gone')], pieces)).toEqual([]);
    // a picture and an edge: the one can only be brought to the other
    expect(first(3, pick('picture'), edge('skin'))).toEqual(['Align']);
  });
  it('the lists of likelihood name only tools that exist', () => {
    for (const p of pieces.values()) for (const t of likelyTools([pick(p.step)], pieces)) expect(TOOLS.get(t.id)).toBe(t);
    expect(first(5, pick('picture'))).toContain('Move');
  });
});
