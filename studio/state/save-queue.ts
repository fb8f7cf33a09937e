import { applyEdit, type Model, type RecipeEdit } from '@ample-skin/core/recipe';
import type { UnsentStore } from './unsent.ts';

export type EditKind = 'do' | 'undo' | 'redo';
export interface PendingEdit {
  readonly sequence: number;
  readonly kind: EditKind;
  readonly change: RecipeEdit;
}
export interface ServerEdit {
  readonly revision: number;
  readonly kind: EditKind;
  readonly change: RecipeEdit;
  readonly inverse: RecipeEdit;
}
export type SaveState = 'saved' | 'saving' | 'offline' | 'stopped';

export interface QueueEvents {
  onState(state: SaveState): void;
  /** Others were faster: the model was rebuilt from theirs plus what still fits of ours. */
  onRebase(model: Model, dropped: readonly string[]): void;
  /** Nothing can be saved any more: the model is gone, or the server refuses for good and says why. */
  onStopped(reason: 'gone' | string): void;
}
/** Answers after which trying again cannot help. */
const PERMANENT = new Set([401, 403, 405, 413, 415, 422]);

/**
 * Sends edits one by one as they happen. An edit is retried with the same sequence until the server answers, so a lost answer or a
 * restarted server costs nothing; an edit that another window has overtaken is put on top of theirs. Unsent edits are kept in the
 * browser until the server has them. Waiting times between tries grow to half a minute; a permanent answer ends the tries.
 */
export class SaveQueue {
  private pending: PendingEdit[] = [];
  private sequence = 0;
  private sending = false;
  private stopped = false;
  private wake: (() => void) | undefined;

  constructor(
    private readonly modelId: string,
    readonly clientId: string,
    private confirmed: Model,
    private revision: number,
    private readonly events: QueueEvents,
    private readonly store: UnsentStore,
  ) {}

  get unsent(): number {
    return this.pending.length;
  }
  push(kind: EditKind, change: RecipeEdit): void {
    this.pending.push({ sequence: ++this.sequence, kind, change });
    this.remember();
    void this.send();
  }
  /** Tries at once instead of at the end of the present wait. */
  retry(): void {
    this.wake?.();
  }
  private remember(): void {
    // storage full or switched off: the queue in memory still holds them
    const kept = this.pending.length
      ? this.store.put(this.modelId, { clientId: this.clientId, edits: [...this.pending] })
      : this.store.drop(this.modelId, this.clientId);
    kept.catch(() => undefined);
  }
  private stop(reason: string): void {
    this.stopped = true;
    this.sending = false;
    this.events.onState('stopped');
    this.events.onStopped(reason);
  }

  private async send(): Promise<void> {
    if (this.sending || this.stopped) return;
    this.sending = true;
    let wait = 250;
    while (this.pending.length) {
      this.events.onState('saving');
      const e = this.pending[0];
      let answer: { status?: string; revision?: number; edits?: ServerEdit[]; message?: string } = {};
      let status = 0;
      try {
        const r = await fetch(`/api/models/${this.modelId}/edits`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ clientId: this.clientId, sequence: e.sequence, base: this.revision, kind: e.kind, change: e.change }),
        });
        status = r.status;
        answer = await r.json();
      } catch {
        if (status < 400 || status >= 500) status = 0;
      }
      if (status === 200) {
        const applied = applyEdit(this.confirmed, e.change);
        if (applied.ok) this.confirmed = applied.model;
        this.revision = answer.revision as number;
        this.pending.shift();
        this.remember();
        wait = 250;
      } else if (status === 409 && answer.status === 'behind') this.rebase(answer.edits ?? []);
      else if (status === 409 || status === 400) {
        this.pending.shift();
        this.rebase([], [answer.message ?? 'refused']);
      } else if (status === 404) return this.stop('gone');
      else if (PERMANENT.has(status)) return this.stop(answer.message ?? `the server answers ${status}`);
      else {
        this.events.onState('offline');
        await new Promise<void>((done) => {
          const timer = setTimeout(done, wait * (0.8 + 0.4 * Math.random()));
          this.wake = () => {
            clearTimeout(timer);
            done();
          };
        });
        this.wake = undefined;
        wait = Math.min(30_000, wait * 2);
      }
    }
    this.sending = false;
    this.events.onState('saved');
  }

  /** Looks for edits of other windows (on focus, and now and then). */
  async poll(): Promise<void> {
    if (this.sending || this.pending.length || this.stopped) return;
    try {
      const r = await fetch(`/api/models/${this.modelId}/edits?since=${this.revision}`);
      if (r.status === 404) return this.stop('gone');
      if (!r.ok) return;
      const edits = (await r.json()) as ServerEdit[];
      if (edits.length && !this.pending.length && edits[0].revision === this.revision + 1) this.rebase(edits);
    } catch {
      // no server just now: the next edit will tell
    }
  }

  private rebase(theirs: readonly ServerEdit[], dropped: string[] = []): void {
    let base = this.confirmed;
    for (const e of theirs) {
      const r = applyEdit(base, e.change);
      if (r.ok) base = r.model;
      this.revision = e.revision;
    }
    this.confirmed = base;
    const keep: PendingEdit[] = [];
    let m = base;
    for (const e of this.pending) {
      const r = applyEdit(m, e.change);
      if (r.ok) {
        m = r.model;
        keep.push(e);
      } else dropped.push(`${e.change.label}: ${r.message}`);
    }
    this.pending = keep;
    this.remember();
    this.events.onRebase(m, dropped);
  }
}
