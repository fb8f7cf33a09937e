import {
  type Body,
  bodyBox,
  edgeCurve,
  isWatertight,
  type KernelService,
  massProperties,
  meshBody,
  subBody,
  topologyOf,
} from '@ample-skin/core/brep';
import { facesAt, flatAround, flattening, type Pole, type PoleUse, poleAdvice, sharpestPoles } from '@ample-skin/core/cage';
import { boxSize, formatNumber, type Vec3 } from '@ample-skin/core/math';
import { controlPoints } from '@ample-skin/core/nurbs';
import { type Offers, tryOffers } from '@ample-skin/core/offers';
import {
  type Comb,
  combOf,
  type Defect,
  factsOf,
  findDefects,
  type MeasuredFact,
  measureRims,
  measureSeam,
  measureSeams,
  type RimReport,
  type SeamReport,
  seamKeys,
  type Thing,
} from '@ample-skin/core/proof';
import {
  cageFacts,
  curveFacts,
  type Diagnostic,
  dialValues,
  type EvaluationMemory,
  evaluateModel,
  findPart,
  livePieces,
  type Mark,
  type Model,
  type ModelMap,
  type ModelResult,
  newMemory,
  type OutputFile,
  type Page,
  type Pick,
  type Piece,
  pieceKey,
  type StepResult,
  type StepStatus,
  thingOf,
} from '@ample-skin/core/recipe';
import type { SweepPoint, SweepRow } from '@ample-skin/core/report/sweep-rows';
import { RUNNABLE as TOOLS } from '@ample-skin/core/tools/evaluations';
import { outlook, pickedSides, type TriedOff, tryOff, type Variant } from '@ample-skin/core/try-off';
import { cageLines } from './cage-display.ts';
import { cageMap } from './cage-map.ts';
import { type CompareOptions, type CompareView, compareModels } from './comparing.ts';
import { displayPiece, type PieceDisplay, PREVIEW, qualityFor } from './display.ts';
import { BEFORE, type Mapped, mapView, specOf } from './map-view.ts';
import { type SectionView, sectionView } from './section-view.ts';

/** A step as the interface needs it: no geometry. */
export interface StepView {
  readonly id: string;
  readonly status: StepStatus;
  readonly stale: boolean;
  readonly diagnostics: readonly Diagnostic[];
  readonly facts: StepResult['facts'];
  readonly marks: readonly MarkView[];
  readonly actions: StepResult['actions'];
  readonly files: readonly OutputFile[];
  readonly pages?: readonly Page[];
  readonly measured?: StepResult['measured'];
  readonly ms: number;
  readonly outputs: readonly { key: string; kind: Piece['kind']; label?: string }[];
}
export type MarkView = Exclude<Mark, { kind: 'region' }> | { readonly kind: 'region'; readonly at: Vec3; readonly kept: boolean };
export interface RegionView {
  readonly at: Vec3;
  readonly kept: boolean;
  readonly positions: Float32Array;
  readonly indices: Uint32Array;
}
export interface PieceView {
  readonly key: string;
  readonly step: string;
  readonly output: string;
  readonly kind: Piece['kind'];
  readonly label?: string;
  /** Not taken over by a later step. */
  readonly live: boolean;
  readonly stale: boolean;
  readonly stamp: string;
  /** Present when the view does not hold this stamp yet. */
  readonly display?: PieceDisplay;
  readonly facts: readonly { label: string; value: string }[];
  readonly watertight?: boolean;
}
export interface SeamView extends Omit<SeamReport, 'samples'> {
  readonly key: string;
  readonly piece: string;
  readonly faceNames: readonly [string, string];
  readonly chart: readonly {
    at: number;
    gap: number;
    kink: number;
    step: number;
    flow: number;
    point: readonly [number, number, number];
  }[];
}
/** A variant of a try-off as the interface needs it. */
export interface VariantView extends Omit<Variant, 'body'> {
  readonly view?: PieceView;
}
/** Skins whose edges were picked, places along those edges, and the direction their faces look in. */
export interface AroundView {
  readonly pieces: readonly PieceView[];
  readonly places: readonly Vec3[];
  readonly normal?: Vec3;
}
export type TriedOffView =
  | { readonly ok: true; readonly what: string; readonly variants: readonly VariantView[]; readonly of: number }
  | Extract<TriedOff, { ok: false }>;
