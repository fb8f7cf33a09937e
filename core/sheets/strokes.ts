import type { Flat } from './region.ts';

/** Letters of one stroke each, on a grid 4 wide and 6 high: points as pairs of digits, strokes apart by spaces. */
const GLYPHS: Readonly<Record<string, string>> = {
  '0': '103041453616050110',
  '1': '1526 2620 1030',
  '2': '05163645440040',
  '3': '064623334241301001',
  '4': '303602 0242',
  '5': '460603334241301001',
  '6': '453616050110304142331302',
  '7': '06461410',
  '8': '130405163645443313 1302011030414233',
  '9': '011030414536160504133344',
  A: '002640 1232',
  B: '00063645443303 3342413000',
  C: '4536160501103041',
  D: '00062645413000',
  E: '46060040 0333',
  F: '460600 0333',
  G: '453616050110304143 4323',
  H: '0006 4046 0343',
  I: '1030 2026 1636',
  J: '011030414646',
  K: '0006 4603 1240',
  L: '060040',
  M: '0006234640',
  N: '00064046',
  O: '103041453616050110',
  P: '00063645443303',
  Q: '103041453616050110 2240',
  R: '00063645443303 2340',
  S: '453616050413334241301001',
  T: '0646 2620',
  U: '060110304146',
  V: '062046',
  W: '0610233046',
  X: '0046 0640',
  Y: '062346 2320',
  Z: '06460040',
  '-': '1333',
  '.': '2021',
};
/** A text as strokes of the height wanted, its middle at the origin. Characters that have no strokes are left as a space. */
export function strokesOf(text: string, height: number): Flat[][] {
  const u = height / 6;
  const wide = text.length * 5.5 * u - 1.5 * u;
  return [...text.toUpperCase()].flatMap((ch, k) =>
    (GLYPHS[ch] ?? '')
      .split(' ')
      .filter((s) => s.length >= 4)
      .map((s) =>
        Array.from(
          { length: Math.floor(s.length / 2) },
          (_, i): Flat => [k * 5.5 * u + Number(s[2 * i]) * u - wide / 2, (Number(s[2 * i + 1]) - 3) * u],
        ),
      ),
  );
}
/** Half the diagonal of a text of height 1. */
export const textReach = (text: string): number => Math.hypot((text.length * 5.5 - 1.5) / 6, 1) / 2;
