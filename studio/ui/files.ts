import { readableEndings } from '@ample-skin/core/exchange/formats';
import { getStudio, notify, setParams, setStudio, startTool } from '../state/store.ts';
import { takerOf } from './taker.ts';
import { upload } from './upload.ts';

/** Stores a file with the models, its progress shown in the view; gives its address. Throws with the reason when it is refused. */
export async function storeFile(f: File, megabytes?: number): Promise<string> {
  const shown = setTimeout(() => show(0), 300);
  let cancel = () => {};
  const show = (share: number) => setStudio({ upload: { name: f.name, share, cancel: () => cancel() } });
  let over = false;
  try {
    const work = upload(f, megabytes, (share) => {
      if (!over && getStudio().upload) show(share);
    });
    cancel = work.cancel;
    return await work.hash;
  } finally {
    over = true;
    clearTimeout(shown);
    setStudio({ upload: undefined });
  }
}

export const knownFiles = (): string[] => readableEndings('bodies', 'curves', 'scan', 'picture');

/** A file that was dropped on the screen: stored, and given to the tool that takes it, as an open card. */
export async function bringFile(f: File): Promise<void> {
  const taker = takerOf(f.name);
  if (!taker) {
    notify('error', `${f.name} cannot be brought in; known are ${knownFiles().join(' ')}`);
    return;
  }
  try {
    const hash = await storeFile(f, taker.megabytes);
    startTool(taker.tool);
    const id = getStudio().draft?.step.id;
    if (id) setParams(id, { [taker.param]: hash });
  } catch (e) {
    notify('error', `${f.name}: ${(e as Error).message}`);
  }
}
