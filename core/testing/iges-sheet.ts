import { toRational } from '../brep/chart.ts';
import { type Body, edgeCurve, type Trace } from '../brep/index.ts';
import { clipCurve, domain, type NurbsCurve, type NurbsSurface, pointCount, reverseCurve } from '../nurbs/index.ts';

/** Writes just enough IGES for readers to be tried on. Units: 2 mm, 1 inch. */
export class IgesSheet {
  private readonly directory: string[] = [];
  private readonly parameters: string[] = [];
  constructor(private readonly unit = 2) {}
  add(
    type: number,
    params: readonly (number | string)[],
    o: { form?: number; matrix?: number; status?: string; colour?: number; label?: string } = {},
  ): number {
    const id = this.directory.length + 1;
    const text = `${[type, ...params].map((p) => (typeof p === 'number' && !Number.isInteger(p) ? p.toExponential(15).replace('e', 'D') : String(p))).join(',')};`;
    const start = this.parameters.length + 1;
    for (let i = 0; i < text.length; i += 64)
      this.parameters.push(
        `${text.slice(i, i + 64).padEnd(64)}${String(id).padStart(8)}P${String(this.parameters.length + 1).padStart(7)}`,
      );
    const field = (v: number) => String(v).padStart(8);
    const count = this.parameters.length + 1 - start;
    this.directory.push(
      `${[type, start, 0, 0, 0, o.matrix ?? 0, 0, 0].map((v, k) => field(k === 6 ? (o.matrix ?? 0) : k === 5 ? 0 : v)).join('')}${o.status ?? '00000000'}D${String(id).padStart(7)}`,
    );
    this.directory.push(
      `${[type, 0, o.colour ?? 0, count, o.form ?? 0, 0, 0].map(field).join('')}${(o.label ?? '').padEnd(8)}${field(0)}D${String(id + 1).padStart(7)}`,
    );
    return id;
  }
  curve(c: NurbsCurve, flat = false): number {
    const n = pointCount(c);
    const size = c.dim + 1;
    const w = Array.from({ length: n }, (_, i) => c.control[i * size + c.dim]);
    const p = w.flatMap((x, i) => [0, 1, 2].map((k) => (k < c.dim ? c.control[i * size + k] / x : 0)));
    return this.add(126, [n - 1, c.degree, 0, 0, c.rational ? 0 : 1, 0, ...c.knots, ...w, ...p, ...domain(c), 0, 0, 1], {
      status: flat ? '00010500' : '00010000',
    });
  }
  surface(s: NurbsSurface, free = false): number {
    const list = (get: (o: number) => number[]) =>
      Array.from({ length: s.countV }, (_, j) => Array.from({ length: s.countU }, (_, i) => get(4 * (i * s.countV + j)))).flat(2);
    const w = list((o) => [s.control[o + 3]]);
    const p = list((o) => [0, 1, 2].map((k) => s.control[o + k] / s.control[o + 3]));
    const ends = [s.knotsU[0], s.knotsU[s.knotsU.length - 1], s.knotsV[0], s.knotsV[s.knotsV.length - 1]];
    return this.add(
      128,
      [s.countU - 1, s.countV - 1, s.degreeU, s.degreeV, 0, 0, s.rational ? 0 : 1, 0, 0, ...s.knotsU, ...s.knotsV, ...w, ...p, ...ends],
      { status: free ? '00000000' : '00010000' },
    );
  }
  /** Loop on a surface: images in its parameters (0 when there are none) and curves in space. */
  loop(surface: number, images: readonly number[], curves: readonly number[]): number {
    const chain = (list: readonly number[], flat: boolean) =>
      list.length === 0
        ? 0
        : list.length === 1
          ? list[0]
          : this.add(102, [list.length, ...list], { status: flat ? '00010500' : '00010000' });
    return this.add(142, [0, surface, chain(images, true), chain(curves, false), images.length ? 1 : 2], { status: '00010000' });
  }
  bytes(): Uint8Array {
    const global = `1H,,1H;,4Hpart,9Hpart.iges,4Hnone,4Hnone,32,38,6,308,15,4Hpart,1.0,${this.unit},2HMM,1,0.1,13H261125.120000,0.0001,1000.0,4Hnone,4Hnone,11,0,13H261125.120000;`;
    const cards = (text: string, letter: string) =>
      Array.from(
        { length: Math.ceil(text.length / 72) },
        (_, i) => `${text.slice(72 * i, 72 * i + 72).padEnd(72)}${letter}${String(i + 1).padStart(7)}`,
      );
    const lines = [
      ...cards('Our own part', 'S'),
      ...cards(global, 'G'),
      ...this.directory,
      ...this.parameters,
      `${'S      1G      3D      4P      4'.padEnd(72)}T      1`,
    ];
    return new TextEncoder().encode(`${lines.join('\n')}\n`);
  }
}
const between = (c: Trace, [a, b]: readonly [number, number], reversed: boolean): NurbsCurve => {
  const part = clipCurve(c.curve, toRational(c.turn, a), toRational(c.turn, b));
  return reversed ? reverseCurve(part) : part;
};
/** A body as trimmed surfaces, each with its own border: as files of this kind have them. */
export function igesOf(b: Body): Uint8Array {
  const sheet = new IgesSheet();
  for (const f of b.faces) {
    const surface = sheet.surface(f.surface);
    const loops = f.loops.map((l) =>
      sheet.loop(
        surface,
        l.map((u) => sheet.curve(between(u.pcurve, b.edges[u.edge].range, u.reversed), true)),
        l.flatMap((u) => {
          const e = b.edges[u.edge];
          return e.degenerate ? [] : [sheet.curve(u.reversed ? reverseCurve(edgeCurve(e)) : edgeCurve(e))];
        }),
      ),
    );
    sheet.add(144, [surface, 1, loops.length - 1, ...loops]);
  }
  return sheet.bytes();
}
