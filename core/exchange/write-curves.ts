import { type Frame, solveDense, toLocal, type Vec3 } from '../math/index.ts';
import {
  curveOfFit,
  domain,
  fitFunction,
  insertCurveKnots,
  isClosed,
  knotRuns,
  lengthParameter,
  type NurbsCurve,
  pointAt,
} from '../nurbs/index.ts';

export interface NamedChain {
  readonly name: string;
  readonly curves: readonly NurbsCurve[];
}
const isLine = (c: NurbsCurve) => c.degree === 1 && c.control.length === 8;
const short = (x: number) => String(Number(x.toFixed(6)));

/** A flat curve as cubic or lower Bézier pieces: exactly when it is a polynomial of degree 3 at most, otherwise fitted within `tolerance` mm. */
export function beziers(c: NurbsCurve, tolerance: number): { pieces: Vec3[][]; exact: boolean } {
  let k = c;
  let exact = true;
  if (c.rational || c.degree > 3) {
    const by = lengthParameter(c);
    const f = fitFunction(
      (s, out) => {
        out.set(pointAt(c, by.at(s)));
      },
      0,
      by.total,
      3,
      3,
      tolerance,
      [],
      400,
    );
    k = curveOfFit(f, 3);
    exact = false;
  }
  const { values, multiplicities } = knotRuns(k.knots, k.degree);
  k = insertCurveKnots(
    k,
    values.slice(1, -1).flatMap((t, i) => Array<number>(Math.max(0, k.degree - multiplicities[i + 1])).fill(t)),
  );
  const n = values.length - 1;
  const pieces = Array.from({ length: n }, (_, i) =>
    Array.from({ length: k.degree + 1 }, (_x, j): Vec3 => {
      const o = 4 * (i * k.degree + j);
      return [k.control[o], k.control[o + 1], k.control[o + 2]];
    }),
  );
  return { pieces, exact };
}

/**
 * Is a flat curve an arc of a circle or an ellipse? Its half axes and lean (degrees), as SVG's A command takes them: the conic through five
 * of its places is looked at in twelve more.
 */
function arcOf(at: (share: number) => readonly [number, number]): { rx: number; ry: number; lean: number } | undefined {
  const places = Array.from({ length: 17 }, (_, i) => at((i + 0.5) / 17));
  const [mx, my] = [0, 1].map((k) => places.reduce((s, p) => s + p[k] / 17, 0));
  const size = Math.max(...places.map((p) => Math.hypot(p[0] - mx, p[1] - my)));
  if (!(size > 1e-9)) return undefined;
  const q = places.map((p) => [(p[0] - mx) / size, (p[1] - my) / size]);
  const A = new Float64Array(25);
  const c = new Float64Array(5).fill(1);
  [0, 4, 8, 12, 16].forEach((i, row) => {
    const [x, y] = q[i];
    A.set([x * x, x * y, y * y, x, y], 5 * row);
  });
  if (!solveDense(A, c, 5, 1)) return undefined;
  if (
    q.some(
      ([x, y]) =>
        Math.abs(c[0] * x * x + c[1] * x * y + c[2] * y * y + c[3] * x + c[4] * y - 1) > 1e-9 * (1 + Math.abs(c[0]) + Math.abs(c[2])),
    )
  )
    return undefined;
  const disc = 4 * c[0] * c[2] - c[1] * c[1];
  if (!(disc > 1e-9 * (c[0] + c[2]) ** 2)) return undefined;
  const [cx, cy] = [(c[1] * c[4] - 2 * c[2] * c[3]) / disc, (c[1] * c[3] - 2 * c[0] * c[4]) / disc];
  const rest = 1 - (c[0] * cx * cx + c[1] * cx * cy + c[2] * cy * cy + c[3] * cx + c[4] * cy);
  const [mean, spread] = [(c[0] + c[2]) / 2, Math.hypot((c[0] - c[2]) / 2, c[1] / 2)];
  const [rx, ry] = [Math.sqrt(rest / (mean - spread)), Math.sqrt(rest / (mean + spread))].map((r) => r * size);
  if (!(rx > 0) || !(ry > 0)) return undefined;
  // the longer half axis lies where the quadratic form is least
  const lean = spread < 1e-12 * mean ? 0 : (Math.atan2(-c[1], c[2] - c[0]) * 90) / Math.PI;
  return { rx, ry, lean };
}

