import type { Step } from '@ample-skin/core/recipe';
import { closestCenter, DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { Empty } from 'antd';
import dynamic from 'next/dynamic';
import { memo, useEffect, useMemo, useRef } from 'react';
import { change, effectiveModel, openStep, useStudio } from '../state/store.ts';
import { stepName } from './names.ts';
import { StepMenu } from './step-menu.tsx';
import { useWhileDragged } from './while-dragged.ts';

const StepCard = dynamic(() => import('./step-card.tsx').then((m) => m.StepCard), { ssr: false });
const STATES: Record<string, string> = {
  warning: '! note',
  error: 'failed',
  asks: 'asks',
  waits: 'waits',
  muted: 'muted',
  hung: 'stopped',
};

/** The ordered list of steps; the open one unfolds where it stands. Rows are moved by dragging, or with the keyboard. */
export function BuildSheet() {
  useStudio((s) => s.model);
  const draft = useStudio((s) => s.draft);
  const open = useStudio((s) => s.open);
  const { steps } = useWhileDragged(effectiveModel());
  return <Sheet steps={steps} drafted={draft?.step.id} open={open} />;
}

const Sheet = memo(function Sheet({
  steps,
  drafted,
  open,
}: {
  steps: readonly Step[];
  drafted: string | undefined;
  open: string | undefined;
}) {
  const order = steps.map((s) => s.id).join(' ');
  const ids = useMemo(() => order.split(' '), [order]);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    const [from, to] = [steps.findIndex((s) => s.id === active.id), steps.findIndex((s) => s.id === over?.id)];
    if (from < 0 || to < 0 || from === to) return;
    const before = from < to ? steps[to + 1]?.id : steps[to].id;
    change(`Move ${stepName(steps[from])}`, { type: 'moveStep', id: steps[from].id, before });
  };
  if (!steps.length)
    return (
      <Empty
        className="pad"
        image={false}
        description="The build sheet is empty. Choose a tool on the left, for instance Spline, and click in the view."
      />
    );
  return (
    <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDragEnd}>
      <SortableContext items={ids} strategy={verticalListSortingStrategy}>
        {steps.map((s, i) =>
          s.id === open ? <StepCard key={s.id} step={s} index={i} draft={drafted === s.id} /> : <StepRow key={s.id} step={s} index={i} />,
        )}
      </SortableContext>
    </DndContext>
  );
});

/** Drawn anew only when its own step or result changes: a drag somewhere else passes it by. */
const StepRow = memo(function StepRow({ step, index }: { step: Step; index: number }) {
  // plain values: a result that says the same draws nothing anew
  const status = useStudio((s) => s.steps.get(step.id)?.status ?? 'fine');
  const looking = useStudio((s) => s.steps.get(step.id)?.facts.some((f) => f.pending) ?? false);
  const ms = useStudio((s) => Math.round(s.steps.get(step.id)?.ms ?? -1));
  const worst = useStudio((s) => {
    const list = s.steps.get(step.id)?.diagnostics;
    return (list?.find((d) => d.severity === 'error') ?? list?.find((d) => d.severity === 'warning'))?.message;
  });
  const selected = useStudio((s) => s.selection.some((p) => p.step === step.id));
  const sortable = useSortable({ id: step.id });
  const row = useRef<HTMLDivElement | null>(null);
  useEffect(() => {
    if (selected) row.current?.scrollIntoView({ block: 'nearest' });
  }, [selected]);
  return (
    <div
      ref={(el) => {
        row.current = el;
        sortable.setNodeRef(el);
      }}
      {...sortable.attributes}
      {...sortable.listeners}
      style={{
        transform: CSS.Translate.toString(sortable.transform),
        transition: sortable.transition,
        opacity: sortable.isDragging ? 0.6 : undefined,
      }}
      className={`row ${status} ${selected ? 'selected' : ''}`}
      role="group"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: Enter acts on it; buttons of their own stand inside, so it cannot be one
      tabIndex={0}
      aria-label={`Step ${stepName(step)}`}
      aria-current={selected}
      title={worst}
      onClick={() => openStep(step.id)}
      onKeyDown={(e) => {
        if (e.key === 'Enter' && e.target === e.currentTarget && !sortable.isDragging) {
          e.stopPropagation();
          openStep(step.id);
        } else sortable.listeners?.onKeyDown?.(e);
      }}
    >
      <span className="n">{index + 1}</span>
      <span className="name">{stepName(step)}</span>
      {status === 'fine' ? (
        <span className="ms">{looking ? 'looking …' : ms >= 0 ? `${ms} ms` : ''}</span>
      ) : (
        <span className="state">{STATES[status]}</span>
      )}
      <StepMenu step={step} />
    </div>
  );
});