export interface PoleView extends Pole {
  readonly piece: string;
  readonly advice: string;
  /** Normal of the smooth surface there. */
  readonly normal: Vec3;
}
/** Poles of a cage: the sharpest ones, how many there are, and how many are to be looked at. */
export interface PolesView {
  readonly poles: readonly PoleView[];
  readonly of: number;
  readonly loud: number;
}
/** What calms a pole. */
export interface PoleRemedy {
  /** What "flatten here" brings into the plane, by name, and by how much: no more than is needed. */
  readonly around: readonly string[];
  readonly plane: { readonly origin: Vec3; readonly normal: Vec3 };
  readonly share: number;
  /** What "add a ring" is put round. */
  readonly faces: readonly string[];
}
export interface ProofView {
  readonly piece: string;
  readonly seams: readonly SeamView[];
  readonly rims: readonly (RimReport & { piece: string })[];
  readonly defects: readonly (Defect & { piece: string })[];
  readonly watertight: boolean;
}
/** What is being worked on: a step that is computed or drawn, or a piece that is measured. */
export interface Progress {
  readonly phase: 'computing' | 'drawing' | 'measuring';
  readonly step: string;
  readonly done: number;
  readonly total: number;
}
export interface UpdateOptions {
  readonly signal?: AbortSignal;
  readonly preview?: boolean;
  readonly limit?: number;
  readonly files?: ReadonlySet<string>;
  readonly overrides?: ReadonlyMap<string, number>;
  /** A step whose cages are shown although a later step has taken them over: it is being edited. */
  readonly open?: string;
  /** Which model this is: what is left of another one is forgotten, though its steps may have the same ids. */
  readonly document?: string;
  /** The step that is dragged: it is shown before those that follow it, which wait until the drag rests when they take long. */
  readonly focus?: string;
  /** Stamps of display data the caller already holds, by piece key. */
  readonly have?: ReadonlyMap<string, string>;
  readonly onProgress?: (p: Progress) => void;
  /** What is there already while long work goes on: steps done so far only. */
  readonly onPartial?: (u: Update) => void;
}
export interface Update {
  readonly steps: readonly StepView[];
  readonly pieces: readonly PieceView[];
  readonly dials: readonly { name: string; value?: number; message?: string }[];
  readonly ms: number;
  readonly cancelled: boolean;
  /** The whole sheet, though some looks at it are still to come. */
  readonly whole?: boolean;
}

/** Poles of a cage that are shown, the sharpest ones. */
const POLES_SHOWN = 300;
/** Seam keys are `step/output/edge`; edges may hold slashes, steps and outputs may not. */
const pieceOfSeam = (key: string): string => key.split('/').slice(0, 2).join('/');
/** What follows a dragged step is computed with it when it takes no more milliseconds than this; else when the drag has rested for those. */
const FOLLOWS_AT_ONCE = 120;
const DRAG_RESTS = 45;
/** Milliseconds between looks at unfinished work. */
const PARTIAL_EVERY = 350;

/** A piece as it was last drawn; what was drawn may be given away. */
interface Shown {
  readonly quality: number;
  readonly stamp: string;
  display?: PieceDisplay;
}
/** One open model in the engine: keeps what was computed, hands out what changed. The same in the browser, in Node and in tests. */
export class Session {
  private readonly memory: EvaluationMemory = newMemory();
  private pieces = new Map<string, Piece>();
  private results: ModelResult['steps'] = new Map();
  private model: Model | undefined;
  private readonly displays = new WeakMap<Piece, Shown>();
  private readonly proofs = new WeakMap<object, { seams: SeamReport[]; rims: RimReport[]; defects: Defect[] }>();
  private counter = 0;
  private open: string | undefined;
  private document: string | undefined;
  /** Milliseconds each step took when it was last computed. */
  private readonly cost = new Map<string, number>();
  private whole: ModelResult['steps'] = new Map();

