/** Helpers for tests only: requests to the server's own handlers, whole ones and damaged ones, on a database in memory. */
import { fileURLToPath } from 'node:url';
import { emptyModel, parseModel } from '@ample-skin/core/recipe';
import { POST as postJob } from '../app/api/jobs/route.ts';
import { POST as postEdit } from '../app/api/models/[id]/edits/route.ts';
import { GET as getModel } from '../app/api/models/[id]/route.ts';
import { POST as postVersion } from '../app/api/models/[id]/versions/route.ts';
import { POST as postModel } from '../app/api/models/route.ts';
import { openDatabase } from '../db/client.ts';
import { setUp } from '../db/setup.ts';

const BASE = 'http://127.0.0.1:3000';
const headers = { host: '127.0.0.1:3000', 'content-type': 'application/json' };
const context = (id: string) => ({ params: Promise.resolve({ id }) });
const migrations = fileURLToPath(new URL('../db/migrations', import.meta.url));

export type BodyKind = 'model' | 'edit' | 'version' | 'job';
const step = { id: 's2', tool: 'circle', version: 1, inputs: { plane: [{ step: 'p', output: 'main' }] }, params: { radius: '2*w' } };
const edit = (change: object) => ({
  clientId: 'window-1',
  sequence: 1,
  base: 0,
  kind: 'do',
  change: { label: 'Change', changes: [change] },
});
/** One whole body of every kind that is taken, and of every kind of change. */
export const BODIES: readonly { readonly kind: BodyKind; readonly body: object }[] = [
  { kind: 'model', body: { name: 'Lid', recipe: { ...emptyModel('Lid'), steps: [step] } } },
  { kind: 'version', body: { name: 'Before the cut' } },
  {
    kind: 'job',
    body: {
      kind: 'sweep',
      recipe: { ...emptyModel('Lid'), steps: [step], dials: [{ name: 'w', formula: '3 mm', unit: 'length' }] },
      ranges: [{ dial: 'w', from: 1, to: 3, count: 3 }],
    },
  },
  ...[
    { type: 'addStep', step, before: 's1' },
    { type: 'setStep', id: 's1', params: { radius: 4, centre: [[0, 0]] }, inputs: { plane: [] }, muted: true, name: 'Ring' },
    { type: 'moveStep', id: 's1' },
    { type: 'removeStep', id: 's1' },
    { type: 'setDial', name: 'w', dial: { name: 'w', formula: '3 mm', unit: 'length' } },
    { type: 'setPiece', key: 's1/main', look: { hidden: true, colour: '#aabbcc', group: 'g' } },
    { type: 'setGroup', id: 'g', group: { id: 'g', name: 'Group', locked: true } },
    { type: 'setTarget', key: 'a|b', target: 'G2' },
    { type: 'setModel', name: 'Other', unit: 'in', tolerance: 0.01 },
  ].map((change) => ({ kind: 'edit' as const, body: edit(change) })),
];

/** A server without a door: its handlers on a database of their own. */
export async function openServer() {
  const open = await openDatabase({ folder: 'memory' });
  await setUp(open, migrations);
  const shared = globalThis as { ampleDatabase?: unknown; ampleJobs?: unknown };
  const had = shared.ampleDatabase;
  shared.ampleDatabase = Promise.resolve(open);
  // what is asked for is kept and looked at; nobody works on it here
  shared.ampleJobs = Promise.resolve({ elsewhere: true, send: async () => undefined, stop: () => undefined, close: async () => undefined });
  const send = async (url: string, text: string) => new Request(BASE + url, { method: 'POST', headers, body: text });
  const fresh = async (): Promise<string> => {
    const recipe = { ...emptyModel('Fuzz'), steps: [{ ...step, id: 's1', inputs: {}, params: {} }] };
    const r = await postModel(await send('/api/models', JSON.stringify({ name: 'Fuzz', recipe })));
    return ((await r.json()) as { id: string }).id;
  };
  return {
    fresh,
    /** Sends a body as it is; gives the status and the answer. */
    async ask(kind: BodyKind, id: string, text: string): Promise<{ status: number; answer: Record<string, unknown> }> {
      const r =
        kind === 'model'
          ? await postModel(await send('/api/models', text))
          : kind === 'job'
            ? await postJob(await send('/api/jobs', text))
            : kind === 'edit'
              ? await postEdit(await send(`/api/models/${id}/edits`, text), context(id))
              : await postVersion(await send(`/api/models/${id}/versions`, text), context(id));
      return { status: r.status, answer: (await r.json()) as Record<string, unknown> };
    },
    /** The model as it stands; throws when it can no longer be read. */
    async model(id: string) {
      const r = await getModel(new Request(`${BASE}/api/models/${id}`, { headers }), context(id));
      const data = (await r.json()) as { recipe: unknown };
      const parsed = parseModel(data.recipe);
      if (!parsed.ok) throw new Error(`the stored model cannot be read: ${parsed.place}: ${parsed.message}`);
      return parsed.model;
    },
    async close() {
      shared.ampleDatabase = had;
      shared.ampleJobs = undefined;
      await open.close();
    },
  };
}

const WILD: readonly unknown[] = [
  null,
  '',
  '__proto__',
  'constructor',
  'x'.repeat(600),
  -1,
  1e308,
  2 ** 53,
  0.5,
  [],
  {},
  [[[[]]]],
  true,
  '\u{1f600}',
  '2*',
  'w',
  '../..',
];
/** The same data with one to three values replaced, left out, doubled or put under another key. */
export function damagedBody(body: unknown, next: () => number): unknown {
  const copy = structuredClone(body);
  const int = (n: number) => Math.floor(next() * n);
  for (let k = 1 + int(3); k > 0; k--) {
    const places: { of: Record<string, unknown> | unknown[]; key: string }[] = [];
    const walk = (x: unknown) => {
      if (!x || typeof x !== 'object') return;
      for (const key of Object.keys(x)) {
        places.push({ of: x as Record<string, unknown>, key });
        walk((x as Record<string, unknown>)[key]);
      }
    };
    walk(copy);
    if (!places.length) return WILD[int(WILD.length)];
    const { of, key } = places[int(places.length)];
    const at = of as Record<string, unknown>;
    const way = int(5);
    if (way === 0 && !Array.isArray(of)) delete at[key];
    else if (way === 1 && Array.isArray(of)) of.push(structuredClone(at[key]));
    else if (way === 2 && !Array.isArray(of))
      Object.defineProperty(of, String(WILD[2 + int(2)]), { value: at[key], enumerable: true, configurable: true, writable: true });
    else at[key] = structuredClone(WILD[int(WILD.length)]);
  }
  return copy;
}
