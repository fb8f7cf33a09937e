import { formatNumber } from '@ample-skin/core/math';
import { modelAt, type SweepPoint, type SweepRange, type SweepRow, sweepCsv, sweepPoints } from '@ample-skin/core/report/sweep-rows';
import { change } from './document.ts';
import { download, fileStem } from './download.ts';
import { beside } from './engine-client.ts';
import { getStudio as get, notify, type Sweep, setStudio as set } from './state.ts';

let stop: AbortController | undefined;
const alter = (more: Partial<Sweep>): void => set((s) => (s.sweep ? { sweep: { ...s.sweep, ...more } } : s));

/** A range about what a dial is now: half of it to half as much again, in seven runs. */
export function rangeAbout(dial: string): SweepRange {
  const now = get().dials.get(dial)?.value ?? 1;
  const round = (x: number) => Number(x.toPrecision(3));
  return now ? { dial, from: round(now / 2), to: round(1.5 * now), count: 7 } : { dial, from: 0, to: 1, count: 7 };
}
/** Opens the sweep in the desk, over the dial if one is given. What was swept before stays until the next run. */
export function openSweep(dial?: string): void {
  const { model, sweep } = get();
  const first = dial ?? sweep?.ranges[0]?.dial ?? model.dials[0]?.name;
  if (!first) {
    notify('warning', 'There are no dials to sweep: name a number under Dials, and use it in a step');
    return;
  }
  const kept = sweep?.ranges[0]?.dial === first && model.dials.some((d) => d.name === first) ? sweep.ranges : [rangeAbout(first)];
  set({
    sweep: { rows: [], of: 0, running: false, ...sweep, ranges: kept },
    desk: { tab: 'sweep', size: 'half' },
  });
}
export const setRanges = (ranges: readonly SweepRange[]): void => alter({ ranges, why: undefined });
export function closeSweep(): void {
  stop?.abort();
  set((s) => ({ sweep: undefined, desk: { ...s.desk, tab: 'seams' } }));
}
/** Runs over every point on an engine beside the model, as the model is now. */
export async function runSweep(): Promise<void> {
  const { model, sweep } = get();
  if (!sweep) return;
  const points = sweepPoints(model, sweep.ranges);
  if (typeof points === 'string') return alter({ why: points });
  stop?.abort();
  const mine = new AbortController();
  stop = mine;
  alter({ model, rows: [], of: points.length, running: true, why: undefined });
  try {
    const rows = await beside(
      (e) => e.sweep(model, points, (row, i) => mine === stop && !mine.signal.aborted && told(row, i)),
      mine.signal,
    );
    if (mine === stop && rows) alter({ rows, running: false });
  } catch (e) {
    if (mine === stop) alter({ running: false, why: `The sweep stopped: ${(e as Error).message}. The runs so far stand; run it again` });
  }
}
function told(row: SweepRow, index: number): void {
  const s = get().sweep;
  // rows come over a port of their own, in order; one that comes after the answer is known already
  if (s?.running && s.rows.length === index) alter({ rows: [...s.rows, row] });
}
export function cancelSweep(): void {
  stop?.abort();
  alter({ running: false, why: 'Cancelled: the runs so far stand' });
}
const said = (p: SweepPoint): string =>
  Object.entries(p)
    .map(([k, v]) => `${k} ${formatNumber(v, 4)}`)
    .join(', ');
/** Sets the dials of the open model as in a run. */
export function takeRun(p: SweepPoint): void {
  const { dials } = get().model;
  const changes = modelAt(get().model, p).dials.flatMap((d, i) =>
    d.formula === dials[i].formula ? [] : [{ type: 'setDial' as const, name: d.name, dial: d }],
  );
  if (!changes.length) notify('info', `The dials are so already: ${said(p)}`);
  else if (change(`Dials as in a run: ${said(p)}`, ...changes)) notify('info', `The model has ${said(p)} now`);
}
/** Keeps a run as a model of its own: a branch of the recipe as it was when the sweep began. */
export async function keepRun(p: SweepPoint): Promise<void> {
  const from = get().sweep?.model;
  if (!from) return;
  const recipe = modelAt(from, p);
  try {
    const { send } = await import('../ui/send.ts');
    const { id } = await send('/api/models', 'POST', { name: recipe.name.slice(0, 200), recipe });
    notify('info', `“${recipe.name}” is a model of its own now`, { label: 'Open it', run: () => window.open(`/model/${id}`, '_blank') });
  } catch (e) {
    notify('error', (e as Error).message);
  }
}
/** Hands the sweep to the server: it goes on when this page is closed. */
export async function sendSweep(): Promise<void> {
  const { model, sweep } = get();
  if (!sweep) return;
  try {
    const { send } = await import('../ui/send.ts');
    const { id } = await send('/api/jobs', 'POST', { kind: 'sweep', recipe: model, ranges: sweep.ranges });
    notify('info', 'The sweep runs as a job', { label: 'See it', run: () => window.open(`/jobs?job=${id}`, '_blank') });
  } catch (e) {
    alter({ why: (e as Error).message });
  }
}
export function saveSweep(): void {
  const s = get().sweep;
  if (s?.rows.length)
    download(
      `${fileStem()} sweep.csv`,
      'text/csv',
      new TextEncoder().encode(sweepCsv(s.rows)),
      `${s.rows.length} runs were saved as a table`,
    );
}
