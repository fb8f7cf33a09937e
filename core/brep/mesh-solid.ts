import { boxSize } from '../math/index.ts';
import { type Body, bodyBox } from './body.ts';
import { massProperties } from './mass.ts';
import { type BodyMesh, meshBody } from './mesh.ts';

/** What the mesh library says of a mesh; lengths in mm. */
export interface MeshVerdict {
  /** Every side of every triangle has exactly one partner running the other way, and the whole encloses a positive volume. */
  readonly solid: boolean;
  /** Why it is none, in words that follow "the mesh". */
  readonly reason?: string;
  readonly parts: number;
  /** Handles of all parts together; a hole right through is one. */
  readonly genus: number;
  readonly volume: number;
  readonly area: number;
  readonly triangles: number;
}

type Library = Awaited<ReturnType<typeof import('manifold-3d')['default']>>;
let library: Promise<Library> | undefined;
/** The library is fetched (half a megabyte, from where the application lies) when something is asked of it for the first time. */
function load(): Promise<Library> {
  library ??= import('manifold-3d').then(async (m) => {
    const l = await m.default();
    l.setup();
    return l;
  });
  library.catch(() => {
    library = undefined;
  });
  return library;
}
const REASONS: Readonly<Record<string, string>> = {
  NotManifold: 'does not close: a side has no partner, or more than one',
  NonFiniteVertex: 'has a corner that is no number',
  VertexOutOfBounds: 'refers to a corner that is not there',
};

/**
 * Looks at triangles with a library kept for solid meshes (half-edge pairing; Euler's formula for the genus): another opinion than that of
 * the mesher which made them. Corners count as one by their `shared` number where there is one, else by exactly equal places. Crossing
 * triangles are not looked for.
 */
export async function meshVerdict(
  m: Pick<BodyMesh, 'positions' | 'indices'> & { readonly shared?: BodyMesh['shared'] },
): Promise<MeshVerdict> {
  const l = await load();
  const { corners, triangles } = welded(m);
  const none = { solid: false, parts: 0, genus: 0, volume: 0, area: 0, triangles: triangles.length / 3 };
  if (!triangles.length) return { ...none, reason: 'has no triangles' };
  let made: InstanceType<Library['Manifold']> | undefined;
  const parts: InstanceType<Library['Manifold']>[] = [];
  try {
    made = new l.Manifold(new l.Mesh({ numProp: 3, vertProperties: corners, triVerts: triangles }));
    parts.push(...made.decompose());
    const volume = made.volume();
    return {
      solid: volume > 0,
      ...(volume > 0 ? {} : { reason: 'is inside out' }),
      parts: parts.length,
      genus: parts.reduce((s, p) => s + p.genus(), 0),
      volume,
      area: made.surfaceArea(),
      triangles: triangles.length / 3,
    };
  } catch (e) {
    const code = String((e as { code?: string }).code ?? (e as Error).message ?? e);
    return { ...none, reason: REASONS[code] ?? `was refused (${code})` };
  } finally {
    for (const p of parts) p.delete();
    made?.delete();
  }
}

/** Corners once each, about the middle of the mesh so that single precision is enough; triangles that fall together are left out. */
function welded(m: Parameters<typeof meshVerdict>[0]): { corners: Float32Array; triangles: Uint32Array } {
  const ids = new Map<number | string, number>();
  const middle = [0, 1, 2].map((d) => {
    let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (let i = d; i < m.positions.length; i += 3) [low, high] = [Math.min(low, m.positions[i]), Math.max(high, m.positions[i])];
    return (low + high) / 2;
  });
  const corners: number[] = [];
  const corner = Uint32Array.from({ length: m.positions.length / 3 }, (_, i) => {
    const p = m.positions.subarray(3 * i, 3 * i + 3);
    const key = m.shared?.[i] ?? `${p[0]},${p[1]},${p[2]}`;
    let id = ids.get(key);
    if (id === undefined) {
      ids.set(key, (id = ids.size));
      corners.push(p[0] - middle[0], p[1] - middle[1], p[2] - middle[2]);
    }
    return id;
  });
  const triangles: number[] = [];
  for (let t = 0; t < m.indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => corner[m.indices[t + k]]);
    if (a !== b && b !== c && c !== a) triangles.push(a, b, c);
  }
  return { corners: Float32Array.from(corners), triangles: Uint32Array.from(triangles) };
}

/**
 * The mesh library's word on a closed body, meshed with chords of a 500th of its size; a volume that differs from the exact one by more
 * than such chords can make (area times twice the chord) is an objection too.
 */
export async function meshSolidity(b: Body): Promise<MeshVerdict> {
  const chord = Math.max(1e-6, boxSize(bodyBox(b)) / 500);
  const mesh = meshBody(b, { chord, angle: 0.4 });
  if (mesh.failed.length) {
    const triangles = mesh.indices.length / 3;
    return { solid: false, reason: `lacks ${mesh.failed.length} faces`, parts: 0, genus: 0, volume: 0, area: 0, triangles };
  }
  const v = await meshVerdict(mesh);
  const exact = massProperties(b, undefined, true);
  if (v.solid && Math.abs(v.volume - exact.volume) > 2 * chord * exact.area)
    return { ...v, solid: false, reason: `encloses ${v.volume.toPrecision(6)} mm³, the body ${exact.volume.toPrecision(6)} mm³` };
  return v;
}
