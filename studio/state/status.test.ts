import type { PieceView, ProofView, SeamView } from '@ample-skin/engine';
import { describe, expect, it } from 'vitest';
import { type Aims, judge, seamText, statusOf } from './status.ts';

const aims = (targets: Aims['targets'] = {}, pieces: Aims['pieces'] = {}): Aims => ({ targets, pieces });

const seam = (key: string, more: Partial<SeamView> = {}): SeamView =>
  ({
    key,
    piece: 'a/main',
    edge: 0,
    faces: [0, 1],
    faceNames: ['f', 'g'],
    grade: 'G1',
    gap: 0,
    kink: 0.01,
    step: 5,
    flow: 20,
    chart: [],
    ...more,
  }) as unknown as SeamView;
const piece = (key: string, kind: PieceView['kind'], more: Partial<PieceView> = {}): PieceView => ({
  key,
  step: key.split('/')[0],
  output: 'main',
  kind,
  live: true,
  stale: false,
  stamp: '1',
  facts: [],
  watertight: true,
  ...more,
});
const proof = (more: Partial<ProofView> = {}): ProofView => ({ seams: [], rims: [], defects: [], ...more }) as unknown as ProofView;
const rim = (length: number) =>
  ({ piece: 'a/main', edges: [0], length, closed: true, at: [0, 0, 0] }) as unknown as ProofView['rims'][number];
const defect = (severity: string) =>
  ({ severity, message: 'x', piece: 'a/main', faces: [], edges: [], place: [0, 0, 0] }) as unknown as ProofView['defects'][number];
const READY = { computed: true, busy: false, waiting: 0 };
const status = (
  pieces: PieceView[],
  proofs: Record<string, ProofView> = {},
  more: { targets?: Record<string, 'G0' | 'G1' | 'G2' | 'G3'>; state?: typeof READY; hidden?: (k: string) => boolean } = {},
) =>
  statusOf(
    pieces,
    new Map(Object.entries(proofs)),
    { targets: more.targets ?? {}, pieces: {} },
    more.state ?? READY,
    more.hidden ?? (() => false),
  );

describe('what a seam is called', () => {
  it('smooth below five degrees, sharp above, own with itself', () => {
    expect(judge(seam('s'), aims()).kind).toBe('smooth');
    expect(judge(seam('s', { kink: 90 }), aims()).kind).toBe('sharp');
    expect(judge(seam('s', { faces: [3, 3] as never, kink: 90 }), aims()).kind).toBe('own');
  });
  it('without a target it is free: never "on target"', () => {
    expect(judge(seam('s'), aims()).verdict).toBe('free');
    for (const [grade, target, verdict] of [
      ['G2', 'G1', 'meets'],
      ['G1', 'G1', 'meets'],
      ['G0', 'G1', 'misses'],
      ['open', 'G0', 'misses'],
      ['G3', 'G2', 'meets'],
    ] as const)
      expect(judge(seam('s', { grade }), aims({ s: target })).verdict).toBe(verdict);
  });
  it('the nearest target counts: its own, its group’s, its kind’s; "free" ends the search', () => {
    const pieces = { 'a/main': { group: 'g' } };
    const all = { 'kind:smooth': 'G2', 'group:g': 'G1' } as const;
    expect(judge(seam('s'), aims({ 'kind:smooth': 'G2' }))).toMatchObject({ verdict: 'misses', target: 'G2', targetFrom: 'kind' });
    expect(judge(seam('s', { kink: 90 }), aims({ 'kind:smooth': 'G2' })).verdict).toBe('free');
    expect(judge(seam('s'), aims(all, pieces))).toMatchObject({ verdict: 'meets', target: 'G1', targetFrom: 'group' });
    expect(judge(seam('s'), aims({ ...all, s: 'G3' }, pieces))).toMatchObject({ verdict: 'misses', target: 'G3', targetFrom: 'seam' });
    expect(judge(seam('s'), aims({ ...all, s: 'free' }, pieces))).toMatchObject({ verdict: 'free', targetFrom: 'seam' });
  });
  it('counts are told in words', () => {
    expect(seamText({ meets: 1, misses: 0, free: 5 })).toBe('1 of 1 on target, 5 free');
    expect(seamText({ meets: 1, misses: 2, free: 0 })).toBe('1 of 3 on target');
    expect(seamText({ meets: 0, misses: 0, free: 3 })).toBe('3 free');
    expect(seamText({ meets: 0, misses: 0, free: 0 })).toBe('');
  });
});

