import type { Face } from '../brep/index.ts';
import { add, cross, dot, length, negate, scale, solveDense, sub, type Vec3 } from '../math/index.ts';
import { domainU, domainV, evaluateSurface, isClosedU, isClosedV } from '../nurbs/index.ts';

/**
 * How a fillet touches two faces in one plane across its spine.
 * - `ball`: a ball of a radius touches both (contacts of the offset surfaces; Pegna and Wilde, 1990).
 * - `width`: the ball whose contacts are a width apart; its curvature is an unknown, so that it passes through flat without a jump.
 * - `tube`: both contacts lie at a distance from the spine.
 */
export type ContactKind = 'ball' | 'width' | 'tube';
/** A place on the surface of a face, with its first derivatives and the outside normal's. */
interface Jet {
  readonly p: Vec3;
  readonly du: Vec3;
  readonly dv: Vec3;
  readonly n: Vec3;
  readonly nu: Vec3;
  readonly nv: Vec3;
}
export interface Contact {
  readonly point: Vec3;
  /** Outside of the face. */
  readonly normal: Vec3;
  readonly u: number;
  readonly v: number;
}
export interface Section {
  readonly contacts: readonly [Contact, Contact];
  /** One over the radius of the ball that touches in both contacts, mm⁻¹: positive when it lies outside of the faces. NaN for `tube`. */
  readonly curvature: number;
}
/** The plane in which a section is looked for. */
export interface Across {
  readonly point: Vec3;
  readonly tangent: Vec3;
}

const buffer = new Float64Array(27);
const vec = (o: number): Vec3 => [buffer[o], buffer[o + 1], buffer[o + 2]];
/** Place and derivatives; parameters beyond the surface follow its last span's own polynomial. */
function jetOf(f: Face, u: number, v: number): Jet {
  evaluateSurface(f.surface, u, v, 2, buffer);
  // layout: index 3k+l of S^(k,l)
  const [p, dv, dvv, du, duv, duu] = [0, 3, 6, 9, 12, 18].map(vec);
  const N = cross(du, dv);
  const size = length(N) || 1e-300;
  const n = scale(N, 1 / size);
  const turned = (a: Vec3, b: Vec3): Vec3 => {
    const d = add(a, b);
    return scale(sub(d, scale(n, dot(d, n))), 1 / size);
  };
  const nu = turned(cross(duu, dv), cross(du, duv));
  const nv = turned(cross(duv, dv), cross(du, dvv));
  return f.reversed ? { p, du, dv, n: negate(n), nu: negate(nu), nv: negate(nv) } : { p, du, dv, n, nu, nv };
}
const wrap = (x: number, [a, b]: readonly [number, number]) => (x < a || x > b ? a + ((((x - a) % (b - a)) + (b - a)) % (b - a)) : x);

const closedOnes = new WeakMap<Face, readonly [boolean, boolean]>();
function closedWays(f: Face): readonly [boolean, boolean] {
  let ways = closedOnes.get(f);
  if (!ways) closedOnes.set(f, (ways = [isClosedU(f.surface, 1e-9), isClosedV(f.surface, 1e-9)]));
  return ways;
}
/** Parameters brought back into the range of a surface that closes on itself. */
function home(f: Face, x: Float64Array, o: number): void {
  const [u, v] = closedWays(f);
  if (u) x[o] = wrap(x[o], domainU(f.surface));
  if (v) x[o + 1] = wrap(x[o + 1], domainV(f.surface));
}
/** Parameters of the place on a face that a tangent vector leads to, to first order. */
export function stepOn(f: Face, u: number, v: number, way: Vec3): readonly [number, number] {
  const j = jetOf(f, u, v);
  const [E, F, G] = [dot(j.du, j.du), dot(j.du, j.dv), dot(j.dv, j.dv)];
  const [a, b] = [dot(way, j.du), dot(way, j.dv)];
  const D = E * G - F * F || 1e-300;
  return [u + (a * G - b * F) / D, v + (b * E - a * F) / D];
}

/**
 * One section by Newton's method from a first guess: `guess` holds the parameters on both faces and the curvature. `side` is 1 when the
 * ball lies outside of the faces (a hollow edge is filled), -1 when inside (an edge that stands out is rounded). Undefined when it does not converge.
 */
export function contactsFrom(
  faces: readonly [Face, Face],
  kind: ContactKind,
  size: number,
  side: 1 | -1,
  at: Across,
  guess: readonly [number, number, number, number, number],
): Section | undefined {
  const x = Float64Array.from(guess);
  return kind === 'tube' ? tube(faces, size, at, x) : ball(faces, kind, size, side, at, x);
}
const done = (j: readonly [Jet, Jet], x: Float64Array, curvature: number): Section => ({
  contacts: [
    { point: j[0].p, normal: j[0].n, u: x[0], v: x[1] },
    { point: j[1].p, normal: j[1].n, u: x[2], v: x[3] },
  ],
  curvature,
});

