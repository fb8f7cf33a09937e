import { named, OPERATION_WORDS, type Operation } from '@ample-skin/core/cage';
import { Button, Segmented } from 'antd';
import { openCage } from '../interact/caging.ts';
import { NumberField } from './number-field.tsx';

type Numbers = number | string;
/** The axis a vector runs along, when it is written as one. */
const axisOf = (v: readonly Numbers[]): number | undefined => {
  const k = v.findIndex((x) => x !== 0);
  return k >= 0 && v.every((x, i) => i === k || x === 0) ? k : undefined;
};
const unitOf = (axis: number): [number, number, number] => [0, 1, 2].map((i) => (i === axis ? 1 : 0)) as [number, number, number];
const planeAt = (axis: number, at: Numbers) => ({ origin: unitOf(axis).map((x) => (x ? at : 0)), normal: unitOf(axis) });
interface Entry {
  readonly label: string;
  readonly quantity?: 'length' | 'angle' | 'ratio';
  readonly value: Numbers;
  readonly put: (v: Numbers) => Operation;
}
const three = (o: Operation, key: string, label: string, value: readonly Numbers[], quantity: Entry['quantity']): Entry[] =>
  ['x', 'y', 'z'].map((axis, i) => ({
    label: `${label} ${axis}`,
    quantity,
    value: value[i],
    put: (v) => ({ ...o, [key]: value.map((x, j) => (j === i ? v : x)) }) as Operation,
  }));
