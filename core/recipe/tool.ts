import type { z } from 'zod';
import type { Body, EdgeChain, GrowWay, KernelService } from '../brep/index.ts';
import type { Frame, Vec3 } from '../math/index.ts';
import type { RecipeEdit } from './edits.ts';
import type { Pick } from './model.ts';
import type { Piece } from './pieces.ts';

export type Stage = 'references' | 'curves' | 'skins' | 'cages' | 'joins' | 'proof' | 'solids' | 'output';
export const STAGES: readonly { id: Stage; label: string }[] = [
  { id: 'references', label: 'References' },
  { id: 'curves', label: 'Curves' },
  { id: 'skins', label: 'Skins' },
  { id: 'cages', label: 'Cages' },
  { id: 'joins', label: 'Joins' },
  { id: 'proof', label: 'Proof' },
  { id: 'solids', label: 'Solids' },
  { id: 'output', label: 'Output' },
];

/** What a slot takes. `chain` is a curve or an edge; `body` a skin or a solid; `flat` a work plane or a flat face. */
export type Accepts = 'chain' | 'edge' | 'face' | 'vertex' | 'point' | 'skin' | 'solid' | 'body' | 'flat' | 'scan' | 'cage' | 'piece';
const WORDS: Readonly<Record<Accepts, string>> = {
  chain: 'a curve or edge',
  edge: 'an edge',
  face: 'a face',
  vertex: 'a corner',
  point: 'a point',
  skin: 'a skin',
  solid: 'a solid',
  body: 'a skin or solid',
  flat: 'a plane or flat face',
  scan: 'a scan',
  cage: 'a cage',
  piece: 'a piece',
};
/** What a slot takes, in words. */
export const wordsOf = (slot: Slot): string => slot.accepts.map((a) => WORDS[a]).join(' or ');
export interface Slot {
  readonly label: string;
  readonly accepts: readonly Accepts[];
  readonly min: number;
  readonly max: number;
  /** Order matters: shown numbered, re-ordered by dragging. */
  readonly ordered?: boolean;
  /** What is picked becomes part of the result and is no longer shown by itself. */
  readonly consumes?: boolean | { readonly key: string; readonly is: readonly unknown[] };
  readonly hint?: string;
  /** Where a curve lies on an edge of a skin, a click means the edge: the tool works with what lies behind it. */
  readonly edgesFirst?: boolean;
  /** Filled with the active plane when the tool is started. */
  readonly active?: boolean;
  readonly when?: { readonly key: string; readonly is: readonly unknown[] };
  /** Ways in which one click may take more than one part; those natural for what is accepted unless said otherwise. */
  readonly grow?: readonly GrowWay[];
  /** Settings that each pick carries by itself, shown in a row under its chip; made of the same parameter kinds as `params`. */
  readonly each?: z.ZodObject;
  /** What is drawn lies in this plane: made curves remember it, so that they are raised along its normal. */
  readonly drawn?: boolean;
}
/** Is what fills the slot taken over with these parameters? */
export const consumesNow = (s: Slot, params: Readonly<Record<string, unknown>>): boolean =>
  typeof s.consumes === 'object' ? s.consumes.is.includes(params[s.consumes.key]) : !!s.consumes;
export const slot = <const O extends Partial<Slot> & Pick0>(o: O): Slot & O => ({
  min: 1,
  max: 1,
  grow: o.accepts.includes('chain') ? ['chain', 'loop', 'rim'] : o.accepts.includes('face') && (o.max ?? 1) > 1 ? ['smooth'] : [],
  ...o,
});
type Pick0 = { label: string; accepts: readonly Accepts[] };
/** Slot of every tool that draws on a plane. */
export const planeSlot = slot({
  label: 'On plane',
  accepts: ['flat'],
  min: 0,
  active: true,
  drawn: true,
  hint: 'The plane it is drawn on; the world when empty',
});

