import { applyEdit, emptyModel, type Model, type RecipeEdit } from '@ample-skin/core/recipe';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { type EditKind, SaveQueue, type SaveState } from './save-queue.ts';
import type { Unsent, UnsentStore } from './unsent.ts';

/** A server of our own protocol in memory: one model, its edits, and faults on demand. */
class Server {
  model: Model = emptyModel('shared');
  readonly edits: { revision: number; clientId: string; sequence: number; kind: EditKind; change: RecipeEdit; inverse: RecipeEdit }[] = [];
  /** What happens to the next requests: dropped before or after they were carried out. */
  faults: ('before' | 'after')[] = [];
  requests = 0;
  append(clientId: string, sequence: number, kind: EditKind, change: RecipeEdit): { status: number; body: unknown } {
    const again = this.edits.find((e) => e.clientId === clientId && e.sequence === sequence);
    if (again) return { status: 200, body: { status: 'saved', revision: again.revision } };
    const r = applyEdit(this.model, change);
    if (!r.ok) return { status: 409, body: { status: 'refused', message: r.message } };
    this.model = r.model;
    this.edits.push({ revision: this.edits.length + 1, clientId, sequence, kind, change, inverse: r.inverse });
    return { status: 200, body: { status: 'saved', revision: this.edits.length } };
  }
  readonly fetch = async (url: string, init?: { body?: string }): Promise<Response> => {
    this.requests++;
    const fault = this.faults.shift();
    if (fault === 'before') throw new TypeError('no connection');
    const answer = ((): { status: number; body: unknown } => {
      if (!init?.body) return { status: 200, body: this.edits.slice(Number(/since=(\d+)/.exec(url)?.[1])) };
      const e = JSON.parse(init.body);
      const known = this.edits.some((x) => x.clientId === e.clientId && x.sequence === e.sequence);
      if (!known && e.base !== this.edits.length) return { status: 409, body: { status: 'behind', edits: this.edits.slice(e.base) } };
      return this.append(e.clientId, e.sequence, e.kind, e.change);
    })();
    if (fault === 'after') throw new TypeError('the answer was lost');
    return new Response(JSON.stringify(answer.body), { status: answer.status, headers: { 'content-type': 'application/json' } });
  };
}
const dial = (name: string, formula: string): RecipeEdit => ({
  label: `Dial ${name}`,
  changes: [{ type: 'setDial', name, dial: { name, formula, unit: 'length' } }],
});
const drop = (name: string): RecipeEdit => ({ label: `Drop ${name}`, changes: [{ type: 'setDial', name, dial: null }] });
const storage = new Map<string, Unsent>();
/** Unsent edits in memory; windows named in `living` are still open. */
const living = new Set<string>();
const memory = (own: string): UnsentStore => ({
  put: async (m, u) => void storage.set(`${m}/${u.clientId}`, u),
  drop: async (m, c) => void storage.delete(`${m}/${c}`),
  takeLeft: async () => {
    const left = [...storage].filter(([, u]) => u.clientId !== own && !living.has(u.clientId));
    for (const [k] of left) storage.delete(k);
    return left.map(([, u]) => u);
  },
});
let server: Server;
beforeEach(() => {
  server = new Server();
  storage.clear();
  vi.stubGlobal('fetch', server.fetch);
  living.clear();
});
afterEach(() => vi.unstubAllGlobals());

function window(name: string) {
  const states: SaveState[] = [];
  const rebased: { model: Model; dropped: readonly string[] }[] = [];
  const stopped: string[] = [];
  const events = {
    onState: (s: SaveState) => states.push(s),
    onRebase: (model: Model, dropped: readonly string[]) => rebased.push({ model, dropped }),
    onStopped: (r: string) => stopped.push(r),
  };
  const queue = new SaveQueue('m', name, server.model, server.edits.length, events, memory(name));
  const done = async () => {
    for (let k = 0; k < 200 && (queue.unsent || states[states.length - 1] !== 'saved'); k++) await new Promise((r) => setTimeout(r, 20));
    expect(queue.unsent).toBe(0);
  };
  return { queue, states, rebased, stopped, done };
}
const dials = (m: Model) => m.dials.map((d) => `${d.name}=${d.formula}`).join(' ');

