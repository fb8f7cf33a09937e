import type { Look } from '@ample-skin/core/recipe';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

export type { Look };
export const LOOKS: readonly { readonly value: Look; readonly label: string }[] = [
  { value: 'clay', label: 'Clay' },
  { value: 'sides', label: 'In/out' },
  { value: 'stripes', label: 'Stripes' },
  { value: 'bars', label: 'Light bars' },
  { value: 'gloss', label: 'Gloss' },
  { value: 'wire', label: 'Wire' },
  { value: 'glass', label: 'See-through' },
  { value: 'lines', label: 'Outlines' },
  { value: 'map', label: 'Map' },
];
export type Panes = 1 | 2 | 4;
export type SnapKind = 'grid' | 'end' | 'middle' | 'centre' | 'point' | 'crossing' | 'curve' | 'skin' | 'division';

/** What belongs to the person and the browser, not to a model. Loads nothing else, so that every page may read it. */
export interface Settings {
  readonly look: Look;
  readonly stripes: { readonly count: number; readonly direction: 'up' | 'side' | 'depth'; readonly fixed: 'view' | 'world' };
  /** Light bars: how many, how far apart and how wide in degrees, where their middle stands (heading and height), and what they keep to. */
  readonly bars: {
    readonly count: number;
    readonly spacing: number;
    readonly width: number;
    readonly heading: number;
    readonly height: number;
    readonly fixed: 'view' | 'world';
  };
  /** Lines of even parameter over any look: so many parts of each face; 0 is none. */
  readonly isoparms: number;
  /** What is shown of cages. */
  readonly cages: 'both' | 'cage' | 'smooth';
  /** What cages are made for: how far a pole may fold. */
  readonly poleUse: 'print' | 'mould';
  /** Control nets of what is selected, or of everything when nothing is. */
  readonly nets: boolean;
  readonly panes: Panes;
  /** Parallel instead of perspective view, by pane. */
  readonly parallel: readonly [boolean, boolean, boolean, boolean];
  readonly dark: boolean;
  readonly grid: boolean;
  readonly snaps: Readonly<Record<SnapKind, boolean>>;
  /** Equal parts of a curve that the snap of that name offers. */
  readonly divisions: number;
  readonly gridStep: number;
  readonly comb: { readonly scale: number; readonly density: number };
  /** Pixels and ground of pictures that are saved. */
  readonly picture: { readonly width: number; readonly height: number; readonly ground: 'paper' | 'none' };
  /** g/cm³, for masses and moments of inertia. */
  readonly density: number;
  /** Views count heading and tilt from the active plane. */
  readonly aligned: boolean;
  /** Digits after the point of measured numbers. */
  readonly digits: number;
  /** Keys changed by the person, by command. */
  readonly keys: Readonly<Record<string, string>>;
  /** Widths and heights of panels in pixels; zero is closed. */
  readonly bench: number;
  readonly sheet: number;
  readonly desk: number;
  readonly toured: boolean;
}
export const DEFAULT_SETTINGS: Settings = {
  look: 'sides',
  stripes: { count: 18, direction: 'up', fixed: 'view' },
  bars: { count: 3, spacing: 24, width: 7, heading: 20, height: 40, fixed: 'view' },
  isoparms: 0,
  cages: 'both',
  poleUse: 'print',
  nets: false,
  panes: 1,
  parallel: [false, true, true, true],
  dark: false,
  grid: true,
  snaps: { grid: true, end: true, middle: true, centre: true, point: true, crossing: true, curve: false, skin: false, division: false },
  divisions: 4,
  gridStep: 5,
  comb: { scale: 1, density: 16 },
  picture: { width: 1920, height: 1200, ground: 'paper' },
  density: 1,
  aligned: false,
  digits: 3,
  keys: {},
  bench: 168,
  sheet: 324,
  desk: 200,
  toured: false,
};

export const useSettings = create<Settings>()(
  persist(() => DEFAULT_SETTINGS, {
    name: 'ample-settings',
    version: 1,
    merge: (saved, now) => ({ ...now, ...(saved as Partial<Settings>), snaps: { ...now.snaps, ...(saved as Partial<Settings>)?.snaps } }),
  }),
);
export const getSettings = useSettings.getState;
export function setSettings(change: Partial<Settings>): void {
  useSettings.setState(change);
}