/** A filled slot entry: the piece and, if a part of it was picked, its index in the body. */
export interface Input {
  readonly pick: Pick;
  readonly piece: Piece;
  /** The name it was given, by a person or by what it came from. */
  readonly name?: string;
  /** Name of the group it stands in, and its colour, its own or the group's. */
  readonly group?: string;
  readonly colour?: string;
  readonly face?: number;
  readonly edge?: number;
  readonly vertex?: number;
  /** Of a grown pick: its edges in running order, and the part of their length that counts. */
  readonly chain?: { readonly edges: EdgeChain; readonly cut: readonly [number, number] };
  /** Settings of this pick, checked and with formulas worked out. */
  readonly settings?: Readonly<Record<string, unknown>>;
}

/** Something measured. A value beyond its limit is a warning by itself: a tolerance that was asked and missed is never fine. */
export interface Fact {
  readonly label: string;
  readonly value: string;
  readonly number?: number;
  readonly unit?: string;
  readonly limit?: number;
  /** Not known yet: what `later` of the same result finds takes its place. */
  readonly pending?: boolean;
}

export interface Diagnostic {
  readonly severity: 'error' | 'warning' | 'note';
  readonly code: string;
  readonly message: string;
  /** Points or polylines in space where it happens. */
  readonly place?: readonly Vec3[];
  /** Edits of the recipe that would mend it; offered as buttons. */
  readonly suggestions?: readonly RecipeEdit[];
}
/** Marks drawn in the view while the step is open: arrows, numbers, lines. */
export type Mark =
  | { readonly kind: 'arrow'; readonly from: Vec3; readonly to: Vec3; readonly label?: string }
  | {
      /** A point that is dragged along a line; the parameter becomes `template` with every '$share' replaced by the new share of length. */
      readonly kind: 'slide';
      readonly points: readonly Vec3[];
      readonly closed: boolean;
      readonly at: number;
      readonly label?: string;
      /** Unit direction drawn as an arrow at the point. */
      readonly arrow?: Vec3;
      readonly param: string;
      readonly template: unknown;
      /** What a click without dragging does. */
      readonly click?: { readonly params: Readonly<Record<string, unknown>>; readonly hint: string };
    }
  | {
      /**
       * A point that is dragged freely (in the plane of `normal`, or of the view); the parameter becomes `template` with '$point' replaced,
       * or '$share2': its place in shares of the rectangle `within`.
       */
      readonly kind: 'grip';
      readonly at: Vec3;
      readonly normal?: Vec3;
      readonly within?: { readonly frame: Frame; readonly width: number; readonly height: number };
      readonly label?: string;
      readonly param: string;
      readonly template: unknown;
    }
  | {
      /** An arrow that is dragged along its direction; the parameter becomes `template` with '$value' replaced by the new length, or its negative end. */
      readonly kind: 'push';
      readonly from: Vec3;
      readonly direction: Vec3;
      readonly value: number;
      /** Way of the arrow's tip for one unit of the value; 1 when left out. */
      readonly rate?: number;
      readonly label?: string;
      readonly param: string;
      readonly template: unknown;
      readonly min?: number;
      readonly max?: number;
      /** What a click without dragging does. */
      readonly click?: { readonly params: Readonly<Record<string, unknown>>; readonly hint: string };
    }
  | {
      /** A ring that is dragged round its axis; the parameter becomes `template` with '$value' replaced by degrees from `zero`. */
      readonly kind: 'turn';
      readonly centre: Vec3;
      readonly axis: Vec3;
      readonly zero: Vec3;
      readonly value: number;
      readonly label?: string;
      readonly param: string;
      readonly template: unknown;
      readonly min?: number;
      readonly max?: number;
    }
  | {
      /** Three arrows, three planes and three rings for a placement: `by` and `turns` are vectors along and about the frame's axes. */
      readonly kind: 'mover';
      readonly frame: Frame;
      readonly by: { readonly param: string; readonly value: Vec3 };
      readonly turns?: { readonly param: string; readonly value: Vec3 };
    }
  | {
      /** A grown pick: its whole chain in running direction, and the part of its length that is taken. */
      readonly kind: 'chain';
      readonly slot: string;
      readonly index: number;
      readonly points: readonly Vec3[];
      readonly closed: boolean;
      readonly cut: readonly [number, number];
    }
  | { readonly kind: 'link'; readonly points: readonly Vec3[] }
  /** What a sketch refers to, as places evenly spaced by length (one for a point), in the plane of the sketch. */
  | { readonly kind: 'reference'; readonly index: number; readonly points: readonly Vec3[] }
  /** A point of a sketch that is held where its reference is. */
  | { readonly kind: 'hold'; readonly id: string; readonly at: Vec3 }
  | { readonly kind: 'number'; readonly at: Vec3; readonly label: string }
  /** A measure kept in the view, open or not: a line with its value. */
  | {
      readonly kind: 'dimension';
      readonly points: readonly Vec3[];
      readonly label: string;
      /** What it shows, as `factWord` has it, and its number in mm, degrees and the like. */
      readonly what: string;
      readonly number: number;
    }
  | {
      /** Values over a grid of points (rows of `columns`), drawn as colours from none to `limit` and beyond. */
      readonly kind: 'map';
      readonly points: Float64Array;
      readonly values: Float64Array;
      readonly columns: number;
      readonly limit: number;
      readonly unit?: string;
    }
  /** A piece that is kept or let go by a click on its dot. */
  | { readonly kind: 'choice'; readonly at: Vec3; readonly kept: boolean }
  | { readonly kind: 'region'; readonly body: Body; readonly faces: readonly number[]; readonly at: Vec3; readonly kept: boolean };

