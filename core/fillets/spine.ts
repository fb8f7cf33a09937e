import { type Body, Border, type EdgeChain, faceNormal, insideFace, smoothFaces, topologyOf, traceTangent, useUV } from '../brep/index.ts';
import { along, angleBetween, cross, distance, dot, scale, unit, type Vec3 } from '../math/index.ts';
import { closestOnSurface, domain, domainU, domainV, extendCurve, type LengthTable, lengthTable } from '../nurbs/index.ts';
import { type Across, type ContactKind, contactsFrom, type Section, stepOn } from './contact.ts';

export interface FilletRule {
  readonly kind: ContactKind;
  /** Radius, width or distance in mm, by share of the spine's length. */
  readonly size: (share: number) => number;
  /** Shares at which the size changes its slope's slope. */
  readonly breaks?: readonly number[];
}
/** A section and the faces its contacts lie on. */
export interface Placed extends Section {
  readonly share: number;
  readonly faces: readonly [number, number];
  /** Is the contact on the left or right inside the borders of its face? */
  readonly inside: (k: 0 | 1) => boolean;
}
type Guess = readonly [number, number, number, number, number];
/** The faces beside a place of the spine, left and right as seen from outside walking along. */
interface Beside {
  readonly at: Vec3;
  readonly tangent: Vec3;
  readonly faces: readonly [number, number];
  readonly uv: readonly [readonly [number, number], readonly [number, number]];
  readonly normals: readonly [Vec3, Vec3];
  /** Unit directions from the edge into the faces. */
  readonly into: readonly [Vec3, Vec3];
}

const SLOTS = 400;
const spread = ([a, b]: readonly [number, number]) => b - a;
/** A chain of edges with a face on either side of each, and the sections of a fillet across it. */
export class Spine {
  readonly border: Border;
  readonly total: number;
  readonly closed: boolean;
  /** 1: the edge is hollow and the fillet lies outside of the faces; -1: it stands out. */
  readonly side: 1 | -1;
  private readonly leftRight: readonly (readonly [number, number])[];
  private readonly insides = new Map<number, (u: number, v: number) => boolean>();
  private readonly smooth = new Map<number, number[]>();
  private readonly long?: { readonly table: LengthTable; readonly before: number };
  /** Sections found already, by place along the spine: where the next one begins. */
  private readonly known = new Map<number, { faces: readonly [number, number]; x: Guess }>();

  constructor(
    readonly body: Body,
    chain: EdgeChain,
    readonly rule: FilletRule,
  ) {
    this.border = new Border(
      chain.edges.map(({ edge }) => ({ body, edge, part: [0, 1] as const, side: 0 as const })),
      1e-3,
    );
    this.total = this.border.total;
    this.closed = this.border.closed;
    const { uses } = topologyOf(body);
    this.leftRight = this.border.edges.map(({ edge }) => {
      const k = uses[edge].findIndex((u) => u.use.reversed === body.faces[u.face].reversed);
      return k === 1 ? [1, 0] : [0, 1];
    });
    const more = this.closed ? 0 : 3 * Math.max(...[0, 0.25, 0.5, 0.75, 1].map((s) => rule.size(s)));
    const long = more ? extendCurve(this.border.curve, more, more, 'natural') : undefined;
    if (long) {
      const table = lengthTable(long);
      this.long = { table, before: table.lengthAt(domain(this.border.curve)[0]) };
    }
    let turn = 0;
    for (let i = 1; i < 16; i++) turn += this.turnAt(i / 16);
    this.side = turn > 0 ? 1 : -1;
  }

  /** How hollow the edge is: sine of the angle between the normals, negative where it stands out. */
  turnAt(share: number): number {
    const b = this.beside(share);
    return (dot(b.into[0], b.normals[1]) + dot(b.into[1], b.normals[0])) / 2;
  }
  /** Angle between the normals of both faces at the edge, radians. */
  angleAt(share: number): number {
    const b = this.beside(share);
    return angleBetween(b.normals[0], b.normals[1]);
  }
  beside(share: number): Beside {
    const place = this.border.place(share);
    const { edge } = this.border.edges[place.piece];
    const [tip, way] = traceTangent(this.body.edges[edge], place.t);
    const refs = topologyOf(this.body).uses[edge];
    const order =
      dot(way, place.tangent) >= 0 ? this.leftRight[place.piece] : ([...this.leftRight[place.piece]].reverse() as [number, number]);
    const two = order.map((k) => refs[k]);
    const uv = two.map((r) => useUV(this.body.faces[r.face], r.use, place.t)) as unknown as Beside['uv'];
    const normals = two.map((r, k) => faceNormal(this.body.faces[r.face], ...uv[k])) as unknown as [Vec3, Vec3];
    const T = place.tangent;
    return {
      at: tip,
      tangent: T,
      faces: [two[0].face, two[1].face],
      uv,
      normals,
      into: [cross(normals[0], T), cross(T, normals[1])],
    };
  }
  /** The size at a share; beyond the ends it goes on as it ran there. */
  private sizeAt(share: number): number {
    const { size } = this.rule;
    const c = Math.min(1, Math.max(0, share));
    if (share === c) return size(c);
    const h = c === 0 ? 1e-4 : -1e-4;
    return Math.max(0.3 * size(c), size(c) + ((size(c + h) - size(c)) / h) * (share - c));
  }
  private wrapped(share: number): number {
    return this.closed ? share - Math.floor(share) : share;
  }
  isInside(face: number, u: number, v: number): boolean {
    let test = this.insides.get(face);
    if (!test) this.insides.set(face, (test = insideFace(this.body, face, 96)));
    if (test(u, v)) return true;
    // on a border itself, as along the seam of a closed face, either side counts
    const s = this.body.faces[face].surface;
    const [a, b] = [1e-7 * spread(domainU(s)), 1e-7 * spread(domainV(s))];
    return test(u + a, v) || test(u - a, v) || test(u, v + b) || test(u, v - b);
  }

