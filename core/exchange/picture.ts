import { imageSize } from 'image-size';

export const PICTURE_MAX_BYTES = 25 * 2 ** 20;
const MIME: Record<string, string> = { png: 'image/png', jpg: 'image/jpeg', webp: 'image/webp', gif: 'image/gif', bmp: 'image/bmp' };

export type ReadPicture =
  | {
      readonly ok: true;
      readonly mime: string;
      /** Size in pixels as it is shown: cameras' turning marks are followed. */
      readonly width: number;
      readonly height: number;
    }
  | { readonly ok: false; readonly message: string };

const endsWith = (d: Uint8Array, mark: readonly number[], within: number): boolean => {
  for (let i = d.length - mark.length; i >= Math.max(0, d.length - within); i--) if (mark.every((x, k) => d[i + k] === x)) return true;
  return false;
};
const word = (d: Uint8Array, at: number): number => d[at] + d[at + 1] * 2 ** 8 + d[at + 2] * 2 ** 16 + d[at + 3] * 2 ** 24;

/** The reason why a picture of this kind is not whole, if it is not. */
function cutOff(kind: string, d: Uint8Array): string | undefined {
  const cut = 'The picture is cut off: its end is missing. Save or copy it anew';
  if (kind === 'png' && !endsWith(d, [0x49, 0x45, 0x4e, 0x44], 4096)) return cut;
  if (kind === 'jpg' && !endsWith(d, [0xff, 0xd9], 65536)) return cut;
  if (kind === 'webp' && word(d, 4) + 8 > d.length) return cut;
  if (kind === 'gif' && !endsWith(d, [0x3b], 4096)) return cut;
  if (kind === 'bmp' && word(d, 2) > d.length) return cut;
  return undefined;
}

/** Kind and size of a picture file (PNG, JPEG, WebP, GIF, BMP), or what is wrong with it. */
export function readPicture(data: Uint8Array): ReadPicture {
  if (!data.length) return { ok: false, message: 'The file is empty' };
  if (data.length > PICTURE_MAX_BYTES)
    return {
      ok: false,
      message: `The picture has ${(data.length / 2 ** 20).toFixed(1)} MB; at most ${PICTURE_MAX_BYTES / 2 ** 20} MB can be used: save it smaller`,
    };
  let size: ReturnType<typeof imageSize>;
  try {
    size = imageSize(data);
  } catch {
    return { ok: false, message: 'This is not a picture that can be shown: save it as PNG, JPEG or WebP' };
  }
  const mime = MIME[size.type ?? ''];
  if (!mime)
    return { ok: false, message: `Pictures of the kind ${String(size.type).toUpperCase()} cannot be shown: save it as PNG, JPEG or WebP` };
  if (!(size.width > 0 && size.height > 0)) return { ok: false, message: 'The picture has no size: it is damaged' };
  if (size.width * size.height > 2 ** 28)
    return { ok: false, message: `The picture has ${size.width} x ${size.height} dots, more than can be shown: save it smaller` };
  const cut = cutOff(size.type as string, data);
  if (cut) return { ok: false, message: cut };
  const lying = (size.orientation ?? 1) >= 5;
  return { ok: true, mime, width: lying ? size.height : size.width, height: lying ? size.width : size.height };
}
