import { expect, type Page, test } from '@playwright/test';
import { settled, watch } from './helpers.ts';

type Hook = { ampleView: { drawn: number }; ampleState: () => { model: { steps: { id: string }[] } } };
const steps = [
  { id: 'c', tool: 'circle', name: 'Ring', params: { radius: 20 } },
  { id: 'e', tool: 'extrude', name: 'Tube', inputs: { profile: [{ step: 'c', output: 'main' }] }, params: { distance: 60 } },
];
/** Pictures drawn, changes of the page and milliseconds of processor used by its process within ten seconds in which nobody touches anything. */
async function idle(page: Page, seconds = 10): Promise<{ drawn: number; changed: number; busy: number }> {
  await page.mouse.move(2, 400);
  await page.waitForTimeout(2500);
  const client = await page.context().browser()?.newBrowserCDPSession();
  // time of the processor itself, all threads of the page together: what else the machine does is not in it
  const used = async () => {
    const list = (await client?.send('SystemInfo.getProcessInfo'))?.processInfo ?? [];
    return 1000 * list.filter((x) => x.type === 'renderer').reduce((sum, x) => sum + x.cpuTime, 0);
  };
  const before = await used();
  expect(before).toBeGreaterThan(0);
  const seen = await page.evaluate(async (s) => {
    const view = (window as unknown as Hook).ampleView;
    const start = view.drawn;
    let changed = 0;
    const watcher = new MutationObserver((list) => {
      changed += list.length;
    });
    watcher.observe(document.body, { subtree: true, childList: true, attributes: true, characterData: true });
    await new Promise((go) => setTimeout(go, 1000 * s));
    watcher.disconnect();
    return { drawn: view.drawn - start, changed };
  }, seconds);
  const busy = (await used()) - before;
  await client?.detach();
  return { ...seen, busy };
}

test('a page at rest does nothing: without a step, with one open, in four panes, with a comb', async ({ page, request }) => {
  test.setTimeout(420_000);
  const bad = watch(page);
  const answer = await request.post('/api/models', {
    data: { name: 'Rest', recipe: { format: 'ample-skin-recipe', version: 1, name: 'Rest', dials: [], steps } },
  });
  await page.goto(`/model/${(await answer.json()).id}`);
  await settled(page);
  const rests = async (where: string) => {
    const seen: Awaited<ReturnType<typeof idle>>[] = [];
    // the browser tidies up and compiles what ran much, in bursts of 200 ms, and a slow machine may still be measuring seams: one stretch of
    // ten seconds within the minute in which nothing is drawn, nothing changes and less than a hundredth of one processor is used is asked
    // for, which a page that redraws for ever never has
    const quiet = (r: (typeof seen)[number]) => r.drawn === 0 && r.changed === 0 && r.busy < 100;
    while (seen.length < 6 && !seen.some(quiet)) seen.push(await idle(page));
    expect(seen.some(quiet), `${where}: ${JSON.stringify(seen)}`).toBe(true);
  };
  await rests('nothing open');
  await page.locator('.row', { hasText: 'Tube' }).first().click();
  await settled(page);
  await rests('a step open');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: /^1 pane/ }).click();
  await page.getByRole('menuitem', { name: 'Four panes' }).click();
  await rests('four panes');
  await page.getByRole('tab', { name: /^Pieces/ }).click();
  await page.locator('.right .row', { hasText: 'Ring' }).click();
  await page.getByRole('tab', { name: 'Comb' }).click();
  await expect(page.locator('.combchart svg').first()).toBeVisible();
  await rests('a comb');
  expect(bad).toEqual([]);
});