  constructor(
    private readonly kernel: KernelService,
    private readonly asset: (id: string) => Promise<{ name: string; data: Uint8Array } | undefined>,
  ) {}

  /** Evaluates the model and lists steps and pieces; display data only for what the caller does not hold. */
  async update(model: Model, options: UpdateOptions = {}): Promise<Update> {
    const start = performance.now();
    this.open = options.open;
    if (options.document !== this.document) {
      this.document = options.document;
      this.whole = new Map();
      this.cost.clear();
      this.memory.lastGood.clear();
    }
    const have = new Map(options.have ?? []);
    const soFar = new Map<string, StepResult>();
    let sent = 0;
    let last = -Infinity;
    // long work ahead or behind: what is there already is shown, also while the kernel is at work
    const withWhole = () => new Map([...this.whole, ...soFar]);
    const showSoFar = () => {
      if (!options.onPartial || soFar.size === sent || performance.now() - last < PARTIAL_EVERY) return;
      sent = soFar.size;
      options.onPartial(this.viewOf(model, { steps: withWhole(), dials: new Map() }, have, true, start, false, undefined, false));
      last = performance.now();
    };
    const timer = setInterval(showSoFar, PARTIAL_EVERY / 2);
    const waits = options.preview && options.focus && options.onPartial && this.followers(model, options.focus) > FOLLOWS_AT_ONCE;
    /** The dragged step as it is now, those behind it as they were; then a rest in which the next move of the drag may come. */
    const showDragged = (id: string): Promise<void> | undefined => {
      if (!waits || id !== options.focus) return undefined;
      sent = soFar.size;
      last = performance.now();
      const now = { steps: withWhole(), dials: dialValues(model, options.overrides) };
      const u = this.viewOf(model, now, have, true, start, false, undefined, false);
      options.onPartial?.({ ...u, steps: u.steps.map((s) => ({ ...s, files: [] })), whole: true });
      return new Promise((go) => setTimeout(go, DRAG_RESTS));
    };
    const result = await evaluateModel(model, {
      tools: TOOLS,
      kernel: this.kernel,
      memory: this.memory,
      asset: this.asset,
      signal: options.signal,
      limit: options.limit ?? 60_000,
      files: options.files,
      overrides: options.overrides,
      onStart: (step, done, total) => {
        options.onProgress?.({ phase: 'computing', step, done, total });
        if (performance.now() - start > PARTIAL_EVERY) showSoFar();
      },
      looks: !options.preview,
      onBuilt: (built) => {
        clearInterval(timer);
        if (!options.onPartial) return;
        const u = this.viewOf(model, built, have, false, start, false, undefined, false);
        options.onPartial({ ...u, steps: u.steps.map((s) => ({ ...s, files: [] })), whole: true });
        const looked = [...built.steps].find(([, r]) => r.later)?.[0];
        if (looked) options.onProgress?.({ phase: 'measuring', step: looked, done: model.steps.length, total: model.steps.length });
      },
      onStep: (id, r) => {
        soFar.set(id, r);
        if (r.ms > 0) this.cost.set(id, r.ms);
      },
      rest: showDragged,
    }).finally(() => clearInterval(timer));
    const aborted = options.signal?.aborted ?? false;
    if (!aborted) this.whole = result.steps;
    return this.viewOf(
      model,
      // what was not come to is as it was
      aborted ? { ...result, steps: withWhole() } : result,
      have,
      options.preview ?? false,
      start,
      aborted,
      options.onProgress,
      !options.preview && !aborted,
    );
  }

