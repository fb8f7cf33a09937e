import { add, cross, distance, dot, length, rotateAbout, scale, sub, unit, type Vec3 } from '../math/index.ts';

/** How a section is lined up with the one before it. */
export interface Alignment {
  /** Share of the length (0..1) at which a closed section starts. */
  readonly start: number;
  readonly reversed: boolean;
}

const centreOf = (pts: readonly Vec3[]): Vec3 =>
  scale(
    pts.reduce<Vec3>((s, p) => add(s, p), [0, 0, 0]),
    1 / pts.length,
  );
function newell(pts: readonly Vec3[]): Vec3 {
  let n: Vec3 = [0, 0, 0];
  for (let i = 0; i < pts.length; i++) n = add(n, cross(pts[i], pts[(i + 1) % pts.length]));
  return n;
}
/** Rotation that takes unit vector a onto b by the shortest way. */
function turnOnto(a: Vec3, b: Vec3): (v: Vec3) => Vec3 {
  const axis = cross(a, b);
  const s = length(axis);
  if (s < 1e-12) return (v) => (dot(a, b) > 0 ? v : scale(v, -1));
  const angle = Math.atan2(s, dot(a, b));
  const u = scale(axis, 1 / s);
  return (v) => rotateAbout(v, u, angle);
}
const shape = (pts: readonly Vec3[]) => {
  const c = centreOf(pts);
  const moved = pts.map((p) => sub(p, c));
  const rms = Math.sqrt(moved.reduce((s, p) => s + dot(p, p), 0) / moved.length) || 1;
  return { centre: c, moved: moved.map((p) => scale(p, 1 / rms)) };
};

/**
 * Starts and directions of closed sections for least twist, link by link: sections are centred and scaled, turned so that their area
 * normals agree (both along the chord between centres), and the start is the shift with the least sum of squared distances, refined
 * between samples by a parabola. `samples[i]` are points at equal steps of length, without the repeated end.
 */
export function alignClosed(samples: readonly (readonly Vec3[])[]): Alignment[] {
  const n = samples[0].length;
  const out: Alignment[] = [{ start: 0, reversed: false }];
  let previous = samples[0];
  for (let k = 1; k < samples.length; k++) {
    let current = samples[k];
    const a = shape(previous);
    const chord = sub(centreOf(current), a.centre);
    const na = unit(newell(a.moved));
    let nb = unit(newell(shape(current).moved));
    const flat = length(chord) < 1e-9 * (distance(previous[0], a.centre) + 1e-12);
    const reversed = flat
      ? dot(na, nb) < 0
      : dot(na, chord) < 0 !== dot(nb, chord) < 0
        ? true
        : Math.abs(dot(na, unit(chord))) < 1e-3
          ? dot(na, nb) < 0
          : false;
    if (reversed) {
      current = [current[0], ...current.slice(1).reverse()];
      nb = scale(nb, -1);
    }
    const turn = turnOnto(nb, na);
    const b = shape(current).moved.map(turn);
    const cost = (shift: number) => {
      let s = 0;
      for (let i = 0; i < n; i++) {
        const p = a.moved[i];
        const q = b[(i + shift + n) % n];
        s += (p[0] - q[0]) ** 2 + (p[1] - q[1]) ** 2 + (p[2] - q[2]) ** 2;
      }
      return s;
    };
    let best = 0;
    let least = Infinity;
    for (let s = 0; s < n; s++) {
      const c = cost(s);
      if (c < least * (1 - 1e-9)) {
        least = c;
        best = s;
      }
    }
    const [c0, c1, c2] = [cost((best + n - 1) % n), least, cost((best + 1) % n)];
    const bend = c0 - 2 * c1 + c2;
    const fine = bend > 0 ? (c0 - c2) / (2 * bend) : 0;
    const share = ((((best + fine) / n) % 1) + 1) % 1;
    const start = reversed ? (1 - share) % 1 : share;
    out.push({ start: Math.min(start, 1 - start) < 0.01 ? 0 : start, reversed });
    const whole = Math.round(share * n) % n;
    previous = current.map((_, i) => current[(i + whole) % n]);
  }
  return out;
}

/** Directions of open sections: the one with the shorter total of ruling lengths. */
export function alignOpen(samples: readonly (readonly Vec3[])[]): Alignment[] {
  const out: Alignment[] = [{ start: 0, reversed: false }];
  let previous = samples[0];
  for (let k = 1; k < samples.length; k++) {
    const back = [...samples[k]].reverse();
    const sum = (l: readonly Vec3[]) => l.reduce((s, p, i) => s + distance(p, previous[i]), 0);
    const reversed = sum(back) < sum(samples[k]) * (1 - 1e-9);
    out.push({ start: 0, reversed });
    previous = reversed ? back : samples[k];
  }
  return out;
}
