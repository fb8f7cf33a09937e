import { type Pick, type Slot, type Step, samePick } from '@ample-skin/core/recipe';
import { useState } from 'react';
import { setInputs, setStudio, useStudio } from '../state/store.ts';
import { pickName } from './names.ts';

const WORDS: Record<string, string> = {
  chain: 'curve or edge',
  edge: 'edge',
  face: 'face',
  vertex: 'corner',
  point: 'point',
  skin: 'skin',
  solid: 'solid',
  body: 'skin or solid',
  flat: 'plane or flat face',
  scan: 'scan',
  piece: 'piece',
};

/** An input filled by picking in the view; chips light up what they stand for, ordered ones are dragged. */
export function SlotField({ step, name, slot }: { step: Step; name: string; slot: Slot }) {
  const active = useStudio((s) => s.open === step.id && s.slot === name);
  const picks: Pick[] = step.inputs[name] ?? [];
  const [drag, setDrag] = useState<number>();
  const move = (from: number, to: number) => {
    const next = [...picks];
    next.splice(to, 0, ...next.splice(from, 1));
    setInputs(step.id, name, next);
  };
  return (
    <div className="field">
      <span className="flabel" title={slot.hint}>
        {slot.label}
      </span>
      <div
        className="slotbox"
        role="button"
        tabIndex={0}
        data-active={active}
        data-slot={name}
        aria-label={`${slot.label}: ${active ? 'picking' : 'click to pick'}`}
        title={slot.hint}
        onClick={() => setStudio({ open: step.id, slot: active ? undefined : name })}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && e.target === e.currentTarget) {
            e.stopPropagation();
            setStudio({ slot: active ? undefined : name });
          }
        }}
      >
        {picks.map((p, i) => (
          <span
            key={`${p.step}${p.output}${p.part?.name ?? ''}${i}`}
            className={`pick ${drag !== undefined && drag !== i ? 'target' : ''}`}
            draggable={slot.ordered}
            onDragStart={(e) => {
              e.stopPropagation();
              setDrag(i);
            }}
            onDragOver={(e) => e.preventDefault()}
            onDrop={(e) => {
              e.preventDefault();
              e.stopPropagation();
              if (drag !== undefined && drag !== i) move(drag, i);
              setDrag(undefined);
            }}
            onDragEnd={() => setDrag(undefined)}
            onMouseEnter={() => setStudio({ hover: p })}
            onMouseLeave={() => setStudio({ hover: undefined })}
          >
            <span>
              {slot.ordered && slot.max > 1 ? `${i + 1} ` : ''}
              {pickName(p)}
            </span>
            <button
              type="button"
              aria-label={`Remove ${pickName(p)}`}
              onClick={(e) => {
                e.stopPropagation();
                setStudio({ hover: undefined });
                setInputs(
                  step.id,
                  name,
                  picks.filter((x) => !samePick(x, p)),
                );
              }}
            >
              ×
            </button>
          </span>
        ))}
        {(active || !picks.length) && (
          <span className="ask">
            {active
              ? `Pick ${picks.length && slot.max > 1 ? 'more: ' : ''}${slot.accepts.map((a) => WORDS[a]).join(', ')}`
              : slot.min
                ? 'Click to pick'
                : 'None'}
          </span>
        )}
      </div>
    </div>
  );
}
