import { boundsOf, type Flat, loopsOf, type Move, movedRegion, type Region, regionArea } from './region.ts';

export interface NestOptions {
  readonly width: number;
  readonly height: number;
  /** Clear space between parts, and between parts and the sheet's border, mm. */
  readonly gap: number;
  readonly margin: number;
  /** Turns that are allowed, degrees. */
  readonly turns: readonly number[];
}
export interface Placed extends Move {
  readonly part: number;
  readonly sheet: number;
}
export interface Nested {
  readonly placed: readonly Placed[];
  readonly sheets: number;
  /** Sheets that the area of the parts alone would take. */
  readonly bound: number;
}

/** Cells of a raster, 32 to a word, row after row. */
interface Mask {
  readonly columns: number;
  readonly rows: number;
  readonly words: number;
  readonly bits: Uint32Array;
}
const mask = (columns: number, rows: number): Mask => {
  const words = Math.ceil(columns / 32) + 1;
  return { columns, rows, words, bits: new Uint32Array(words * rows) };
};

/**
 * Every cell that has a place within `reach` of the loops or inside them. Cells are squares of side `h`; the first begins at `from`. What
 * is told is never too little: a cell counts by its middle with half its diagonal more.
 */
function rasterOf(loops: readonly (readonly Flat[])[], from: Flat, columns: number, rows: number, h: number, reach: number): Mask {
  const m = mask(columns, rows);
  const set = (i: number, j: number) => {
    m.bits[j * m.words + (i >> 5)] |= 1 << (i & 31);
  };
  // inside: between pairs of crossings with the row's middle line
  for (let j = 0; j < rows; j++) {
    const y = from[1] + (j + 0.5) * h;
    const xs: number[] = [];
    for (const l of loops)
      for (let i = 0, k = l.length - 1; i < l.length; k = i++)
        if (l[i][1] > y !== l[k][1] > y) xs.push(((l[k][0] - l[i][0]) * (y - l[i][1])) / (l[k][1] - l[i][1]) + l[i][0]);
    xs.sort((a, b) => a - b);
    for (let k = 0; k + 1 < xs.length; k += 2)
      for (let i = Math.max(0, Math.ceil((xs[k] - from[0]) / h - 0.5)); i < columns && from[0] + (i + 0.5) * h <= xs[k + 1]; i++) set(i, j);
  }
  const far = reach + h * Math.SQRT1_2 + 1e-9;
  for (const l of loops)
    for (let k = 0, n = l.length - 1; k < l.length; n = k++) {
      const [a, b] = [l[n], l[k]];
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      const d2 = dx * dx + dy * dy || 1;
      const cell = (v: number, k2: 0 | 1) => Math.floor((v - from[k2]) / h);
      for (let j = Math.max(0, cell(Math.min(a[1], b[1]) - far, 1)); j <= Math.min(rows - 1, cell(Math.max(a[1], b[1]) + far, 1)); j++)
        for (
          let i = Math.max(0, cell(Math.min(a[0], b[0]) - far, 0));
          i <= Math.min(columns - 1, cell(Math.max(a[0], b[0]) + far, 0));
          i++
        ) {
          const [x, y] = [from[0] + (i + 0.5) * h - a[0], from[1] + (j + 0.5) * h - a[1]];
          const t = Math.min(1, Math.max(0, (x * dx + y * dy) / d2));
          if (Math.hypot(x - t * dx, y - t * dy) <= far) set(i, j);
        }
    }
  return m;
}
const has = (m: Mask, row: number, c: number): boolean => c >= 0 && c < m.columns && !!(m.bits[row * m.words + (c >> 5)] & (1 << (c & 31)));
/**
 * How far a part whose first cell lies on cell (i, j) must go to the right before it may be free: 0 when it meets nothing. Where a run of its
 * cells meets a run of taken ones, it meets it until it has wholly passed.
 */
function blocked(sheet: Mask, part: Mask, i: number, j: number): number {
  const [word, shift] = [i >> 5, i & 31];
  for (let r = 0; r < part.rows; r++) {
    const from = (j + r) * sheet.words + word;
    const own = r * part.words;
    let carry = 0;
    for (let w = 0; w < part.words; w++) {
      const b = part.bits[own + w];
      const here = shift ? (b << shift) | carry : b;
      carry = shift ? b >>> (32 - shift) : 0;
      const hit = here && word + w < sheet.words ? here & sheet.bits[from + w] : 0;
      if (!hit) continue;
      const p = 32 * (word + w) + 31 - Math.clz32(hit & -hit);
      let [end, start] = [p, p - i];
      while (has(sheet, j + r, end + 1)) end++;
      while (has(part, r, start - 1)) start--;
      return end - (start + i) + 1;
    }
  }
  return 0;
}
function put(sheet: Mask, part: Mask, i: number, j: number): void {
  for (let r = 0; r < part.rows; r++) {
    const y = j + r;
    if (y < 0 || y >= sheet.rows) continue;
    for (let c = 0; c < part.columns; c++) {
      const x = i + c;
      if (x < 0 || x >= sheet.columns) continue;
      if (part.bits[r * part.words + (c >> 5)] & (1 << (c & 31))) sheet.bits[y * sheet.words + (x >> 5)] |= 1 << (x & 31);
    }
  }
}

