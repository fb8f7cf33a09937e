import { blake3 } from '@noble/hashes/blake3';
import { bytesToHex } from '@noble/hashes/utils';

/** 128-bit digest of a text, as hex: equal texts have equal digests, and two different ones never meet in practice (BLAKE3). */
export const digestText = (text: string): string => bytesToHex(blake3(text, { dkLen: 16 }));

/** 128-bit digest of lists of numbers, bit for bit; each list counts with its length, so that borders between lists matter. */
export function digestNumbers(lists: Iterable<ArrayLike<number>>): string {
  const h = blake3.create({ dkLen: 16 });
  for (const list of lists) {
    const f = list instanceof Float64Array ? list : Float64Array.from(list);
    h.update(new Uint8Array(Float64Array.of(f.length).buffer));
    h.update(new Uint8Array(f.buffer, f.byteOffset, f.byteLength));
  }
  return bytesToHex(h.digest());
}
