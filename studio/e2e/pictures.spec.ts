import { readFileSync } from 'node:fs';
import { expect, type Page, test } from '@playwright/test';
import { unzipSync } from 'fflate';
import { imageSize } from 'image-size';
import { begin, noErrors, recipeStep as step } from './helpers.ts';

const panel = (page: Page) => page.getByRole('button', { name: 'Pictures and report' }).click();
async function saved(page: Page, button: string): Promise<{ name: string; data: Buffer }> {
  const [file] = await Promise.all([
    page.waitForEvent('download', { timeout: 120_000 }),
    page.getByRole('button', { name: button }).click(),
  ]);
  return { name: file.suggestedFilename(), data: readFileSync(await file.path()) };
}

test('the view as a picture on nothing, a whole turn, and the proof report as a page and a PDF', async ({ page }) => {
  const bad = await begin(page, 'Ball', [step('b', 'primitive', { shape: 'ball', radius: 20, solid: true })]);
  await panel(page);
  await page.getByLabel('Width in pixels').fill('640');
  await page.getByLabel('Height in pixels').fill('400');
  await page.getByText('None', { exact: true }).click();
  const png = await saved(page, 'Save picture');
  expect(png.name).toBe('Ball.png');
  expect(imageSize(png.data)).toMatchObject({ width: 640, height: 400 });
  // the corner is empty, the middle is not, and what is drawn is the ball alone: a disc
  const seen = await page.evaluate(async (base64) => {
    const picture = await createImageBitmap(new Blob([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))]));
    const context = new OffscreenCanvas(picture.width, picture.height).getContext('2d') as OffscreenCanvasRenderingContext2D;
    context.drawImage(picture, 0, 0);
    const { data, width, height } = context.getImageData(0, 0, picture.width, picture.height);
    const alpha = (x: number, y: number) => data[4 * (y * width + x) + 3];
    let [covered, left, right] = [0, width, 0];
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) if (alpha(x, y) > 127) [covered, left, right] = [covered + 1, Math.min(left, x), Math.max(right, x)];
    return { at: [alpha(2, 2), alpha(width - 3, height - 3), alpha(width / 2, height / 2)], covered, across: right - left + 1 };
  }, png.data.toString('base64'));
  expect(seen.at).toEqual([0, 0, 255]);
  expect(Math.abs(seen.covered / (Math.PI * (seen.across / 2) ** 2) - 1)).toBeLessThan(0.03);
  // a turn of a few pictures
  await page.getByLabel('Pictures of a turn').fill('3');
  const turn = await saved(page, 'Save a whole turn');
  const files = unzipSync(turn.data);
  expect(Object.keys(files)).toEqual(['Ball 001.png', 'Ball 002.png', 'Ball 003.png']);
  // the report says what is so, and holds the pictures that were asked for
  await page.getByText('HTML', { exact: true }).click();
  await page.getByRole('checkbox', { name: 'Stripes' }).check();
  const html = (await saved(page, 'Save report')).data.toString();
  expect(html).toContain('Every step is fine');
  expect(html).toContain('33510.32');
  expect(html.match(/<img src="data:image\/png/g)).toHaveLength(2);
  await page.getByText('PDF', { exact: true }).click();
  expect((await saved(page, 'Save report')).data.subarray(0, 5).toString()).toBe('%PDF-');
  // a map that is not there is no picture of one, and nothing is told of a model that is not computed
  await expect(page.getByRole('checkbox', { name: 'Map' })).toHaveCount(0);
  await page.getByRole('button', { name: 'Pause computing' }).click();
  await page.getByRole('button', { name: 'Pictures and report' }).click();
  await page.getByRole('button', { name: 'Save report' }).click();
  await expect(page.getByText('computing is paused: let it go on')).toBeVisible();
  await noErrors(page, bad);
});
