import type { Vec3 } from '@ample-skin/core/math';

/** What a handle stands for: its kind, and which of that kind; a mover has nine grips. */
export type HandleId =
  | { readonly kind: 'point' | 'slide' | 'grip' | 'push' | 'turn'; readonly index: number }
  | { readonly kind: 'sketch'; readonly index: number; readonly id: string }
  | { readonly kind: 'chain'; readonly index: number; readonly end: 0 | 1 }
  | { readonly kind: 'mover'; readonly index: number; readonly part: MoverPart }
  /** What is chosen of a cage: its mover, or one of its vertices, dragged freely. */
  | { readonly kind: 'cage'; readonly index: number; readonly part: MoverPart | 'free' }
  /** A section: pushed along its normal, or turned about one of its sides. */
  | { readonly kind: 'section'; readonly index: number; readonly part: 'push' | 'x' | 'y' };
export type MoverPart = 'x' | 'y' | 'z' | 'xy' | 'yz' | 'zx' | 'turn x' | 'turn y' | 'turn z';

/** Something in the view that can be taken hold of. Lengths of arrows and rings are in pixels: they keep their size on screen. */
export interface Handle {
  readonly id: HandleId;
  readonly at: Vec3;
  readonly shape: 'dot' | 'arrow' | 'ring' | 'square';
  /** Direction of an arrow; axis of a ring; normal of a square. */
  readonly along?: Vec3;
  /** Where a ring's zero lies; first side of a square. */
  readonly side?: Vec3;
  readonly pixels?: number;
  /** Length of an arrow in mm where it shows a true length instead. */
  readonly length?: number;
  readonly colour?: 'plum' | 'ink' | 'loden' | 'rust' | 'brass' | 'slate';
  readonly strong?: boolean;
  readonly settled?: boolean;
  readonly label?: string;
}
export const handleKey = (h: HandleId): string => `${h.kind}|${h.index}|${'part' in h ? h.part : 'end' in h ? h.end : ''}`;
/** Radius of rings, length of arrows and offset of squares of a mover, pixels. */
export const MOVER = { arrow: 74, ring: 52, square: 26 } as const;
