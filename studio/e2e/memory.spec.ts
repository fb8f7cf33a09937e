import { expect, type Page, test } from '@playwright/test';
import { begin, factsOf, lookFrom, noErrors, number, settled, sheetRow, type as typed } from './helpers.ts';

const CUTS = Number(process.env.CUTS ?? 15);
/** Memory that the page and its workers hold after tidying up, MB. */
async function held(page: Page): Promise<number> {
  const client = await page.context().newCDPSession(page);
  await client.send('HeapProfiler.enable');
  for (let k = 0; k < 3; k++) {
    await client.send('HeapProfiler.collectGarbage');
    await page.waitForTimeout(400);
  }
  const own = (await client.send('Runtime.getHeapUsage')).usedSize;
  await client.detach();
  const workers = await Promise.all(
    page
      .workers()
      .map((w) => w.evaluate(() => (performance as unknown as { memory?: { usedJSHeapSize: number } }).memory?.usedJSHeapSize ?? 0)),
  );
  return (own + workers.reduce((a, b) => a + b, 0)) / 1e6;
}

test(`memory: ${CUTS} cuts and undos leave it where it was (more: CUTS=1000)`, async ({ page }) => {
  test.setTimeout(240_000 + 6_000 * CUTS);
  const bad = await begin(page, 'Memory', [
    { id: 'c', tool: 'circle', name: 'Ring', params: { radius: 20 } },
    {
      id: 'e',
      tool: 'extrude',
      version: 2,
      name: 'Tube',
      inputs: { profile: [{ step: 'c', output: 'main' }] },
      params: { distance: 60, cap: false },
    },
    { id: 'p', tool: 'work-plane', version: 2, name: 'Level', inputs: {}, params: { offset: [0, 0, 20], turns: [10, 0, 0] } },
    {
      id: 't',
      tool: 'trim',
      name: 'Cut',
      inputs: { target: [{ step: 'e', output: 'main' }], cutters: [{ step: 'p', output: 'main' }] },
      params: { keep: 'behind' },
    },
  ]);
  await lookFrom(page, 30, 30);
  const area = async () => number((await factsOf(page, 'skin'))[0].area);
  const whole = 2 * Math.PI * 20;
  await sheetRow(page, 'Level').click();
  await settled(page);
  const round = async (k: number) => {
    const z = 15 + ((k * 7) % 30);
    await typed(page, 'Offset z', String(z));
    await settled(page);
    if (k % 10 === 0) expect(await area()).toBeCloseTo(whole * z, 1);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+z');
    await settled(page);
    if (k % 10 === 0) expect(await area()).toBeCloseTo(whole * 20, 1);
    await sheetRow(page, 'Level').click();
  };
  // the first rounds fill what is kept on purpose: results of the last steps, pictures, compiled code
  for (let k = 0; k < 12; k++) await round(k);
  const before = await held(page);
  for (let k = 12; k < 12 + CUTS; k++) await round(k);
  const after = await held(page);
  console.log(`memory: ${before.toFixed(1)} MB after 12 cuts, ${after.toFixed(1)} MB after ${12 + CUTS}`);
  expect(after - before).toBeLessThan(0.1 * before + 10);
  await noErrors(page, bad);
});
