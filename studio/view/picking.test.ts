import { type Body, BodyBuilder, capRim, makeSolid, rimChains, surfaceBody } from '@ample-skin/core/brep';
import { frameFromNormal, type Vec3, WORLD } from '@ample-skin/core/math';
import { circleCurve, lineCurve, planeSurface, ruledSurface } from '@ample-skin/core/nurbs';
import type { Piece } from '@ample-skin/core/recipe';
import { displayPiece, type PieceView } from '@ample-skin/engine';
import * as THREE from 'three';
import { beforeEach, describe, expect, it } from 'vitest';
import { Orbit } from './camera.ts';
import { loadFastRays } from './fast-rays.ts';
import { LineKit, middle, nearLine } from './lines.ts';
import { findHits, type HitFilter, splitKey } from './picking.ts';
import { buildShown, disposeShown, type Shown } from './shown.ts';
import { LIGHT } from './theme.ts';

const [WIDTH, HEIGHT] = [1000, 800];
const orbit = new Orbit();
const kit = new LineKit(LIGHT);
const raycaster = new THREE.Raycaster();
const shown = new Map<string, Shown>();
const ALL: HitFilter = { face: true, edge: true, vertex: true, piece: () => true };

function put(key: string, kind: PieceView['kind'], p: Piece): Shown {
  const [step, output] = splitKey(key);
  const view: PieceView = { key, step, output, kind, live: true, stale: false, stamp: '1', facts: [], display: displayPiece(p) };
  const s = buildShown(view, kit, LIGHT, {} as never);
  s.group.updateMatrixWorld(true);
  shown.set(key, s);
  return s;
}
function cylinder(r: number, h: number, z = 0): Body {
  const k = new BodyBuilder();
  const low = frameFromNormal([0, 0, z], [0, 0, 1], [1, 0, 0]);
  const high = frameFromNormal([0, 0, z + h], [0, 0, 1], [1, 0, 0]);
  surfaceBody(ruledSurface(circleCurve(low, r), circleCurve(high, r)), { prefix: 'c', face: () => 'c:side' }, k);
  for (const [i, chain] of rimChains(k.body()).entries()) capRim(k, chain, `c:cap${i}`, 1e-6);
  const solid = makeSolid(k.body());
  if (!solid.ok) throw new Error(solid.message);
  return solid.body;
}
const sheet = (z: number, size = 20): Body =>
  surfaceBody(planeSurface(frameFromNormal([0, 0, z], [0, 0, 1], [1, 0, 0]), -size, size, -size, size), {
    prefix: 's',
    face: () => 's:flat',
  }).body;

function look(heading: number, tilt: number, flat = false): void {
  Object.assign(orbit, { heading, tilt, distance: 300, flat });
  orbit.target.set(0, 0, 0);
  orbit.update(WIDTH / HEIGHT);
}
const project = (p: Vec3) => {
  const v = new THREE.Vector3(p[0], p[1], p[2]).project(orbit.camera);
  return { x: ((v.x + 1) / 2) * WIDTH, y: ((1 - v.y) / 2) * HEIGHT, depth: v.z };
};
/** Everything under the place where a point of the model is seen. */
function hitsAt(p: Vec3, filter: Partial<HitFilter> = {}) {
  const at = project(p);
  raycaster.setFromCamera(new THREE.Vector2((2 * at.x) / WIDTH - 1, 1 - (2 * at.y) / HEIGHT), orbit.camera);
  return findHits({ x: at.x, y: at.y, filter: { ...ALL, ...filter }, shown, raycaster, orbit, project });
}
const what = (p: Vec3, filter: Partial<HitFilter> = {}) =>
  hitsAt(p, filter).map((h) => `${h.kind} ${h.pick.step} ${h.pick.part?.name ?? ''}`.trim());

const treeOf = (s: Shown) => (s.mesh?.geometry as { boundsTree?: unknown } | undefined)?.boundsTree;

beforeEach(() => {
  for (const s of shown.values()) disposeShown(s);
  shown.clear();
  look(0, 90);
});

