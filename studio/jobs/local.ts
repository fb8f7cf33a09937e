import { type ChildProcess, fork } from 'node:child_process';
import path from 'node:path';
import type { JobRequest } from '@ample-skin/engine/job-requests';
import type { ItemResult } from '@ample-skin/engine/jobs';
import { type Database, dataFolder } from '../db/client.ts';
import { readAsset } from './files.ts';
import type { JobQueue } from './queue.ts';
import { workOn } from './work.ts';

/** From the server to the process that computes, and back. */
export type ToChild =
  | { readonly do: 'item'; readonly request: JobRequest; readonly index: number }
  | { readonly do: 'asset'; readonly hash: string; readonly file?: { readonly name: string; readonly data: Uint8Array } };
export type FromChild =
  | { readonly tell: 'result'; readonly result: ItemResult }
  | { readonly tell: 'error'; readonly message: string }
  | { readonly tell: 'asset'; readonly hash: string };

const SCRIPT = () => path.resolve(/* turbopackIgnore: true */ process.cwd(), '..', 'scripts', 'job-child.mjs');
/**
 * Without a database server items are worked on one after the other, in a process beside this one: the pages stay quick, and one that dies
 * takes nothing with it but the try of an item.
 */
export function localQueue(db: Database, script: string = SCRIPT()): JobQueue {
  const waiting: { id: string; index: number }[] = [];
  let child: ChildProcess | undefined;
  let now: { id: string; index: number } | undefined;
  let busy = false;
  let closed = false;
  const name = () => `here ${child?.pid ?? ''}`.trim();
  const ensure = (): ChildProcess => {
    if (child?.connected) return child;
    child = fork(script, [], {
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
      env: { ...process.env, AMPLE_DATA: dataFolder() },
    });
    child.on('error', () => undefined);
    return child;
  };
  const run = (request: JobRequest, index: number, host: { signal?: AbortSignal }): Promise<ItemResult> =>
    new Promise((done, fail) => {
      const c = ensure();
      const end = (finish: () => void) => {
        c.off('message', hear);
        c.off('exit', died);
        host.signal?.removeEventListener('abort', stop);
        finish();
      };
      const hear = (m: FromChild) => {
        if (m.tell === 'asset')
          readAsset(db, m.hash).then(
            (file) => c.connected && c.send({ do: 'asset', hash: m.hash, file } satisfies ToChild),
            () => c.connected && c.send({ do: 'asset', hash: m.hash } satisfies ToChild),
          );
        else if (m.tell === 'result') end(() => done(m.result));
        else end(() => fail(new Error(m.message)));
      };
      const died = (code: number | null, signal: string | null) =>
        end(() => fail(new Error(`the process that computes ended (${signal ?? code})`)));
      const stop = () => {
        c.kill('SIGKILL');
        end(() => fail(new Error('cancelled')));
      };
      c.on('message', hear);
      c.on('exit', died);
      host.signal?.addEventListener('abort', stop);
      c.send({ do: 'item', request, index } satisfies ToChild);
    });
  const go = async () => {
    if (busy) return;
    busy = true;
    try {
      for (let next = waiting.shift(); next && !closed; next = waiting.shift()) {
        now = next;
        ensure();
        const r = await workOn(db, next.id, next.index, name(), { kernel: undefined as never, asset: async () => undefined }, run).catch(
          (e: Error) => {
            console.error('jobs:', e.message);
            return 'left' as const;
          },
        );
        if (r === 'again') waiting.push(next);
      }
    } finally {
      busy = false;
      now = undefined;
      // nothing to do: the memory is given back
      if (!closed && !waiting.length) child?.kill();
      child = undefined;
    }
  };
  return {
    elsewhere: false,
    send: async (items) => {
      for (const i of items)
        if (!waiting.some((w) => w.id === i.id && w.index === i.index) && !(now?.id === i.id && now.index === i.index)) waiting.push(i);
      void go();
    },
    stop: (id) => {
      for (let k = waiting.length - 1; k >= 0; k--) if (waiting[k].id === id) waiting.splice(k, 1);
      if (now?.id === id) child?.kill('SIGKILL');
    },
    close: async () => {
      closed = true;
      waiting.length = 0;
      child?.kill('SIGKILL');
    },
  };
}
