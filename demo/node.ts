import { readFileSync } from 'node:fs';
import { basename } from 'node:path';

/** Files of the demo by the text their recipes use, for commands and tests that run without a studio. */
export async function demoAsset(reference: string): Promise<{ name: string; data: Uint8Array } | undefined> {
  try {
    return { name: basename(reference), data: readFileSync(new URL(`./files/${basename(reference)}`, import.meta.url)) };
  } catch {
    return undefined;
  }
}
