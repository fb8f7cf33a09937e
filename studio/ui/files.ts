import { metaOf } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { z } from 'zod';
import { getStudio, notify, setParams, startTool } from '../state/store.ts';

/** Stores a file with the models; gives its address. Throws with the reason when it is refused. */
export async function storeFile(f: File, megabytes?: number): Promise<string> {
  if (megabytes && f.size > megabytes * 2 ** 20)
    throw new Error(`it has ${(f.size / 2 ** 20).toFixed(1)} MB; at most ${megabytes} MB can be used here: save it smaller`);
  const r = await fetch(`/api/assets?name=${encodeURIComponent(f.name)}`, { method: 'POST', body: f }).catch(() => {
    throw new Error('the server does not answer; try again in a moment');
  });
  const data = (await r.json().catch(() => ({}))) as { hash?: string; message?: string };
  if (!r.ok || !data.hash) throw new Error(data.message ?? 'the file was not stored');
  return data.hash;
}

const extension = (name: string) => /\.[^.]*$/.exec(name)?.[0].toLowerCase() ?? '';
/** Tool and parameter that take a file of this name: read from the tools' own definitions. */
export function takerOf(name: string): { tool: string; param: string; megabytes?: number } | undefined {
  for (const t of TOOLS.values())
    for (const [key, field] of Object.entries(t.params.shape as Record<string, z.ZodType>))
      if (metaOf(field).files?.includes(extension(name))) return { tool: t.id, param: key, megabytes: metaOf(field).megabytes };
  return undefined;
}
export const knownFiles = (): string[] =>
  [...TOOLS.values()].flatMap((t) => Object.values(t.params.shape as Record<string, z.ZodType>).flatMap((f) => metaOf(f).files ?? []));

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
