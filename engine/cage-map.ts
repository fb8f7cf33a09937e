import { type Cage, type Level, refine, regularCurvature, smoothMesh } from '@ample-skin/core/cage';
import { dot, unit, type Vec3 } from '@ample-skin/core/math';
import { distanceToBody, distanceToMesh, type MapSpec, mapLook, nodeAreas, rangeOf } from '@ample-skin/core/proof';
import type { PieceDisplay } from './display.ts';
import type { Mapped } from './map-view.ts';

/** Nodes between two pauses. */
const SLICE = 400;

/** The smooth surface of a cage in the colours of a map: its values at the nodes it is drawn by, which lie on the surface exactly. */
export async function cageMap(
  key: string,
  cage: Cage,
  display: PieceDisplay,
  stamp: string,
  spec: MapSpec,
  pause: (done: number) => Promise<void> | void,
): Promise<Mapped> {
  if (display.kind !== 'body') return { ok: false, why: 'There is no cage to colour' };
  if (spec.kind === 'ray' || spec.kind === 'ball')
    return { ok: false, why: 'Walls are told of solids: make NURBS faces of the cage first' };
  const steps = 1 + Math.round(Math.log(display.mesh.triangles / 2 / cage.shape.corners.length) / Math.log(4));
  const m = smoothMesh(cage, steps);
  const n = m.positions.length / 3;
  const at = (i: number): Vec3 => [m.positions[3 * i], m.positions[3 * i + 1], m.positions[3 * i + 2]];
  const value = fieldOf(cage, steps, spec, at, (i) => [m.normals[3 * i], m.normals[3 * i + 1], m.normals[3 * i + 2]]);
  const turned = !!mapLook(spec.kind).reciprocal;
  const values = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    if (i % SLICE === 0) await pause(i / n);
    const x = value(i);
    values[i] = turned ? 1 / x : x;
  }
  const range = rangeOf(values);
  return {
    ok: true,
    view: {
      key,
      stamp,
      positions: display.mesh.positions.slice(),
      normals: display.mesh.normals.slice(),
      bend: display.mesh.bend.slice(),
      indices: display.mesh.indices.slice(),
      values: Float32Array.from(values, (x) => (Number.isFinite(x) ? x : 0)),
      state: Uint8Array.from(values, (x) => (Number.isFinite(x) ? 0 : 2)),
      areas: Float32Array.from(nodeAreas({ positions: m.positions, indices: m.indices })),
      least: range && { value: values[range.least], at: at(range.least) },
      most: range && { value: values[range.most], at: at(range.most) },
    },
  };
}

function fieldOf(cage: Cage, steps: number, spec: MapSpec, at: (i: number) => Vec3, normal: (i: number) => Vec3): (i: number) => number {
  if (spec.kind === 'distance') {
    const away = spec.to && ('body' in spec.to ? distanceToBody(spec.to.body) : distanceToMesh(spec.to.mesh));
    return (i) => away?.(at(i)) ?? Number.NaN;
  }
  if (spec.kind === 'draft') {
    const d = unit(spec.direction ?? [0, 0, 1]);
    return (i) => (Math.asin(Math.min(1, Math.max(-1, dot(normal(i), d)))) * 180) / Math.PI;
  }
  let level: Level = { shape: cage.shape, points: cage.points, sharpness: cage.sharpness, pins: cage.pins };
  for (let k = 0; k < steps; k++) level = refine(level);
  return (i) => {
    // poles, borders and creases have no curvature of their own
    const k = i < level.shape.vertices ? regularCurvature(level, i) : undefined;
    if (!k) return Number.NaN;
    const [low, high] = k;
    switch (spec.kind) {
      case 'gaussian':
        return low * high;
      case 'mean':
        return (low + high) / 2;
      case 'largest':
        return high;
      case 'smallest':
        return low;
      default:
        return 1 / Math.max(Math.abs(low), Math.abs(high));
    }
  };
}
