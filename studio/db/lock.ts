import { closeSync, mkdirSync, openSync, readFileSync, rmdirSync, rmSync, statSync, writeSync } from 'node:fs';

/**
 * One process at a time may open the embedded database: two would corrupt it without a word. The lock holds the process id and the time
 * that process started, so that a reused id after a reboot is not taken for the old owner. A lock whose owner is gone is taken away by one
 * process only: it first makes a folder beside it, which only one can make, and looks at the lock again.
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
const pause = (ms: number) => Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, ms);
const read = (path: string): string | undefined => {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
};
/** Does the process that wrote this still run? An empty lock is one that is just being written. */
function owned(owner: string): boolean {
  const [pid, start] = owner.split(' ');
  const id = Number(pid);
  return !!id && alive(id) && (start === '-' || startedAt(id) === undefined || startedAt(id) === start);
}
/** Creates the lock if there is none: only one process can. */
function create(path: string, mine: string): boolean {
  try {
    const f = openSync(path, 'wx');
    writeSync(f, mine);
    closeSync(f);
    return true;
  } catch (e) {
    if ((e as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw e;
  }
}
/** Removes a lock whose owner is gone, under a guard; true when the guard was ours. */
function clearStale(path: string): boolean {
  const guard = `${path}.clearing`;
  try {
    mkdirSync(guard);
  } catch {
    // a guard that nobody took away again is older than any clearing
    try {
      if (Date.now() - statSync(guard).mtimeMs > 10_000) rmdirSync(guard);
    } catch {
      // gone meanwhile
    }
    return false;
  }
  try {
    const owner = read(path);
    if (owner && !owned(owner)) rmSync(path, { force: true });
    return true;
  } finally {
    rmdirSync(guard);
  }
}

export function takeLock(path: string): void {
  const mine = `${process.pid} ${startedAt(process.pid) ?? '-'}`;
  for (let attempt = 0; attempt < 40; attempt++) {
    if (create(path, mine)) {
      // looked at again: whoever else is at work here would have changed it by now
      pause(60);
      if (read(path) !== mine) throw new Error('The database folder was taken by another process at the same moment. Try again');
      process.once('exit', () => {
        if (read(path) === mine) rmSync(path, { force: true });
      });
      return;
    }
    const owner = read(path);
    if (owner === mine) return;
    if (owner && owned(owner))
      throw new Error(
        `The database folder is in use by process ${owner.split(' ')[0]}. Stop that server first, or set AMPLE_DATA to another folder`,
      );
    // empty: it is being written just now, unless it stays so
    if (owner === '' && attempt > 20) rmSync(path, { force: true });
    else if (owner === '' || owner === undefined || !clearStale(path)) pause(25);
  }
  throw new Error('The database folder could not be locked');
}