  /** Milliseconds of all that follows a step, as it took before. */
  private followers(model: Model, id: string): number {
    const after = new Set([id]);
    let sum = 0;
    for (const s of model.steps) {
      if (s.muted || !Object.values(s.inputs).some((l) => l.some((p) => after.has(p.step)))) continue;
      after.add(s.id);
      sum += this.cost.get(s.id) ?? 0;
    }
    return sum;
  }
  private viewOf(
    model: Model,
    result: ModelResult,
    have: Map<string, string>,
    preview: boolean,
    start: number,
    cancelled: boolean,
    onProgress?: (p: Progress) => void,
    full = true,
  ): Update {
    const live = new Set(livePieces(model, result, TOOLS).map((p) => p.key));
    const quality = preview ? PREVIEW : 1;
    const pieces: PieceView[] = [];
    const held = new Map<string, Piece>();
    for (const [n, step] of model.steps.entries()) {
      const r = result.steps.get(step.id);
      if (!r) continue;
      onProgress?.({ phase: 'drawing', step: step.id, done: n, total: model.steps.length });
      for (const [output, piece] of Object.entries(r.outputs)) {
        const key = pieceKey(step.id, output);
        held.set(key, piece);
        // pieces taken over by a later step are not on stage: no mesh is made for them
        const shown = live.has(key) || (piece.kind === 'cage' && step.id === this.open);
        const stamp = shown ? this.stampOf(piece, quality) : 'off stage';
        const display = !shown || have.get(key) === stamp ? undefined : this.displayOf(piece, quality);
        // what is handed out is known there from now on
        if (display) have.set(key, stamp);
        pieces.push({
          key,
          step: step.id,
          output,
          kind: piece.kind,
          label: piece.label,
          live: live.has(key),
          stale: r.stale,
          stamp,
          display,
          facts: shown ? pieceFacts(piece, full) : [],
          watertight: piece.kind === 'skin' || piece.kind === 'solid' ? isWatertight(piece.body) : undefined,
        });
      }
    }
    this.pieces = held;
    this.results = result.steps;
    this.model = model;
    const steps = model.steps.flatMap((s): StepView[] => {
      const r = result.steps.get(s.id);
      if (!r) return [];
      const marks = r.marks.map((m): MarkView => (m.kind === 'region' ? { kind: 'region', at: m.at, kept: m.kept } : m));
      return [
        {
          id: s.id,
          status: r.status,
          stale: r.stale,
          diagnostics: r.diagnostics,
          facts: r.facts,
          marks,
          actions: r.actions,
          files: r.files,
          pages: r.pages,
          measured: r.measured,
          ms: r.ms,
          outputs: Object.entries(r.outputs).map(([o, p]) => ({ key: pieceKey(s.id, o), kind: p.kind, label: p.label })),
        },
      ];
    });
    const dials = [...result.dials].map(([name, v]) => (v.ok ? { name, value: v.value } : { name, message: v.message }));
    return { steps, pieces, dials, ms: performance.now() - start, cancelled };
  }

  private stampOf(piece: Piece, quality: number): string {
    const known = this.displays.get(piece);
    if (known && known.quality <= quality) return known.stamp;
    const entry = { quality, display: displayPiece(piece, quality), stamp: `${++this.counter}` };
    this.displays.set(piece, entry);
    return entry.stamp;
  }
  private shownOf(piece: Piece): Required<Shown> | undefined {
    const known = this.displays.get(piece);
    if (!known) return undefined;
    known.display ??= displayPiece(piece, known.quality);
    return known as Required<Shown>;
  }
  /** For the caller to keep. A cage's is quicker made again than copied: it is given away. */
  private displayOf(piece: Piece, quality: number): PieceDisplay {
    this.stampOf(piece, quality);
    const known = this.shownOf(piece) as Required<Shown>;
    if (piece.kind !== 'cage') return structuredClone(known.display);
    const { display } = known;
    (known as Shown).display = undefined;
    return display;
  }

