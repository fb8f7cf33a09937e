// The browser that the scripts of this folder drive: Debian's Chromium, drawing by software, with errors of the page on the console.
import { chromium } from '@playwright/test';

export const launch = () =>
  chromium.launch({
    executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-dev-shm-usage',
      '--use-gl=angle',
      '--use-angle=swiftshader',
      '--enable-unsafe-swiftshader',
      '--ignore-gpu-blocklist',
      '--disable-background-networking',
    ],
  });
export const settled = (page) =>
  page.waitForFunction(() => globalThis.ampleState?.().computed && !globalThis.ampleState().computing, null, { timeout: 120_000 });
/** A model made for the occasion; `drop` takes it away again. */
export async function makeModel(base, name, steps, dials = []) {
  const recipe = { format: 'ample-skin-recipe', version: 1, name, dials, steps };
  const made = await fetch(`${base}/api/models`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ name, recipe }),
  });
  const { id } = await made.json();
  return { id, drop: () => fetch(`${base}/api/models/${id}`, { method: 'DELETE' }) };
}
