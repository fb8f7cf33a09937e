import { pointOf } from '@ample-skin/core/cage';
import { toWorld, type Vec3 } from '@ample-skin/core/math';
import { type Handle, MOVER, type MoverPart } from '../view/handles.ts';
import { chosenIndices, moverFrame } from './caging.ts';
import type { Doc } from './doc.ts';
import { marksOf } from './handle.ts';
import { axisOf, type Mark, pointAlong, stepShare } from './handle-values.ts';

const COLOURS = ['rust', 'loden', 'slate'] as const;

/** Everything in the view that can be taken hold of while a step is open: its drawn points, and what its tool offers by its marks. */
export function handlesOf(doc: Doc, muted: boolean): Handle[] {
  if (muted) return [];
  const drawn = (doc.drawn?.points ?? []).flatMap((p, index): Handle[] =>
    p.every((x) => typeof x === 'number')
      ? [{ id: { kind: 'point', index }, at: toWorld(doc.frame, [p[0] as number, p[1] as number, (p[2] as number) ?? 0]), shape: 'dot' }]
      : [],
  );
  if (doc.cage) return cageHandles(doc.cage);
  // while points are set by clicks, what a tool offers besides would be in their way
  if (doc.drawing) return drawn;
  return [
    ...drawn,
    ...marksOf(doc, 'slide').flatMap((m, index): Handle[] => {
      const at = pointAlong(m.points, m.at);
      const dot: Handle = { id: { kind: 'slide', index }, at, shape: 'dot', label: m.label };
      return m.arrow ? [dot, { id: { kind: 'slide', index }, at, shape: 'arrow', along: m.arrow, pixels: 44 }] : [dot];
    }),
    ...marksOf(doc, 'grip').map((m, index): Handle => ({ id: { kind: 'grip', index }, at: m.at, shape: 'dot', label: m.label })),
    ...marksOf(doc, 'push').map(
      (m, index): Handle => ({
        id: { kind: 'push', index },
        at: m.from.map((x, k) => x + m.direction[k] * m.value * (m.rate ?? 1)) as unknown as Vec3,
        shape: 'arrow',
        along: m.value < 0 ? (m.direction.map((x) => -x) as unknown as Vec3) : m.direction,
        pixels: 46,
        label: m.label,
      }),
    ),
    ...marksOf(doc, 'turn').map(
      (m, index): Handle => ({
        id: { kind: 'turn', index },
        at: m.centre,
        shape: 'ring',
        along: m.axis,
        side: m.zero,
        pixels: 60,
        label: m.label,
      }),
    ),
    ...marksOf(doc, 'mover').flatMap((m, index) => moverHandles(m, index)),
    ...marksOf(doc, 'chain').flatMap((m, index): Handle[] =>
      m.closed && m.cut[0] === 0 && m.cut[1] === 1
        ? [{ id: { kind: 'chain', index, end: 0 }, at: m.points[0], shape: 'dot', colour: 'brass' }]
        : ([0, 1] as const).map(
            (end): Handle => ({
              id: { kind: 'chain', index, end },
              at: pointAlong(m.points, stepShare(m.points, m.cut[end])),
              shape: 'dot',
              colour: 'brass',
            }),
          ),
    ),
  ];
}

/** Chosen vertices that can be dragged freely, as long as they are few, and the mover in their middle. */
const FREE = 400;
function cageHandles({ open, caging }: NonNullable<Doc['cage']>): Handle[] {
  const frame = moverFrame(open, caging);
  if (!frame) return [];
  const vertices = caging.kind === 'vertex' ? chosenIndices(open.cage, caging) : [];
  const dots =
    vertices.length > FREE
      ? []
      : vertices.map(
          (v): Handle => ({
            id: { kind: 'cage', index: v, part: 'free' },
            at: pointOf(open.cage.points, v),
            shape: 'dot',
            label: open.cage.vertexNames[v],
          }),
        );
  const mover = moverHandles({ kind: 'mover', frame, by: { param: '', value: [0, 0, 0] }, turns: { param: '', value: [0, 0, 0] } }, 0);
  return [...dots, ...mover.map((h) => ({ ...h, id: { kind: 'cage' as const, index: -1, part: (h.id as { part: MoverPart }).part } }))];
}
function moverHandles(m: Mark<'mover'>, index: number): Handle[] {
  const { frame } = m;
  const grip = (part: MoverPart, more: Omit<Handle, 'id' | 'at'>): Handle => ({
    id: { kind: 'mover', index, part },
    at: frame.origin,
    ...more,
  });
  const arrows = (['x', 'y', 'z'] as const).map((part, k) =>
    grip(part, { shape: 'arrow', along: axisOf(frame, k as 0), pixels: MOVER.arrow, colour: COLOURS[k] }),
  );
  const squares = (['yz', 'zx', 'xy'] as const).map((part, k) =>
    grip(part, {
      shape: 'square',
      along: axisOf(frame, k as 0),
      side: axisOf(frame, ((k + 1) % 3) as 0),
      pixels: MOVER.square,
      colour: COLOURS[k],
    }),
  );
  const rings = m.turns
    ? (['turn x', 'turn y', 'turn z'] as const).map((part, k) =>
        grip(part, {
          shape: 'ring',
          along: axisOf(frame, k as 0),
          side: axisOf(frame, ((k + 1) % 3) as 0),
          pixels: MOVER.ring,
          colour: COLOURS[k],
        }),
      )
    : [];
  return [...squares, ...rings, ...arrows];
}
