import { flatBody, makeSolid, meshBody, surfaceBody, transformBody } from '../brep/index.ts';
import { frameFromNormal, translation, type Vec3 } from '../math/index.ts';
import { circleCurve, controlPointCurve, interpolateGrid, polylineCurve } from '../nurbs/index.ts';
import type { Pick, Piece } from '../recipe/index.ts';
import { block } from '../testing/random-bodies.ts';
import { curve, type Given, lofted } from './samples.ts';

/** What the picture of a tool shows, where its samples are too plain to tell anything. */
export interface ToolScene {
  readonly given?: Given;
  readonly params?: Record<string, unknown>;
  /** Control points are drawn too. */
  readonly nets?: boolean;
  /** Files that are read, for tools that take one. */
  readonly files?: readonly string[];
  /** What comes of them. */
  readonly made?: readonly Piece[];
}
const up = (z: number) => frameFromNormal([0, 0, z], [0, 0, 1], [1, 0, 0]);
const line = (...p: Vec3[]): Piece => curve(polylineCurve(p));
const wave = (...p: Vec3[]): Piece => curve(controlPointCurve(p, 3, false));
const face = (name: string): Pick['part'] => ({ kind: 'face', name }) as Pick['part'];
const edge = (name: string): Pick['part'] => ({ kind: 'edge', name }) as Pick['part'];
const one = (piece: Piece, part?: Pick['part']) => [part ? { piece, part } : { piece }];
const many = (...list: Piece[]) => list.map((piece) => ({ piece }));
/** A sheet of 40 x 30 mm that swells in the middle, with so many control points each way. */
const sheet = (height = 9, points = 5): Piece => {
  const knots = Float64Array.from({ length: points + 4 }, (_, i) => Math.min(1, Math.max(0, (i - 3) / (points - 3))));
  const s = interpolateGrid(
    (x, y) => [40 * x, 30 * y, height * Math.sin(Math.PI * x) * (0.4 + 0.6 * Math.sin(Math.PI * y))],
    3,
    knots,
    knots,
  );
  return { kind: 'skin', body: surfaceBody(s, { prefix: 'sample', face: () => 'sample:side' }).body };
};
/** A scan of it, as a mesh. */
const scanned = (): Piece => {
  const p = sheet();
  if (p.kind !== 'skin') throw new Error('no sheet');
  const m = meshBody(p.body, { chord: 0.2, angle: 0.3, longest: 7 });
  return { kind: 'scan', mesh: { positions: m.positions, indices: m.indices } };
};
const at = (p: Piece, x: number, y: number, z: number): Piece =>
  p.kind === 'skin' || p.kind === 'solid' ? { ...p, body: transformBody(p.body, translation([x, y, z])) } : p;
const brick = (radius: number, height: number, x = 0, z = 0): Piece => {
  const s = makeSolid(transformBody(block(2 * radius, 2 * radius, height), translation([x, 0, z])));
  if (!s.ok) throw new Error(s.message);
  return { kind: 'solid', body: s.body };
};
const plane = (z: number, size: number): Piece => ({ kind: 'plane', frame: up(z), size });
const rough: Vec3[] = [
  [0, 0, 0],
  [6, 9, 2],
  [12, 4, 0],
  [18, 13, 3],
  [25, 6, 1],
  [31, 12, 2],
  [38, 2, 0],
];

