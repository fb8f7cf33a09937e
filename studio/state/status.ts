import { type Grade, gradeRank } from '@ample-skin/core/proof/grades';
import { type Model, type SeamKind, type SettledTarget, seamKind, targetOf } from '@ample-skin/core/recipe';
import type { PieceView, ProofView, SeamView } from '@ample-skin/engine';
import { standingOf } from './document.ts';
import { useStudio } from './state.ts';

/** meets or misses its target, or is free of one. */
export type Verdict = 'meets' | 'misses' | 'free';
/** Which seams are listed. */
export type SeamFilter = SeamKind | 'all' | 'misses';
export const SEAM_FILTERS: readonly { readonly value: SeamFilter; readonly label: string }[] = [
  { value: 'all', label: 'All' },
  { value: 'smooth', label: 'Smooth' },
  { value: 'sharp', label: 'Sharp' },
  { value: 'own', label: 'Own' },
  { value: 'misses', label: 'Misses' },
];
export interface JudgedSeam extends SeamView {
  readonly kind: SeamKind;
  readonly verdict: Verdict;
  readonly target?: SettledTarget['target'];
  /** Whether the target is its own, its group's, or that of all seams of its kind. */
  readonly targetFrom: SettledTarget['from'];
}
export function judge(s: SeamView, aims: Aims): JudgedSeam {
  const kind = seamKind(s.faces, s.kink);
  const { target, from } = targetOf(aims, s.key, s.piece, kind);
  const verdict: Verdict = !target ? 'free' : gradeRank(s.grade as Grade) >= gradeRank(target) ? 'meets' : 'misses';
  return { ...s, target, targetFrom: from, kind, verdict };
}
/** What of a model tells which seams have to meet what. */
export type Aims = Pick<Model, 'targets' | 'pieces'>;

export interface Status {
  readonly seams: readonly JudgedSeam[];
  readonly rims: ProofView['rims'];
  readonly defects: ProofView['defects'];
  /** Skins and solids on screen. */
  readonly bodies: number;
  readonly solids: number;
  readonly open: number;
  readonly meets: number;
  readonly misses: number;
  readonly free: number;
  readonly badge: { readonly text: string; readonly tone: 'good' | 'bad' | 'none' };
}
const round = (x: number) => Number(x.toFixed(1));

/** Counts of everything that is on screen now: the one source of the stage strip, the badge and the drawer. */
export function statusOf(
  pieces: Iterable<PieceView>,
  proofs: ReadonlyMap<string, ProofView>,
  aims: Aims,
  state: { readonly computed: boolean; readonly busy: boolean; readonly waiting: number },
  hidden: (key: string) => boolean,
): Status {
  const bodies = [...pieces].filter((p) => p.live && (p.kind === 'skin' || p.kind === 'solid') && !hidden(p.key));
  const list = bodies.flatMap((p) => proofs.get(p.key) ?? []);
  const seams = list.flatMap((p) => p.seams).map((s) => judge(s, aims));
  const rims = list.flatMap((p) => p.rims);
  const defects = list.flatMap((p) => p.defects);
  const open = bodies.filter((p) => !p.watertight).length;
  const solids = bodies.filter((p) => p.kind === 'solid').length;
  const of = (v: Verdict) => seams.filter((s) => s.verdict === v).length;
  const length = round(rims.reduce((s, r) => s + r.length, 0));
  const invalid = defects.filter((d) => d.severity === 'error').length;
  const badge = (): Status['badge'] => {
    if (!state.computed) return { text: 'Computing…', tone: 'none' };
    if (state.waiting) return { text: `${state.waiting} ${state.waiting === 1 ? 'step waits' : 'steps wait'}`, tone: 'none' };
    if (!bodies.length) return { text: 'No skin yet', tone: 'none' };
    if (state.busy || list.length < bodies.length) return { text: 'Measuring…', tone: 'none' };
    if (invalid) return { text: `${invalid} ${invalid === 1 ? 'fault' : 'faults'}`, tone: 'bad' };
    if (!open) return { text: solids === bodies.length ? 'Watertight solid' : 'Watertight', tone: 'good' };
    return { text: rims.length ? `Open: ${rims.length} ${rims.length === 1 ? 'rim' : 'rims'}, ${length} mm` : 'Open', tone: 'bad' };
  };
  return {
    seams,
    rims,
    defects,
    bodies: bodies.length,
    solids,
    open,
    meets: of('meets'),
    misses: of('misses'),
    free: of('free'),
    badge: badge(),
  };
}
/** Verdicts of seams in words: how many with a target meet it, how many are free. */
export function seamText(s: Pick<Status, 'meets' | 'misses' | 'free'>): string {
  const aimed = s.meets + s.misses;
  if (!aimed) return s.free ? `${s.free} free` : '';
  return `${s.meets} of ${aimed} on target${s.free ? `, ${s.free} free` : ''}`;
}

let known: { key: string; proofs: unknown; targets: unknown; pieces: unknown; state: string; status: Status } | undefined;
/**
 * The status as it is now: the same object for as long as nothing of it changes, and the same lists in it while only the state of the work
 * does, so that nothing is drawn anew while something is dragged.
 */
function statusNow(s: ReturnType<typeof useStudio.getState>): Status {
  const standing = standingOf();
  let waiting = 0;
  for (const x of s.steps.values()) if (x.status === 'waits') waiting++;
  const parts: string[] = [];
  for (const p of s.pieces.values())
    if (p.live && (p.kind === 'skin' || p.kind === 'solid')) parts.push(`${p.key}|${p.kind}|${p.watertight}|${standing(p.key).hidden}`);
  const key = parts.join('\n');
  const state = `${s.computed}|${s.computing}|${waiting}`;
  const same = known?.key === key && known.proofs === s.proofs && known.targets === s.model.targets && known.pieces === s.model.pieces;
  if (known && same && known.state === state) return known.status;
  const now = { computed: s.computed, busy: s.computing, waiting };
  const fresh = statusOf(s.pieces.values(), s.proofs, s.model, now, (k) => standing(k).hidden);
  const status = known && same ? { ...known.status, badge: fresh.badge } : fresh;
  known = { key, proofs: s.proofs, targets: s.model.targets, pieces: s.model.pieces, state, status };
  return status;
}
export const useStatus = (): Status => useStudio(statusNow);
/** One part of it; drawn anew only when that changes. */
export const useStatusPart = <T>(part: (s: Status) => T): T => useStudio((s) => part(statusNow(s)));
