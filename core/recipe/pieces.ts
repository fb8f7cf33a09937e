import type { Body } from '../brep/index.ts';
import type { Cage } from '../cage/index.ts';
import type { TriangleMesh } from '../exchange/index.ts';
import type { Frame, Vec3 } from '../math/index.ts';
import type { NurbsCurve } from '../nurbs/index.ts';

/** What a step hands on. A curve piece is a chain: one or several curves, end to end. */
export type Piece =
  | {
      readonly kind: 'curve';
      readonly curves: readonly NurbsCurve[];
      readonly label?: string;
      /** The work plane it was drawn on: its z is the side that counts as up. */
      readonly plane?: Frame;
    }
  | { readonly kind: 'point'; readonly point: Vec3; readonly label?: string }
  | { readonly kind: 'plane'; readonly frame: Frame; readonly size: number; readonly label?: string }
  | { readonly kind: 'skin'; readonly body: Body; readonly label?: string }
  | { readonly kind: 'solid'; readonly body: Body; readonly label?: string }
  | { readonly kind: 'cage'; readonly cage: Cage; readonly label?: string }
  | { readonly kind: 'scan'; readonly mesh: TriangleMesh; readonly label?: string }
  | {
      /** A picture file laid in space: the frame's origin is its lower left corner, x runs along its width, y up. */
      readonly kind: 'picture';
      readonly asset: string;
      readonly mime: string;
      readonly frame: Frame;
      readonly width: number;
      readonly height: number;
      readonly flipped: boolean;
      readonly opacity: number;
      readonly label?: string;
    };
export type PieceKind = Piece['kind'];

export const bodyPiece = (body: Body, label?: string): Piece =>
  body.solids.length ? { kind: 'solid', body, label } : { kind: 'skin', body, label };
