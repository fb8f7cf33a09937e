import type { Look } from '@ample-skin/core/recipe';
import { download, fileStem } from './download.ts';
import { engine } from './engine-client.ts';
import { LOOKS } from './settings.ts';
import { effectiveModel, getStudio, notify } from './state.ts';
import { viewLink } from './view-link.ts';

export interface PictureWish {
  readonly width: number;
  readonly height: number;
  readonly ground: 'paper' | 'none';
}
/** The view as a PNG of any size. */
export async function savePicture(o: PictureWish): Promise<void> {
  const png = await viewLink()?.picture(o);
  if (png) download(`${fileStem()}.png`, 'image/png', png, `The view was saved, ${o.width} x ${o.height}`);
}
/** A whole turn about the upright, as numbered pictures in one packed file. */
export async function saveTurntable(o: PictureWish, count: number, tell: (done: number) => void): Promise<void> {
  const link = viewLink();
  if (!link) return;
  const files: Record<string, Uint8Array> = {};
  for (let k = 0; k < count; k++) {
    files[`${fileStem()} ${String(k + 1).padStart(3, '0')}.png`] = await link.picture({ ...o, turn: (360 * k) / count });
    tell((k + 1) / count);
    await new Promise((go) => setTimeout(go));
  }
  const { zipSync } = await import('fflate');
  // pictures are packed already
  download(`${fileStem()} turntable.zip`, 'application/zip', zipSync(files, { level: 0 }), `${count} pictures of a whole turn were packed`);
}
/** The proof report of the model as it is now, with pictures of the view in these looks. */
export async function saveReport(format: 'html' | 'pdf', looks: readonly Look[]): Promise<void> {
  const { computing, paused } = getStudio();
  // what was computed last would be told of a model that has changed since
  if (paused || computing)
    throw new Error(
      paused ? 'computing is paused: let it go on, then save the report' : 'the model is still being computed: wait until it is done',
    );
  const link = viewLink();
  const pictures: { title: string; png: string }[] = [];
  for (const look of link ? looks : []) {
    const png = await link?.picture({ width: 1400, height: 900, ground: 'paper', look });
    if (png) pictures.push({ title: LOOKS.find((l) => l.value === look)?.label ?? look, png: dataAddress(png) });
  }
  const date = new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });
  const r = await engine.report(effectiveModel(), { format, date, pictures });
  const type = format === 'pdf' ? 'application/pdf' : 'text/html';
  download(
    `${fileStem()} proof.${format}`,
    type,
    r.data,
    r.ok ? 'The proof report was saved: all is as it should be' : 'The proof report was saved',
  );
  if (!r.ok) notify('warning', 'Not all is as it should be: the first lines of the report say what');
}
function dataAddress(png: Uint8Array): string {
  let text = '';
  for (let i = 0; i < png.length; i += 8192) text += String.fromCharCode(...png.subarray(i, i + 8192));
  return `data:image/png;base64,${btoa(text)}`;
}
