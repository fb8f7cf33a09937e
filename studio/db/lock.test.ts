import { fork } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';

const folder = mkdtempSync(join(tmpdir(), 'ample-lock-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
/** A process that takes the lock when told to, holds it until told to end, and says how it went. */
const TAKER = join(folder, 'taker.mts');
writeFileSync(
  TAKER,
  `import { takeLock } from ${JSON.stringify(fileURLToPath(new URL('./lock.ts', import.meta.url)))};
process.on('message', (m) => {
  if (m === 'end') process.exit(0);
  try {
    takeLock(String(m));
    process.send('taken');
  } catch (e) {
    process.send(e.message);
  }
});
process.send('ready');
`,
);
const start = (): Promise<{ told: (m: string) => Promise<string>; pid: number; end: () => Promise<void> }> =>
  new Promise((ready, fail) => {
    const p = fork(TAKER, { execArgv: ['--import', 'tsx'], cwd: fileURLToPath(new URL('../..', import.meta.url)) });
    p.once('error', fail);
    p.once('message', () =>
      ready({
        pid: p.pid ?? 0,
        told: (m) =>
          new Promise((done) => {
            p.once('message', (answer) => done(String(answer)));
            p.send(m);
          }),
        end: () =>
          new Promise((done) => {
            p.once('exit', () => done());
            p.send('end');
          }),
      }),
    );
  });

describe('the lock of the data folder', () => {
  it('processes that start together at a lock that its owner left: one takes it, the others are told by whom', async () => {
    const takers = await Promise.all(Array.from({ length: 4 }, start));
    for (let round = 0; round < 8; round++) {
      const path = join(folder, `lock${round}`);
      // the id of a process that is gone
      writeFileSync(path, '999999999 1');
      const answers = await Promise.all(takers.map((t) => t.told(path)));
      expect(answers.filter((a) => a === 'taken').length).toBe(1);
      const owner = takers[answers.indexOf('taken')];
      expect(readFileSync(path, 'utf8')).toContain(String(owner.pid));
      for (const a of answers) if (a !== 'taken') expect(a).toMatch(/in use by process|by another process|could not be locked/);
    }
    await Promise.all(takers.map((t) => t.end()));
    // who ends lets go
    expect(existsSync(join(folder, 'lock0'))).toBe(false);
  });
  it('an owner that lives keeps it; a process may ask twice', async () => {
    const [a, b] = await Promise.all([start(), start()]);
    const path = join(folder, 'kept');
    expect(await a.told(path)).toBe('taken');
    expect(await a.told(path)).toBe('taken');
    expect(await b.told(path)).toContain(`in use by process ${a.pid}`);
    await a.end();
    expect(await b.told(path)).toBe('taken');
    await b.end();
  });
});