  /** Display data of pieces on screen, fine enough for a chord error of `chord` mm; only of those that are coarser now. */
  finer(list: readonly { readonly key: string; readonly chord: number }[]): { key: string; stamp: string; display: PieceDisplay }[] {
    return list.flatMap(({ key, chord }) => {
      const piece = this.pieces.get(key);
      const known = piece && this.shownOf(piece);
      if (!piece || !known) return [];
      const quality = qualityFor(known.display, chord);
      if (known.quality <= quality * 1.3) return [];
      return [{ key, stamp: this.stampOf(piece, quality), display: this.displayOf(piece, quality) }];
    });
  }

  /** What a plane cuts of pieces. */
  section(keys: readonly string[], origin: Vec3, normal: Vec3, comb: boolean): SectionView[] {
    return keys.flatMap((key) => {
      const p = this.pieces.get(key);
      return p?.kind === 'skin' || p?.kind === 'solid' ? (sectionView(key, p.body, origin, normal, comb) ?? []) : [];
    });
  }

  /** A piece in the colours of a map. `pause` is awaited every few milliseconds and may throw to end it. */
  async map(key: string, map: ModelMap, pause: (done: number) => Promise<void> | void): Promise<Mapped> {
    const piece = this.pieces.get(key);
    const known = piece && this.shownOf(piece);
    if (!piece || !known || (piece.kind !== 'skin' && piece.kind !== 'solid' && piece.kind !== 'cage'))
      return { ok: false, why: 'There is no skin to colour' };
    const to = map.to === BEFORE ? this.beforeOf(key) : map.to;
    if (map.to === BEFORE && !to) return { ok: false, why: 'It was not made from another skin: choose the piece to measure to' };
    if (map.to === key) return { ok: false, why: 'It is the piece that distances are measured to' };
    const spec = specOf(map, to ? this.pieces.get(to) : undefined);
    if (typeof spec === 'string') return { ok: false, why: spec };
    if (piece.kind === 'cage') return cageMap(key, piece.cage, known.display, known.stamp, spec, pause);
    return mapView(key, piece.body, known.display, known.stamp, spec, pause);
  }

  /** The skin, solid or scan that the step of a piece began with. */
  private beforeOf(key: string): string | undefined {
    const step = this.model?.steps.find((s) => s.id === key.split('/')[0]);
    return Object.values(step?.inputs ?? {})
      .flat()
      .map((p) => pieceKey(p.step, p.output))
      .find((k) => ['skin', 'solid', 'scan'].includes(this.pieces.get(k)?.kind ?? ''));
  }

  /** The sharpest poles of a cage; with `look` also how the smooth surface bends beside them. */
  poles(key: string, use: PoleUse, look: boolean): PolesView {
    const piece = this.pieces.get(key);
    if (piece?.kind !== 'cage') return { poles: [], of: 0, loud: 0 };
    const { cage } = piece;
    const found = sharpestPoles(cage, use, POLES_SHOWN, look);
    return {
      ...found,
      poles: found.poles.map((p) => ({ ...p, piece: key, advice: poleAdvice(p, use), normal: flatAround(cage, p).plane.normal })),
    };
  }
  /** What is to be done about one pole. */
  remedy(key: string, p: Pole, use: PoleUse): PoleRemedy | undefined {
    const piece = this.pieces.get(key);
    if (piece?.kind !== 'cage') return undefined;
    const { cage } = piece;
    const flat = flattening(cage, p, use);
    return {
      around: flat.vertices.map((v) => cage.vertexNames[v]),
      plane: flat.plane,
      share: flat.share,
      faces: facesAt(cage, p).map((f) => cage.faceNames[f]),
    };
  }

