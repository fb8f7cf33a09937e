import type { Vec3 } from '../math/index.ts';
import { type Cage, makeCage, withPoints } from './cage.ts';
import { vertexLimit } from './limit.ts';
import { fanOf } from './shape.ts';
import type { Refinable } from './subdivide.ts';

/** Where a value of a start lies: the cage's own vertices, or the smooth surface that comes of it. */
export type SizeOf = 'cage' | 'smooth';

/**
 * Names of places: a share of a side, as a fraction in lowest terms, so that a vertex keeps its name when the number of segments doubles.
 */
export function share(i: number, n: number): string {
  if (i === 0) return '0';
  if (i === n) return '1';
  let [a, b] = [i, n];
  while (b) [a, b] = [b, a % b];
  return `${i / a}/${n / a}`;
}

/** Collects vertices by their names and faces over them. */
class Start {
  private readonly points: Vec3[] = [];
  private readonly ids = new Map<string, number>();
  private readonly faces: number[][] = [];
  private readonly faceNames: string[] = [];
  vertex(name: string, at: () => Vec3): number {
    let id = this.ids.get(name);
    if (id === undefined) {
      id = this.points.push(at()) - 1;
      this.ids.set(name, id);
    }
    return id;
  }
  /** Corners that fall on each other are one: a quad at a tip is a triangle. */
  face(name: string, corners: readonly number[]): void {
    const list = corners.filter((v, i) => v !== corners[(i + corners.length - 1) % corners.length]);
    if (list.length < 3) return;
    this.faces.push(list);
    this.faceNames.push(name);
  }
  cage(): Cage {
    const made = makeCage({ points: this.points, faces: this.faces, vertexNames: [...this.ids.keys()], faceNames: this.faceNames });
    // starts are whole by their construction
    if (!made.ok) throw new Error(made.trouble.message);
    return made.cage;
  }
}

export interface Turned {
  /** Degrees that the start goes round its axis; 360 is closed. */
  readonly opening: number;
}
const FULL_TURN = 360;
const closed = (o: number): boolean => o >= FULL_TURN - 1e-9;
const around = (degrees: number): readonly [number, number] => {
  const a = (degrees * Math.PI) / 180;
  return [Math.cos(a), Math.sin(a)];
};

/** A flat grid about the origin. */
export function gridStart(o: { width: number; depth: number; across: number; along: number }): Cage {
  const s = new Start();
  const at = (i: number, j: number) =>
    s.vertex(`v ${share(i, o.across)} ${share(j, o.along)}`, () => [o.width * (i / o.across - 0.5), o.depth * (j / o.along - 0.5), 0]);
  for (let i = 0; i < o.across; i++)
    for (let j = 0; j < o.along; j++)
      s.face(`f ${share(i, o.across)} ${share(j, o.along)} of ${o.across} ${o.along}`, [
        at(i, j),
        at(i + 1, j),
        at(i + 1, j + 1),
        at(i, j + 1),
      ]);
  return s.cage();
}

