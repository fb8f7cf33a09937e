import { domain, type NurbsCurve, type NurbsSurface, pointCount } from '../nurbs/index.ts';

/** A text inside the parameters: counted characters, ASCII only. */
export interface IgesText {
  readonly text: string;
}
export type IgesParam = number | IgesText;

/** The nearest plain letters: files of this kind know no others. */
export const plainLetters = (s: string): string =>
  s
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/ß/g, 'ss')
    .replace(/[^\x20-\x7e]/g, '_');

/** A number that reads back as the same double: a point and a D before the exponent, as the standard has them. */
const real = (x: number): string => {
  if (Number.isInteger(x) && Math.abs(x) < 1e15) return `${x}.`.replace('-0.', '0.');
  const [digits, power] = String(x).split('e');
  return `${digits.includes('.') ? digits : `${digits}.`}${power ? `D${power.replace('+', '')}` : ''}`;
};
const counted = (s: string): string => `${s.length}H${s}`;

/** What our files say they were written by. */
export const OUR_NAME = 'Ample Skin';

export interface IgesAbout {
  /** Unit flag of the standard: 1 inch, 2 mm, 6 m. */
  readonly unit?: 1 | 2 | 6;
  readonly title?: string;
  readonly fileName?: string;
  /** Smallest distance told apart, in the unit. */
  readonly resolution?: number;
  /** Largest coordinate, in the unit. */
  readonly largest?: number;
  readonly date?: Date;
}

/**
 * The cards of an IGES 5.3 file (80 columns, sections S, G, D, P, T): entities are added one by one and refer to each other by the number
 * their adding gave. No number is split over two cards. Which parameters are whole numbers is the caller's to say: those given through
 * `add` as numbers are written as whole numbers when they are, those of `reals` always with a point.
 */
export class IgesSheet {
  private readonly directory: string[] = [];
  private readonly parameters: string[] = [];
  private readonly about: IgesAbout;
  private readonly colours = new Map<string, number>();
  constructor(about: IgesAbout | 1 | 2 = {}) {
    this.about = typeof about === 'number' ? { unit: about } : about;
  }

