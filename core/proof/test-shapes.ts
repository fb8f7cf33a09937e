import { type Body, BodyBuilder, type EdgeUse } from '../brep/index.ts';
import { interpolateGrid, isoU, isoV, line2 } from '../nurbs/index.ts';

/** Two quintic strips, 10 x 10 mm each, over x in [-10, 0] and [0, 10], y in [0, 10], that share the edge x = 0; heights given. */
export function pair(left: (x: number, y: number) => number, right: (x: number, y: number) => number): Body {
  const knots = Float64Array.from([...Array(6).fill(0), 1, 2, 3, 4, 5, 6, 7, 8, 9, ...Array(6).fill(10)]);
  const k = new BodyBuilder();
  const a = interpolateGrid((u, v) => [u - 10, v, left(u - 10, v)], 5, knots, knots);
  const b = interpolateGrid((u, v) => [u, v, right(u, v)], 5, knots, knots);
  const shared = k.edge(isoU(a, 10), 'shared');
  const sides = (s: typeof a, at: number, name: string) => [
    k.edge(isoV(s, 0), `${name}.v0`),
    k.edge(isoV(s, 10), `${name}.v1`),
    k.edge(isoU(s, at), `${name}.end`),
  ];
  const [a0, a1, a2] = sides(a, 0, 'a');
  const [b0, b1, b2] = sides(b, 10, 'b');
  const use = (edge: number, reversed: boolean, p: [number, number], q: [number, number]): EdgeUse => ({
    edge,
    reversed,
    pcurve: { curve: line2(p, q, 0, 10) },
  });
  k.face(
    a,
    [
      [
        use(a0, false, [0, 0], [10, 0]),
        use(shared, false, [10, 0], [10, 10]),
        use(a1, true, [0, 10], [10, 10]),
        use(a2, true, [0, 0], [0, 10]),
      ],
    ],
    'a',
  );
  k.face(
    b,
    [
      [
        use(b0, false, [0, 0], [10, 0]),
        use(b2, false, [10, 0], [10, 10]),
        use(b1, true, [0, 10], [10, 10]),
        use(shared, true, [0, 0], [0, 10]),
      ],
    ],
    'b',
  );
  return k.body();
}
