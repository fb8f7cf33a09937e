import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, expect, it } from 'vitest';

const root = fileURLToPath(new URL('../..', import.meta.url));
const data = mkdtempSync(join(tmpdir(), 'ample-kill-'));
const port = 3700 + (process.pid % 200);
const base = `http://127.0.0.1:${port}`;
let server: ChildProcess | undefined;

async function start(): Promise<void> {
  server = spawn(process.execPath, [join(root, 'node_modules/next/dist/bin/next'), 'start', '-H', '127.0.0.1', '-p', String(port)], {
    cwd: join(root, 'studio'),
    env: { ...process.env, NODE_ENV: 'production', AMPLE_DATA: data },
    stdio: 'ignore',
  });
  for (let k = 0; k < 600; k++) {
    try {
      if ((await fetch(`${base}/api/health`)).ok) return;
    } catch {
      // not up yet
    }
    await new Promise((done) => setTimeout(done, 50));
  }
  throw new Error('the server did not start');
}
afterAll(() => {
  server?.kill('SIGKILL');
  rmSync(data, { recursive: true, force: true });
});

it('killing the server 20 times during a burst of edits loses nothing that was called saved', async () => {
  await new Promise<void>((done, fail) => {
    const p = spawn('npx', ['tsx', 'studio/db/prepare.ts'], { cwd: root, env: { ...process.env, AMPLE_DATA: data }, stdio: 'ignore' });
    p.on('exit', (c) => (c === 0 ? done() : fail(new Error(`prepare ended with ${c}`))));
  });
  await start();
  const { id } = await (
    await fetch(`${base}/api/models`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'burst' }),
    })
  ).json();
  const saved: string[] = [];
  let sequence = 0;
  let revision = 0;
  for (let round = 0; round < 20; round++) {
    // in the middle of a burst: after two edits of this round were answered; every fourth round by the clock alone
    const before = saved.length;
    let ending = false;
    const kill = () => {
      if (!ending) setTimeout(() => server?.kill('SIGKILL'), 5 + round * 7);
      ending = true;
    };
    if (round % 4 === 0) kill();
    let step = `s${++sequence}`;
    for (;;) {
      try {
        const r = await fetch(`${base}/api/models/${id}/edits`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({
            clientId: 'burst',
            sequence,
            base: revision,
            kind: 'do',
            change: { label: 'Circle', changes: [{ type: 'addStep', step: { id: step, tool: 'circle' } }] },
          }),
        });
        const answer = await r.json();
        if (!r.ok) throw new Error(answer.message ?? r.status);
        revision = answer.revision;
        saved.push(step);
        if (saved.length - before >= 2) kill();
        step = `s${++sequence}`;
      } catch {
        break;
      }
    }
    await start();
    // the edit whose answer was lost is sent again under its old number: it must not appear twice
    const again = await fetch(`${base}/api/models/${id}/edits`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({
        clientId: 'burst',
        sequence,
        base: revision,
        kind: 'do',
        change: { label: 'Circle', changes: [{ type: 'addStep', step: { id: step, tool: 'circle' } }] },
      }),
    });
    const answer = await again.json();
    expect(answer.status).toBe('saved');
    revision = answer.revision;
    saved.push(step);
    const model = await (await fetch(`${base}/api/models/${id}`)).json();
    expect(model.recipe.steps.map((s: { id: string }) => s.id)).toEqual(saved);
    expect(model.revision).toBe(saved.length);
  }
  expect(saved.length).toBeGreaterThan(40);
}, 600_000);
