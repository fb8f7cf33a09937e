import { DegreeError } from '../nurbs/index.ts';

/** What a file may ask of its reader. Beyond it the reader stops and says so: a few lines of file must not cost gigabytes or minutes. */
export interface Limits {
  /** Curves, corners, triangles, entities: whatever is made one by one. */
  readonly elements: number;
  /** Things inside things. */
  readonly depth: number;
  readonly milliseconds: number;
}
export const FILE_LIMITS: Limits = { elements: 4_000_000, depth: 32, milliseconds: 9000 };

/** Curves cost more than corners, each. */
export const CURVE_LIMITS: Limits = { elements: 200_000, depth: 32, milliseconds: 7000 };

/** A file that asks for more than it may; the message is for people. */
export class BudgetError extends Error {}

/** Counts what is made from one file. `take` is cheap enough for every element. */
export class Budget {
  private used = 0;
  private deep = 0;
  private readonly end: number;
  constructor(readonly limits: Limits = FILE_LIMITS) {
    this.end = performance.now() + limits.milliseconds;
  }
  take(count = 1, what = 'elements'): void {
    if (!(count >= 0)) throw new BudgetError(`it announces ${count} ${what}`);
    this.used += count;
    if (this.used > this.limits.elements)
      throw new BudgetError(
        `it makes more than ${this.limits.elements.toLocaleString('en')} ${what}: make it smaller, or bring in a part of it`,
      );
    if ((this.used & 1023) < count && performance.now() > this.end)
      throw new BudgetError(
        `reading it takes longer than ${Math.round(this.limits.milliseconds / 1000)} s (at ${what}): make it smaller, or bring in a part of it`,
      );
  }
  /** Runs something that lies one level deeper. */
  inside<T>(what: string, work: () => T): T {
    if (++this.deep > this.limits.depth) {
      this.deep--;
      throw new BudgetError(`its ${what} lie more than ${this.limits.depth} levels inside each other, or contain themselves`);
    }
    try {
      return work();
    } finally {
      this.deep--;
    }
  }
}

/** What a reader's own failure means to people: never the words of the machine. */
export function readingTrouble(e: unknown): string {
  if (e instanceof BudgetError || e instanceof DegreeError) return e.message;
  const m = (e as Error)?.message ?? String(e);
  if (/typed array length|offset is out|out of bounds|DataView|RangeError|Invalid array length|buffer/i.test(m))
    return 'it is damaged inside: its numbers do not fit each other';
  if (/call stack/i.test(m)) return 'things in it contain themselves, or lie too deep inside each other';
  if (/out of memory|allocation/i.test(m)) return 'it needs more memory than there is: make it smaller';
  return `it is damaged inside (${m.slice(0, 160)})`;
}
