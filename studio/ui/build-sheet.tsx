import type { Step } from '@ample-skin/core/recipe';
import { Dropdown } from 'antd';
import { MoreHorizontal } from 'lucide-react';
import { memo, useEffect, useRef, useState } from 'react';
import { change, effectiveModel, openStep, removeStep, useStudio } from '../state/store.ts';
import { stepName } from './names.ts';
import { StepCard } from './step-card.tsx';

/** The ordered list of steps; the open one unfolds where it stands. */
export function BuildSheet() {
  const model = useStudio((s) => s.model);
  const draft = useStudio((s) => s.draft);
  const open = useStudio((s) => s.open);
  const [over, setOver] = useState<string>();
  const list = effectiveModel();
  void model;
  return (
    <div>
      {list.steps.length === 0 && (
        <div style={{ padding: '18px 16px', color: 'var(--slate)' }}>
          The build sheet is empty. Choose a tool on the left, for instance Spline, and click in the view.
        </div>
      )}
      {list.steps.map((s, i) =>
        s.id === open ? (
          <StepCard key={s.id} step={s} index={i} draft={draft?.step.id === s.id} />
        ) : (
          <StepRow key={s.id} step={s} index={i} over={over === s.id} setOver={setOver} />
        ),
      )}
    </div>
  );
}

/** Drawn anew only when its own step or result changes: a drag somewhere else passes it by. */
const StepRow = memo(function StepRow({
  step,
  index,
  over,
  setOver,
}: {
  step: Step;
  index: number;
  over: boolean;
  setOver: (id: string | undefined) => void;
}) {
  const r = useStudio((s) => s.steps.get(step.id));
  const selected = useStudio((s) => s.selection.some((p) => p.step === step.id));
  const status = r?.status ?? 'fine';
  const worst = r?.diagnostics.find((d) => d.severity === 'error') ?? r?.diagnostics.find((d) => d.severity === 'warning');
  const row = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (selected) row.current?.scrollIntoView({ block: 'nearest' });
  }, [selected]);
  return (
    <div
      ref={row}
      className={`row ${status} ${selected ? 'selected' : ''} ${over ? 'dragover' : ''}`}
      role="button"
      tabIndex={0}
      draggable
      title={worst?.message}
      onClick={() => openStep(step.id)}
      onKeyDown={(e) => {
        if (e.key === 'Enter' && e.target === e.currentTarget) {
          e.stopPropagation();
          openStep(step.id);
        }
      }}
      onDragStart={(e) => e.dataTransfer.setData('text/ample-step', step.id)}
      onDragOver={(e) => {
        if (e.dataTransfer.types.includes('text/ample-step')) {
          e.preventDefault();
          setOver(step.id);
        }
      }}
      onDragLeave={() => setOver(undefined)}
      onDrop={(e) => {
        setOver(undefined);
        const id = e.dataTransfer.getData('text/ample-step');
        if (id && id !== step.id) change('Move step', { type: 'moveStep', id, before: step.id });
      }}
    >
      <span className="n">{index + 1}</span>
      <span className="name">{stepName(step)}</span>
      {status === 'fine' ? (
        <span className="ms">{r ? `${Math.round(r.ms)} ms` : ''}</span>
      ) : (
        <span className="state">
          {{ warning: '! note', error: 'failed', waits: 'waits', muted: 'muted', hung: 'stopped' }[status as string]}
        </span>
      )}
      <StepMenu step={step} />
    </div>
  );
});

export const StepMenu = memo(function StepMenu({ step }: { step: Step }) {
  const isDraft = useStudio((s) => s.draft?.step.id === step.id);
  return (
    <Dropdown
      trigger={['click']}
      menu={{
        items: [
          { key: 'mute', label: step.muted ? 'Unmute' : 'Mute', disabled: isDraft },
          { key: 'copy', label: 'Duplicate', disabled: isDraft },
          { key: 'remove', label: 'Remove', danger: true },
        ],
        onClick: ({ key, domEvent }) => {
          domEvent.stopPropagation();
          if (key === 'mute') change(step.muted ? 'Unmute step' : 'Mute step', { type: 'setStep', id: step.id, muted: !step.muted });
          if (key === 'copy') {
            const steps = effectiveModel().steps;
            change('Duplicate step', {
              type: 'addStep',
              step: { ...step, id: `s${Date.now().toString(36)}`, name: `${stepName(step)} copy` },
              before: steps[steps.findIndex((s) => s.id === step.id) + 1]?.id,
            });
          }
          if (key === 'remove') removeStep(step.id);
        },
      }}
    >
      <button
        type="button"
        className="iconbtn"
        style={{ padding: 2 }}
        aria-label={`More for ${stepName(step)}`}
        onClick={(e) => e.stopPropagation()}
      >
        <MoreHorizontal size={14} />
      </button>
    </Dropdown>
  );
});
