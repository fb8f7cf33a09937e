import { type Cage, type CageParts, type Edited, FULL, makeCage } from '../cage/index.ts';
import type { Vec3 } from '../math/index.ts';
import { seeded } from './mutate.ts';

const made = (p: CageParts): Cage => {
  const r = makeCage(p);
  if (!r.ok) throw new Error(r.trouble.message);
  return r.cage;
};
/** The cage an edit makes; its refusal fails the test. */
export const done = (e: Edited): Cage => {
  if (!e.ok) throw new Error(e.message);
  return e.cage;
};
/** A flat fan of `n` quads round one vertex, its places shaken by `by` mm; open: `n` quads in a half turn on a border. */
export function fanCage(n: number, seed: number, o: { open?: boolean; by?: number; sharp?: number; rings?: number } = {}): Cage {
  const r = seeded(seed);
  const { open = false, by = 0.6, rings = 2 } = o;
  // rings of a polar grid of quads: vertex (ring a, ring b) of every sector
  const points: Vec3[] = [];
  const ids = new Map<string, number>();
  const turn = (open ? Math.PI : 2 * Math.PI) / n;
  const at = (sector: number, i: number, j: number): number => {
    // spokes are shared by two sectors
    const s = open ? sector : ((sector % n) + n) % n;
    const key = i === 0 && j === 0 ? 'o' : j === 0 ? `s${s} ${i}` : i === 0 ? `s${open ? s + 1 : (s + 1) % n} ${j}` : `f${s} ${i} ${j}`;
    let id = ids.get(key);
    if (id === undefined) {
      ids.set(key, (id = points.length));
      const [a, b] = [turn * sector, turn * (sector + 1)];
      points.push([
        4 * (i * Math.cos(a) + j * Math.cos(b)) + by * (r() - 0.5),
        4 * (i * Math.sin(a) + j * Math.sin(b)) + by * (r() - 0.5),
        by * 3 * (r() - 0.5),
      ]);
    }
    return id;
  };
  at(0, 0, 0);
  const faces: number[][] = [];
  for (let s = 0; s < n; s++)
    for (let i = 0; i < rings; i++)
      for (let j = 0; j < rings; j++) faces.push([at(s, i, j), at(s, i + 1, j), at(s, i + 1, j + 1), at(s, i, j + 1)]);
  const sharp = o.sharp
    ? [0, Math.max(1, Math.floor(n / 2))].flatMap((s) =>
        Array.from({ length: rings }, (_, i) => ({
          ends: [at(s, i, 0), at(s, i + 1, 0)] as [number, number],
          sharpness: o.sharp as number,
        })),
      )
    : [];
  return made({ points, faces, sharp });
}
/** A closed cage of six quads, turned into one of many shapes: every second seed has semi-sharp edges, every third a pinned vertex. */
export function boxCage(seed: number): Cage {
  const r = seeded(seed);
  const points = [0, 1, 2, 3, 4, 5, 6, 7].map(
    (i): Vec3 => [10 * (i & 1) + 3 * (r() - 0.5), 8 * ((i >> 1) & 1) + 3 * (r() - 0.5), 6 * (i >> 2) + 3 * (r() - 0.5)],
  );
  const faces = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  const sharp =
    seed % 2
      ? faces.flatMap((f) =>
          r() < 0.5 ? [{ ends: [f[0], f[1]] as [number, number], sharpness: [0.5, 1, 2.3, FULL][Math.floor(4 * r())] }] : [],
        )
      : [];
  return made({
    points,
    faces,
    sharp,
    pins: seed % 3 ? undefined : new Map([[Math.floor(8 * r()), [0.4, 1.7, FULL][Math.floor(3 * r())]]]),
  });
}
