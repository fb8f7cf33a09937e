import { type Body, bodyBox, isWatertight, massProperties, meshBody } from '../brep/index.ts';
import { boxSize, type Vec3 } from '../math/index.ts';
import { distanceToBody, nodeAreas } from '../proof/index.ts';
import { livePieces, type Model, type ModelResult, standings, stepLabel, type Tool } from '../recipe/index.ts';

export interface Farthest {
  /** mm; above zero outside the other. */
  readonly distance: number;
  readonly at: Vec3;
}
/** How two bodies differ, by the distance from places of each to the exact surfaces of the other. */
export interface Deviation {
  /** Largest distance, mm. */
  readonly most: number;
  /** Root of the mean square over the area, mm. */
  readonly rms: number;
  /** From the second to the first: farthest outside it and farthest inside. */
  readonly out?: Farthest;
  readonly in?: Farthest;
  readonly volume?: readonly [number, number];
  readonly area: readonly [number, number];
}
export interface NamedBody {
  /** `step/output`. */
  readonly key: string;
  readonly name: string;
  readonly body: Body;
  readonly solid: boolean;
}
/** A piece of both, or of one alone. */
export interface ShapePair {
  readonly a?: NamedBody;
  readonly b?: NamedBody;
}
/** Skins and solids of a model that are seen. */
export function seenBodies(m: Model, r: ModelResult, tools: ReadonlyMap<string, Tool>): NamedBody[] {
  const standing = standings(m, tools);
  return livePieces(m, r, tools).flatMap(({ key, piece, step, stale }) => {
    const stands = standing(key);
    if (stale || stands.hidden || (piece.kind !== 'skin' && piece.kind !== 'solid')) return [];
    return [{ key, body: piece.body, solid: piece.kind === 'solid', name: stands.name ?? piece.label ?? stepLabel(step, tools) }];
  });
}
/** Pieces of two models that belong together: of the same step, else of the same name, else the only ones that are left of a kind. */
export function pairShapes(a: readonly NamedBody[], b: readonly NamedBody[]): ShapePair[] {
  const [restA, restB] = [[...a], [...b]];
  const pairs: ShapePair[] = [];
  const take = (same: (x: NamedBody, y: NamedBody) => boolean) => {
    for (const x of [...restA]) {
      const y = restB.find((z) => same(x, z));
      if (!y) continue;
      restA.splice(restA.indexOf(x), 1);
      restB.splice(restB.indexOf(y), 1);
      pairs.push({ a: x, b: y });
    }
  };
  take((x, y) => x.key === y.key);
  take((x, y) => x.name === y.name);
  for (const solid of [true, false]) {
    const [left, right] = [restA.filter((x) => x.solid === solid), restB.filter((x) => x.solid === solid)];
    if (left.length === 1 && right.length === 1) take((x, y) => x === left[0] && y === right[0]);
  }
  return [...pairs, ...restA.map((x) => ({ a: x })), ...restB.map((y) => ({ b: y }))];
}
/**
 * Distances both ways at the nodes of meshes (chord error a three-hundredth of the size, sides at most a fortieth): what lies between
 * nodes is not asked. Zero for one and the same body.
 */
export function deviationOf(a: Body, b: Body): Deviation {
  const area = [massProperties(a).area, massProperties(b).area] as const;
  const volume = isWatertight(a) && isWatertight(b) ? ([massProperties(a).volume, massProperties(b).volume] as const) : undefined;
  if (a === b) return { most: 0, rms: 0, area, volume };
  let [most, square, weight] = [0, 0, 0];
  let out: Farthest | undefined;
  let inside: Farthest | undefined;
  for (const [from, to, second] of [
    [b, a, true],
    [a, b, false],
  ] as const) {
    const size = boxSize(bodyBox(from));
    const mesh = meshBody(from, { chord: size / 300, angle: 0.3, longest: size / 40 });
    const away = distanceToBody(to);
    const areas = nodeAreas(mesh);
    for (let i = 0; i < areas.length; i++) {
      const at: Vec3 = [mesh.positions[3 * i], mesh.positions[3 * i + 1], mesh.positions[3 * i + 2]];
      const d = away(at);
      if (!Number.isFinite(d)) continue;
      most = Math.max(most, Math.abs(d));
      square += areas[i] * d * d;
      weight += areas[i];
      if (!second) continue;
      if (d > (out?.distance ?? 0)) out = { distance: d, at };
      if (d < (inside?.distance ?? 0)) inside = { distance: d, at };
    }
  }
  return { most, rms: Math.sqrt(square / Math.max(1e-300, weight)), out, in: inside, volume, area };
}
