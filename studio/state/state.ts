import type { Comb, MeasuredFact } from '@ample-skin/core/proof';
import type { Model, ModelSection, Pick, RecipeEdit, Stage, Step } from '@ample-skin/core/recipe';
import type { Difference } from '@ample-skin/core/report/compare-recipes';
import type { SweepRange, SweepRow } from '@ample-skin/core/report/sweep-rows';
import type {
  AroundView,
  CompareView,
  MapView,
  PieceView,
  PolesView,
  Progress,
  ProofView,
  SectionView,
  StepView,
  VariantView,
} from '@ample-skin/engine';
import { create } from 'zustand';
import type { SaveState } from './save-queue.ts';

export const NO_POLES: PolesView = { poles: [], of: 0, loud: 0 };
export type DeskTab = 'seams' | 'rims' | 'defects' | 'facts' | 'comb' | 'timing' | 'poles' | 'trial' | 'sweep' | 'compare';
export interface Notice {
  readonly id: number;
  readonly kind: 'info' | 'warning' | 'error';
  readonly text: string;
  readonly action?: { readonly label: string; readonly run: () => void };
}
/** An undo entry: the edit that takes a change back. */
export type UndoEntry = RecipeEdit;
export type SketchTool = 'line' | 'circle' | 'arc' | 'ellipse' | 'spline' | 'point';
/** Methods for one opening, or for two borders, being tried side by side. */
export interface Trial {
  readonly picks: readonly Pick[];
  /** The model it is about: any change of it ends the trial. */
  readonly model: Model;
  readonly what?: string;
  /** The skins whose edges were picked. */
  readonly around: AroundView;
  readonly variants: readonly VariantView[];
  readonly of: number;
  readonly over: boolean;
  /** Methods in view, by key, in the order of their panes. */
  readonly shown: readonly string[];
  /** The step it was started from: what is kept takes its place. */
  readonly instead?: string;
  /** A step in the making that was put aside: it comes back when nothing is kept. */
  readonly aside?: { readonly step: Step; readonly before?: string };
}
/** A recipe over the values of dials. */
export interface Sweep {
  readonly ranges: readonly SweepRange[];
  /** The model as it was when the runs began. */
  readonly model?: Model;
  readonly rows: readonly SweepRow[];
  readonly of: number;
  readonly running: boolean;
  /** What went wrong, or is wrong with the ranges. */
  readonly why?: string;
}
/** The open model beside another state of it, or another model. */
export interface Comparison {
  /** What stands on the left: its name and recipe. The open model stands on the right. */
  readonly left: { readonly name: string; readonly model: Model };
  /** The open model as it was when it began: any change of it ends the comparison. */
  readonly model: Model;
  readonly differences: readonly Difference[];
  readonly work?: { readonly what: string; readonly done: number };
  readonly view?: CompareView;
  /** Distances as colours of these maps, by piece key. */
  readonly maps: ReadonlyMap<string, MapView>;
  readonly why?: string;
}
export type CageKind = 'vertex' | 'edge' | 'face';
export interface Caging {
  readonly kind: CageKind;
  /** Names, on the side that is edited where there is a mirror. */
  readonly chosen: readonly string[];
  readonly axes: 'world' | 'plane' | 'normal' | 'element';
  /** Vertices around follow up to this distance, mm; 0 is none. */
  readonly radius: number;
}
export interface Lit {
  readonly piece: string;
  readonly edges?: readonly number[];
  readonly faces?: readonly number[];
  readonly at?: readonly [number, number, number];
}