describe('the queue of edits', () => {
  it('saves them in order and says so', async () => {
    const w = window('a');
    for (let i = 0; i < 5; i++) w.queue.push('do', dial(`d${i}`, String(i)));
    await w.done();
    expect(dials(server.model)).toBe('d0=0 d1=1 d2=2 d3=3 d4=4');
    expect(w.states[0]).toBe('saving');
    expect(w.states.at(-1)).toBe('saved');
    expect(storage.size).toBe(0);
  });
  it('tries again until the server answers; a lost answer does not make an edit twice', async () => {
    const w = window('a');
    server.faults = ['before', 'after'];
    w.queue.push('do', dial('once', '1'));
    w.queue.push('do', dial('then', '2'));
    await w.done();
    expect(server.edits.map((e) => e.change.label)).toEqual(['Dial once', 'Dial then']);
    expect(w.states).toContain('offline');
    expect(server.requests).toBe(4);
  });
  it('what the server does not have yet lies in the browser, and comes back with its numbers', async () => {
    const w = window('a');
    server.faults = Array(40).fill('before');
    w.queue.push('do', dial('kept', '7'));
    await new Promise((r) => setTimeout(r, 30));
    // a window that is still open keeps its own
    living.add('a');
    expect(await memory('b').takeLeft('m')).toEqual([]);
    living.delete('a');
    const [left] = await memory('b').takeLeft('m');
    expect(left.clientId).toBe('a');
    expect(left.edits.map((e) => [e.sequence, e.change.label])).toEqual([[1, 'Dial kept']]);
    expect(storage.size).toBe(0);
    server.faults = [];
    await w.done();
  });
  it('two windows that were closed while offline leave both their edits', async () => {
    const [a, b] = [window('a'), window('b')];
    server.faults = Array(400).fill('before');
    a.queue.push('do', dial('left', '1'));
    b.queue.push('do', dial('right', '2'));
    await new Promise((r) => setTimeout(r, 40));
    const left = await memory('c').takeLeft('m');
    expect(left.flatMap((u) => u.edits.map((e) => e.change.label)).sort()).toEqual(['Dial left', 'Dial right']);
  });
  it('a model that is gone ends the tries and says so; a refusal for good tells its reason', async () => {
    const w = window('a');
    vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ message: 'There is no such model' }), { status: 404 }));
    w.queue.push('do', dial('x', '1'));
    await new Promise((r) => setTimeout(r, 40));
    expect([w.stopped, w.states.at(-1), w.queue.unsent]).toEqual([['gone'], 'stopped', 1]);
    const v = window('b');
    vi.stubGlobal(
      'fetch',
      async () => new Response(JSON.stringify({ message: 'Requests from other origins are refused' }), { status: 403 }),
    );
    v.queue.push('do', dial('x', '1'));
    await new Promise((r) => setTimeout(r, 40));
    expect(v.stopped).toEqual(['Requests from other origins are refused']);
    const u = window('c');
    vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ message: 'full' }), { status: 507 }));
    u.queue.push('do', dial('x', '1'));
    await new Promise((r) => setTimeout(r, 40));
    expect([u.stopped, u.states.at(-1)]).toEqual([[], 'offline']);
  });
  it('an overtaken edit is put on top of the others’; one that no longer fits is dropped by name', async () => {
    const [a, b] = [window('a'), window('b')];
    a.queue.push('do', dial('shared', '1'));
    await a.done();
    // the other window has not heard of it yet
    b.queue.push('do', dial('own', '2'));
    await b.done();
    expect(dials(server.model)).toBe('shared=1 own=2');
    expect(dials(b.rebased[0].model)).toBe('shared=1 own=2');
    expect(b.rebased[0].dropped).toEqual([]);
    await a.queue.poll();
    expect(dials(a.rebased[0].model)).toBe('shared=1 own=2');
    // both take the same dial away: the second finds it gone
    a.queue.push('do', drop('shared'));
    b.queue.push('do', drop('shared'));
    await a.done();
    await b.done();
    const [first, second] = [a.rebased.at(-1), b.rebased.at(-1)];
    expect([...(first?.dropped ?? []), ...(second?.dropped ?? [])]).toEqual(['Drop shared: the dial is gone already']);
    expect(dials(server.model)).toBe('own=2');
  });
  it('looks for others’ edits only while it has none of its own', async () => {
    const w = window('a');
    server.append('z', 1, 'do', dial('theirs', '3'));
    await w.queue.poll();
    expect(dials(w.rebased[0].model)).toBe('theirs=3');
    const before = server.requests;
    w.queue.push('do', dial('mine', '4'));
    await w.queue.poll();
    expect(server.requests - before).toBe(1);
    await w.done();
  });
});