  /** The section at a share; beyond the ends (below 0, above 1) the spine runs on straight. Undefined when nothing touches both faces. */
  section(share: number, factor = 1): Placed | undefined {
    const s = this.wrapped(share);
    const c = Math.min(1, Math.max(0, s));
    const b = this.beside(c);
    const at = s === c ? { point: b.at, tangent: b.tangent } : this.beyond(s, b);
    const size = factor * this.sizeAt(s);
    const solve = (faces: readonly [number, number], guess: Guess, z = size) =>
      contactsFrom([this.body.faces[faces[0]], this.body.faces[faces[1]]], this.rule.kind, z, this.side, at, guess);
    let faces = b.faces;
    let found: Section | undefined;
    const slot = Math.floor(s * SLOTS);
    const near = [slot, slot - 1, slot + 1, slot - 2, slot + 2].map((k) => this.known.get(k)).find((k) => k);
    if (factor === 1 && near) {
      faces = near.faces;
      found = this.sound(solve(faces, near.x), at.point, size);
    }
    for (const steps of [1, 5, 20]) {
      if (found) break;
      faces = b.faces;
      let x = this.firstGuess(b, size / steps);
      for (let k = 1; k <= steps && x; k++) {
        const r = solve(faces, x, (size * k) / steps);
        if (!r) {
          found = undefined;
          break;
        }
        found = r;
        const grow = k < steps ? (k + 1) / k : 1;
        x = [r.contacts[0].u, r.contacts[0].v, r.contacts[1].u, r.contacts[1].v, r.curvature / grow];
      }
      found = this.sound(found, at.point, size);
    }
    if (!found) return undefined;
    const moved: { faces: readonly [number, number]; section: Section } = this.overEdges(faces, found, (f, g) =>
      this.sound(solve(f, g), at.point, size),
    );
    [faces, found] = [moved.faces, moved.section];
    const here = faces;
    const { contacts, curvature } = found;
    if (factor === 1) this.known.set(slot, { faces, x: [contacts[0].u, contacts[0].v, contacts[1].u, contacts[1].v, curvature] });
    return { contacts, curvature, share: s, faces, inside: (k) => this.isInside(here[k], contacts[k].u, contacts[k].v) };
  }
  /** The spine beyond its ends: on its own curve, carried on; straight where that has no continuation. */
  private beyond(share: number, b: Beside): Across {
    const { long } = this;
    if (!long) return { point: along(b.at, b.tangent, (share - (share > 1 ? 1 : 0)) * this.total), tangent: b.tangent };
    const [point, d] = traceTangent({ curve: long.table.curve }, long.table.near(share * this.total + long.before));
    return { point, tangent: unit(d) };
  }
  /** A solution far away, or on the wrong side, is another one. */
  private sound(r: Section | undefined, at: Vec3, size: number): Section | undefined {
    if (!r) return undefined;
    const far = Math.max(...r.contacts.map((c) => distance(c.point, at)));
    if (!(far < 12 * size)) return undefined;
    return this.rule.kind === 'ball' || !(r.curvature * this.side < -0.2 / size) ? r : undefined;
  }
  private firstGuess(b: Beside, size: number): Guess {
    const half = Math.max(1e-4, angleBetween(b.into[0], b.into[1]) / 2);
    const { kind } = this.rule;
    const d = kind === 'ball' ? size / Math.tan(half) : kind === 'width' ? size / (2 * Math.sin(half)) : size;
    const uv = [0, 1].map((k) => stepOn(this.body.faces[b.faces[k]], b.uv[k][0], b.uv[k][1], scale(b.into[k], d)));
    return [...uv[0], ...uv[1], this.side / Math.max(1e-9, d * Math.tan(half))] as unknown as Guess;
  }
  /** Contacts that left their face over a smooth seam are looked for on the face beyond it. */
  private overEdges(
    faces: readonly [number, number],
    section: Section,
    solve: (faces: readonly [number, number], guess: Guess) => Section | undefined,
  ): { faces: readonly [number, number]; section: Section } {
    for (let round = 0; round < 4; round++) {
      let changed = false;
      for (const k of [0, 1] as const) {
        const c = section.contacts[k];
        let list = this.smooth.get(faces[k]);
        if (!list) this.smooth.set(faces[k], (list = smoothFaces(this.body, faces[k]).slice(0, 40)));
        if (list.length < 2 || this.isInside(faces[k], c.u, c.v)) continue;
        for (const g of list) {
          if (g === faces[k]) continue;
          const foot = closestOnSurface(this.body.faces[g].surface, c.point);
          if (!this.isInside(g, foot.u, foot.v)) continue;
          const next = (k === 0 ? [g, faces[1]] : [faces[0], g]) as readonly [number, number];
          const [p, q] = section.contacts;
          const r = solve(
            next,
            (k === 0 ? [foot.u, foot.v, q.u, q.v, section.curvature] : [p.u, p.v, foot.u, foot.v, section.curvature]) as Guess,
          );
          if (
            !r ||
            !this.isInside(g, r.contacts[k].u, r.contacts[k].v) ||
            distance(r.contacts[k].point, c.point) > 0.3 * this.rule.size(0.5)
          )
            continue;
          [faces, section] = [next, r];
          changed = true;
          break;
        }
      }
      if (!changed) break;
    }
    return { faces, section };
  }
}
