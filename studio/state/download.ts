import { notify } from './state.ts';

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
