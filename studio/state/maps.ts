import { mapLook } from '@ample-skin/core/proof/kinds';
import type { ModelMap } from '@ample-skin/core/recipe';
import type { MapView, PieceView } from '@ample-skin/engine';
import { interpolateCividis, interpolatePuOr } from 'd3-scale-chromatic';
import { change, standingOf } from './document.ts';
import { engine } from './engine-client.ts';
import { getSettings } from './settings.ts';
import { getStudio as get, setStudio as set } from './state.ts';

export const DEFAULT_MAP: ModelMap = { kind: 'mean', beyond: 0.02, bands: 0 };
export const mapNow = (): ModelMap => get().model.map ?? DEFAULT_MAP;
export const setMap = (more: Partial<ModelMap>): void => {
  const map = { ...mapNow(), ...more };
  if (JSON.stringify(map) !== JSON.stringify(get().model.map)) change('Map', { type: 'setMap', map });
};

/** Pieces that are to be seen in the colours of the map. */
export function mappedPieces(): PieceView[] {
  const standing = standingOf();
  const { look } = getSettings();
  return [...get().pieces.values()].filter((p) => {
    if (!p.live || p.stale || (p.kind !== 'skin' && p.kind !== 'solid' && p.kind !== 'cage')) return false;
    const s = standing(p.key);
    return !s.hidden && (s.look ?? look) === 'map';
  });
}

const made = new Map<string, { what: string; view?: MapView; why?: string }>();
let turn = 0;
/** Brings the maps in step with the pieces on stage; the newest call wins. */
export async function followMaps(): Promise<void> {
  const mine = ++turn;
  const map = mapNow();
  const pieces = mappedPieces();
  // nothing is looked at as a map, and nothing was: no picture changes, also while something is dragged
  if (!pieces.length && !get().maps.size && !get().mapWhy) return;
  const to = map.kind === 'distance' && map.to ? get().pieces.get(map.to)?.stamp : '';
  const whatOf = (p: PieceView) =>
    JSON.stringify([p.stamp, map.kind, map.kind === 'draft' && map.direction, map.kind === 'distance' && map.to, to]);
  const show = () => {
    const list = pieces.flatMap((p) => {
      const m = made.get(p.key);
      return m?.what === whatOf(p) ? [[p.key, m] as const] : [];
    });
    set({
      maps: new Map(list.flatMap(([k, m]) => (m.view ? [[k, m.view] as const] : []))),
      mapWhy: list.find(([, m]) => m.why)?.[1].why,
    });
  };
  for (const key of made.keys()) if (!get().pieces.has(key)) made.delete(key);
  show();
  try {
    for (const [i, p] of pieces.entries()) {
      if (made.get(p.key)?.what === whatOf(p)) continue;
      // what is told comes over a port of its own and may arrive after the answer: then it is old news
      let over = false;
      const tell = (done: number) => !over && mine === turn && set({ mapWork: (i + done) / pieces.length });
      const timer = setTimeout(() => tell(0), 300);
      const r = await engine.map(p.key, map, tell).catch((e: Error) => ({ ok: false as const, why: `The map was not made: ${e.message}` }));
      over = true;
      clearTimeout(timer);
      if (mine !== turn) return;
      // ended by a change of the model: what follows it asks again
      if (!r) return;
      // the piece was drawn anew meanwhile: its new picture asks for itself
      if (r.ok && r.view.stamp !== p.stamp) continue;
      made.set(p.key, { what: whatOf(p), ...(r.ok ? { view: r.view } : { why: r.why }) });
      show();
    }
  } finally {
    if (mine === turn) set({ mapWork: undefined });
  }
}
export function cancelMaps(): void {
  turn++;
  engine.endMap();
  set({ mapWork: undefined, mapWhy: 'The map was cancelled: choose it again to go on' });
}

/** Ends of the colours: by hand, or so that a share of the area lies beyond them; with a middle at nothing where both signs count. */
export function coloursOf(maps: ReadonlyMap<string, MapView>, map: ModelMap): { low: number; high: number } {
  const look = mapLook(map.kind);
  if (map.range) {
    const [a, b] = look.reciprocal ? [1 / map.range[1], 1 / map.range[0]] : map.range;
    return { low: Math.min(a, b), high: Math.max(a, b) };
  }
  const all: [number, number][] = [];
  let area = 0;
  for (const m of maps.values())
    for (let i = 0; i < m.values.length; i++) {
      if (m.state[i] === 2 || !m.areas[i]) continue;
      all.push([m.values[i], m.areas[i]]);
      area += m.areas[i];
    }
  if (!all.length) return { low: 0, high: 1 };
  all.sort((a, b) => a[0] - b[0]);
  const at = (share: number): number => {
    let sum = 0;
    for (const [x, a] of all) {
      sum += a;
      if (sum >= share * area) return x;
    }
    return all[all.length - 1][0];
  };
  let [low, high] = [at(map.beyond / 2), at(1 - map.beyond / 2)];
  if (look.signed && low < 0 && high > 0) [low, high] = [-Math.max(-low, high), Math.max(-low, high)];
  // the same everywhere: colours of a width that says so
  const least = 1e-9 + 1e-6 * Math.max(Math.abs(low), Math.abs(high));
  return high - low > least ? { low, high } : { low: low - least, high: high + least };
}
/** Area in each of so many equal parts of the colours, as shares of the fullest. */
export function histogramOf(maps: ReadonlyMap<string, MapView>, low: number, high: number, bins: number): number[] {
  const out = new Array<number>(bins).fill(0);
  for (const m of maps.values())
    for (let i = 0; i < m.values.length; i++)
      if (m.state[i] !== 2) out[Math.min(bins - 1, Math.max(0, Math.floor(((m.values[i] - low) / (high - low)) * bins)))] += m.areas[i];
  const most = Math.max(...out, 1e-300);
  return out.map((x) => x / most);
}

/** Colours that people who confuse red and green tell apart too: purple and orange about a middle, else from dark blue to yellow. */
export const colourAt = (signed: boolean, t: number): string => (signed ? interpolatePuOr(1 - t) : interpolateCividis(t));
export function rampOf(signed: boolean): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(256 * 4);
  for (let i = 0; i < 256; i++) {
    const [r, g, b] = (colourAt(signed, i / 255).match(/\d+(\.\d+)?/g) ?? []).map(Number);
    out.set([r, g, b, 255], 4 * i);
  }
  return out;
}
