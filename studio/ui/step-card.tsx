import { metaOf, type Step } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Download } from 'lucide-react';
import { useEffect, useRef } from 'react';
import type { z } from 'zod';
import { change, commit, defaultOf, discardDraft, keepDraft, recompute, setParams, setStudio, useStudio, zoomTo } from '../state/store.ts';
import type { Viewport } from '../view/viewport.ts';
import { StepMenu } from './build-sheet.tsx';
import { ParamField } from './fields.tsx';
import { SlotField } from './slot-field.tsx';

/** A step unfolded in place: slots, numbers, verdicts, time. Built from the tool's own definition. */
export function StepCard({ step, index, draft }: { step: Step; index: number; draft: boolean }) {
  const tool = TOOLS.get(step.tool);
  const r = useStudio((s) => s.steps.get(step.id));
  const computing = useStudio((s) => s.progress?.step === step.id);
  const card = useRef<HTMLDivElement>(null);
  useEffect(() => {
    card.current?.scrollIntoView({ block: 'nearest' });
  }, []);
  if (!tool) return null;
  const currentOf = (key: string) => step.params[key] ?? defaultOf(step.tool, key);
  const shown = (when?: { key: string; is: readonly unknown[] }): boolean => {
    if (!when) return true;
    const parent = (tool.params.shape as Record<string, z.ZodType>)[when.key];
    return when.is.includes(currentOf(when.key)) && (!parent || shown(metaOf(parent).when));
  };
  return (
    <div className={`stepcard ${draft ? 'draft' : ''}`} ref={card} data-testid="step-card">
      <header>
        <span className="mono soft">{index + 1}</span>
        <input
          aria-label="Name of the step"
          defaultValue={step.name ?? tool.label}
          key={step.name ?? tool.label}
          maxLength={120}
          onBlur={(e) => {
            const name = e.target.value.trim();
            if (!name || name === (step.name ?? tool.label)) return;
            if (draft) {
              const d = useStudio.getState().draft;
              if (d) setStudio({ draft: { ...d, step: { ...d.step, name } } });
            } else change('Rename step', { type: 'setStep', id: step.id, name });
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
          }}
        />
        <span className="mono soft">{computing ? '…' : r ? `${Math.round(r.ms)} ms` : ''}</span>
        <StepMenu step={step} />
      </header>
      {draft && <p className="hint">{tool.hint}</p>}
      {Object.entries(tool.slots).map(([name, slot]) => shown(slot.when) && <SlotField key={name} step={step} name={name} slot={slot} />)}
      {Object.entries(tool.params.shape as Record<string, z.ZodType>).map(([key, field]) => {
        const meta = metaOf(field);
        return (
          meta.control !== 'hidden' &&
          shown(meta.when) && <ParamField key={key} step={step} name={key} meta={meta} value={currentOf(key)} />
        );
      })}
      {r?.diagnostics.map((d, i) => (
        <div key={`${d.code}${i}`} className={`diag ${d.severity}`} role={d.severity === 'error' ? 'alert' : undefined}>
          {d.message}
          {(d.place?.length || d.suggestions?.length) && (
            <div>
              {!!d.place?.length && (
                <button type="button" onClick={() => zoomTo(d.place ?? [])}>
                  Show the place
                </button>
              )}
              {d.suggestions?.map((s) => (
                <button type="button" key={s.label} onClick={() => commit(s)}>
                  {s.label}
                </button>
              ))}
            </div>
          )}
        </div>
      ))}
      <AsSeen step={step} />
      {!!r?.actions.length && !r.stale && (
        <div className="actions">
          {r.actions.map((a) => (
            <button type="button" className="btn" key={a.label} onClick={() => setParams(step.id, a.params)}>
              {a.label}
            </button>
          ))}
        </div>
      )}
      {!!r?.facts.length && !r.stale && (
        <dl className="factgrid">
          {r.facts.map((f) => (
            <div key={f.label} style={f.value.length > 18 ? { gridColumn: '1 / -1' } : undefined}>
              <dt>{f.label}</dt>
              <dd>{f.value}</dd>
            </div>
          ))}
        </dl>
      )}
      <div className="cardfoot">
        {step.tool === 'export' && (
          <button
            type="button"
            className="btn"
            onClick={() => {
              if (draft) keepDraft();
              recompute({ files: [step.id] });
            }}
          >
            <Download size={14} /> Write file
          </button>
        )}
        {draft ? (
          <>
            <button type="button" className="btn" onClick={discardDraft}>
              Discard <kbd>Esc</kbd>
            </button>
            <button type="button" className="btn primary" onClick={keepDraft}>
              Keep ↵
            </button>
          </>
        ) : (
          <button type="button" className="btn" onClick={() => setStudio({ open: undefined, slot: undefined })}>
            Close
          </button>
        )}
      </div>
    </div>
  );
}

/** Tools that can take the present view as a direction get a button for it. */
function AsSeen({ step }: { step: Step }) {
  const shape = TOOLS.get(step.tool)?.params.shape as Record<string, z.ZodType> | undefined;
  const asPlane = shape?.eye && step.params.method === 'view';
  const asVector = shape?.vector && step.params.direction === 'typed';
  if (!asPlane && !asVector) return null;
  const take = () => {
    const v = (window as unknown as { ampleView?: Viewport }).ampleView;
    if (!v) return;
    const round = (p: readonly number[]) => p.map((x) => Number(x.toFixed(6)));
    if (asVector) setParams(step.id, { vector: round(v.eyeDirection(0)) });
    else setParams(step.id, { eye: round(v.eyeDirection(0)), top: round(v.upDirection(0)), centre: round(v.lookedAt(0)) });
  };
  return (
    <div className="actions">
      <button type="button" className="btn" onClick={take}>
        {asPlane ? 'As seen now' : 'Along the view'}
      </button>
    </div>
  );
}
