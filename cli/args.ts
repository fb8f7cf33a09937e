import { evaluateFormula } from '@ample-skin/core/math';

import { BadCall } from './read.ts';

export interface Args {
  readonly words: string[];
  readonly json: boolean;
  readonly set: string[];
  readonly out: string[];
  readonly report?: string;
  readonly tolerance?: string;
  readonly keep?: string;
}
export function parseArgs(argv: readonly string[]): Args {
  const words: string[] = [];
  const set: string[] = [];
  const out: string[] = [];
  let json = false;
  let report: string | undefined;
  let tolerance: string | undefined;
  let keep: string | undefined;
  const value = (i: number, name: string) => {
    if (argv[i] === undefined) throw new BadCall(`${name} needs a value`);
    return argv[i];
  };
  for (let i = 0; i < argv.length; i++) {
    const a = argv[i];
    if (a === '--json') json = true;
    else if (a === '--set') set.push(value(++i, a));
    else if (a === '--out') out.push(value(++i, a));
    else if (a === '--report') report = value(++i, a);
    else if (a === '--keep') keep = value(++i, a);
    else if (a === '--tolerance') tolerance = value(++i, a);
    else if (a === '--help' || a === '-h') words.unshift('help');
    else if (a.startsWith('--')) throw new BadCall(`"${a}" is not an option; see: ample help`);
    else words.push(a);
  }
  return { words, json, set, out, report, tolerance, keep };
}

export function toleranceOf(args: Args): number {
  if (!args.tolerance) return 0.02;
  const v = evaluateFormula(args.tolerance);
  if (!v.ok || !(v.value > 0)) throw new BadCall(`--tolerance ${args.tolerance}: ${v.ok ? 'it must be greater than zero' : v.message}`);
  return v.value;
}