const one = (o: Operation, key: string, label: string, value: Numbers, quantity?: Entry['quantity']): Entry[] => [
  { label, quantity, value, put: (v) => ({ ...o, [key]: v }) as Operation },
];
/** Numbers of an operation that can be typed. */
function entriesOf(o: Operation): Entry[] {
  switch (o.op) {
    case 'move':
      return [
        ...three(o, 'by', 'By', o.by ?? [0, 0, 0], 'length'),
        ...three(o, 'turn', 'Turn', o.turn ?? [0, 0, 0], 'angle'),
        ...three(o, 'scale', 'Scale', o.scale ?? [1, 1, 1], 'ratio'),
        ...one(o, 'radius', 'Others follow within', o.radius ?? 0, 'length'),
      ];
    case 'extrude-faces':
      return one(o, 'by', 'By', o.by, 'length');
    case 'extrude-edges':
      return three(o, 'by', 'By', o.by, 'length');
    case 'insert-loop':
      return o.shares.map((x, i) => ({
        label: o.shares.length > 1 ? `At share ${i + 1}` : 'At share',
        quantity: 'ratio',
        value: x,
        put: (v) => ({ ...o, shares: o.shares.map((y, j) => (j === i ? v : y)) }),
      }));
    case 'bridge':
    case 'bridge-faces':
      return one(o, 'turns', 'Turns', o.turns, 'ratio');
    case 'crease':
    case 'hold':
      return one(o, 'sharpness', 'Sharpness (over 10 is full)', o.sharpness, 'ratio');
    case 'flatten': {
      const axis = o.plane ? axisOf(o.plane.normal) : undefined;
      return [
        ...(o.plane && axis !== undefined
          ? [
              {
                label: `At ${'xyz'[axis]}`,
                quantity: 'length' as const,
                value: o.plane.origin[axis],
                put: (v: Numbers) => ({ ...o, plane: planeAt(axis, v) }) as Operation,
              },
            ]
          : []),
        ...one(o, 'share', 'Share of the way', o.share, 'ratio'),
      ];
    }
    case 'ring':
      return one(o, 'share', 'Share', o.share, 'ratio');
    case 'slide':
      return one(o, 'share', 'Share (below 0 to the right)', o.share, 'ratio');
    case 'copy-faces':
      return three(o, 'by', 'By', o.by, 'length');
    case 'thicken':
      return one(o, 'by', 'By (below 0 inwards)', o.by, 'length');
    case 'calm':
      return one(o, 'rounds', 'Rounds', o.rounds, 'ratio');
    default:
      return [];
  }
}
/** What an operation can be asked besides numbers: one of a few. */
interface Choice {
  readonly label: string;
  readonly options: readonly { readonly value: string; readonly label: string }[];
  readonly value: string;
  readonly put: (v: string) => Operation;
}
const AXES = ['x', 'y', 'z'].map((value) => ({ value, label: value }));
function choicesOf(o: Operation): Choice[] {
  switch (o.op) {
    case 'flatten': {
      const axis = o.plane && axisOf(o.plane.normal);
      const along = o.along && axisOf(o.along);
      const own = o.plane && axis === undefined;
      return [
        {
          label: 'Into the plane',
          options: [{ value: 'near', label: 'Nearest' }, ...AXES, ...(own ? [{ value: 'own', label: 'Its own' }] : [])],
          value: own ? 'own' : axis === undefined ? 'near' : 'xyz'[axis],
          put: (v) => {
            const { plane, ...rest } = o;
            if (v === 'near') return rest;
            return v === 'own' ? o : ({ ...rest, plane: planeAt('xyz'.indexOf(v), middleOf(o.vertices, 'xyz'.indexOf(v))) } as Operation);
          },
        },
        {
          label: 'They go',
          options: [{ value: 'square', label: 'Square to it' }, ...AXES],
          value: along === undefined ? 'square' : 'xyz'[along],
          put: (v) => {
            const { along: _, ...rest } = o;
            return v === 'square' ? rest : { ...rest, along: unitOf('xyz'.indexOf(v)) };
          },
        },
      ];
    }
    case 'weld':
      return [
        {
          label: 'To',
          options: [
            { value: 'middle', label: 'Their middle' },
            { value: 'first', label: 'The first one' },
          ],
          value: o.place,
          put: (v) => ({ ...o, place: v as 'middle' | 'first' }),
        },
      ];
    case 'dissolve-edges':
      return [
        {
          label: 'Their ends',
          options: [
            { value: 'go', label: 'Go too' },
            { value: 'stay', label: 'Stay' },
          ],
          value: o.heal ? 'go' : 'stay',
          put: (v) => ({ ...o, heal: v === 'go' }),
        },
      ];
    case 'straighten':
      return [
        {
          label: 'Between them',
          options: [
            { value: 'as', label: 'As they are' },
            { value: 'even', label: 'Evenly' },
          ],
          value: o.even ? 'even' : 'as',
          put: (v) => ({ ...o, even: v === 'even' }),
        },
      ];
    default:
      return [];
  }
}
/** Where vertices stand along an axis, on the mean, in the cage as it is now. */
function middleOf(names: readonly string[], axis: number): number {
  const c = openCage()?.cage;
  const own = c ? names.flatMap((n) => named(c).vertices.get(n) ?? []) : [];
  if (!c || !own.length) return 0;
  return Number((own.reduce((sum, v) => sum + c.points[3 * v + axis], 0) / own.length).toFixed(3));
}
/** What can be typed and chosen of an operation, while its row is open. */
export function OperationBody({
  operation: o,
  index,
  put,
}: {
  operation: Operation;
  index: number;
  put: (change: (o: Operation) => Operation) => void;
}) {
  const entries = entriesOf(o);
  const choices = choicesOf(o);
  return (
    <>
      {entries.map((e) => (
        <div className="cagerow" key={e.label}>
          <span className="soft">{e.label}</span>
          <NumberField
            label={`${OPERATION_WORDS[o.op]} ${index + 1}, ${e.label.toLowerCase()}`}
            value={e.value}
            quantity={e.quantity}
            onCommit={(v) => put(() => e.put(v))}
          />
        </div>
      ))}
      {o.op === 'insert-loop' && (
        <Button size="small" onClick={() => put(() => ({ ...o, shares: even(o.shares.length + 1) }))}>
          One loop more
        </Button>
      )}
      {choices.map((c) => (
        <div className="cagerow" key={c.label}>
          <span className="soft">{c.label}</span>
          <Segmented
            size="small"
            aria-label={`${OPERATION_WORDS[o.op]} ${index + 1}, ${c.label.toLowerCase()}`}
            options={[...c.options]}
            value={c.value}
            onChange={(v) => put(() => c.put(v as string))}
          />
        </div>
      ))}
      {!entries.length && !choices.length && <p className="soft note">It has no numbers. What it acts on is chosen in the view.</p>}
    </>
  );
}
const even = (n: number): number[] => Array.from({ length: n }, (_, i) => Number(((i + 1) / (n + 1)).toFixed(4)));
