import { evaluateFormula, formatNumber } from '../math/index.ts';
import type { Dial, Model } from '../recipe/index.ts';

/** Values of a dial, evenly from one to the other. */
export interface SweepRange {
  readonly dial: string;
  readonly from: number;
  readonly to: number;
  readonly count: number;
}
/** Values of the swept dials, by name. */
export type SweepPoint = Readonly<Record<string, number>>;
/** What a recipe gives at one point. Lengths in mm, angles in degrees; absent where it means nothing. */
export interface SweepRow {
  readonly point: SweepPoint;
  /** Every step is fine, and all that should be is closed and on target. */
  readonly ok: boolean;
  /** What is not, in words. */
  readonly why: readonly string[];
  readonly watertight?: boolean;
  readonly volume?: number;
  readonly area?: number;
  /** Least wall along the normal, at the nodes of a mesh; of what is closed. */
  readonly wall?: number;
  /** Least radius of curvature, at the nodes of a mesh. */
  readonly radius?: number;
  /** Worst of all smooth seams: gap mm, kink degrees, step %. */
  readonly gap?: number;
  readonly kink?: number;
  readonly step?: number;
  readonly onTarget?: number;
  readonly targets?: number;
  readonly defects?: number;
  readonly ms: number;
}
/** More are refused: a sweep is looked at by a person. */
export const MOST_POINTS = 400;

export interface SweepColumn {
  readonly key: 'volume' | 'area' | 'wall' | 'radius' | 'gap' | 'kink' | 'step' | 'defects' | 'ms';
  readonly label: string;
  readonly unit: string;
  readonly hint: string;
  readonly digits: number;
}
export const SWEEP_COLUMNS: readonly SweepColumn[] = [
  { key: 'volume', label: 'Volume', unit: 'mm³', hint: 'Of all pieces that are closed', digits: 2 },
  { key: 'area', label: 'Area', unit: 'mm²', hint: 'Of all pieces', digits: 2 },
  { key: 'wall', label: 'Least wall', unit: 'mm', hint: 'Along the normal, at the nodes of a mesh; of closed pieces', digits: 3 },
  { key: 'radius', label: 'Least radius', unit: 'mm', hint: 'Of curvature, at the nodes of a mesh', digits: 3 },
  { key: 'gap', label: 'Worst gap', unit: 'mm', hint: 'Of all seams', digits: 6 },
  { key: 'kink', label: 'Worst kink', unit: '°', hint: 'Of the smooth seams, and of those with a target of G1 or better', digits: 4 },
  { key: 'step', label: 'Worst step', unit: '%', hint: 'Of the curvature, across the smooth seams', digits: 2 },
  { key: 'defects', label: 'Defects', unit: '', hint: 'Found in all pieces', digits: 0 },
  { key: 'ms', label: 'Time', unit: 'ms', hint: 'To compute and to measure', digits: 0 },
];

