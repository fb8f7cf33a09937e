import { type Body, isWatertight, massProperties } from '@ample-skin/core/brep';
import type { Model, Piece, RunnableTool } from '@ample-skin/core/recipe';
import { evaluateModel } from '@ample-skin/core/recipe';
import type { Deviation, NamedBody } from '@ample-skin/core/report';
import { displayPiece } from './display.ts';
import { type MapView, mapView } from './map-view.ts';
import type { PieceView } from './session.ts';

/** A piece on one side of a comparison: drawn, and in the colours of its distance to its partner where it has one. */
export interface ComparedPiece {
  readonly view: PieceView;
  readonly map?: MapView;
}
export interface ComparedPair {
  readonly name: string;
  readonly a?: ComparedPiece;
  readonly b?: ComparedPiece;
  readonly deviation?: Deviation;
}
export interface CompareView {
  readonly pairs: readonly ComparedPair[];
  /** What could not be computed on either side, in words. */
  readonly notes: readonly string[];
}
export interface CompareOptions {
  readonly tools: ReadonlyMap<string, RunnableTool>;
  readonly kernel: Parameters<typeof evaluateModel>[1]['kernel'];
  readonly asset?: Parameters<typeof evaluateModel>[1]['asset'];
  readonly signal?: AbortSignal;
  /** Told what is being done and how far it is, 0 to 1; awaited. */
  readonly tell?: (what: string, done: number) => Promise<void> | void;
}
const viewOf = (side: 'a' | 'b', b: NamedBody, index: number): PieceView => {
  const piece: Piece = b.solid ? { kind: 'solid', body: b.body } : { kind: 'skin', body: b.body };
  const key = `compare-${side}/${index}`;
  return {
    key,
    step: `compare-${side}`,
    output: String(index),
    kind: piece.kind,
    label: b.name,
    live: true,
    stale: false,
    stamp: key,
    display: displayPiece(piece, 0.5),
    facts: [],
  };
};

/** What the distances in the colours of both say: the same as `deviationOf`, at the nodes of the maps. */
function ofMaps(a: Body, b: Body, onA: MapView, onB: MapView): Deviation {
  let [most, square, weight] = [0, 0, 0];
  for (const m of [onA, onB]) {
    most = Math.max(most, Math.abs(m.least?.value ?? 0), Math.abs(m.most?.value ?? 0));
    for (let i = 0; i < m.values.length; i++) {
      if (m.state[i] === 2) continue;
      square += m.areas[i] * m.values[i] ** 2;
      weight += m.areas[i];
    }
  }
  const far = (e: MapView['most'], sign: number) => (e && sign * e.value > 0 ? { distance: e.value, at: e.at } : undefined);
  const [ma, mb] = [massProperties(a), massProperties(b)];
  return {
    most,
    rms: Math.sqrt(square / Math.max(1e-300, weight)),
    out: far(onB.most, 1),
    in: far(onB.least, -1),
    area: [ma.area, mb.area],
    volume: isWatertight(a) && isWatertight(b) ? [ma.volume, mb.volume] : undefined,
  };
}

/** Builds two models and lays their shapes side by side, each in the colours of its distance to the other's exact surfaces. */
export async function compareModels(a: Model, b: Model, o: CompareOptions): Promise<CompareView> {
  const { deviationOf, pairShapes, seenBodies } = await import('@ample-skin/core/report');
  const notes: string[] = [];
  const sides: NamedBody[][] = [];
  for (const [i, m] of [a, b].entries()) {
    await o.tell?.(`building ${m.name}`, i * 0.25);
    const r = await evaluateModel(m, { tools: o.tools, kernel: o.kernel, asset: o.asset, signal: o.signal, limit: 60_000, looks: false });
    o.signal?.throwIfAborted();
    const bad = m.steps.filter((s) => !['fine', 'warning', 'muted'].includes(r.steps.get(s.id)?.status ?? 'waits')).length;
    if (bad) notes.push(`${bad} ${bad === 1 ? 'step has' : 'steps have'} no result in "${m.name}"`);
    sides.push(seenBodies(m, r, o.tools));
  }
  const pairs: ComparedPair[] = [];
  const all = pairShapes(sides[0], sides[1]);
  for (const [i, p] of all.entries()) {
    const share = 0.5 + (0.5 * i) / all.length;
    const name = (p.b ?? p.a)?.name ?? '';
    await o.tell?.(`measuring ${name}`, share);
    const [va, vb] = [p.a && viewOf('a', p.a, i), p.b && viewOf('b', p.b, i)];
    const coloured = async (view: PieceView | undefined, from: NamedBody | undefined, to: NamedBody | undefined) => {
      if (!view || !from) return undefined;
      if (!to || !view.display) return { view };
      const m = await mapView(view.key, from.body, view.display, view.stamp, { kind: 'distance', to: { body: to.body } }, async () => {
        await o.tell?.(`measuring ${name}`, share);
        o.signal?.throwIfAborted();
      });
      return m.ok ? { view, map: m.view } : { view };
    };
    const [a, b] = [await coloured(va, p.a, p.b), await coloured(vb, p.b, p.a)];
    const deviation =
      !p.a || !p.b ? undefined : a?.map && b?.map ? ofMaps(p.a.body, p.b.body, a.map, b.map) : deviationOf(p.a.body, p.b.body);
    pairs.push({ name, a, b, deviation });
    o.signal?.throwIfAborted();
  }
  if (!pairs.length) notes.push('neither gives a skin or a solid');
  return { pairs, notes };
}