export interface StepAction {
  readonly label: string;
  readonly params: Readonly<Record<string, unknown>>;
}
/** A handle's template with what was dragged put in: a share of length for '$share', a length or angle for '$value', a point for '$point', two shares for '$share2'. */
export function fillTemplate(template: unknown, value: number | Vec3 | readonly [number, number]): unknown {
  if (template === '$share' || template === '$value' || template === '$point' || template === '$share2') return value;
  if (template === '$-value') return -(value as number);
  if (Array.isArray(template)) return template.map((x) => fillTemplate(x, value));
  if (template && typeof template === 'object')
    return Object.fromEntries(Object.entries(template).map(([k, v]) => [k, fillTemplate(v, value)]));
  return template;
}

export interface OutputFile {
  readonly name: string;
  readonly type: string;
  readonly data: Uint8Array;
}
/** A page that the step makes, to be looked at on its card. */
export interface Page {
  readonly title: string;
  readonly svg: string;
}
export interface ToolResult {
  readonly outputs: Readonly<Record<string, Piece>>;
  readonly diagnostics?: readonly Diagnostic[];
  /** Measured facts for the card, in order. */
  readonly facts?: readonly Fact[];
  readonly marks?: readonly Mark[];
  /** One-click changes of this step's own parameters, offered on the card. */
  readonly actions?: readonly StepAction[];
  readonly files?: readonly OutputFile[];
  readonly pages?: readonly Page[];
  /** Looks that nothing waits for: they begin when the whole sheet is built, and what they find takes the place of the pending facts. */
  readonly later?: () => Promise<{ readonly facts: readonly Fact[]; readonly diagnostics?: readonly Diagnostic[] }>;
}
export const failure = (code: string, message: string, place?: readonly Vec3[], suggestions?: readonly RecipeEdit[]): ToolResult => ({
  outputs: {},
  diagnostics: [{ severity: 'error', code, message, place, suggestions }],
});

/** A measure kept by a step, as it stands in the view. */
export type KeptMeasure = Omit<Extract<Mark, { kind: 'dimension' }>, 'kind'> & { readonly name: string };

