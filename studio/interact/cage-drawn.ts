import { type Cage, cornersOf, endOf, nameBetween, named, pointOf } from '@ample-skin/core/cage';
import type { Vec3 } from '@ample-skin/core/math';
import type { Caging } from '../state/state.ts';
import type { OverlayContent } from '../view/overlay.ts';
import { chosenIndices, softShares } from './caging.ts';

/** Most chosen edges that are drawn as wide lines. */
const WIDE = 1500;

/** What the view shows of a cage that is edited: its vertices, what is chosen on both sides of a mirror, what lies under the pointer. */
export function cageDrawn(c: Cage, k: Caging, hover: string | null | undefined): NonNullable<OverlayContent['cage']> {
  const { shape: s } = c;
  const by = named(c);
  const at = (v: number): Vec3 => pointOf(c.points, v);
  const index = chosenIndices(c, k);
  // images on the other side of the mirror, by their names
  const { image } = c;
  const imageOf = (name: string): string => {
    if (k.kind !== 'edge') return `${name}${image}`;
    const ends = name.split('~').map((n) => (by.vertices.has(`${n}${image}`) ? `${n}${image}` : n));
    return nameBetween(ends[0], ends[1]);
  };
  const map = k.kind === 'vertex' ? by.vertices : k.kind === 'edge' ? by.edges : by.faces;
  const images = image ? k.chosen.flatMap((n) => map.get(imageOf(n)) ?? []) : [];
  const all = [...new Set([...index, ...images])];
  const edge = (e: number): Vec3[] => [at(s.corners[s.edgeHalf[e]]), at(endOf(s, s.edgeHalf[e]))];
  const face = (f: number): Vec3[] => Array.from({ length: cornersOf(s, f) }, (_, i) => at(s.corners[s.faceStart[f] + i]));
  const hovered = hover ? map.get(hover) : undefined;
  const soft = softShares(c, k);
  const followers = soft ? Array.from(soft.keys()).filter((v) => soft[v] > 0 && soft[v] < 1) : [];
  return {
    vertices: k.kind === 'vertex' ? Float32Array.from(c.points) : new Float32Array(0),
    chosenVertices: k.kind === 'vertex' ? all.map(at) : [],
    chosenEdges: k.kind === 'edge' ? all.slice(0, WIDE).map(edge) : [],
    chosenFaces:
      k.kind === 'face'
        ? Float32Array.from(
            all.flatMap((f) => {
              const own = face(f);
              return own.slice(2).flatMap((p, i) => [...own[0], ...own[i + 1], ...p]);
            }),
          )
        : new Float32Array(0),
    hover:
      hovered === undefined
        ? []
        : k.kind === 'vertex'
          ? [at(hovered)]
          : k.kind === 'edge'
            ? edge(hovered)
            : [...face(hovered), face(hovered)[0]],
    soft: soft && {
      at: Float32Array.from(followers.flatMap((v) => [...at(v)])),
      shares: Float32Array.from(followers, (v) => soft[v]),
    },
  };
}