  /** Control nets of the faces of a piece, or the polygons of its curves, as polylines in space. */
  nets(key: string): Float32Array[] {
    const piece = this.pieces.get(key);
    if (piece?.kind === 'curve') return piece.curves.map((c) => Float32Array.from(controlPoints(c).flat()));
    if (piece?.kind === 'cage') return cageLines(piece.cage);
    if (piece?.kind !== 'skin' && piece?.kind !== 'solid') return [];
    return piece.body.faces.flatMap(({ surface: s }) => {
      const at = (i: number, j: number) => {
        const o = 4 * (i * s.countV + j);
        return [0, 1, 2].map((k) => s.control[o + k] / s.control[o + 3]);
      };
      const line = (n: number, p: (k: number) => number[]) => Float32Array.from(Array.from({ length: n }, (_, k) => p(k)).flat());
      return [
        ...Array.from({ length: s.countU }, (_, i) => line(s.countV, (j) => at(i, j))),
        ...Array.from({ length: s.countV }, (_, j) => line(s.countU, (i) => at(i, j))),
      ];
    });
  }

  /** Everyday facts of what is picked: of one thing, or between two. */
  facts(picks: readonly Pick[], density?: number): MeasuredFact[] {
    const things = picks.flatMap((p) => this.thingOf(p) ?? []);
    return things.length && things.length === picks.length ? factsOf(things, density) : [];
  }
  private thingOf(pick: Pick): Thing | undefined {
    const piece = this.pieces.get(pieceKey(pick.step, pick.output));
    return piece && thingOf(piece, pick);
  }

  /** The proof report of what was computed last, as a page or a PDF. */
  async report(
    model: Model,
    o: {
      readonly format: 'html' | 'pdf';
      readonly date: string;
      readonly pictures: readonly { readonly title: string; readonly png: string }[];
    },
  ): Promise<{ readonly ok: boolean; readonly data: Uint8Array }> {
    const { gatherReport, reportHtml, reportPdf } = await import('@ample-skin/core/report');
    const r = await gatherReport(model, { steps: this.results, dials: dialValues(model) }, { tools: TOOLS, kernel: this.kernel, ...o });
    return { ok: r.ok, data: o.format === 'pdf' ? await reportPdf(r) : new TextEncoder().encode(reportHtml(r)) };
  }

  /** Seams, rims and defects of one piece, measured on its own surfaces. */
  proof(key: string, model: Model): ProofView | undefined {
    const piece = this.pieces.get(key);
    if (!piece || (piece.kind !== 'skin' && piece.kind !== 'solid')) return undefined;
    const b = piece.body;
    let p = this.proofs.get(b);
    if (!p) {
      p = { seams: measureSeams(b), rims: measureRims(b), defects: findDefects(b, model.tolerance) };
      this.proofs.set(b, p);
    }
    const keys = seamKeys(key, b);
    const seams = p.seams.map((s, i) => seamView(key, b, s, keys[i]));
    return {
      piece: key,
      seams,
      rims: p.rims.map((r) => ({ ...r, piece: key })),
      defects: p.defects.map((d) => ({ ...d, piece: key })),
      watertight: isWatertight(b),
    };
  }

  /**
   * Seams of a piece as they are now, while something is dragged: as many as can be measured in `budget` ms, those of `first` (keys) before
   * the others. At least one.
   */
  liveSeams(key: string, first: readonly string[], budget = 14): SeamView[] {
    const piece = this.pieces.get(key);
    if (!piece || (piece.kind !== 'skin' && piece.kind !== 'solid')) return [];
    const b = piece.body;
    const { seams } = topologyOf(b);
    const keys = seamKeys(key, b);
    const rank = new Map(first.map((k, i) => [k, i]));
    const order = keys.map((_, i) => i).sort((x, y) => (rank.get(keys[x]) ?? keys.length) - (rank.get(keys[y]) ?? keys.length));
    const start = performance.now();
    const size = boxSize(bodyBox(b));
    const out: SeamView[] = [];
    for (const i of order) {
      if (out.length && performance.now() - start > budget) break;
      out.push(seamView(key, b, measureSeam(b, seams[i], undefined, size), keys[i]));
    }
    return out;
  }