  add(
    type: number,
    params: readonly (IgesParam | readonly number[] | string)[],
    o: {
      form?: number;
      matrix?: number;
      status?: string;
      colour?: number;
      label?: string;
      name?: string;
    } = {},
  ): number {
    const tokens = [
      String(type),
      ...params.flatMap((p): string | string[] =>
        typeof p === 'number'
          ? Number.isInteger(p)
            ? String(p)
            : real(p)
          : typeof p === 'string'
            ? p
            : 'text' in p
              ? counted(plainLetters(p.text))
              : p.map(real),
      ),
    ];
    // a name is a property that the entity points to behind its own parameters
    if (o.name !== undefined) tokens.push('0', '1', String(this.name(o.name)));
    const id = this.directory.length + 1;
    const start = this.parameters.length + 1;
    this.cards(tokens, id);
    const field = (v: number) => String(v).padStart(8);
    const count = this.parameters.length + 1 - start;
    this.directory.push(
      `${[type, start, 0, 0, 0, 0, o.matrix ?? 0, 0].map(field).join('')}${o.status ?? '00000000'}D${String(id).padStart(7)}`,
      `${[type, 0, o.colour ?? 0, count, o.form ?? 0, 0, 0].map(field).join('')}${(o.label ?? '').padStart(8)}${field(0)}D${String(id + 1).padStart(7)}`,
    );
    return id;
  }
  /** Parameters on cards of 64 columns; counted text may run over, numbers may not. */
  private cards(tokens: readonly string[], id: number): void {
    let row = '';
    const flush = () => {
      this.parameters.push(`${row.padEnd(64)}${String(id).padStart(8)}P${String(this.parameters.length + 1).padStart(7)}`);
      row = '';
    };
    tokens.forEach((t, i) => {
      const word = `${t}${i + 1 === tokens.length ? ';' : ','}`;
      if (row.length + word.length > 64 && row.length) flush();
      row += word;
      while (row.length > 64) {
        const rest = row.slice(64);
        row = row.slice(0, 64);
        flush();
        row = rest;
      }
    });
    if (row.length) flush();
  }
  /** The name property (406 form 15). */
  private name(text: string): number {
    return this.add(406, [1, { text: text || 'unnamed' }], { form: 15, status: '00010200' });
  }
  /** A colour by its shares, as its entities want it: the negative of its own number. */
  colour(hex: string | undefined): number {
    if (!hex) return 0;
    const known = this.colours.get(hex);
    if (known) return known;
    const shares = [1, 3, 5].map((o) => (Number.parseInt(hex.slice(o, o + 2), 16) / 255) * 100);
    const id = -this.add(314, [shares, { text: hex }], { status: '00000200' });
    this.colours.set(hex, id);
    return id;
  }
  /** A spline (126): in space, or in the parameters of a surface. */
  curve(c: NurbsCurve, flat = false, o: { status?: string; name?: string; colour?: number } = {}): number {
    const n = pointCount(c);
    const size = c.dim + 1;
    const w = Array.from({ length: n }, (_, i) => c.control[i * size + c.dim]);
    const p = w.flatMap((x, i) => [0, 1, 2].map((k) => (k < c.dim ? c.control[i * size + k] / x : 0)));
    return this.add(126, [n - 1, c.degree, flat ? 1 : 0, 0, c.rational ? 0 : 1, 0, [...c.knots, ...w, ...p, ...domain(c), 0, 0, 1]], {
      status: o.status ?? (flat ? '00010500' : '00010000'),
      name: o.name,
      colour: o.colour,
    });
  }
  /** A spline surface (128), dependent on what bounds it unless free. */
  surface(s: NurbsSurface, free = false): number {
    const list = (get: (o: number) => number[]) =>
      Array.from({ length: s.countV }, (_, j) => Array.from({ length: s.countU }, (_, i) => get(4 * (i * s.countV + j)))).flat(2);
    const w = list((o) => [s.control[o + 3]]);
    const p = list((o) => [0, 1, 2].map((k) => s.control[o + k] / s.control[o + 3]));
    const ends = [s.knotsU[s.degreeU], s.knotsU[s.countU], s.knotsV[s.degreeV], s.knotsV[s.countV]];
    return this.add(
      128,
      [s.countU - 1, s.countV - 1, s.degreeU, s.degreeV, 0, 0, s.rational ? 0 : 1, 0, 0, [...s.knotsU, ...s.knotsV, ...w, ...p, ...ends]],
      { status: free ? '00000000' : '00010000' },
    );
  }
  /** Loop on a surface (142): images in its parameters (none when there are no) and curves in space, each a chain (102) where several. */
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
    const { unit = 2, title = 'part', fileName = 'part.iges', resolution = 0.0001, largest = 1000 } = this.about;
    const d = this.about.date ?? new Date();
    const two = (n: number) => String(n).padStart(2, '0');
    const stamp = `${d.getFullYear()}${two(d.getMonth() + 1)}${two(d.getDate())}.${two(d.getHours())}${two(d.getMinutes())}${two(d.getSeconds())}`;
    const words = (s: string) => counted(plainLetters(s).slice(0, 120) || 'part');
    const global = [
      '1H,',
      '1H;',
      words(title),
      words(fileName),
      counted(OUR_NAME),
      counted(OUR_NAME),
      '32,38,6,308,15',
      words(title),
      '1.0',
      unit,
      counted(unit === 1 ? 'INCH' : unit === 6 ? 'M' : 'MM'),
      '1,0.1',
      counted(stamp),
      real(resolution),
      real(largest),
      counted('unnamed'),
      counted('unnamed'),
      '11,0',
      counted(stamp),
    ].join(',');
    const cards = (text: string, letter: string) =>
      Array.from(
        { length: Math.ceil(text.length / 72) },
        (_, i) => `${text.slice(72 * i, 72 * i + 72).padEnd(72)}${letter}${String(i + 1).padStart(7)}`,
      );
    const [s, g] = [cards(plainLetters(title).slice(0, 72).padEnd(1), 'S'), cards(`${global};`, 'G')];
    const count = (letter: string, n: number) => `${letter}${String(n).padStart(7)}`;
    const last = [count('S', s.length), count('G', g.length), count('D', this.directory.length), count('P', this.parameters.length)];
    const lines = [...s, ...g, ...this.directory, ...this.parameters, `${last.join('').padEnd(72)}T      1`];
    return new TextEncoder().encode(`${lines.join('\n')}\n`);
  }
}