export interface ToolContext {
  readonly stepId: string;
  /** What the steps before it measured and keep in the view; only for tools that take them. */
  readonly measures?: readonly KeptMeasure[];
  readonly tolerance: number;
  readonly kernel: KernelService;
  readonly signal?: AbortSignal;
  /** Milliseconds a kernel call may take. */
  readonly limit?: number;
  /** Files are only written when asked for. */
  readonly files: boolean;
  readonly asset: (id: string) => Promise<{ name: string; data: Uint8Array } | undefined>;
  readonly modelName: string;
}

// biome-ignore lint/suspicious/noExplicitAny: the registry holds tools of every shape
type AnyShape = any;
export interface Tool<P extends z.ZodObject = z.ZodObject<AnyShape>, S extends Record<string, Slot> = Record<string, Slot>> {
  readonly id: string;
  readonly version: number;
  readonly stage: Stage;
  /** Heading on the bench under which the tool stands. */
  readonly group: string;
  readonly label: string;
  /** One line: what it does with what. */
  readonly hint: string;
  /** Path data of the icon on a 24 x 24 grid, 1.5 px stroke; thin lines are inputs, the last path is the result. */
  readonly icon: readonly string[];
  readonly slots: S;
  readonly params: P;
  /** Carries parameters of version k to k+1; index 0 is 1 -> 2. */
  readonly migrations?: readonly ((params: Record<string, unknown>) => Record<string, unknown>)[];
  /** Drawing in the view fills this points parameter, with up to `maximum` points; a round tool takes one and then the size for `radius`. */
  readonly draws?: {
    readonly points: string;
    readonly closed?: string;
    readonly minimum: number;
    readonly maximum?: number;
    readonly radius?: string;
    /** Points land on the scans and skins under the pointer, in space, instead of on a plane. */
    readonly onto?: boolean;
  };
  /** Other words under which the tool is found. */
  readonly synonyms?: readonly string[];
  /** What is asked first when the tool starts with nothing picked. */
  readonly ask?: string;
  /** Makes files: its card has a button that writes them. */
  readonly writes?: boolean;
  /** Is given the measures that are kept before it, and is computed anew when they change. */
  readonly takesMeasures?: boolean;
  /** Slots whose picks tell an opening, or two borders: other methods may be tried for them. */
  readonly tryOff?: readonly string[];
  /** Parameters that take the present view, and the words of the button for it. */
  readonly asSeen?: {
    readonly label: string;
    readonly when: { readonly key: string; readonly is: readonly unknown[] };
    readonly eye: string;
    readonly up?: string;
    readonly centre?: string;
  };
  /** Parameter sets that must evaluate, for tests and help; slots are filled from the sample pieces of the same name. */
  readonly examples?: readonly { readonly params: Record<string, unknown> }[];
  /** What goes wrong most often, and what to do then: a sentence each. */
  readonly mistakes?: readonly string[];
}

/** What a tool does: `inputs` are its filled slots, `params` its checked parameters with formulas worked out. Pure. */
export type Evaluate<P extends z.ZodObject = z.ZodObject<AnyShape>, S extends Record<string, Slot> = Record<string, Slot>> = (
  inputs: {
    readonly [K in keyof S]: readonly (Input &
      (S[K] extends { readonly each: infer E extends z.ZodObject } ? { readonly settings: z.infer<E> } : unknown))[];
  },
  params: z.infer<P>,
  context: ToolContext,
) => Promise<ToolResult> | ToolResult;
/** A tool with its mathematics: what workers and the command line load. */
export interface RunnableTool extends Tool {
  readonly evaluate: Evaluate;
}

/** Definition of a tool: light, so that a page can load all of them. */
export function defineTool<P extends z.ZodObject, const S extends Record<string, Slot>>(tool: Tool<P, S>): Tool<P, S> {
  return tool;
}
/** Gives a tool its mathematics; stands in a file of its own beside the definition. */
export function defineEvaluation<P extends z.ZodObject, S extends Record<string, Slot>>(
  tool: Tool<P, S>,
  evaluate: Evaluate<P, S>,
): RunnableTool {
  return { ...tool, evaluate: evaluate as unknown as Evaluate } as unknown as RunnableTool;
}