interface Turned {
  readonly turn: number;
  /** From the turned part to its first cell. */
  readonly low: Flat;
  readonly own: Mask;
  /** With the clear space round it; its first cell lies `wide` cells before. */
  readonly wide: Mask;
  readonly by: number;
}

/**
 * Parts laid on sheets, lowest and then leftmost place first, in the order and turn that takes the fewest sheets of those tried. Places are
 * found on a raster of the true outlines: a part claims every cell it touches, and those before it every cell within the clear space, so
 * that two parts can never be nearer than that, whatever the raster. Parts may lie in the holes of others.
 */
export function nest(parts: readonly Region[], o: NestOptions): Nested | { readonly message: string; readonly part: number } {
  const [w, t] = [o.width - 2 * o.margin, o.height - 2 * o.margin];
  if (!(w > 0) || !(t > 0)) return { message: 'The sheet is smaller than its margins', part: -1 };
  const h = Math.max(w, t) / 800;
  const [columns, rows] = [Math.floor(w / h + 1e-9), Math.floor(t / h + 1e-9)];
  const by = Math.ceil(o.gap / h) + 1;
  const turned = parts.map((p) =>
    o.turns.flatMap((turn): Turned[] => {
      const r = movedRegion(p, { turn, x: 0, y: 0 });
      const { min, max } = boundsOf(r.outer);
      const [c, n] = [Math.ceil((max[0] - min[0]) / h + 1e-9), Math.ceil((max[1] - min[1]) / h + 1e-9)];
      if (c > columns || n > rows) return [];
      const loops = loopsOf(r);
      return [
        {
          turn,
          low: min,
          own: rasterOf(loops, min, c, n, h, 0),
          wide: rasterOf(loops, [min[0] - by * h, min[1] - by * h], c + 2 * by, n + 2 * by, h, o.gap),
          by,
        },
      ];
    }),
  );
  const tooBig = turned.findIndex((x) => !x.length);
  if (tooBig >= 0) {
    const { min, max } = boundsOf(parts[tooBig].outer);
    return { message: `takes ${(max[0] - min[0]).toFixed(1)} x ${(max[1] - min[1]).toFixed(1)} mm, more than a sheet has`, part: tooBig };
  }
  const size = parts.map((p) => {
    const { min, max } = boundsOf(p.outer);
    return { area: (max[0] - min[0]) * (max[1] - min[1]), long: Math.max(max[0] - min[0], max[1] - min[1]), high: max[1] - min[1] };
  });
  const orders = (['long', 'area', 'high'] as const).map((k) => parts.map((_, i) => i).sort((a, b) => size[b][k] - size[a][k] || a - b));
  const area = parts.reduce((s, p) => s + regionArea(p), 0);
  let best: { placed: Placed[]; sheets: number; used: number } | undefined;
  for (const order of orders) {
    const laid = lay(order, turned, columns, rows, h, o.margin);
    if (!best || laid.sheets < best.sheets || (laid.sheets === best.sheets && laid.used < best.used)) best = laid;
  }
  const { placed, sheets } = best as { placed: Placed[]; sheets: number };
  return { placed: placed.sort((a, b) => a.part - b.part), sheets, bound: Math.max(1, Math.ceil(area / (w * t) - 1e-9)) };
}

function lay(order: readonly number[], turned: readonly (readonly Turned[])[], columns: number, rows: number, h: number, margin: number) {
  const sheets: Mask[] = [];
  const tops: number[] = [];
  const placed: Placed[] = [];
  for (const part of order) {
    let done = false;
    for (let s = 0; !done; s++) {
      if (s === sheets.length) {
        sheets.push(mask(columns, rows));
        tops.push(0);
      }
      const found = lowest(sheets[s], turned[part], columns, rows);
      if (!found) continue;
      const { t, i, j } = found;
      put(sheets[s], t.wide, i - t.by, j - t.by);
      tops[s] = Math.max(tops[s], j + t.own.rows);
      placed.push({ part, sheet: s, turn: t.turn, x: margin + i * h - t.low[0], y: margin + j * h - t.low[1] });
      done = true;
    }
  }
  return { placed, sheets: sheets.length, used: tops.reduce((a, b) => a + b, 0) };
}
/** The place whose top edge is lowest, then leftmost, over all turns. */
function lowest(sheet: Mask, turns: readonly Turned[], columns: number, rows: number): { t: Turned; i: number; j: number } | undefined {
  let best: { t: Turned; i: number; j: number; top: number } | undefined;
  for (const t of turns) {
    const last = Math.min(rows - t.own.rows, best ? best.top - t.own.rows : Infinity);
    search: for (let j = 0; j <= last; j++)
      for (let i = 0, by = 0; i <= columns - t.own.columns; i += by) {
        by = blocked(sheet, t.own, i, j);
        if (by) continue;
        const top = j + t.own.rows;
        if (!best || top < best.top || (top === best.top && i < best.i)) best = { t, i, j, top };
        break search;
      }
  }
  return best;
}