describe('the badge is true of what is on screen now', () => {
  const solid = piece('a/main', 'solid');
  const skin = piece('b/main', 'skin');
  it('watertight only when everything seen is closed, measured and without a fault', () => {
    expect(status([solid], { 'a/main': proof() }).badge).toEqual({ text: 'Watertight solid', tone: 'good' });
    expect(status([solid, skin], { 'a/main': proof(), 'b/main': proof() }).badge).toEqual({ text: 'Watertight', tone: 'good' });
    expect(status([solid], { 'a/main': proof({ defects: [defect('error')] }) }).badge).toEqual({ text: '1 fault', tone: 'bad' });
    expect(status([solid], { 'a/main': proof({ defects: [defect('warning')] }) }).badge.tone).toBe('good');
  });
  it('before it is measured nothing is claimed', () => {
    expect(status([solid], {}).badge).toEqual({ text: 'Measuring…', tone: 'none' });
    expect(status([solid, skin], { 'a/main': proof() }).badge.text).toBe('Measuring…');
    expect(status([solid], { 'a/main': proof() }, { state: { ...READY, busy: true } }).badge.text).toBe('Measuring…');
    expect(status([solid], { 'a/main': proof() }, { state: { ...READY, computed: false } }).badge.text).toBe('Computing…');
  });
  it('steps that wait come before any verdict', () => {
    expect(status([solid], { 'a/main': proof() }, { state: { ...READY, waiting: 1 } }).badge).toEqual({
      text: '1 step waits',
      tone: 'none',
    });
    expect(status([solid], { 'a/main': proof() }, { state: { ...READY, waiting: 3 } }).badge.text).toBe('3 steps wait');
  });
  it('open rims are counted once, with their length', () => {
    const open = piece('b/main', 'skin', { watertight: false });
    expect(status([open], { 'b/main': proof({ rims: [rim(10.04), rim(20)] }) }).badge).toEqual({
      text: 'Open: 2 rims, 30 mm',
      tone: 'bad',
    });
    expect(status([open], { 'b/main': proof() }).badge).toEqual({ text: 'Open', tone: 'bad' });
    // rims are no defects
    expect(status([open], { 'b/main': proof({ rims: [rim(10)] }) }).defects).toEqual([]);
  });
  it('hidden, dead and other pieces do not count', () => {
    const open = piece('b/main', 'skin', { watertight: false });
    expect(status([solid, open], { 'a/main': proof(), 'b/main': proof() }, { hidden: (k) => k === 'b/main' }).badge.text).toBe(
      'Watertight solid',
    );
    expect(status([solid, { ...open, live: false }], { 'a/main': proof() }).badge.text).toBe('Watertight solid');
    expect(status([piece('c/main', 'curve')]).badge).toEqual({ text: 'No skin yet', tone: 'none' });
  });
  it('adds up what is seen', () => {
    const s = status(
      [solid, piece('b/main', 'skin', { watertight: false })],
      { 'a/main': proof({ seams: [seam('s'), seam('t', { grade: 'G0' })] }), 'b/main': proof({ seams: [seam('u')], rims: [rim(5)] }) },
      { targets: { s: 'G1', t: 'G2' } },
    );
    expect(s).toMatchObject({ bodies: 2, solids: 1, open: 1, meets: 1, misses: 1, free: 1 });
    expect(s.rims.length).toBe(1);
  });
});
