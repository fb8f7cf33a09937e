import type { GrowWay } from '@ample-skin/core/brep';
import { type Pick, wordsOf } from '@ample-skin/core/recipe';
import type { Hit } from '../view/picking.ts';
import type { Doc } from './doc.ts';
import { away, CLICK, type Mode, NONE, type PointerAt, type Reaction, type Stage } from './mode.ts';

const GROWN: Record<GrowWay, string> = { chain: 'smooth chain', loop: 'loop', rim: 'rim', smooth: 'smooth area' };
/** Ways in which a hit may be grown here. */
export function waysOf(hit: Hit, doc: Doc): readonly GrowWay[] {
  const ways = doc.slot ? (doc.slot.slot.grow ?? []) : (['chain', 'loop', 'rim', 'smooth'] as const);
  return hit.kind === 'edge' ? ways.filter((w) => w !== 'smooth') : hit.kind === 'face' ? ways.filter((w) => w === 'smooth') : [];
}
/** The pick of a hit, grown in the way after the one it has now. */
export function grownPick(hit: Hit, ways: readonly GrowWay[], now: readonly Pick[]): Pick {
  const had = now.find(
    (p) =>
      p.step === hit.pick.step &&
      p.output === hit.pick.output &&
      p.part?.kind === hit.pick.part?.kind &&
      p.part?.name === hit.pick.part?.name,
  );
  const i = had?.grow ? ways.indexOf(had.grow.way) : -1;
  const way = ways[(i + 1) % Math.max(1, ways.length)];
  return way ? { ...(had ?? hit.pick), grow: { way } } : hit.pick;
}

/** Picking and selecting: a click fills the slot or selects; with Shift it takes the whole chain; with Alt the part at once. */
export function pickMode(stage: Stage, doc: () => Doc, name: (hit: Hit, doc: Doc) => string): Mode {
  const regionsOf = (d: Doc) => (d.slot ? [] : d.marks.filter((m) => m.kind === 'region' || m.kind === 'choice'));
  const dotAt = (d: Doc, at: PointerAt): number => {
    let best = -1;
    let least = 16;
    regionsOf(d).forEach((r, i) => {
      const p = stage.project(r.at, at.pane);
      if (away(p, at) < least) [least, best] = [away(p, at), i];
    });
    return best;
  };
  /** The piece of a cut under the pointer, by its dot or itself. */
  const regionAt = (d: Doc, at: PointerAt): number | undefined => {
    if (regionsOf(d).length < 2 || !d.tool || !('places' in d.tool.params.shape)) return undefined;
    const dot = dotAt(d, at);
    const i = dot >= 0 ? dot : stage.regionAt(at.x, at.y);
    return i !== undefined && i >= 0 && regionsOf(d)[i] ? i : undefined;
  };
  const keepRegion = (d: Doc, i: number): Reaction => {
    const list = regionsOf(d);
    const kept = list.map((r, k) => (k === i ? !r.kept : r.kept));
    if (!kept.some(Boolean) || !d.step) return NONE;
    const places = list.filter((_, k) => kept[k]).map((r) => [...r.at]);
    return { commands: [{ do: 'params', step: d.step.id, params: { keep: 'picked', places } }] };
  };
  /** A click on the picked face adds a place to the step's list of places (splines on skins). */
  const placeAt = (d: Doc, at: PointerAt): Reaction | undefined => {
    if (!d.step || !d.tool || d.slot || !('places' in d.tool.params.shape) || !('face' in d.tool.slots)) return undefined;
    const pick = d.step.inputs.face?.[0];
    const hit = stage
      .hits(at.x, at.y, { face: true, edge: false, vertex: false, piece: () => false })
      .find((h) => h.pick.step === pick?.step && h.pick.output === pick.output && h.pick.part?.name === pick.part?.name);
    if (!hit) return undefined;
    const places = [...((d.step.params.places as number[][] | undefined) ?? []), hit.point.map((c) => Number(c.toFixed(4)))];
    return { commands: [{ do: 'params', step: d.step.id, params: { places } }] };
  };
  const click = (at: PointerAt): Reaction => {
    const d = doc();
    const region = regionAt(d, at);
    if (region !== undefined) return keepRegion(d, region);
    const place = placeAt(d, at);
    if (place) return place;
    const hit = stage.hits(at.x, at.y, d.filter)[0];
    if (!hit) {
      if (d.slot)
        return { commands: [{ do: 'nothingHere', why: `Nothing here fits ${d.slot.slot.label}: pick ${wordsOf(d.slot.slot)}`, at }] };
      return at.ctrl ? NONE : { commands: [{ do: 'clear' }] };
    }
    const ways = waysOf(hit, d);
    if (at.shift && ways.length) {
      const now = d.slot && d.step ? (d.step.inputs[d.slot.name] ?? []) : d.selection;
      return { commands: [{ do: 'pick', pick: grownPick(hit, ways, now), more: at.ctrl, direct: true }] };
    }
    return { commands: [{ do: 'pick', pick: hit.pick, more: at.ctrl, direct: at.alt }] };
  };
  return {
    name: 'pick',
    hover(at) {
      const d = doc();
      const region = regionAt(d, at);
      if (region !== undefined) {
        const text = regionsOf(d)[region].kept ? 'Kept: click to let it go' : 'Goes: click to keep it';
        return { overlay: { hover: null, tip: { x: at.x, y: at.y, text }, shape: 'pointer' } };
      }
      const hit = stage.hits(at.x, at.y, d.filter)[0];
      if (!hit) return { overlay: { hover: null, tip: null, shape: 'default' } };
      const ways = waysOf(hit, d);
      // outside a slot the first click takes the piece: that is what is lit
      const inside = d.selection.some((x) => x.step === hit.pick.step && x.output === hit.pick.output);
      const pick: Pick = d.slot || inside || at.alt || at.shift ? hit.pick : { step: hit.pick.step, output: hit.pick.output };
      const grown = at.shift && ways.length ? grownPick(hit, ways, []) : pick;
      const hint = ways.length && d.slot ? ` · Shift: ${GROWN[ways[0]]}` : '';
      return { overlay: { hover: grown, tip: { x: at.x, y: at.y, text: `${name({ ...hit, pick: grown }, d)}${hint}` }, shape: 'pointer' } };
    },
    press: () => NONE,
    release: (at, from) => (away(at, from) <= CLICK && from.button === 0 ? click(at) : NONE),
    hold(at) {
      const hits = stage.hits(at.x, at.y, doc().filter);
      return hits.length ? { overlay: { list: { x: at.x, y: at.y, hits: hits.slice(0, 12), snaps: [] }, tip: null } } : NONE;
    },
  };
}
