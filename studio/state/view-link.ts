import type { Frame, Vec3 } from '@ample-skin/core/math';
import type { Look } from '@ample-skin/core/recipe';

/** What commands and cards may ask of the view; the view itself is put here when it stands. */
export interface ViewLink {
  /** Fits these pieces, or everything. */
  fit(keys?: readonly string[]): void;
  /** Goes to the next of the named views. */
  turn(): void;
  /** Turns straight at a plane and fits the points. */
  lookAt(frame: Pick<Frame, 'x' | 'y' | 'z'>, points: readonly Vec3[]): void;
  /** Goes to a place and turns to where it can be seen; marks it. */
  show(points: readonly Vec3[], normal?: Vec3): void;
  /** Middle of the box of all skins and solids in view, else of everything. */
  middle(): Vec3;
  /** The first pane as a PNG, without grid, handles and labels. */
  picture(o: {
    readonly width: number;
    readonly height: number;
    readonly ground: 'paper' | 'none';
    readonly look?: Look;
    readonly turn?: number;
  }): Promise<Uint8Array>;
  /** Pixels along each side that a picture may have. */
  largestPicture(): number;
  /** Towards the eye, up on the screen, and what is looked at. */
  seen(): { eye: Vec3; up: Vec3; centre: Vec3 };
}
let link: ViewLink | undefined;
export const setViewLink = (v: ViewLink | undefined): void => {
  link = v;
};
export const viewLink = (): ViewLink | undefined => link;
export const zoomTo = (points: readonly Vec3[], normal?: Vec3): void => link?.show(points, normal);

let hand = false;
/** A hand drags something in the view: what stands beside it follows a few times a second, so that the picture has the time. */
export const setHandOnView = (on: boolean): void => {
  hand = on;
};
export const handOnView = (): boolean => hand;