  /** Changes of the recipe that would bring a seam to a grade, each tried on a copy of the model. `onSoFar` is told after each. */
  async offers(
    seamKey: string,
    grade: 1 | 2 | 3,
    model: Model,
    options: { readonly signal?: AbortSignal; readonly onSoFar?: (so: Offers, of: number) => void } = {},
  ): Promise<Offers | undefined> {
    const seam = this.proof(pieceOfSeam(seamKey), model)?.seams.find((s) => s.key === seamKey);
    const piece = seam && this.pieces.get(seam.piece);
    if (!seam || !piece || (piece.kind !== 'skin' && piece.kind !== 'solid')) return undefined;
    const [step, output] = seam.piece.split('/');
    return tryOffers(
      model,
      this.results,
      { step, output, body: piece.body, edge: seam.edge, grade },
      { ...this.apart(), signal: options.signal, limit: 30_000 },
      options.onSoFar,
    );
  }

  /**
   * Every method that fills or bridges what is picked, each built on a copy of the model and measured. `onVariant` is told of each as it is
   * there, with what is drawn of it.
   */
  async tryOff(
    picks: readonly Pick[],
    model: Model,
    options: { readonly signal?: AbortSignal; readonly onVariant?: (v: VariantView, of: number) => void } = {},
  ): Promise<TriedOffView> {
    const views: VariantView[] = [];
    const r = await tryOff(model, picks, this.results, { ...this.apart(), signal: options.signal, limit: 30_000 }, (v, of) => {
      const view = this.variantView(v);
      views.push(view);
      options.onVariant?.(view, of);
    });
    return r.ok ? { ok: true, what: r.what, variants: views, of: r.of } : r;
  }
  private variantView({ body, ...v }: Variant): VariantView {
    return body ? { ...v, view: this.besides(v.key, { kind: 'skin', body }) } : v;
  }
  /** What a try-off is about, drawn whether or not later steps have taken it over, and from where it is seen best. */
  around(picks: readonly Pick[], model: Model): AroundView {
    const pieces = new Set(picks.flatMap((p) => this.pieces.get(pieceKey(p.step, p.output)) ?? []));
    const picked = pickedSides(picks, model, this.results, TOOLS);
    return {
      pieces: [...pieces].map((piece, i) => this.besides(`around ${i + 1}`, piece)),
      ...(picked.kind === 'neither' ? { places: [] } : outlook(picked)),
    };
  }
  private besides(output: string, piece: Piece): PieceView {
    return {
      key: pieceKey('try-off', output),
      step: 'try-off',
      output,
      kind: piece.kind,
      live: true,
      stale: false,
      stamp: `try-off ${++this.counter}`,
      display: displayPiece(piece, 0.4),
      facts: [],
    };
  }
  /** For trying things: what a variant leaves behind must not stand in for a step of the model that fails later. */
  private apart() {
    return {
      tools: TOOLS,
      kernel: this.kernel,
      memory: { byHash: this.memory.byHash, lastGood: new Map(this.memory.lastGood) },
      asset: this.asset,
    };
  }

  /** A recipe over values of its dials; what is known of the open model is used and left as it is. */
  async sweep(
    model: Model,
    points: readonly SweepPoint[],
    options: { readonly signal?: AbortSignal; readonly onRow?: (row: SweepRow, index: number) => void | Promise<void> },
  ): Promise<SweepRow[]> {
    const { sweep } = await import('@ample-skin/core/report');
    const memory = { byHash: new Map(this.memory.byHash), lastGood: new Map() };
    return sweep(model, points, { ...this.apart(), memory, signal: options.signal, limit: 60_000 }, options.onRow);
  }
  /** Two models side by side, built apart from the open one. */
  compare(a: Model, b: Model, options: { readonly signal?: AbortSignal; readonly tell?: CompareOptions['tell'] }): Promise<CompareView> {
    return compareModels(a, b, { ...this.apart(), ...options });
  }

