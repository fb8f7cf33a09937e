import { effectiveModel, notify } from './state.ts';

/** The model's name as the beginning of a file's. */
export const fileStem = (): string =>
  effectiveModel()
    .name.replace(/[^\p{L}\p{N} _-]+/gu, ' ')
    .trim() || 'model';

/** Hands a file to the person, and says so. */
export function download(name: string, type: string, data: Uint8Array, told: string): void {
  const url = URL.createObjectURL(new Blob([data as BlobPart], { type }));
  const a = document.createElement('a');
  a.href = url;
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
  notify('info', told);
}
