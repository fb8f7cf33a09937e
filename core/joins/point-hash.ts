import { distance, type Vec3 } from '../math/index.ts';

/** Points in a grid of cubes: what lies near a place is found without looking at all the others. */
export class PointHash {
  private readonly cubes = new Map<string, number[]>();
  private readonly points: Vec3[] = [];
  constructor(private readonly size: number) {}
  private key(p: Vec3, dx: number, dy: number, dz: number): string {
    const s = this.size;
    return `${Math.floor(p[0] / s) + dx},${Math.floor(p[1] / s) + dy},${Math.floor(p[2] / s) + dz}`;
  }
  add(i: number, p: Vec3): void {
    this.points[i] = p;
    const k = this.key(p, 0, 0, 0);
    const list = this.cubes.get(k);
    if (list) list.push(i);
    else this.cubes.set(k, [i]);
  }
  /** Points within `reach` of a place; no further than the size of a cube. */
  near(p: Vec3, reach: number): number[] {
    const out: number[] = [];
    for (let x = -1; x <= 1; x++)
      for (let y = -1; y <= 1; y++)
        for (let z = -1; z <= 1; z++)
          for (const i of this.cubes.get(this.key(p, x, y, z)) ?? []) if (distance(this.points[i], p) <= reach) out.push(i);
    return out;
  }
}