  /** Curvature combs of picked curves and edges. */
  combs(picks: readonly Pick[], density: number): Comb[] {
    return picks.flatMap((pick): Comb[] => {
      const piece = this.pieces.get(pieceKey(pick.step, pick.output));
      if (piece?.kind === 'curve') return [combOf(piece.curves, density)];
      if (!piece || (piece.kind !== 'skin' && piece.kind !== 'solid') || pick.part?.kind !== 'edge') return [];
      const found = findPart(piece.body, pick.part);
      return 'index' in found ? [combOf([edgeCurve(piece.body.edges[found.index])], density)] : [];
    });
  }

  /** Meshes of the pieces a cut left, kept or not, for choosing among them. Coarse; in world coordinates. */
  regions(step: string): RegionView[] {
    return (this.results.get(step)?.marks ?? []).flatMap((m): RegionView[] => {
      if (m.kind !== 'region') return [];
      const mesh = meshBody(subBody(m.body, m.faces), { chord: Math.max(1e-6, boxSize(bodyBox(m.body)) / 800), angle: 0.4 });
      return [{ at: m.at, kept: m.kept, positions: Float32Array.from(mesh.positions), indices: Uint32Array.from(mesh.indices) }];
    });
  }

  pieceOf(key: string): Piece | undefined {
    return this.pieces.get(key);
  }
}

function seamView(piece: string, b: Body, { samples, ...rest }: SeamReport, key: string): SeamView {
  return {
    ...rest,
    key,
    piece,
    faceNames: [b.faces[rest.faces[0]].name, b.faces[rest.faces[1]].name],
    chart: samples.map((x) => ({ at: x.at, gap: x.gap, kink: x.kink, step: x.step, flow: x.flow, point: x.point })),
  };
}

const factsKnown = new WeakMap<Piece, { label: string; value: string }[]>();
/** Facts of a piece; of bodies the exact ones when they are known already or `full`, else quick ones with the digits that are sure. */
function pieceFacts(p: Piece, full: boolean): { label: string; value: string }[] {
  const known = factsKnown.get(p);
  if (known) return known;
  if (!full && (p.kind === 'skin' || p.kind === 'solid')) {
    const m = massProperties(p.body, undefined, true);
    const out = [
      { label: 'faces', value: String(p.body.faces.length) },
      { label: 'area', value: `${formatNumber(m.area, 1)} mm²` },
    ];
    if (isWatertight(p.body)) out.push({ label: 'volume', value: `${formatNumber(m.volume, 1)} mm³` });
    return out;
  }
  const facts = measured(p);
  factsKnown.set(p, facts);
  return facts;
}
function measured(p: Piece): { label: string; value: string }[] {
  if (p.kind === 'skin' || p.kind === 'solid') {
    const m = massProperties(p.body);
    const out = [
      { label: 'faces', value: String(p.body.faces.length) },
      { label: 'area', value: `${formatNumber(m.area, 2)} mm²` },
    ];
    if (isWatertight(p.body)) {
      out.push({ label: 'volume', value: `${formatNumber(m.volume, 3)} mm³` });
      // edges that lie beside their faces leave gaps through which the volume is not quite told
      if (m.volumeError > 1e-6 * Math.abs(m.volume))
        out.push({ label: 'volume unsure by', value: `${Number(m.volumeError.toPrecision(2))} mm³` });
    }
    return out;
  }
  if (p.kind === 'curve') return curveFacts(p.curves);
  if (p.kind === 'picture') return [{ label: 'size', value: `${formatNumber(p.width, 1)} x ${formatNumber(p.height, 1)} mm` }];
  if (p.kind === 'cage') return cageFacts(p.cage).map(({ label, value }) => ({ label, value }));
  if (p.kind === 'scan') return [{ label: 'triangles', value: String(p.mesh.indices.length / 3) }];
  return [];
}
