import { type Body, bodyBox, edgePoint, topologyOf } from '../brep/index.ts';
import { boxSize, distance, type Vec3 } from '../math/index.ts';
import { type AcrossPlace, acrossSeam, gradeRank, measureSeam, measureSeams, type SeamReport } from '../proof/index.ts';
import { applyEdit, type EvaluateOptions, evaluateModel, type Model, type RecipeEdit, type StepResult } from '../recipe/index.ts';
import { type Candidate, candidatesFor, type SeamToMend } from './candidates.ts';

export interface SeamNumbers {
  readonly gap: number;
  readonly kink: number;
  readonly step: number;
  readonly flow: number;
  readonly grade: SeamReport['grade'];
  /** Control points of the two surfaces. */
  readonly points: number;
  /** The section across the seam where it is worst. */
  readonly across?: readonly [AcrossPlace[], AcrossPlace[]];
}
/** A change of the recipe that was tried. */
export interface Offer {
  readonly label: string;
  readonly edit: RecipeEdit;
  readonly meets: boolean;
  readonly now: SeamNumbers;
  /** Other seams of the piece that got worse by a grade or more. */
  readonly worse: number;
  readonly ms: number;
}
export interface Offers {
  readonly before: SeamNumbers;
  readonly tried: number;
  readonly offers: readonly Offer[];
  /** Changes that could not be carried out, and why. */
  readonly failed: readonly { readonly label: string; readonly why: string }[];
}

/**
 * Changes of the recipe that would bring a seam to its target, each carried out on a copy of the model and measured. `onOffer` is told of
 * each as it is known. The model itself is not touched.
 */
export async function tryOffers(
  model: Model,
  results: ReadonlyMap<string, StepResult>,
  seam: SeamToMend,
  options: EvaluateOptions,
  onOffer?: (so: Offers, of: number) => void,
): Promise<Offers> {
  const before = numbersOf(seam.body, [seam.edge]);
  const grades = new Map(measureSeams(seam.body).map((s) => [s.name, gradeRank(s.grade)]));
  const candidates = candidatesFor(model, seam, results, options.tools);
  const offers: Offer[] = [];
  const failed: { label: string; why: string }[] = [];
  let tried = 0;
  const state = (): Offers => ({ before, tried, offers: [...offers].sort(byUse), failed });
  for (const c of candidates) {
    if (options.signal?.aborted) break;
    const start = performance.now();
    const r = await outcome(model, seam, c, options, grades);
    tried++;
    if ('why' in r) failed.push({ label: c.label, why: r.why });
    else if (better(r.now, before)) offers.push({ ...r, label: c.label, edit: c.edit, ms: performance.now() - start });
    else failed.push({ label: c.label, why: `the seam stays ${r.now.grade}` });
    onOffer?.(state(), candidates.length);
  }
  return state();
}
const byUse = (a: Offer, b: Offer) => Number(b.meets) - Number(a.meets) || a.worse - b.worse || a.now.points - b.now.points;
const better = (a: SeamNumbers, b: SeamNumbers) =>
  gradeRank(a.grade) > gradeRank(b.grade) || (a.kink < 0.5 * b.kink && b.kink > 0.01) || (a.kink < 0.01 && a.step < 0.5 * b.step);

async function outcome(
  model: Model,
  seam: SeamToMend,
  c: Candidate,
  options: EvaluateOptions,
  grades: ReadonlyMap<string, number>,
): Promise<{ now: SeamNumbers; meets: boolean; worse: number } | { why: string }> {
  const applied = applyEdit(model, c.edit);
  if (!applied.ok) return { why: applied.message };
  const result = await evaluateModel(applied.model, {
    ...options,
    until: c.piece.step,
    looks: false,
    onStep: undefined,
    onStart: undefined,
  });
  for (const [, r] of result.steps)
    if (r.status === 'error' || r.status === 'hung') return { why: r.diagnostics[0]?.message ?? 'a step fails' };
  const piece = result.steps.get(c.piece.step)?.outputs[c.piece.output];
  if (!piece || (piece.kind !== 'skin' && piece.kind !== 'solid')) return { why: 'the piece is gone' };
  const b = piece.body;
  const edges = c.renamed ? seamsNamed(b, c.renamed) : sameSeam(b, seam);
  if (!edges.length) return { why: 'the seam is gone' };
  const now = numbersOf(b, edges);
  const worse = measureSeams(b).filter((s) => !edges.includes(s.edge) && (grades.get(s.name) ?? -1) > gradeRank(s.grade)).length;
  return { now, meets: gradeRank(now.grade) >= seam.grade, worse };
}
const seamsNamed = (b: Body, start: string): number[] =>
  b.edges.flatMap((e, i) => (e.name.startsWith(start) && topologyOf(b).uses[i].length === 2 ? [i] : []));
/** The seam in the new body: by its name, else between the same faces at the same place. */
function sameSeam(b: Body, seam: SeamToMend): number[] {
  const { uses } = topologyOf(b);
  const middle = (x: Body, i: number): Vec3 => edgePoint(x.edges[i], (x.edges[i].range[0] + x.edges[i].range[1]) / 2);
  const old = middle(seam.body, seam.edge);
  const names = new Set(topologyOf(seam.body).uses[seam.edge].map((r) => seam.body.faces[r.face].name));
  const list = b.edges
    .map((_, i) => i)
    .filter((i) => uses[i].length === 2)
    .map((i) => ({
      i,
      d: distance(middle(b, i), old),
      same: uses[i].every((u) => names.has(b.faces[u.face].name)),
      named: b.edges[i].name === seam.body.edges[seam.edge].name,
    }))
    .sort((x, y) => Number(y.named) - Number(x.named) || Number(y.same) - Number(x.same) || x.d - y.d);
  const reach = 0.1 * boxSize(bodyBox(seam.body));
  return list[0] && list[0].d < reach ? [list[0].i] : [];
}
function numbersOf(b: Body, edges: readonly number[]): SeamNumbers {
  const reports = edges.map((e) => measureSeam(b, e));
  const worst = (key: 'gap' | 'kink' | 'step' | 'flow') => Math.max(...reports.map((r) => r[key]));
  const low = reports.reduce((m, r) => (gradeRank(r.grade) < gradeRank(m.grade) ? r : m));
  const key = low.kink > 0.01 ? 'kink' : 'step';
  const at = low.samples.reduce((m, s) => (s[key] > m[key] ? s : m)).at;
  const surfaces = new Set(edges.flatMap((e) => topologyOf(b).uses[e].map((r) => b.faces[r.face].surface)));
  return {
    gap: worst('gap'),
    kink: worst('kink'),
    step: worst('step'),
    flow: worst('flow'),
    grade: low.grade,
    points: [...surfaces].reduce((n, s) => n + s.countU * s.countV, 0),
    across: acrossSeam(b, low.edge, at, 0.04 * boxSize(bodyBox(b))),
  };
}
