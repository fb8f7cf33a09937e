import { type Pick, type Slot, type Step, samePick, wordsOf } from '@ample-skin/core/recipe';
import { closestCenter, DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { arrayMove, rectSortingStrategy, SortableContext, sortableKeyboardCoordinates, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { Dropdown, Tag } from 'antd';
import { memo, type ReactNode } from 'react';
import { setInputs, setPickSettings, setStudio, useStudio } from '../state/store.ts';
import { Field, SettingsRow } from './fields.tsx';
import { pickName } from './names.ts';

const WAYS = { chain: 'Smooth chain', loop: 'Loop of its face', rim: 'Whole rim', smooth: 'Smooth area' } as const;

/** An input filled by picking in the view; chips light up what they stand for, ordered ones are dragged (by keyboard too). */
export const SlotField = memo(PlainSlotField, (a, b) => {
  const same = a.step.id === b.step.id && a.name === b.name && a.slot === b.slot;
  return same && a.step.inputs[a.name] === b.step.inputs[b.name];
});
function PlainSlotField({ step, name, slot }: { step: Step; name: string; slot: Slot }) {
  const active = useStudio((s) => s.open === step.id && s.slot === name);
  const picks: readonly Pick[] = step.inputs[name] ?? [];
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const ids = picks.map((p, i) => `${i}|${p.step}|${p.output}|${p.part?.name ?? ''}`);
  const put = (next: readonly Pick[]) => setInputs(step.id, name, next);
  const onDragEnd = ({ active: a, over }: DragEndEvent) => {
    const [from, to] = [ids.indexOf(String(a.id)), ids.indexOf(String(over?.id))];
    if (from >= 0 && to >= 0 && from !== to) put(arrayMove([...picks], from, to));
  };
  const empty = slot.accepts.length === 1 && slot.accepts[0] === 'flat' && slot.drawn ? 'World' : 'None';
  return (
    <Field label={slot.label} hint={slot.hint}>
      <div
        className="slotbox"
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: Enter acts on it; buttons of their own stand inside, so it cannot be one
        tabIndex={0}
        data-active={active}
        data-slot={name}
        aria-current={active}
        aria-label={`${slot.label}: ${active ? 'picking' : 'click to pick'}`}
        onClick={() => setStudio({ open: step.id, slot: name })}
        onKeyDown={(e) => {
          if ((e.key === 'Enter' || e.key === ' ') && e.target === e.currentTarget) {
            e.preventDefault();
            e.stopPropagation();
            setStudio({ open: step.id, slot: active ? undefined : name });
          }
        }}
      >
        <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDragEnd}>
          <SortableContext items={ids} strategy={rectSortingStrategy} disabled={!slot.ordered}>
            {picks.map((p, i) => (
              <Chip key={ids[i]} id={ids[i]} pick={p} slot={slot} step={step} index={i} name={name} put={put} picks={picks} />
            ))}
          </SortableContext>
        </DndContext>
        {(active || !picks.length) && (
          <span className="ask">
            {active ? `Pick ${picks.length && slot.max > 1 ? 'more: ' : ''}${wordsOf(slot)}` : slot.min ? 'Click to pick' : empty}
          </span>
        )}
      </div>
    </Field>
  );
}

interface ChipProps {
  readonly id: string;
  readonly pick: Pick;
  readonly picks: readonly Pick[];
  readonly slot: Slot;
  readonly step: Step;
  readonly name: string;
  readonly index: number;
  readonly put: (next: readonly Pick[]) => void;
}
function Chip({ id, pick, picks, slot, step, name, index, put }: ChipProps) {
  const sortable = useSortable({ id, disabled: !slot.ordered });
  const style = { transform: CSS.Transform.toString(sortable.transform), transition: sortable.transition };
  const ways = (slot.grow ?? []).filter((w) =>
    pick.part?.kind === 'edge' ? w !== 'smooth' : pick.part?.kind === 'face' && w === 'smooth',
  );
  const grown = (body: ReactNode) =>
    ways.length ? (
      <Dropdown
        trigger={['click']}
        menu={{
          selectedKeys: [pick.grow?.way ?? ''],
          items: [
            { key: '', label: pick.part?.kind === 'face' ? 'This face only' : 'This edge only' },
            ...ways.map((w) => ({ key: w, label: WAYS[w] })),
          ],
          onClick: ({ key, domEvent }) => {
            domEvent.stopPropagation();
            put(picks.map((x, k) => (k === index ? { ...x, grow: key ? { way: key as 'chain' } : undefined } : x)));
          },
        }}
      >
        {body}
      </Dropdown>
    ) : (
      body
    );
  return (
    <div className="pickwrap" ref={sortable.setNodeRef} style={style}>
      <Tag
        className="pick"
        closable
        closeIcon={
          <span role="button" tabIndex={0} aria-label={`Remove ${pickName(pick)}`}>
            ×
          </span>
        }
        onClose={(e) => {
          e.preventDefault();
          e.stopPropagation();
          setStudio({ hover: undefined });
          put(picks.filter((x) => !samePick(x, pick)));
        }}
        onMouseEnter={() => setStudio({ hover: pick })}
        onMouseLeave={() => setStudio({ hover: undefined })}
      >
        {grown(
          <span
            {...(slot.ordered ? { ...sortable.attributes, ...sortable.listeners } : {})}
            className="picktext"
            onClick={(e) => ways.length && e.stopPropagation()}
          >
            {slot.ordered && slot.max > 1 ? `${index + 1} ` : ''}
            {pickName(pick)}
          </span>,
        )}
      </Tag>
      {slot.each && (
        <div onClick={(e) => e.stopPropagation()} onKeyDown={(e) => e.stopPropagation()}>
          <SettingsRow schema={slot.each} values={pick.settings ?? {}} onChange={(v) => setPickSettings(step, name, index, v)} />
        </div>
      )}
    </div>
  );
}