/** Rings of quads about the z axis: `row(t)` gives radius and height from t = 0 to 1; a radius of 0 is a tip. */
function turned(s: Start, n: number, m: number, opening: number, row: (t: number) => readonly [number, number], word = ''): void {
  const whole = closed(opening);
  const at = (i: number, j: number): number => {
    const [r, z] = row(j / m);
    const k = whole ? i % n : i;
    const tip = Math.abs(r) < 1e-12;
    return s.vertex(tip ? `v${word} tip ${share(j, m)}` : `v${word} ${share(k, n)} ${share(j, m)}`, () => {
      const [c, d] = around((opening * k) / n);
      return [r * c, r * d, z];
    });
  };
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++)
      s.face(`f${word} ${share(i, n)} ${share(j, m)} of ${n} ${m}`, [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
}

/**
 * A round of quads about a square: `quarter` segments on each side of the square, `rings` round it. `place` gives the place of a point whose
 * share of the radius is r, at an angle; `rim` the name of the vertices on the outermost ring.
 */
function roundOf(
  s: Start,
  quarter: number,
  rings: number,
  place: (x: number, y: number) => Vec3,
  word: string,
  rim: (i: number) => string,
  up: boolean,
): void {
  const n = 4 * quarter;
  const inner = 1 / (rings + 1);
  const side = (i: number): readonly [number, number] => {
    // along the square, counterclockwise from its corner at -45 degrees
    const [q, t] = [Math.floor(i / quarter) % 4, (2 * (i % quarter)) / quarter - 1];
    return (
      [
        [1, t],
        [-t, 1],
        [-1, -t],
        [t, -1],
      ] as const
    )[q];
  };
  const angle = (i: number) => around(-45 + (360 * i) / n);
  /** Ring 0 is the square's border, the last ring the rim. */
  const at = (i: number, ring: number): number => {
    const k = ((i % n) + n) % n;
    if (ring === 0) return square(...gridOf(k));
    return s.vertex(ring === rings ? rim(k) : `v${word} ${share(k, n)} ${share(ring, rings)}`, () => {
      const [c, d] = angle(k);
      const r = inner + (1 - inner) * (ring / rings);
      return place(r * c, r * d);
    });
  };
  const gridOf = (k: number): readonly [number, number] => {
    const [x, y] = side(k);
    return [Math.round(((x + 1) / 2) * quarter), Math.round(((y + 1) / 2) * quarter)];
  };
  const square = (i: number, j: number): number =>
    s.vertex(`v${word} square ${share(i, quarter)} ${share(j, quarter)}`, () => {
      const [x, y] = [(2 * i) / quarter - 1, (2 * j) / quarter - 1];
      // between a square and a circle, so that its corners do not crowd the rings
      const l = Math.hypot(x, y);
      const m = Math.max(Math.abs(x), Math.abs(y));
      const k = l > 0 ? (0.5 * m) / l + 0.5 * Math.SQRT1_2 : 0;
      return place(inner * k * x, inner * k * y);
    });
  const turn = (list: number[]) => (up ? list : [...list].reverse());
  for (let i = 0; i < quarter; i++)
    for (let j = 0; j < quarter; j++)
      s.face(
        `f${word} square ${share(i, quarter)} ${share(j, quarter)} of ${quarter}`,
        turn([square(i, j), square(i + 1, j), square(i + 1, j + 1), square(i, j + 1)]),
      );
  for (let i = 0; i < n; i++)
    for (let ring = 0; ring < rings; ring++)
      s.face(
        `f${word} ${share(i, n)} ${share(ring, rings)} of ${n} ${rings}`,
        turn([at(i, ring), at(i, ring + 1), at(i + 1, ring + 1), at(i + 1, ring)]),
      );
}

/** A flat disc: a square of quads with rings round it; opened, a fan with triangles at its middle. */
export function discStart(o: { radius: number; quarter: number; rings: number } & Turned): Cage {
  const s = new Start();
  if (closed(o.opening))
    roundOf(
      s,
      o.quarter,
      o.rings,
      (x, y) => [o.radius * x, o.radius * y, 0],
      '',
      (i) => `v ${share(i, 4 * o.quarter)} 1`,
      true,
    );
  else turned(s, Math.max(1, Math.round((4 * o.quarter * o.opening) / FULL_TURN)), o.rings + 1, o.opening, (t) => [o.radius * (1 - t), 0]);
  return s.cage();
}
/** A flat ring. */
export function ringStart(o: { outer: number; inner: number; segments: number; rings: number } & Turned): Cage {
  const s = new Start();
  turned(s, o.segments, o.rings, o.opening, (t) => [o.outer + t * (o.inner - o.outer), 0]);
  return s.cage();
}
/** A flat triangle with equal sides, of three blocks of quads about its middle. */
export function triangleStart(o: { side: number; segments: number }): Cage {
  const s = new Start();
  const r = o.side / Math.sqrt(3);
  const corner = (k: number): Vec3 => {
    const [c, d] = around(90 + 120 * k);
    return [r * c, r * d, 0];
  };
  const mid = (a: Vec3, b: Vec3, t: number): Vec3 => [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), 0];
  const n = o.segments;
  for (let k = 0; k < 3; k++) {
    const [a, b, z] = [corner(k), corner((k + 1) % 3), corner((k + 2) % 3)];
    const [ab, az, m]: [Vec3, Vec3, Vec3] = [mid(a, b, 0.5), mid(a, z, 0.5), [0, 0, 0]];
    const at = (i: number, j: number): number => {
      const [u, v] = [i / n, j / n];
      // spokes and the middle are shared by two blocks
      const name =
        i === n && j === n
          ? 'v middle'
          : i === n
            ? `v spoke ${k} ${share(j, n)}`
            : j === n
              ? `v spoke ${(k + 2) % 3} ${share(i, n)}`
              : `v ${k} ${share(i, n)} ${share(j, n)}`;
      return s.vertex(name, () => mid(mid(a, ab, u), mid(az, m, u), v));
    };
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++)
        s.face(`f ${k} ${share(i, n)} ${share(j, n)} of ${n}`, [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
  }
  return s.cage();
}
/** A box on the ground; `taper` is the size of its top against its foot. */
export function boxStart(o: {
  width: number;
  depth: number;
  height: number;
  across: number;
  along: number;
  up: number;
  taper: number;
}): Cage {
  const s = new Start();
  const n = [o.across, o.along, o.up] as const;
  const at = (p: readonly number[]): number =>
    s.vertex(`v ${p.map((x, k) => share(x, n[k])).join(' ')}`, () => {
      const t = p[2] / n[2];
      const k = 1 + t * (o.taper - 1);
      return [k * o.width * (p[0] / n[0] - 0.5), k * o.depth * (p[1] / n[1] - 0.5), o.height * t];
    });
  for (let d = 0; d < 3; d++)
    for (const side of [0, 1]) {
      const [a, b] = [(d + 1) % 3, (d + 2) % 3];
      const put = (i: number, j: number): number => {
        const p = [0, 0, 0];
        p[d] = side * n[d];
        p[a] = i;
        p[b] = j;
        return at(p);
      };
      for (let i = 0; i < n[a]; i++)
        for (let j = 0; j < n[b]; j++) {
          const quad = [put(i, j), put(i + 1, j), put(i + 1, j + 1), put(i, j + 1)];
          s.face(`f ${'xyz'[d]}${side} ${share(i, n[a])} ${share(j, n[b])} of ${n[a]} ${n[b]}`, side ? quad : quad.reverse());
        }
    }
  return s.cage();
}
/** A ball about the origin: six squares blown up; opened, rings between two tips. */
export function ballStart(o: { radius: number; segments: number } & Turned): Cage {
  if (!closed(o.opening)) {
    const s = new Start();
    const m = Math.max(2, 2 * o.segments);
    turned(s, Math.max(1, Math.round((4 * o.segments * o.opening) / FULL_TURN)), m, o.opening, (t) => [
      t === 0 || t === 1 ? 0 : o.radius * Math.sin(Math.PI * t),
      -o.radius * Math.cos(Math.PI * t),
    ]);
    return s.cage();
  }
  const n = o.segments;
  const box = boxStart({ width: 2, depth: 2, height: 2, across: n, along: n, up: n, taper: 1 });
  const points = box.points.slice();
  for (let v = 0; v < points.length; v += 3) {
    // equal angles along the sides of every square
    const p = [points[v], points[v + 1], points[v + 2] - 1].map((x) => Math.tan((x * Math.PI) / 4));
    const l = o.radius / Math.hypot(p[0], p[1], p[2]);
    points.set([p[0] * l, p[1] * l, p[2] * l], v);
  }
  return withPoints(box, points);
}
/** A cylinder or cone on the ground; `taper` is the radius of its top against its foot, 0 a tip. Caps need segments in quarters; else each is one face. */
export function cylinderStart(
  o: { radius: number; height: number; segments: number; up: number; taper: number; caps: boolean; rings: number } & Turned,
): Cage {
  const s = new Start();
  const n = o.segments;
  turned(s, n, o.up, o.opening, (t) => [o.radius * (1 + t * (o.taper - 1)), o.height * t]);
  if (o.caps && closed(o.opening))
    for (const top of [0, 1]) {
      const r = o.radius * (top ? o.taper : 1);
      if (r < 1e-12) continue;
      const z = top * o.height;
      // the square's first corner stands at -45 degrees: an eighth of a turn before the first segment
      const shift = n / 8;
      if (n % 8 === 0)
        roundOf(
          s,
          n / 4,
          o.rings,
          (x, y) => [r * x, r * y, z],
          top ? ' top' : ' foot',
          (i) => `v ${share((i - shift + n) % n, n)} ${top}`,
          top === 1,
        );
      else {
        const ring = Array.from({ length: n }, (_, i) => s.vertex(`v ${share(i, n)} ${top}`, () => [0, 0, 0]));
        s.face(top ? 'f top' : 'f foot', top ? ring : ring.reverse());
      }
    }
  return s.cage();
}
/** A torus about the z axis. */
export function torusStart(o: { radius: number; tube: number; segments: number; across: number } & Turned): Cage {
  const s = new Start();
  const [n, m] = [o.segments, o.across];
  const whole = closed(o.opening);
  const at = (i: number, j: number): number => {
    const [k, l] = [whole ? i % n : i, j % m];
    return s.vertex(`v ${share(k, n)} ${share(l, m)}`, () => {
      const [c, d] = around((o.opening * k) / n);
      const [e, f] = around((360 * l) / m);
      const r = o.radius + o.tube * e;
      return [r * c, r * d, o.tube * f];
    });
  };
  for (let i = 0; i < n; i++)
    for (let j = 0; j < m; j++)
      s.face(`f ${share(i, n)} ${share(j, m)} of ${n} ${m}`, [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
  return s.cage();
}

/** The limit of a vertex as weights of the cage's vertices: what `vertexLimit` is of, linear in places. */
export function limitWeights(c: Refinable, v: number, scratch = new Float64Array(3 * c.shape.vertices)): Map<number, number> {
  const { shape: s } = c;
  const near = new Set([v]);
  for (const h of fanOf(s, v)) for (let g = s.faceStart[s.face[h]]; g < s.faceStart[s.face[h] + 1]; g++) near.add(s.corners[g]);
  const out = new Map<number, number>();
  for (const w of near) {
    scratch[3 * w] = 1;
    const x = vertexLimit({ ...c, points: scratch }, v).point[0];
    scratch[3 * w] = 0;
    if (x) out.set(w, x);
  }
  return out;
}
/**
 * The cage moved as little as need be so that the limits of its vertices stand where its vertices stood, within `within` mm: sizes are then those
 * of the smooth surface. Conjugate gradients on the normal equations, from the vertices themselves; a cage whose limits cannot be brought
 * there (the limits of a cube's corners do not tell two ways of standing apart) gives nothing.
 */
export function limitThrough(c: Cage, within: number, rounds = 400): Cage | undefined {
  const n = c.shape.vertices;
  const scratch = new Float64Array(3 * n);
  const rows = Array.from({ length: n }, (_, v) => [...limitWeights(c, v, scratch)]);
  const times = (x: Float64Array): Float64Array => Float64Array.from(rows, (r) => r.reduce((sum, [w, k]) => sum + k * x[w], 0));
  const turnedTimes = (y: Float64Array): Float64Array => {
    const out = new Float64Array(n);
    rows.forEach((r, v) => {
      for (const [w, k] of r) out[w] += k * y[v];
    });
    return out;
  };
  const points = c.points.slice();
  for (let d = 0; d < 3; d++) {
    const x = Float64Array.from({ length: n }, (_, v) => c.points[3 * v + d]);
    const first = times(x);
    const r = x.map((t, v) => t - first[v]);
    let s = turnedTimes(r);
    const p = s.slice();
    let now = s.reduce((sum, t) => sum + t * t, 0);
    for (let k = 0; k < rounds && r.some((t) => Math.abs(t) > within / 2); k++) {
      const q = times(p);
      const size = q.reduce((sum, t) => sum + t * t, 0);
      if (!(size > 0)) break;
      const a = now / size;
      for (let v = 0; v < n; v++) {
        x[v] += a * p[v];
        r[v] -= a * q[v];
      }
      s = turnedTimes(r);
      const next = s.reduce((sum, t) => sum + t * t, 0);
      for (let v = 0; v < n; v++) p[v] = s[v] + (next / now) * p[v];
      now = next;
    }
    if (r.some((t) => !(Math.abs(t) <= within))) return undefined;
    for (let v = 0; v < n; v++) points[3 * v + d] = x[v];
  }
  return withPoints(c, points);
}
