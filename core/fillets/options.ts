import type { Vec3 } from '../math/index.ts';
import type { BlendGrade } from '../skins/index.ts';
import type { FilletRule } from './spine.ts';

/** Arcs about the ball, straight across, or a blend of a grade. */
export type FilletSection = 'round' | 'flat' | BlendGrade;
export interface FilletOptions {
  readonly rule: FilletRule;
  /** The size in mm when it is the same all along: told with the largest that works. */
  readonly constant?: number;
  readonly section: FilletSection;
  /** How far the condition of a blend pulls into it; 1 is neutral. */
  readonly reach: number;
  readonly tolerance: number;
  /** Look for the largest size that works, where the one asked does not. */
  readonly explain?: boolean;
  /** Names of what is made begin with it. */
  readonly name: string;
  readonly pause?: () => void;
}
export interface NoFillet {
  readonly ok: false;
  readonly code: string;
  readonly message: string;
  readonly place?: readonly Vec3[];
}
export const no = (code: string, message: string, place?: readonly Vec3[]): NoFillet => ({ ok: false, code, message, place });