function ball(
  faces: readonly [Face, Face],
  kind: ContactKind,
  size: number,
  side: 1 | -1,
  at: Across,
  x: Float64Array,
): Section | undefined {
  const n = kind === 'width' ? 5 : 4;
  if (kind === 'ball') x[4] = side / size;
  // all equations in lengths: the first three are k (pA - pB) + nA - nB = 0, times the size
  const A = new Float64Array(n * n);
  const B = new Float64Array(n);
  let before = Infinity;
  for (let round = 0; round < 40; round++) {
    const j = [jetOf(faces[0], x[0], x[1]), jetOf(faces[1], x[2], x[3])] as const;
    const k = x[4];
    const apart = sub(j[0].p, j[1].p);
    const columns: Vec3[] = [
      add(scale(j[0].du, k), j[0].nu),
      add(scale(j[0].dv, k), j[0].nv),
      negate(add(scale(j[1].du, k), j[1].nu)),
      negate(add(scale(j[1].dv, k), j[1].nv)),
    ];
    const e = add(scale(apart, k), sub(j[0].n, j[1].n));
    for (let r = 0; r < 3; r++) {
      for (let c = 0; c < 4; c++) A[r * n + c] = size * columns[c][r];
      B[r] = -size * e[r];
      if (n === 5) A[r * n + 4] = size * apart[r];
    }
    const half = [j[0].du, j[0].dv, j[1].du, j[1].dv].map((d) => 0.5 * dot(d, at.tangent));
    for (let c = 0; c < 4; c++) A[3 * n + c] = half[c];
    if (n === 5) A[3 * n + 4] = 0;
    B[3] = -dot(sub(scale(add(j[0].p, j[1].p), 0.5), at.point), at.tangent);
    if (n === 5) {
      const w = length(apart) || 1e-300;
      const unit = scale(apart, 1 / w);
      [j[0].du, j[0].dv].forEach((d, c) => {
        A[4 * n + c] = dot(unit, d);
      });
      [j[1].du, j[1].dv].forEach((d, c) => {
        A[4 * n + 2 + c] = -dot(unit, d);
      });
      A[4 * n + 4] = 0;
      B[4] = size - w;
    }
    const off = Math.hypot(...B);
    if (!Number.isFinite(off)) return undefined;
    if (off < 1e-12 * (size + 1) || (round > 3 && off < 1e-9 * size && off >= 0.5 * before)) {
      // the same contact on both sides is no fillet
      if (kind === 'ball' && length(apart) < 1e-9 * size) return undefined;
      return done(j, x, k);
    }
    before = off;
    if (!solveDense(A, B, n, 1)) return undefined;
    // no further than half the size at once
    const move = Math.max(length(add(scale(j[0].du, B[0]), scale(j[0].dv, B[1]))), length(add(scale(j[1].du, B[2]), scale(j[1].dv, B[3]))));
    const damp = Math.min(1, (0.5 * size) / (move || 1e-300));
    for (let c = 0; c < n; c++) x[c] += damp * B[c];
    home(faces[0], x, 0);
    home(faces[1], x, 2);
  }
  return undefined;
}
function tube(faces: readonly [Face, Face], size: number, at: Across, x: Float64Array): Section | undefined {
  const contacts = [0, 2].map((o) => tubeContact(faces[o / 2], size, at, x[o], x[o + 1]));
  const [left, right] = contacts;
  return left && right ? { contacts: [left, right], curvature: Number.NaN } : undefined;
}
/** The place on one face at a distance from a point, in the plane across a direction there; Newton's method from a first guess. */
export function tubeContact(f: Face, size: number, at: Across, u: number, v: number): Contact | undefined {
  const x = Float64Array.of(u, v);
  for (let round = 0; round < 40; round++) {
    const j = jetOf(f, x[0], x[1]);
    const d = sub(j.p, at.point);
    const r = length(d) || 1e-300;
    const [a, b] = [size - r, -dot(d, at.tangent)];
    if (Math.hypot(a, b) < 1e-12 * (size + 1)) return { point: j.p, normal: j.n, u: x[0], v: x[1] };
    const out = scale(d, 1 / r);
    const [m, n, p, q] = [dot(out, j.du), dot(out, j.dv), dot(at.tangent, j.du), dot(at.tangent, j.dv)];
    const D = m * q - n * p;
    if (!(Math.abs(D) > 1e-300)) return undefined;
    const [s, t] = [(a * q - n * b) / D, (m * b - p * a) / D];
    const damp = Math.min(1, (0.5 * size) / (length(add(scale(j.du, s), scale(j.dv, t))) || 1e-300));
    x[0] += damp * s;
    x[1] += damp * t;
    home(f, x, 0);
  }
  return undefined;
}
