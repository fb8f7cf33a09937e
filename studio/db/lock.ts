import { closeSync, openSync, readFileSync, rmSync, writeSync } from 'node:fs';

/**
 * One process at a time may open the embedded database: two would corrupt it without a word. The lock holds the process id and the time
 * that process started, so that a reused id after a reboot is not taken for the old owner.
 */
function startedAt(pid: number): string | undefined {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return undefined;
  }
}
function alive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (e) {
    return (e as NodeJS.ErrnoException).code === 'EPERM';
  }
}

export function takeLock(path: string): void {
  for (let attempt = 0; attempt < 5; attempt++) {
    try {
      const f = openSync(path, 'wx');
      writeSync(f, `${process.pid} ${startedAt(process.pid) ?? '-'}`);
      closeSync(f);
      process.once('exit', () => rmSync(path, { force: true }));
      return;
    } catch (e) {
      if ((e as NodeJS.ErrnoException).code !== 'EEXIST') throw e;
      let owner = '';
      try {
        owner = readFileSync(path, 'utf8');
      } catch {
        continue;
      }
      const [pid, start] = owner.split(' ');
      const id = Number(pid);
      if (id === process.pid) return;
      if (id && alive(id) && (start === '-' || startedAt(id) === undefined || startedAt(id) === start))
        throw new Error(`The database folder is in use by process ${pid}. Stop that server first, or set AMPLE_DATA to another folder`);
      rmSync(path, { force: true });
    }
  }
  throw new Error('The database folder could not be locked');
}