/** A number of a run with its unit; what is less than its last digit is nothing. */
export function sweepText(c: SweepColumn, x: number): string {
  const shown = Math.abs(x) < 0.5 * 10 ** -c.digits ? '0' : formatNumber(x, c.digits);
  return `${shown}${c.unit === '°' || !c.unit ? c.unit : ` ${c.unit}`}`;
}
/** `wall=0.8..2:7`, numbers as formulas; a message when it is something else. */
export function parseRange(text: string): SweepRange | string {
  const m = /^([\p{L}_][\p{L}\p{N}_]*)=(.+?)\.\.(.+):(\d+)$/u.exec(text.trim());
  if (!m) return `"${text}" is not a range: write dial=FROM..TO:COUNT, such as wall=0.8..2:7`;
  const [from, to] = [evaluateFormula(m[2]), evaluateFormula(m[3])];
  for (const v of [from, to]) if (!v.ok) return `"${text}": ${v.message}`;
  return { dial: m[1], from: from.ok ? from.value : 0, to: to.ok ? to.value : 0, count: Number(m[4]) };
}
/** Every point of one range or of two crossed, the first one slowest; a message when it cannot be. */
export function sweepPoints(model: Pick<Model, 'dials'>, ranges: readonly SweepRange[]): readonly SweepPoint[] | string {
  if (ranges.length < 1 || ranges.length > 2) return 'A sweep goes over one dial, or over two';
  const [first, second] = ranges;
  if (second && first.dial === second.dial) return `"${first.dial}" is swept twice: choose another dial`;
  for (const r of ranges) {
    if (!model.dials.some((d) => d.name === r.dial))
      return `There is no dial "${r.dial}"; there ${model.dials.length ? `are: ${model.dials.map((d) => d.name).join(', ')}` : 'are none'}`;
    if (!Number.isFinite(r.from) || !Number.isFinite(r.to)) return `"${r.dial}" needs a number to begin with and one to end with`;
    if (!Number.isInteger(r.count) || r.count < 1) return `"${r.dial}" needs at least one value`;
    if (r.count > 1 && r.from === r.to) return `"${r.dial}" begins and ends with ${formatNumber(r.from)}: there is nothing to sweep`;
  }
  const count = ranges.reduce((n, r) => n * r.count, 1);
  if (count > MOST_POINTS) return `That is ${count} runs; at most ${MOST_POINTS} are made at once`;
  const at = (r: SweepRange, i: number, last: number): number => {
    if (i === 0 || i === last) return i ? r.to : r.from;
    const straight = r.from + ((r.to - r.from) * i) / last;
    // of ends beyond any measure not even the difference is a number
    return Number.isFinite(straight) ? straight : r.from * (1 - i / last) + r.to * (i / last);
  };
  const values = (r: SweepRange): number[] => Array.from({ length: r.count }, (_, i) => at(r, i, r.count - 1));
  return values(first).flatMap((x): SweepPoint[] =>
    second ? values(second).map((y) => ({ [first.dial]: x, [second.dial]: y })) : [{ [first.dial]: x }],
  );
}
/** The model with dials set as at a point, under a name that tells it. */
export function modelAt(model: Model, point: SweepPoint): Model {
  const told = Object.entries(point).map(([k, v]) => `${k} ${formatNumber(v, 4)}`);
  const dials = model.dials.map((d): Dial => (d.name in point ? { ...d, formula: exactly(point[d.name]) } : d));
  return { ...model, name: told.length ? `${model.name}, ${told.join(', ')}` : model.name, dials };
}
/** A number as a formula that gives it back to the last bit. */
const exactly = (x: number): string => (/e/.test(String(x)) ? x.toFixed(20).replace(/\.?0+$/, '') : String(x));

const cell = (x: string | number | boolean | undefined): string => {
  const s =
    x === undefined ? '' : typeof x === 'number' ? String(Number(x.toPrecision(12))) : typeof x === 'boolean' ? (x ? 'yes' : 'no') : x;
  return /[",\n\r]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s;
};
/** One line for each run, numbers in full, for other programs. */
export function sweepCsv(rows: readonly SweepRow[]): string {
  const dials = Object.keys(rows[0]?.point ?? {});
  const units = SWEEP_COLUMNS.map((c) => (c.unit === '°' ? `${c.label} deg` : `${c.label} ${c.unit}`).trim().toLowerCase());
  const head = [...dials, 'fine', 'watertight', ...units, 'seams on target', 'seams with a target', 'what is not fine'];
  const lines = rows.map((r) => [
    ...dials.map((d) => r.point[d]),
    r.ok,
    r.watertight,
    ...SWEEP_COLUMNS.map((c) => r[c.key]),
    r.onTarget,
    r.targets,
    r.why.join('; '),
  ]);
  return `${[head, ...lines].map((l) => l.map(cell).join(',')).join('\r\n')}\r\n`;
}
