import { type Body, isWatertight } from '@ample-skin/core/brep';
import type { Vec3 } from '@ample-skin/core/math';
import { type MapField, type MapSpec, mapField, mapLook, mapMesh, nodeAreas, rangeOf } from '@ample-skin/core/proof';
import type { ModelMap, Piece } from '@ample-skin/core/recipe';
import { bendOf, meshOfDisplay, type PieceDisplay } from './display.ts';

/** A piece in the colours of a map: flat arrays in single precision around the origin of its display. */
export interface MapView {
  readonly key: string;
  /** Of the display it belongs to. */
  readonly stamp: string;
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly bend: Float32Array;
  readonly indices: Uint32Array;
  /** What is coloured, for maps that are reciprocal one over the value; 0 where `none`. */
  readonly values: Float32Array;
  /** 0: a value, 1: the mould is held, 2: no value. */
  readonly state: Uint8Array;
  /** mm² each node speaks for. */
  readonly areas: Float32Array;
  readonly least?: { readonly value: number; readonly at: Vec3 };
  readonly most?: { readonly value: number; readonly at: Vec3 };
}
export type Mapped = { readonly ok: true; readonly view: MapView } | { readonly ok: false; readonly why: string };

/** Instead of a piece's key: what the step of each coloured piece began with, such as the skin that was refitted. */
export const BEFORE = 'before';
/** What a map is measured against; words when it cannot be. */
export function specOf(map: ModelMap, to: Piece | undefined): MapSpec | string {
  if (map.kind !== 'distance') return { kind: map.kind, direction: map.direction };
  if (!to) return 'Choose the piece that distances are measured to';
  if (to.kind === 'scan') return { kind: 'distance', to: { mesh: to.mesh } };
  if (to.kind === 'skin' || to.kind === 'solid') return { kind: 'distance', to: { body: to.body } };
  return 'Distances are measured to a skin, a solid or a scan';
}
const coloured = (field: MapField, reciprocal: boolean): MapField =>
  reciprocal ? { ...field, value: (at) => 1 / field.value(at) } : field;

export async function mapView(
  key: string,
  body: Body,
  display: PieceDisplay,
  stamp: string,
  spec: MapSpec,
  pause: (done: number) => Promise<void> | void,
): Promise<Mapped> {
  const mesh = meshOfDisplay(display);
  if (!mesh || display.kind !== 'body') return { ok: false, why: 'There is no skin to colour' };
  if ((spec.kind === 'ray' || spec.kind === 'ball') && !isWatertight(body)) return { ok: false, why: 'An open skin has no wall' };
  const m = await mapMesh(body, mesh, coloured(mapField(body, spec), !!mapLook(spec.kind).reciprocal), { pause });
  const { origin } = display;
  const range = rangeOf(m.values);
  const at = (i: number): Vec3 => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]];
  return {
    ok: true,
    view: {
      key,
      stamp,
      positions: Float32Array.from(m.positions, (x, i) => x - origin[i % 3]),
      normals: Float32Array.from(m.normals),
      bend: bendOf(m),
      indices: m.indices,
      values: Float32Array.from(m.values, (x) => (Number.isFinite(x) ? x : 0)),
      state: Uint8Array.from(m.values, (x, i) => (Number.isFinite(x) ? m.undercut[i] : 2)),
      areas: Float32Array.from(nodeAreas(m)),
      least: range && { value: m.values[range.least], at: at(range.least) },
      most: range && { value: m.values[range.most], at: at(range.most) },
    },
  };
}
export const mapBuffers = (v: MapView): ArrayBuffer[] =>
  [v.positions, v.normals, v.bend, v.indices, v.values, v.state, v.areas].map((a) => a.buffer as ArrayBuffer);
