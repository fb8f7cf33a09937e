import type { Comb } from '@ample-skin/core/proof';
import type { Model, Pick, RecipeEdit, Stage, Step } from '@ample-skin/core/recipe';
import type { PieceView, ProofView, StepView } from '@ample-skin/engine';
import { create } from 'zustand';
import type { Progress } from './engine-client.ts';
import type { SaveState } from './save-queue.ts';

export type Look = 'clay' | 'sides' | 'stripes';
export type Panes = 1 | 2 | 4;
export type SnapKind = 'grid' | 'end' | 'middle' | 'centre' | 'point' | 'crossing' | 'curve' | 'skin' | 'division';
export type DeskTab = 'seams' | 'rims' | 'defects' | 'comb' | 'timing';
export interface Notice {
  readonly id: number;
  readonly kind: 'info' | 'warning' | 'error';
  readonly text: string;
}
export interface ViewSettings {
  readonly look: Look;
  readonly stripes: { readonly count: number; readonly direction: 'up' | 'side' | 'depth'; readonly fixed: 'view' | 'world' };
  readonly panes: Panes;
  readonly dark: boolean;
  readonly grid: boolean;
  readonly snaps: Readonly<Record<SnapKind, boolean>>;
  /** Equal parts of a curve that the snap of that name offers. */
  readonly divisions: number;
  readonly gridStep: number;
  readonly comb: { readonly scale: number; readonly density: number };
  /** Views count heading and tilt from the active plane. */
  readonly aligned: boolean;
}

interface StudioState {
  readonly id: string;
  /** The server holds a picture of the last state, shown until the engine has something. */
  readonly hasPicture: boolean;
  readonly model: Model;
  /** A step that is being made and not kept yet, with its place. */
  readonly draft?: { readonly step: Step; readonly before?: string };
  readonly undo: readonly RecipeEdit[];
  readonly redo: readonly RecipeEdit[];
  readonly save: SaveState;
  readonly steps: ReadonlyMap<string, StepView>;
  readonly pieces: ReadonlyMap<string, PieceView>;
  readonly dials: ReadonlyMap<string, { value?: number; message?: string }>;
  readonly proofs: ReadonlyMap<string, ProofView>;
  readonly progress: Progress;
  readonly computed: boolean;
  /** Something asked for is not computed yet. */
  readonly computing: boolean;
  readonly computeMs: number;
  readonly paused: boolean;
  readonly stage: Stage;
  readonly open?: string;
  readonly slot?: string;
  readonly selection: readonly Pick[];
  readonly hover?: Pick;
  readonly plane?: Pick;
  readonly lastPlane?: Pick;
  readonly view: ViewSettings;
  readonly right: 'sheet' | 'pieces' | 'dials';
  readonly desk: { readonly tab: DeskTab; readonly size: 'shut' | 'low' | 'half' };
  readonly find: boolean;
  readonly keys: boolean;
  readonly lastTool?: string;
  /** What is being drawn in an open sketch: tool, points so far, chosen parts, parts lit by the list. */
  readonly sketching?: {
    readonly tool?: 'line' | 'circle' | 'arc' | 'ellipse' | 'spline' | 'point';
    readonly pending: readonly string[];
    readonly chosen: readonly string[];
    readonly lit?: readonly string[];
  };
  readonly zoomTo?: { readonly points: readonly (readonly [number, number, number])[]; readonly n: number };
  readonly lit?: { readonly piece: string; readonly edges: readonly number[] };
  readonly notices: readonly Notice[];
  /** Combs drawn in the view while their tab is open, and the place that the pointer shows on the chart. */
  readonly combs: readonly Comb[];
  readonly combAt?: readonly [number, number, number];
}

export const DEFAULT_VIEW: ViewSettings = {
  look: 'sides',
  stripes: { count: 18, direction: 'up', fixed: 'view' },
  panes: 1,
  dark: false,
  grid: true,
  snaps: { grid: true, end: true, middle: true, centre: true, point: true, crossing: true, curve: false, skin: false, division: false },
  divisions: 4,
  gridStep: 5,
  comb: { scale: 1, density: 16 },
  aligned: false,
};

export const useStudio = create<StudioState>(() => ({
  id: '',
  hasPicture: false,
  model: {
    format: 'ample-skin-recipe',
    version: 1,
    name: '',
    unit: 'mm',
    tolerance: 0.001,
    dials: [],
    steps: [],
    pieces: {},
    groups: [],
    targets: {},
  },
  undo: [],
  redo: [],
  save: 'saved',
  steps: new Map(),
  pieces: new Map(),
  dials: new Map(),
  proofs: new Map(),
  progress: undefined,
  computed: false,
  computing: false,
  computeMs: 0,
  paused: false,
  stage: 'curves',
  selection: [],
  view: DEFAULT_VIEW,
  right: 'sheet',
  desk: { tab: 'seams', size: 'low' },
  find: false,
  keys: false,
  notices: [],
  combs: [],
}));
export const getStudio = useStudio.getState;
export const setStudio = useStudio.setState;
const get = getStudio;
const set = setStudio;

let noticeId = 0;

export function notify(kind: Notice['kind'], text: string): void {
  set((s) => ({ notices: [...s.notices.slice(-3), { id: ++noticeId, kind, text }] }));
}
export const dismiss = (id: number) => set((s) => ({ notices: s.notices.filter((n) => n.id !== id) }));

/** The model as the engine sees it: with the step that is being made. */
export function effectiveModel(s = get()): Model {
  if (!s.draft) return s.model;
  const { step, before } = s.draft;
  const i = before ? s.model.steps.findIndex((x) => x.id === before) : -1;
  return { ...s.model, steps: i < 0 ? [...s.model.steps, step] : [...s.model.steps.slice(0, i), step, ...s.model.steps.slice(i)] };
}