/** By tool. */
export const SCENES: Readonly<Record<string, () => ToolScene>> = {
  export: () => ({ given: { pieces: many(lofted(true)) } }),
  'cut-sheets': () => ({ given: { pieces: many(lofted(true)) }, params: { count: 5, width: 120, height: 60, labels: true } }),
  'extend-skin': () => ({ given: { rim: one(sheet(), edge('sample.u1')) }, params: { distance: 8 } }),
  array: () => ({ given: { pieces: many(brick(3, 8)) }, params: { count: 4 } }),
  untrim: () => ({
    given: {
      faces: many({
        kind: 'skin',
        body: flatBody([{ outer: [circleCurve(up(0), 14)], holes: [[circleCurve(up(0), 6)]] }], up(0), 'disc'),
      }),
    },
  }),
  'align-edge': () => ({ given: { edge: one(sheet(), edge('sample.u1')) }, params: { axis: 'z', value: -8, follow: 1 } }),
  'bridge-curve': () => ({
    given: { ends: many(wave([0, 0, 0], [5, 8, 2], [12, 10, 4]), wave([28, 2, 10], [34, -4, 8], [42, -6, 2])) },
    params: { kind: 'ends' },
  }),
  corners: () => ({
    given: { chain: many(line([0, 0, 0], [30, 0, 0], [30, 20, 0], [14, 20, 0], [14, 30, 0], [0, 30, 0], [0, 0, 0])) },
    params: { radius: 4 },
  }),
  'edge-curve': () => ({ given: { face: one(sheet(), face('sample:side')) }, params: { what: 'isoparm', count: 4 } }),
  'edit-curve': () => ({ given: { curve: many(wave(...rough)) }, params: { shifts: [{ point: 3, to: [18, 26, 6] }] }, nets: true }),
  'edit-skin': () => ({
    given: { skin: many(sheet(6)) },
    params: { way: 'normal', scope: 'point', shifts: [{ u: 2, v: 2, scope: 'point', along: 14 }] },
    nets: true,
  }),
  fair: () => ({ given: { curve: many(wave(...rough)) }, params: { limit: 4 }, nets: true }),
  import: () => ({ files: ['part.step'], made: [lofted(true)] }),
  picture: () => ({
    files: ['side.png'],
    made: [
      {
        kind: 'picture',
        asset: '',
        mime: 'image/png',
        frame: frameFromNormal([0, 0, 0], [0, -1, 0], [1, 0, 0]),
        width: 40,
        height: 30,
        flipped: false,
        opacity: 1,
      },
    ],
  }),
  'intersect-curve': () => ({ given: { skin: many(lofted(false)), with: many(plane(6, 15)) }, params: { count: 4, spacing: 6 } }),
  'join-curves': () => ({
    given: { curves: many(line([0, 0, 0], [16, 6, 0]), wave([16, 6, 0], [22, 16, 0], [34, 14, 4]), line([34, 14, 4], [44, 0, 6])) },
  }),
  knit: () => ({ given: { skins: many(sheet(), at(sheet(9), 40, 0, 0)) } }),
  'copy-faces': () => ({ given: { faces: one(lofted(true), face('sample:cap-end')) } }),
  mirror: () => ({ given: { pieces: many(at(sheet(), 4, 0, 0)) }, params: { world: 'yz' } }),
  'mirror-check': () => ({ given: { halves: many(sheet()) }, params: { world: 'yz' } }),
  move: () => ({ given: { pieces: many(lofted(true)) }, params: { by: [24, 0, 0], turns: [0, 30, 0] } }),
  'outline-curve': () => ({ given: { skin: many(lofted(true)) }, params: { direction: 'x' } }),
  polyline: () => ({
    params: {
      points: [
        [0, 0],
        [14, 10],
        [26, 2],
        [38, 14],
      ],
    },
  }),
  'project-curve': () => ({
    given: { curves: many(curve(circleCurve(frameFromNormal([20, 15, 24], [0, 0, 1], [1, 0, 0]), 9))), onto: many(sheet()) },
    params: { direction: 'z' },
  }),
  'rectangle-skin': () => ({
    params: {
      points: [
        [0, 0],
        [36, 22],
      ],
    },
    given: { plane: many(plane(0, 26)) },
  }),
  'refit-curve': () => ({ given: { curve: many(wave(...rough)) }, params: { points: 5, degree: 3 }, nets: true }),
  'refit-skin': () => ({ given: { skin: many(sheet(9, 8)) }, params: { pointsU: 5, pointsV: 5 }, nets: true }),
  'remove-faces': () => ({ given: { faces: one(lofted(true), face('sample:cap-end')) } }),
  'scan-skin': () => ({ given: { scan: many(scanned()) }, params: { points: [[20, 15, 9]], angle: 40 } }),
  shell: () => ({ given: { solid: many(lofted(true)), open: one(lofted(true), face('sample:cap-end')) }, params: { wall: 1.2 } }),
  sketch: () => ({
    params: {
      sketch: {
        points: [
          { id: 'a', x: 0, y: 0 },
          { id: 'b', x: 30, y: 0 },
          { id: 'c', x: 30, y: 18 },
          { id: 'd', x: 0, y: 18 },
        ],
        curves: ['ab', 'bc', 'cd', 'da'].map(([a, b]) => ({ id: a + b, type: 'line', a, b })),
        rules: [],
      },
    },
  }),
  'skin-curve': () => ({
    given: { face: one(sheet(), face('sample:side')) },
    params: {
      places: [
        [4, 5, 3],
        [16, 22, 9],
        [28, 8, 9],
        [36, 24, 3],
      ],
    },
  }),
  'trim-curve': () => ({
    given: { curve: many(wave(...rough)), cutters: many(line([15, -4, 1], [15, 20, 1])) },
    params: { mode: 'keep', places: [[4, 5, 1]], reach: 5 },
  }),
  'two-views': () => ({
    given: {
      first: many(wave([0, 0, 0], [12, 10, 0], [26, -4, 0], [40, 6, 0])),
      second: many(wave([0, 0, 0], [14, 0, 14], [28, 0, 16], [40, 0, 2])),
    },
  }),
  unknit: () => ({ given: { faces: one(lofted(true), face('sample:cap-end')) } }),
  'wrap-curve': () => ({
    given: {
      curves: many(
        curve(
          polylineCurve([
            [-5, -14, 12],
            [5, -14, 12],
            [5, -14, 18],
            [-5, -14, 18],
            [-5, -14, 12],
          ]),
        ),
      ),
      face: one(lofted(false), face('sample:side')),
    },
  }),
  combine: () => ({ given: { first: many(brick(10, 14)), second: many(brick(5, 24, 6, 4)) }, params: { keep: 'subtract' } }),
};
