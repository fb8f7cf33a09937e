import { applyEdit, type Model, type RecipeEdit } from '@ample-skin/core/recipe';

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
export type SaveState = 'saved' | 'saving' | 'offline';

export interface QueueEvents {
  onState(state: SaveState): void;
  /** Others were faster: the model was rebuilt from theirs plus what still fits of ours. */
  onRebase(model: Model, dropped: readonly string[]): void;
}

/**
 * Sends edits one by one as they happen. An edit is retried with the same sequence until the server answers, so a lost answer or a
 * restarted server costs nothing; an edit that another window has overtaken is put on top of theirs. Unsent edits are kept in the
 * browser's storage until the server has them.
 */
export class SaveQueue {
  private pending: PendingEdit[] = [];
  private sequence = 0;
  private sending = false;
  private readonly storageKey: string;

  constructor(
    private readonly modelId: string,
    readonly clientId: string,
    private confirmed: Model,
    private revision: number,
    private readonly events: QueueEvents,
  ) {
    this.storageKey = `ample-unsent-${modelId}`;
  }

  /** Edits left over from a page that was closed before the server had them. */
  takeLeftovers(): { clientId: string; edits: PendingEdit[] } | undefined {
    try {
      const raw = localStorage.getItem(this.storageKey);
      localStorage.removeItem(this.storageKey);
      return raw ? JSON.parse(raw) : undefined;
    } catch {
      return undefined;
    }
  }
  get unsent(): number {
    return this.pending.length;
  }
  push(kind: EditKind, change: RecipeEdit): void {
    this.pending.push({ sequence: ++this.sequence, kind, change });
    this.remember();
    void this.send();
  }
  private remember(): void {
    try {
      if (this.pending.length) localStorage.setItem(this.storageKey, JSON.stringify({ clientId: this.clientId, edits: this.pending }));
      else localStorage.removeItem(this.storageKey);
    } catch {
      // storage full or switched off: the queue in memory still holds them
    }
  }

  private async send(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    let wait = 250;
    while (this.pending.length) {
      this.events.onState('saving');
      const e = this.pending[0];
      try {
        const r = await fetch(`/api/models/${this.modelId}/edits`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ clientId: this.clientId, sequence: e.sequence, base: this.revision, kind: e.kind, change: e.change }),
        });
        const answer = await r.json();
        if (r.ok) {
          const applied = applyEdit(this.confirmed, e.change);
          if (applied.ok) this.confirmed = applied.model;
          this.revision = answer.revision;
          this.pending.shift();
          this.remember();
          wait = 250;
        } else if (r.status === 409 && answer.status === 'behind') this.rebase(answer.edits as ServerEdit[]);
        else if (r.status === 409 || r.status === 400) {
          this.pending.shift();
          this.rebase([], [answer.message ?? 'refused']);
        } else throw new Error(answer.message);
      } catch {
        this.events.onState('offline');
        await new Promise((done) => setTimeout(done, wait));
        wait = Math.min(5000, wait * 2);
      }
    }
    this.sending = false;
    this.events.onState('saved');
  }

  /** Looks for edits of other windows (on focus, and now and then). */
  async poll(): Promise<void> {
    if (this.sending || this.pending.length) return;
    try {
      const r = await fetch(`/api/models/${this.modelId}/edits?since=${this.revision}`);
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