describe('what lies under the pointer', () => {
  it('faces come from front to back, each before its piece', () => {
    put('low/main', 'skin', { kind: 'skin', body: sheet(0) } as Piece);
    put('high/main', 'skin', { kind: 'skin', body: sheet(30) } as Piece);
    expect(what([3, 4, 30])).toEqual(['face high s:flat', 'piece high', 'face low s:flat', 'piece low']);
    look(0, -90);
    expect(what([3, 4, 0])[0]).toBe('face low s:flat');
  });
  it('a face is named by the triangle that was hit, on every side of a solid', () => {
    put('c/main', 'solid', { kind: 'solid', body: cylinder(10, 30) } as Piece);
    const first = (p: Vec3) => hitsAt(p, { edge: false, vertex: false })[0].pick.part?.name;
    const top = first([2, 3, 30]);
    look(0, -90);
    const foot = first([2, 3, 0]);
    look(0, 0);
    expect(first([0, -10, 15])).toBe('c:side');
    expect(new Set([top, foot, 'c:side']).size).toBe(3);
  });
  it('the place of the hit lies on the skin', () => {
    put('c/main', 'solid', { kind: 'solid', body: cylinder(10, 30) } as Piece);
    look(40, 20);
    const h = hitsAt([0, -10, 15], { edge: false, vertex: false })[0];
    expect(Math.hypot(h.point[0], h.point[1])).toBeCloseTo(10, 1);
    expect(h.pick.part?.near?.every(Number.isFinite)).toBe(true);
  });
  it('edges and corners within some pixels win over faces; out of reach they do not', () => {
    put('s/main', 'skin', { kind: 'skin', body: sheet(0) } as Piece);
    const pixel = 1 / Math.abs(project([1, 0, 0]).x - project([0, 0, 0]).x);
    expect(hitsAt([20 - 3 * pixel, 3, 0])[0].kind).toBe('edge');
    expect(hitsAt([20 - 12 * pixel, 3, 0])[0].kind).toBe('face');
    expect(hitsAt([20 - 2 * pixel, 20 - 2 * pixel, 0])[0].kind).toBe('vertex');
    expect(hitsAt([20 - 2 * pixel, 20 - 2 * pixel, 0], { vertex: false })[0].kind).toBe('edge');
  });
  it('an edge behind a skin is not taken through it; in a parallel view everything is', () => {
    put('high/main', 'skin', { kind: 'skin', body: sheet(80, 40) } as Piece);
    put('low/main', 'skin', { kind: 'skin', body: sheet(0, 20) } as Piece);
    expect(hitsAt([20, 3, 0], { face: false }).filter((h) => h.kind === 'edge')).toEqual([]);
    look(0, 90, true);
    expect(hitsAt([20, 3, 0], { face: false }).some((h) => h.kind === 'edge' && h.pick.step === 'low')).toBe(true);
  });
  it('curves are picked as pieces; hidden, locked and looked-through ones not at all', () => {
    const s = put('l/main', 'curve', { kind: 'curve', curves: [lineCurve([-10, 0, 0], [10, 0, 0])] } as Piece);
    expect(what([4, 0, 0])).toEqual(['piece l']);
    expect(what([4, 0, 0], { piece: (k) => k !== 'curve' })).toEqual([]);
    expect(what([4, 0, 0], { skip: 'l' })).toEqual([]);
    s.locked = true;
    expect(what([4, 0, 0])).toEqual([]);
    s.locked = false;
    s.group.visible = false;
    expect(what([4, 0, 0])).toEqual([]);
  });
  it('where a curve lies on an edge the curve comes first, unless edges are meant', () => {
    put('s/main', 'skin', { kind: 'skin', body: sheet(0) } as Piece);
    put('l/main', 'curve', { kind: 'curve', curves: [lineCurve([20, -20, 0], [20, 20, 0])] } as Piece);
    expect(what([20, 3, 0])[0]).toBe('piece l');
    expect(what([20, 3, 0], { edgesFirst: true })[0]).toMatch(/^edge s/);
  });
  it('of several curves the nearest to the pointer comes first', () => {
    put('a/main', 'curve', { kind: 'curve', curves: [lineCurve([-10, 0, 0], [10, 0, 0])] } as Piece);
    put('b/main', 'curve', { kind: 'curve', curves: [lineCurve([-10, 0.8, 0], [10, 0.8, 0])] } as Piece);
    expect(what([3, 0.1, 0])).toEqual(['piece a', 'piece b']);
    expect(what([3, 0.7, 0])).toEqual(['piece b', 'piece a']);
  });
  it('points and planes can be picked', () => {
    put('p/main', 'point', { kind: 'point', point: [5, 5, 0] } as Piece);
    put('w/main', 'plane', { kind: 'plane', frame: WORLD, size: 60 } as Piece);
    expect(what([5, 5, 0])).toContain('piece p');
    expect(what([30, 2, 0])).toContain('piece w');
    // inside a plane nothing is hit: what is drawn on it stays reachable
    expect(what([12, 2, 0])).toEqual([]);
  });
});

