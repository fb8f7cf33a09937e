import type { Operation } from '@ample-skin/core/cage';
import type { Frame, Vec3 } from '@ample-skin/core/math';
import type { ModelSection, Pick } from '@ample-skin/core/recipe';
import type { CageKind } from '../state/state.ts';
import type { Handle } from '../view/handles.ts';
import type { Hit, HitFilter } from '../view/picking.ts';
import type { Snap } from './snaps.ts';

export interface Place {
  readonly x: number;
  readonly y: number;
}
/** A pointer event as a mode sees it: CSS pixels from the view's corner, the pane it lies in, and what is held. */
export interface PointerAt extends Place {
  readonly pane: number;
  readonly button: number;
  readonly shift: boolean;
  readonly ctrl: boolean;
  readonly alt: boolean;
}

/** The view as modes know it: what lies where. Pure questions; nothing is drawn by asking. */
export interface Stage {
  paneAt(x: number, y: number): number;
  project(p: Vec3, pane: number): { x: number; y: number; depth: number };
  onPlane(x: number, y: number, frame: { origin: Vec3; z: Vec3 }): Vec3 | undefined;
  /** Where a line in space comes nearest to the pointer's ray, as the distance along `direction` from `from`. */
  onLine(x: number, y: number, from: Vec3, direction: Vec3): number | undefined;
  handleAt(x: number, y: number): Handle | undefined;
  hits(x: number, y: number, filter: HitFilter): Hit[];
  regionAt(x: number, y: number): number | undefined;
  eyeDirection(pane: number): Vec3;
  /** Keys of visible pieces whose whole box lies in a rectangle of the screen. */
  inside(a: Place, b: Place, pane: number): { key: string; step: string; output: string; kind: string }[];
}

/** What a mode wants shown; an entry that is left out stays, one that is `null` goes. */
export interface Overlay {
  readonly tip?: (Place & { readonly text: string }) | null;
  /** Where a click would set a point. */
  readonly cursor?: Vec3 | null;
  readonly hover?: Pick | null;
  /** The part of the open cage under the pointer, by name. */
  readonly cageHover?: string | null;
  readonly box?: { readonly from: Place; readonly to: Place } | null;
  /** What lies under the pointer, to choose from. */
  readonly list?: (Place & { readonly hits: readonly Hit[]; readonly snaps: readonly Snap[] }) | null;
  /** The handle under the pointer, by its key. */
  readonly handle?: string | null;
  readonly shape?: 'default' | 'crosshair' | 'grab' | 'pointer' | 'move';
}

/** What a mode has done: small data, carried out in one place. */
export type Command =
  | { readonly do: 'pick'; readonly pick: Pick; readonly more: boolean; readonly direct: boolean }
  | { readonly do: 'nothingHere'; readonly why: string; readonly at: Place }
  | { readonly do: 'clear' }
  | { readonly do: 'select'; readonly picks: readonly Pick[]; readonly add: boolean }
  | { readonly do: 'addPoint'; readonly at: Vec3 }
  | { readonly do: 'measurePoint'; readonly at: Vec3 }
  | {
      readonly do: 'param';
      readonly step: string;
      readonly key: string;
      readonly value: unknown;
      readonly preview: boolean;
      readonly before?: unknown;
    }
  | { readonly do: 'params'; readonly step: string; readonly params: Readonly<Record<string, unknown>> }
  | {
      readonly do: 'inputs';
      readonly step: string;
      readonly slot: string;
      readonly picks: readonly Pick[];
      readonly preview: boolean;
      readonly before?: readonly Pick[];
    }
  | { readonly do: 'sketchClick'; readonly at: readonly [number, number]; readonly hit?: string }
  | { readonly do: 'sketchChoose'; readonly id?: string; readonly more: boolean }
  | { readonly do: 'sketchDrag'; readonly point: string; readonly to: Vec3 }
  | { readonly do: 'sketchDrop' }
  | {
      readonly do: 'cageChoose';
      readonly kind: CageKind;
      readonly names: readonly string[];
      readonly more: boolean;
      /** The whole loop of it. */
      readonly loop?: boolean;
      /** Drawn by a box: what is in it is added, never taken out. */
      readonly box?: boolean;
    }
  | {
      readonly do: 'cageOperations';
      readonly step: string;
      readonly key: string;
      readonly list: readonly Operation[];
      readonly before: readonly Operation[];
      readonly preview: boolean;
    }
  | { readonly do: 'orbit' | 'pan'; readonly pane: number; readonly dx: number; readonly dy: number }
  | { readonly do: 'zoom'; readonly pane: number; readonly factor: number; readonly at: Place }
  | { readonly do: 'section'; readonly section: ModelSection; readonly preview: boolean }
  | { readonly do: 'typed'; readonly handle: Handle };

export interface Reaction {
  readonly overlay?: Overlay;
  readonly commands?: readonly Command[];
  /** Takes over until the pointer is let go. */
  readonly mode?: Mode;
}
/**
 * One kind of gesture. Pure: places and keys in, overlays and commands out. `press` may hand over to another mode, which then gets `drag` and
 * `release`; a mode that is left without a release (Escape, a second finger) gets `leave`.
 */
export interface Mode {
  readonly name: string;
  hover?(at: PointerAt): Reaction;
  press?(at: PointerAt): Reaction;
  drag?(at: PointerAt, from: PointerAt): Reaction;
  release?(at: PointerAt, from: PointerAt): Reaction;
  /** A press that stayed where it was: after a while, or by the right button. */
  hold?(at: PointerAt): Reaction;
  key?(key: string, at: PointerAt): Reaction | undefined;
  leave?(): Reaction;
}
export const NONE: Reaction = {};
export const away = (a: Place, b: Place): number => Math.hypot(a.x - b.x, a.y - b.y);
/** Pixels within which a press counts as a click. */
export const CLICK = 4;
export type PlaneFrame = Frame;
