import { type CallOptions, KernelError, type KernelOp, type KernelOps, type KernelService } from '@ample-skin/core/brep';

/** The far side of a kernel thread, however it is made. */
export interface KernelThread {
  post(message: unknown): void;
  onMessage(handler: (message: KernelReply) => void): void;
  onDeath(handler: (reason: string) => void): void;
  kill(): void;
}
export type KernelReply =
  | { id: number; ok: true; result: unknown; bytes: number }
  | { id: number; ok: false; message: string; kind: 'refused' | 'died' };

const RECYCLE_BYTES = 1.5 * 2 ** 30;

interface Pending {
  readonly resolve: (r: never) => void;
  readonly reject: (e: Error) => void;
  readonly finish: () => void;
}

/**
 * Runs the kernel in a thread of its own, one call at a time. A call that exceeds its limit or is cancelled costs the thread, which is
 * replaced at once; the thread is also replaced before its memory fills. Nothing is lost, because the kernel holds nothing.
 */
export class KernelHost implements KernelService {
  private thread: KernelThread | undefined;
  private pending: { id: number; entry: Pending } | undefined;
  private queue: (() => void)[] = [];
  private next = 1;
  /** Threads started so far. */
  started = 0;

  constructor(private readonly spawn: () => KernelThread) {}

  run<K extends KernelOp>(op: K, args: KernelOps[K]['args'], options: CallOptions = {}): Promise<KernelOps[K]['result']> {
    return new Promise((resolve, reject) => {
      const start = () => this.begin(op, args, options, resolve as (r: never) => void, reject);
      if (this.pending) this.queue.push(start);
      else start();
    });
  }

  private begin(op: KernelOp, args: unknown, options: CallOptions, resolve: (r: never) => void, reject: (e: Error) => void): void {
    if (options.signal?.aborted) {
      reject(new KernelError('cancelled', 'cancelled'));
      this.advance();
      return;
    }
    const id = this.next++;
    const stop = (kind: 'hung' | 'cancelled') => {
      if (this.pending?.id !== id) return;
      this.drop();
      this.settle((p) => p.reject(new KernelError(kind === 'hung' ? 'the geometry engine took too long' : 'cancelled', kind)));
    };
    const timer = options.limit ? setTimeout(() => stop('hung'), options.limit) : undefined;
    const onAbort = () => stop('cancelled');
    options.signal?.addEventListener('abort', onAbort, { once: true });
    this.pending = {
      id,
      entry: {
        resolve,
        reject,
        finish: () => {
          if (timer) clearTimeout(timer);
          options.signal?.removeEventListener('abort', onAbort);
        },
      },
    };
    try {
      this.ensure().post({ id, op, args });
    } catch (e) {
      this.drop();
      this.settle((p) => p.reject(new KernelError(`the geometry engine did not start: ${(e as Error).message}`, 'died')));
    }
  }

  private ensure(): KernelThread {
    if (this.thread) return this.thread;
    const thread = this.spawn();
    this.started++;
    this.thread = thread;
    thread.onMessage((m) => {
      if (this.thread !== thread || this.pending?.id !== m.id) return;
      if (m.ok) {
        if (m.bytes > RECYCLE_BYTES) this.drop();
        this.settle((p) => p.resolve(m.result as never));
      } else {
        if (m.kind === 'died') this.drop();
        this.settle((p) => p.reject(new KernelError(m.message, m.kind)));
      }
    });
    thread.onDeath((reason) => {
      if (this.thread !== thread) return;
      this.thread = undefined;
      if (this.pending) this.settle((p) => p.reject(new KernelError(`the geometry engine stopped: ${reason}`, 'died')));
    });
    return thread;
  }

  private settle(act: (p: Pending) => void): void {
    const p = this.pending;
    this.pending = undefined;
    if (p) {
      p.entry.finish();
      act(p.entry);
    }
    this.advance();
  }
  private advance(): void {
    if (!this.pending) this.queue.shift()?.();
  }
  private drop(): void {
    this.thread?.kill();
    this.thread = undefined;
  }
  /** Ends the thread; the next call starts a new one. */
  close(): void {
    this.drop();
    this.settle((p) => p.reject(new KernelError('the geometry engine was closed', 'cancelled')));
  }
}
