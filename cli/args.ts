import { evaluateFormula } from '@ample-skin/core/math';

import { BadCall, type Writing } from './read.ts';

export interface Args {
  readonly words: string[];
  readonly json: boolean;
  readonly set: string[];
  readonly out: string[];
  readonly report?: string;
  readonly tolerance?: string;
  readonly keep?: string;
  readonly unit?: string;
  readonly schema?: string;
  readonly apart: boolean;
  /** Ranges of dials, as written. */
  readonly over: string[];
}
export function parseArgs(argv: readonly string[]): Args {
  const words: string[] = [];
  const set: string[] = [];
  const out: string[] = [];
  const over: string[] = [];
  let json = false;
  let report: string | undefined;
  let tolerance: string | undefined;
  let keep: string | undefined;
  let unit: string | undefined;
  let schema: string | undefined;
  let apart = false;
  const value = (i: number, name: string) => {
    if (argv[i] === undefined) throw new BadCall(`${name} needs a value`);
    return argv[i];
  };
  for (let i = 0; i < argv.length; i++) {
    const a = argv[i];
    if (a === '--json') json = true;
    else if (a === '--set') set.push(value(++i, a));
    else if (a === '--over') over.push(value(++i, a));
    else if (a === '--out') out.push(value(++i, a));
    else if (a === '--report') report = value(++i, a);
    else if (a === '--apart') apart = true;
    else if (a === '--unit') unit = value(++i, a);
    else if (a === '--schema') schema = value(++i, a);
    else if (a === '--keep') keep = value(++i, a);
    else if (a === '--tolerance') tolerance = value(++i, a);
    else if (a === '--help' || a === '-h') words.unshift('help');
    else if (a.startsWith('--')) throw new BadCall(`"${a}" is not an option; see: ample help`);
    else words.push(a);
  }
  return { words, json, set, out, report, tolerance, keep, unit, schema, apart, over };
}

export function toleranceOf(args: Args): number {
  if (!args.tolerance) return 0.02;
  const v = evaluateFormula(args.tolerance);
  if (!v.ok || !(v.value > 0)) throw new BadCall(`--tolerance ${args.tolerance}: ${v.ok ? 'it must be greater than zero' : v.message}`);
  return v.value;
}

const UNITS = { mm: 'MM', in: 'INCH', m: 'M' } as const;
/** How files are to be written. */
export function writingOf(args: Args): Writing {
  if (args.unit !== undefined && !(args.unit in UNITS))
    throw new BadCall(`--unit ${args.unit}: it is one of ${Object.keys(UNITS).join(', ')}`);
  if (args.schema !== undefined && args.schema !== 'AP214' && args.schema !== 'AP242')
    throw new BadCall(`--schema ${args.schema}: it is AP214 or AP242`);
  return {
    tolerance: toleranceOf(args),
    unit: args.unit === undefined ? undefined : UNITS[args.unit as keyof typeof UNITS],
    schema: args.schema,
    apart: args.apart,
  };
}
