import { evaluateNet, greville, interpolateInSpace, knotRuns, type Net } from '../nurbs/index.ts';

/** Homogeneous derivative rows across a border: the border itself and as many derivatives into the blend as its grade asks for. */
export type ExactRows = readonly Net[];

/**
 * The neighbour carried on over its own border: (1 + rho s) H(1 + lam(t) s, t), which meets it in every grade by construction. `net` has rows
 * of 16 numbers (`Border.natural`), over 0..1; lam = lam[0] + lam[1] t in parameters of the neighbour for one of the blend.
 * lam[1] raises the degree along the border by the grade.
 */
export function carriedOn(net: Net, grade: 0 | 1 | 2 | 3, lam: readonly [number, number]): ExactRows {
  const part = (k: number): Net => {
    const n = net.data.length / 16;
    const data = new Float64Array(4 * n);
    for (let i = 0; i < n; i++) data.set(net.data.subarray(16 * i + 4 * k, 16 * i + 4 * k + 4), 4 * i);
    return { ...net, data, stride: 4 };
  };
  const [H, U, UU, UUU] = [0, 1, 2, 3].map(part);
  // weights stay near one across the middle
  const [h, u] = [value(H, 0.5), value(U, 0.5)];
  const middle = lam[0] + lam[1] / 2;
  const rho = (-middle * u[3]) / h[3];
  const rows: Net[] = [H];
  const mixed = (f: (t: number, k: number) => number, power: number): Net => {
    const space = elevated(net, lam[1] === 0 ? 0 : power);
    const at = greville(space.knots, space.degree);
    const data = new Float64Array(4 * at.length);
    at.forEach((t, i) => {
      for (let k = 0; k < 4; k++) data[4 * i + k] = f(t, k);
    });
    const out = interpolateInSpace(space.degree, space.knots, at, data, 4);
    if (!out) throw new Error('a border cannot be carried on');
    return out;
  };
  const kept = new Map<number, readonly Float64Array[]>();
  const all = (t: number) => {
    let r = kept.get(t);
    if (!r) {
      r = [H, U, UU, UUU].map((n) => value(n, t));
      kept.set(t, r);
    }
    return r;
  };
  const speed = (t: number) => lam[0] + lam[1] * t;
  if (grade >= 1) rows.push(mixed((t, k) => speed(t) * all(t)[1][k] + rho * all(t)[0][k], 1));
  if (grade >= 2) rows.push(mixed((t, k) => speed(t) ** 2 * all(t)[2][k] + 2 * rho * speed(t) * all(t)[1][k], 2));
  if (grade >= 3) rows.push(mixed((t, k) => speed(t) ** 3 * all(t)[3][k] + 3 * rho * speed(t) ** 2 * all(t)[2][k], 3));
  return rows;
}
function value(n: Net, t: number): Float64Array {
  const out = new Float64Array(n.stride);
  evaluateNet(n, t, out);
  return out;
}
/** Degree and knots of the net with the degree raised. */
function elevated(n: Net, by: number): { degree: number; knots: Float64Array } {
  if (!by) return n;
  const { values, multiplicities } = knotRuns(n.knots, n.degree);
  const degree = n.degree + by;
  const knots = values.flatMap((t, i) =>
    Array<number>(i === 0 || i === values.length - 1 ? degree + 1 : Math.min(degree, multiplicities[i] + by)).fill(t),
  );
  return { degree, knots: Float64Array.from(knots) };
}
/** Control rows of a Bézier curve of degree m across, from the derivative rows at its first end (all on one space). */
export function rowsFromDerivatives(d: readonly Net[], m: number): Net[] {
  const length = d[0].data.length;
  const mix = (f: (i: number) => number): Net => ({ ...d[0], data: Float64Array.from({ length }, (_, i) => f(i)) });
  const P: Net[] = [d[0]];
  if (d.length > 1) P.push(mix((i) => P[0].data[i] + d[1].data[i] / m));
  if (d.length > 2) P.push(mix((i) => d[2].data[i] / (m * (m - 1)) + 2 * P[1].data[i] - P[0].data[i]));
  if (d.length > 3) P.push(mix((i) => d[3].data[i] / (m * (m - 1) * (m - 2)) + 3 * P[2].data[i] - 3 * P[1].data[i] + P[0].data[i]));
  return P;
}
