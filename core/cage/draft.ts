import { digestText } from '../math/hash.ts';
import type { Vec3 } from '../math/index.ts';
import { type Cage, type MadeCage, makeCage, partsOfCage } from './cage.ts';

/** Longest name that is written out; longer ones are told by a digest of what they are made of. */
const LONGEST = 48;
/** Name of what an operation makes out of elements with names of their own: the same again whenever it is replayed. */
export function madeName(operation: string, ...from: readonly string[]): string {
  const full = `${operation}(${from.join('~')})`;
  return full.length <= LONGEST ? full : `${operation}#${digestText(full).slice(0, 12)}`;
}

/** A cage while it is edited: lists that grow. Faces that are dropped and vertices without a face are gone when it is built. */
export class Draft {
  readonly points: Vec3[];
  readonly faces: (number[] | undefined)[];
  readonly vertexNames: string[];
  readonly faceNames: string[];
  readonly pins: Map<number, number>;
  private readonly sharp = new Map<string, number>();

  constructor(c: Cage) {
    const p = partsOfCage(c);
    this.points = [...p.points];
    this.faces = p.faces;
    this.vertexNames = [...p.vertexNames];
    this.faceNames = [...p.faceNames];
    this.pins = new Map(p.pins);
    for (const { ends, sharpness } of p.sharp) this.setSharp(ends[0], ends[1], sharpness);
  }
  vertex(point: Vec3, name: string): number {
    this.vertexNames.push(name);
    return this.points.push(point) - 1;
  }
  face(list: readonly number[], name: string): number {
    this.faceNames.push(name);
    return this.faces.push([...list]) - 1;
  }
  drop(face: number): void {
    this.faces[face] = undefined;
  }
  sharpOf(a: number, b: number): number {
    return this.sharp.get(a < b ? `${a} ${b}` : `${b} ${a}`) ?? 0;
  }
  setSharp(a: number, b: number, s: number): void {
    const key = a < b ? `${a} ${b}` : `${b} ${a}`;
    if (s > 0) this.sharp.set(key, s);
    else this.sharp.delete(key);
  }
  /** Puts a vertex into every given face between two that follow each other there; both halves are as sharp as the whole was. */
  split(faces: readonly number[], a: number, b: number, v: number): void {
    for (const f of faces) {
      const list = this.faces[f];
      if (!list) continue;
      const i = list.findIndex((x, k) => (x === a && list[(k + 1) % list.length] === b) || (x === b && list[(k + 1) % list.length] === a));
      if (i >= 0) list.splice(i + 1, 0, v);
    }
    const s = this.sharpOf(a, b);
    this.setSharp(a, b, 0);
    this.setSharp(a, v, s);
    this.setSharp(v, b, s);
  }
  build(): MadeCage {
    // new index of every vertex that a face still has
    const place = new Int32Array(this.points.length).fill(-1);
    const kept = this.faces.flatMap((f, i) => (f ? [{ f, i }] : []));
    for (const { f } of kept) for (const v of f) place[v] = 0;
    const order: number[] = [];
    for (let v = 0; v < place.length; v++) if (place[v] === 0) place[v] = order.push(v) - 1;
    const sharp = [...this.sharp].flatMap(([key, sharpness]) => {
      const [a, b] = key.split(' ').map((x) => place[Number(x)]);
      return a >= 0 && b >= 0 ? [{ ends: [a, b] as const, sharpness }] : [];
    });
    return makeCage({
      points: order.map((v) => this.points[v]),
      faces: kept.map(({ f }) => f.map((v) => place[v])),
      sharp,
      pins: new Map([...this.pins].flatMap(([v, s]) => (place[v] >= 0 ? [[place[v], s] as const] : []))),
      vertexNames: unique(order.map((v) => this.vertexNames[v])),
      faceNames: unique(kept.map(({ i }) => this.faceNames[i])),
    });
  }
}
/** Names made different by a number behind the second and later ones, in their order. */
function unique(names: readonly string[]): string[] {
  const seen = new Set<string>();
  const count = new Map<string, number>();
  return names.map((n) => {
    let name = n;
    for (let k = (count.get(n) ?? 1) + 1; seen.has(name); k++) {
      name = `${n}'${k}`;
      count.set(n, k);
    }
    seen.add(name);
    return name;
  });
}