/** Curves seen along the normal of a plane as an SVG in millimetres, y upwards turned to SVG's downwards; one path a chain. */
export function writeSvg(chains: readonly NamedChain[], frame: Frame, tolerance = 0.001): { text: string; exact: boolean } {
  const flat = (p: Vec3) => {
    const q = toLocal(frame, p);
    return [q[0], -q[1]] as const;
  };
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  let exact = true;
  const see = ([x, y]: readonly [number, number]) => {
    [x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)];
    return `${short(x)} ${short(y)}`;
  };
  const paths = chains.map((chain) => {
    let d = '';
    chain.curves.forEach((c, i) => {
      const by = c.rational ? lengthParameter(c) : undefined;
      const seen = (share: number) => flat(pointAt(c, by ? by.at(by.total * share) : domain(c)[0]));
      const arc = by && arcOf(seen);
      if (arc) {
        // in thirds, so that each is less than half a turn
        if (i === 0) d += `M${see(seen(0))}`;
        for (let k = 1; k <= 3; k++) {
          const [a, m, e] = [seen((k - 1) / 3), seen((k - 0.5) / 3), seen(k / 3)];
          see(m);
          const left = (m[0] - a[0]) * (e[1] - a[1]) - (m[1] - a[1]) * (e[0] - a[0]) > 0;
          d += `A${short(arc.rx)} ${short(arc.ry)} ${short(arc.lean)} 0 ${left ? 1 : 0} ${see(e)}`;
        }
        // the frame of the page reaches round the bulge too
        for (let k = 0; k <= 24; k++) see(seen(k / 24));
        return;
      }
      const b = beziers(c, tolerance);
      exact &&= b.exact;
      b.pieces.forEach((p, k) => {
        if (i === 0 && k === 0) d += `M${see(flat(p[0]))}`;
        d += `${p.length === 2 ? 'L' : p.length === 3 ? 'Q' : 'C'}${p
          .slice(1)
          .map((q) => see(flat(q)))
          .join(' ')}`;
      });
    });
    const [first, last] = [chain.curves[0], chain.curves[chain.curves.length - 1]];
    const closed =
      chain.curves.length === 1
        ? isClosed(first)
        : Math.hypot(...pointAt(first, domain(first)[0]).map((v, k) => v - pointAt(last, domain(last)[1])[k])) < 1e-6;
    const id = chain.name.replace(/[^\w.-]+/g, '-');
    return `  <path id="${id}" d="${d}${closed ? 'Z' : ''}"/>`;
  });
  const m = 1;
  const [w, h] = [x1 - x0 + 2 * m, y1 - y0 + 2 * m];
  const text = `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" width="${short(w)}mm" height="${short(h)}mm" viewBox="${short(x0 - m)} ${short(y0 - m)} ${short(w)} ${short(h)}" fill="none" stroke="black" stroke-width="0.1">
${paths.join('\n')}
</svg>
`;
  return { text, exact };
}

/** Curves as DXF in millimetres, in space or in the coordinates of a plane: lines as lines, all others as splines with knots and weights, exactly. */
export function writeDxf(chains: readonly NamedChain[], frame?: Frame): string {
  const out: (string | number)[] = [
    0,
    'SECTION',
    2,
    'HEADER',
    9,
    '$ACADVER',
    1,
    'AC1015',
    9,
    '$INSUNITS',
    70,
    4,
    0,
    'ENDSEC',
    0,
    'SECTION',
    2,
    'ENTITIES',
  ];
  let handle = 256;
  const point = (code: number, p: Vec3) => {
    const q = frame ? toLocal(frame, p) : p;
    out.push(code, q[0], code + 10, q[1], code + 20, q[2]);
  };
  for (const chain of chains) {
    const layer = chain.name.replace(/[^\w.-]+/g, '-').slice(0, 60) || '0';
    for (const c of chain.curves) {
      out.push(0, isLine(c) ? 'LINE' : 'SPLINE', 5, (handle++).toString(16).toUpperCase(), 100, 'AcDbEntity', 8, layer);
      if (isLine(c)) {
        out.push(100, 'AcDbLine');
        point(10, pointAt(c, domain(c)[0]));
        point(11, pointAt(c, domain(c)[1]));
        continue;
      }
      const n = c.control.length / 4;
      out.push(100, 'AcDbSpline', 70, (c.rational ? 4 : 0) + 8 + (isClosed(c) ? 1 : 0), 71, c.degree, 72, c.knots.length, 73, n, 74, 0);
      for (const k of c.knots) out.push(40, k);
      if (c.rational) for (let i = 0; i < n; i++) out.push(41, c.control[4 * i + 3]);
      for (let i = 0; i < n; i++) {
        const w = c.control[4 * i + 3];
        point(10, [c.control[4 * i] / w, c.control[4 * i + 1] / w, c.control[4 * i + 2] / w]);
      }
    }
  }
  out.push(0, 'ENDSEC', 0, 'EOF');
  return `${out.join('\n')}\n`;
}