describe('rays', () => {
  it('find the same with the tree of boxes as without, for pieces from before it came and after', async () => {
    const places: Vec3[] = Array.from({ length: 40 }, (_, i) => [9 * Math.cos(i * 2.4), 9 * Math.sin(i * 2.4), 30 * ((i * 0.37) % 1)]);
    const early = put('c/main', 'solid', { kind: 'solid', body: cylinder(10, 30) } as Piece);
    look(35, 25);
    const slow = places.map((p) => what(p));
    await loadFastRays();
    // built by the first ray, not by what is only seen
    expect(treeOf(early)).toBeUndefined();
    expect(places.map((p) => what(p))).toEqual(slow);
    expect(treeOf(early)).toBeDefined();
    const late = put('c/main', 'solid', { kind: 'solid', body: cylinder(10, 30) } as Piece);
    expect(treeOf(late)).toBeUndefined();
    expect(places.map((p) => what(p))).toEqual(slow);
    expect(treeOf(late)).toBeDefined();
    disposeShown(late);
    expect(treeOf(late)).toBeUndefined();
  });
});

describe('pieces on stage', () => {
  it('a rim is drawn twice with ticks, an inner edge once', () => {
    const open = put('s/main', 'skin', { kind: 'skin', body: sheet(0) } as Piece);
    expect(open.lines.every((l) => l.rim)).toBe(true);
    expect(open.fine.length).toBe(open.lines.length + 1);
    const closed = put('c/main', 'solid', { kind: 'solid', body: cylinder(10, 30) } as Piece);
    expect(closed.lines.some((l) => l.rim)).toBe(false);
    expect(closed.fine).toEqual([]);
  });
  it('materials are shared by kind and width, and take the theme', () => {
    const own = new LineKit(LIGHT);
    expect(own.material('ink', 2)).toBe(own.material('ink', 2));
    expect(own.material('ink', 2)).not.toBe(own.material('ink', 3));
    expect(own.material('ink', 2, true).depthTest).toBe(false);
    own.setTheme({ ...LIGHT, ink: '#ff0000' });
    expect(own.material('ink', 2).color.getHexString()).toBe('ff0000');
    own.resize(640, 480);
    expect(own.material('ink', 2).resolution.toArray()).toEqual([640, 480]);
  });
  it('lines of one name are told apart by a place', () => {
    const line = (y: number) => ({ points: Float32Array.from([0, y, 0, 10, y, 0, 20, y, 0]), origin: [1, 0, 0] as Vec3 });
    expect(middle(line(5).points, [1, 0, 0])).toEqual([11, 5, 0]);
    expect(nearLine(line(5), [11, 5, 0])).toBe(true);
    expect(nearLine(line(5), [11, 50, 0])).toBe(false);
    expect(nearLine(line(5))).toBe(true);
    // a straight edge of two points: its middle is no end, and belongs to it
    const straight = { points: Float32Array.from([0, 0, 0, 20, 0, 0]), origin: [1, 0, 0] as Vec3 };
    expect(middle(straight.points, straight.origin)).toEqual([11, 0, 0]);
    expect(nearLine(straight, [11, 0, 0])).toBe(true);
    expect(nearLine(straight, [11, 0, 9])).toBe(false);
    expect(middle(Float32Array.from([0, 0, 0, 1, 0, 0, 9, 0, 0]), [0, 0, 0])).toEqual([4.5, 0, 0]);
  });
});