/** The document (model, draft, undo), what the engine said of it, and what the person is about. */
export interface StudioState {
  readonly id: string;
  /** The server holds a picture of the last state, shown until the engine has something. */
  readonly hasPicture: boolean;
  readonly model: Model;
  /** A step that is being made and not kept yet, with its place. */
  readonly draft?: { readonly step: Step; readonly before?: string };
  readonly undo: readonly UndoEntry[];
  readonly redo: readonly UndoEntry[];
  readonly save: SaveState;
  /** Why nothing can be saved any more: the model was deleted elsewhere, or the server refuses for good. */
  readonly unsavable?: 'gone' | string;
  readonly steps: ReadonlyMap<string, StepView>;
  readonly pieces: ReadonlyMap<string, PieceView>;
  readonly dials: ReadonlyMap<string, { value?: number; message?: string }>;
  readonly proofs: ReadonlyMap<string, ProofView>;
  readonly progress?: Progress;
  /** A file on its way to the server: its name, and the share that is there. */
  readonly upload?: { readonly name: string; readonly share: number; readonly cancel: () => void };
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
  readonly right: 'sheet' | 'pieces' | 'dials';
  readonly desk: { readonly tab: DeskTab; readonly size: 'shut' | 'low' | 'half' };
  readonly dialog?: 'find' | 'keys' | 'versions' | 'rename' | 'settings' | 'history' | 'help';
  /** Page of the help that is open. */
  readonly helpAt?: string;
  /** The round: its stop, what was made by hand instead of its steps, and whether it is building. */
  readonly tour?: { readonly stop: number; readonly own: Readonly<Record<string, string>>; readonly busy: boolean };
  /** Places being measured between: none yet, one, or both; undefined while nothing is measured. */
  readonly measuring?: readonly (readonly [number, number, number])[];
  readonly lastTool?: string;
  /** What is being drawn in an open sketch: tool, points so far, chosen parts, parts lit by the list. */
  readonly sketching?: {
    readonly tool?: SketchTool;
    readonly pending: readonly string[];
    readonly chosen: readonly string[];
    readonly lit?: readonly string[];
  };
  /** Poles of the cages that are seen, and what was changed about one: its numbers before. */
  readonly poles: PolesView;
  readonly poleBefore?: { readonly piece: string; readonly name: string; readonly fold: number; readonly spread?: number };
  /** What is chosen of the cage that is being edited, and how it is moved. */
  readonly caging?: Caging;
  readonly lit?: Lit;
  readonly notices: readonly Notice[];
  /** Combs drawn in the view while their tab is open, and the place that the pointer shows on the chart. */
  readonly combs: readonly Comb[];
  readonly combAt?: readonly [number, number, number];
  /** Everyday facts of what is selected. */
  readonly facts: readonly MeasuredFact[];
  /** Steps about to be removed that others use: it is asked first. */
  readonly removing?: { readonly steps: readonly string[]; readonly waiting: readonly string[] };
  readonly trial?: Trial;
  readonly sweep?: Sweep;
  readonly compare?: Comparison;
  /** Maps of pieces that are seen in their colours, how far the next is, and why one is not there. */
  readonly maps: ReadonlyMap<string, MapView>;
  readonly mapWork?: number;
  readonly mapWhy?: string;
  /** What each section cuts, by its id; a section that is being dragged, as it is now; the one whose handles are shown. */
  readonly cuts: ReadonlyMap<string, readonly SectionView[]>;
  readonly dragged?: ModelSection;
  readonly section?: string;
  /** Control nets that are drawn. */
  readonly nets: readonly Float32Array[];
  /** Steps that were copied. */
  readonly clipboard: readonly Step[];
}

const EMPTY: Model = {
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
};
export const useStudio = create<StudioState>(() => ({
  id: '',
  hasPicture: false,
  model: EMPTY,
  undo: [],
  redo: [],
  save: 'saved',
  steps: new Map(),
  pieces: new Map(),
  dials: new Map(),
  proofs: new Map(),
  computed: false,
  computing: false,
  computeMs: 0,
  paused: false,
  stage: 'curves',
  selection: [],
  right: 'sheet',
  desk: { tab: 'seams', size: 'shut' },
  notices: [],
  combs: [],
  facts: [],
  maps: new Map(),
  nets: [],
  poles: NO_POLES,
  cuts: new Map(),
  clipboard: [],
}));
export const getStudio = useStudio.getState;
export const setStudio = useStudio.setState;

let noticeId = 0;
export function notify(kind: Notice['kind'], text: string, action?: Notice['action']): void {
  setStudio((s) => ({ notices: [...s.notices.slice(-5), { id: ++noticeId, kind, text, action }] }));
}

let made: { model: Model; draft: StudioState['draft']; effective: Model } | undefined;
/** The model as the engine sees it: with the step that is being made. */
export function effectiveModel(s: Pick2 = getStudio()): Model {
  if (!s.draft) return s.model;
  if (made?.model === s.model && made.draft === s.draft) return made.effective;
  const { step, before } = s.draft;
  const i = before ? s.model.steps.findIndex((x) => x.id === before) : -1;
  const steps = i < 0 ? [...s.model.steps, step] : [...s.model.steps.slice(0, i), step, ...s.model.steps.slice(i)];
  made = { model: s.model, draft: s.draft, effective: { ...s.model, steps } };
  return made.effective;
}
type Pick2 = { readonly model: Model; readonly draft?: StudioState['draft'] };
export const stepOf = (id: string | undefined): Step | undefined => (id ? effectiveModel().steps.find((s) => s.id === id) : undefined);
