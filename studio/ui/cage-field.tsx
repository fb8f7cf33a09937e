import { OPERATION_WORDS, type Operation } from '@ample-skin/core/cage';
import { Button, Collapse, Segmented, Tooltip } from 'antd';
import { Eye, EyeOff, X } from 'lucide-react';
import type { MouseEvent } from 'react';
import {
  asKind,
  cageOffers,
  cagingNow,
  chosenVertices,
  freshOperation,
  type Offer,
  openCage,
  putOperations,
  readableOperations,
  type Widening,
  wholeOffers,
  widened,
} from '../interact/caging.ts';
import type { CageKind, Caging } from '../state/state.ts';
import { setStudio, useStudio } from '../state/store.ts';
import { OperationBody } from './cage-operation.tsx';
import { NumberField } from './number-field.tsx';

const KINDS: readonly { value: CageKind; label: string }[] = [
  { value: 'vertex', label: 'Vertices' },
  { value: 'edge', label: 'Edges' },
  { value: 'face', label: 'Faces' },
];
const AXES: readonly { value: Caging['axes']; label: string }[] = [
  { value: 'world', label: 'World' },
  { value: 'plane', label: 'Plane' },
  { value: 'normal', label: 'Normal' },
  { value: 'element', label: 'Element' },
];
const WAYS: readonly { way: Widening; label: string; hint: string }[] = [
  { way: 'loop', label: 'Loop', hint: 'On in a line (or click with Alt)' },
  { way: 'ring', label: 'Ring', hint: 'Edges over against each other' },
  { way: 'grow', label: 'Grow', hint: 'One row more' },
  { way: 'shrink', label: 'Shrink', hint: 'One row less' },
  { way: 'connected', label: 'Connected', hint: 'All that hangs together' },
  { way: 'all', label: 'All', hint: 'Everything' },
  { way: 'invert', label: 'Others', hint: 'What is not chosen' },
  { way: 'none', label: 'None', hint: 'Nothing' },
];
const set = (change: Partial<Caging>) => setStudio({ caging: { ...cagingNow(), ...change } });

/** How what is chosen is chosen and moved, and what can be done with it. */
function ChoicePart() {
  const caging = useStudio((s) => s.caging);
  // the cage as the engine last made it
  useStudio((s) => s.pieces);
  const k = caging ?? cagingNow();
  const o = openCage();
  if (!o) return <p className="soft note">The cage is not there yet: pick one above.</p>;
  const offers = cageOffers(o.cage, k);
  const count = k.chosen.length;
  const moved = chosenVertices(o.cage, k).length;
  return (
    <>
      <Segmented
        size="small"
        block
        aria-label="Choose"
        options={[...KINDS]}
        value={k.kind}
        onChange={(v) => setStudio({ caging: asKind(o.cage, k, v as CageKind) })}
      />
      <p className="soft note">
        {!count
          ? 'Click to choose, Ctrl adds, Shift and drag for a box, Alt for a loop'
          : moved
            ? `${count} chosen${k.kind === 'vertex' ? '' : `, ${moved} vertices`}: drag the arrows, planes and rings`
            : 'What was chosen is not there any more'}
      </p>
      <div className="actions" role="toolbar" aria-label="Widen the choice">
        {WAYS.map((w) => (
          <Tooltip key={w.way} title={w.hint}>
            <Button size="small" disabled={!count && w.way !== 'all'} onClick={() => set({ chosen: widened(o.cage, k, w.way) })}>
              {w.label}
            </Button>
          </Tooltip>
        ))}
      </div>
      <div className="cagerow">
        <span className="soft">Axes</span>
        <Segmented size="small" aria-label="Axes" options={[...AXES]} value={k.axes} onChange={(v) => set({ axes: v as Caging['axes'] })} />
      </div>
      <div className="cagerow">
        <span className="soft">Others follow within</span>
        <NumberField
          label="Others follow within"
          value={k.radius}
          quantity="length"
          onCommit={(v) => set({ radius: Math.max(0, Number(v) || 0) })}
        />
      </div>
      <div className="actions" role="toolbar" aria-label="Do with the whole cage">
        {wholeOffers(o.cage).map((f) => (
          <OfferButton key={f.label} offer={f} />
        ))}
      </div>
      {offers.length > 0 && (
        <div className="actions" role="toolbar" aria-label="Do with what is chosen">
          {offers.map((f) => (
            <OfferButton key={f.label} offer={f} />
          ))}
        </div>
      )}
    </>
  );
}

