/** Helper for tests only: a PostgreSQL server of its own in a temporary folder, when one is installed. */
import { execFileSync } from 'node:child_process';
import { chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export interface RealPostgres {
  readonly url: string;
  readonly stop: () => void;
}

/** Folder with the server's programs: Debian keeps them out of the path. */
export function postgresPrograms(): string | undefined {
  const debian = '/usr/lib/postgresql';
  const versions = existsSync(debian) ? readdirSync(debian).sort((a, b) => Number(b) - Number(a)) : [];
  return [...versions.map((v) => join(debian, v, 'bin')), ...(process.env.PATH ?? '').split(':')].find(
    (d) => existsSync(join(d, 'initdb')) && existsSync(join(d, 'pg_ctl')),
  );
}

const freePort = () =>
  new Promise<number>((done, fail) => {
    const s = createServer();
    s.once('error', fail);
    s.listen(0, '127.0.0.1', () => {
      const { port } = s.address() as { port: number };
      s.close(() => done(port));
    });
  });

/** Starts a server on 127.0.0.1. The server refuses to run as root: then it runs as the user that the package made. */
export async function startPostgres(): Promise<RealPostgres> {
  const programs = postgresPrograms();
  if (!programs) throw new Error('PostgreSQL is not installed');
  const folder = mkdtempSync(join(tmpdir(), 'ample-postgres-'));
  const number = (flag: string) => Number(execFileSync('id', [flag, 'postgres'], { encoding: 'utf8' }));
  const user = process.getuid?.() === 0 ? { uid: number('-u'), gid: number('-g') } : {};
  if (user.uid !== undefined) chownSync(folder, user.uid, user.gid);
  const data = join(folder, 'data');
  const port = await freePort();
  const run = (program: string, ...args: string[]) =>
    execFileSync(join(programs, program), args, { ...user, cwd: folder, stdio: 'ignore' });
  run('initdb', '-D', data, '-A', 'trust', '-U', 'ample', '-N');
  run(
    'pg_ctl',
    '-D',
    data,
    '-o',
    `-p ${port} -c listen_addresses=127.0.0.1 -c fsync=off -k ${folder}`,
    '-l',
    join(folder, 'log'),
    '-w',
    'start',
  );
  return {
    url: `postgres://ample@127.0.0.1:${port}/postgres`,
    stop: () => {
      run('pg_ctl', '-D', data, '-m', 'immediate', '-w', 'stop');
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