function OfferButton({ offer }: { offer: Offer }) {
  return (
    <Tooltip title={offer.hint}>
      <Button
        size="small"
        onClick={() => {
          const now = openCage();
          if (now) putOperations(now.step, now.key, [...now.operations, offer.make(freshOperation(now.operations))]);
        }}
      >
        {offer.label}
      </Button>
    </Tooltip>
  );
}

/** What an operation acts on, in a word. */
function onWhat(o: Operation): string {
  const [kind, list] = actsOn(o);
  if (!kind) return 'the whole cage';
  const one = { vertex: 'a vertex', edge: 'an edge', face: 'a face' }[kind];
  return list.length === 1 ? one : `${list.length} ${{ vertex: 'vertices', edge: 'edges', face: 'faces' }[kind]}`;
}
/** What an operation names: the kind of its elements and their names. */
function actsOn(o: Operation): [CageKind | undefined, readonly string[]] {
  if ('vertices' in o) return ['vertex', o.vertices];
  if ('faces' in o) return ['face', o.faces];
  if ('edges' in o) return ['edge', o.edges];
  if ('edge' in o) return ['edge', [o.edge]];
  if (o.op === 'weld') return ['vertex', o.groups.flat()];
  if (o.op === 'bridge') return ['edge', [o.from, o.to]];
  return [undefined, []];
}
const chooseOf = (o: Operation) => {
  const [kind, chosen] = actsOn(o);
  if (kind) set({ kind, chosen });
};
/** Mutes an operation, or takes it out of the list. */
function OperationActs({ muted, index, put }: { muted: boolean; index: number; put: (to: (o: Operation) => Operation[]) => void }) {
  const act = (to: (o: Operation) => Operation[]) => (e: MouseEvent) => {
    e.stopPropagation();
    put(to);
  };
  return (
    <>
      <Button
        type="text"
        size="small"
        aria-pressed={muted}
        aria-label={`${muted ? 'Unmute' : 'Mute'} operation ${index + 1}`}
        icon={muted ? <EyeOff size={14} /> : <Eye size={14} />}
        onClick={act((o) => [{ ...o, muted: o.muted ? undefined : true }])}
      />
      <Button type="text" size="small" aria-label={`Remove operation ${index + 1}`} icon={<X size={14} />} onClick={act(() => [])} />
    </>
  );
}
/** The part of a cage's card: what is chosen, what can be done with it, and what was done. */
export function CageField({ step, name, value }: { step: string; name: string; value: unknown }) {
  const list = readableOperations(value);
  const diagnostics = useStudio((s) => s.steps.get(step)?.diagnostics);
  if (!list) return <p className="soft note">These operations cannot be read; the message below says where.</p>;
  const put = (change: (all: readonly Operation[]) => Operation[]) => {
    const now = openCage();
    putOperations(step, name, change(now?.step === step ? now.operations : list));
  };
  const said = (i: number) => diagnostics?.find((d) => d.message.startsWith(`Operation ${i + 1}, `))?.message.replace(/^[^:]*: /, '');
  return (
    <div className="cagefield">
      <ChoicePart />
      {list.length > 0 && (
        <Collapse
          size="small"
          accordion
          collapsible="header"
          className="operations"
          onChange={(keys) => {
            const o = list.find((x) => x.id === [keys].flat()[0]);
            if (o) chooseOf(o);
          }}
          items={list.map((o, i) => ({
            key: o.id,
            className: o.muted ? 'dim' : said(i) ? 'bad' : undefined,
            label: (
              <>
                {i + 1} {OPERATION_WORDS[o.op]} <i className="soft">{onWhat(o)}</i>
                {said(i) && <span className="note">{said(i)}</span>}
              </>
            ),
            extra: (
              <OperationActs muted={!!o.muted} index={i} put={(to) => put((all) => all.flatMap((x) => (x.id === o.id ? to(x) : [x])))} />
            ),
            children: <OperationBody operation={o} index={i} put={(to) => put((all) => all.map((x) => (x.id === o.id ? to(x) : x)))} />,
          }))}
        />
      )}
    </div>
  );
}
