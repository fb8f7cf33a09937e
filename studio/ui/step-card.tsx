import { metaOf, type Page, type Step } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import type { StepView } from '@ample-skin/engine';
import { Alert, Button, Collapse, Image } from 'antd';
import { CircleHelp, Download } from 'lucide-react';
import { memo, useEffect, useMemo, useRef } from 'react';
import type { z } from 'zod';
import {
  discardDraft,
  keepDraft,
  paramOf,
  picksOf,
  recompute,
  renameStep,
  setParams,
  setStudio,
  startTrial,
  takeSuggestion,
  useStudio,
  viewLink,
  zoomTo,
} from '../state/store.ts';
import { ParamField } from './fields.tsx';
import { SlotField } from './slot-field.tsx';
import { StepMenu } from './step-menu.tsx';
import { TextField } from './text-field.tsx';
import { useMeasure } from './units.ts';
import { useWhileDragged } from './while-dragged.ts';

/** A step unfolded in place: slots, numbers, verdicts, time. Built from the tool's own definition; its buttons always stay in sight. */
export function StepCard(given: { step: Step; index: number; draft: boolean }) {
  const r = useStudio((s) => s.steps.get(given.step.id));
  const computing = useStudio((s) => s.progress?.step === given.step.id);
  return <CardInFull {...useWhileDragged({ ...given, r, computing })} />;
}

interface CardProps {
  readonly step: Step;
  readonly index: number;
  readonly draft: boolean;
  readonly r: StepView | undefined;
  readonly computing: boolean;
}
const CardInFull = memo(function CardInFull({ step, index, draft, r, computing }: CardProps) {
  const tool = TOOLS.get(step.tool);
  // what a failed attempt measured, and its ways on, belong to it: old shapes are kept beside it
  const told = !!r && (!r.stale || r.status === 'error');
  const card = useRef<HTMLDivElement>(null);
  const measure = useMeasure();
  useEffect(() => {
    card.current?.scrollIntoView({ block: 'nearest' });
  }, []);
  if (!tool)
    return (
      <div className="stepcard" ref={card} data-testid="step-card">
        <Alert type="error" title={`This recipe uses a tool called "${step.tool}" that is not known here`} />
        <Button size="small" onClick={() => setStudio({ open: undefined })}>
          Close
        </Button>
      </div>
    );
  const shape = tool.params.shape as Record<string, z.ZodType>;
  const shown = (when?: { key: string; is: readonly unknown[] }): boolean => {
    if (!when) return true;
    const parent = shape[when.key];
    return when.is.includes(paramOf(step, when.key)) && (!parent || shown(metaOf(parent).when));
  };
  const fields = Object.entries(shape).filter(([, f]) => metaOf(f).control !== 'hidden' && shown(metaOf(f).when));
  const field = ([key, f]: [string, z.ZodType]) => (
    <ParamField key={key} step={step} name={key} meta={metaOf(f)} value={paramOf(step, key)} />
  );
  const common = fields.filter(([, f]) => !metaOf(f).rare);
  const rare = fields.filter(([, f]) => metaOf(f).rare);
  return (
    <div className={`stepcard ${draft ? 'draft' : ''}`} ref={card} data-testid="step-card">
      <header>
        <span className="mono soft">{index + 1}</span>
        <TextField
          plain
          className="stepname"
          label="Name of the step"
          value={step.name ?? tool.label}
          max={120}
          onCommit={(n) => renameStep(step.id, n)}
        />
        <span className="mono soft">{computing ? '…' : r ? `${Math.round(r.ms)} ms` : ''}</span>
        <Button
          type="text"
          size="small"
          aria-label={`Help on ${tool.label}`}
          title="What it does, in a picture, and what goes wrong"
          icon={<CircleHelp size={14} />}
          onClick={() => setStudio({ dialog: 'help', helpAt: `tool ${tool.id}` })}
        />
        <StepMenu step={step} />
      </header>
      <div className="cardbody">
        {draft && <p className="hint">{tool.hint}</p>}
        {Object.entries(tool.slots).map(([name, slot]) => shown(slot.when) && <SlotField key={name} step={step} name={name} slot={slot} />)}
        {common.map(field)}
        {rare.length > 0 && (
          <Collapse
            ghost
            size="small"
            className="more"
            items={[
              { key: 'more', label: 'More', children: rare.map(field), forceRender: rare.some(([k]) => step.params[k] !== undefined) },
            ]}
          />
        )}
        {r?.diagnostics.map((d, i) => {
          const asks = d.code === 'empty-slot';
          return (
            <div
              key={`${d.code}${i}`}
              className={`diag ${asks ? 'asks' : d.severity}`}
              role={d.severity === 'error' && !asks ? 'alert' : 'status'}
            >
              {asks && tool.ask && Object.values(step.inputs).every((l) => !l.length) ? tool.ask : measure(d.message)}
              {(!!d.place?.length || !!d.suggestions?.length) && (
                <div className="actions">
                  {!!d.place?.length && (
                    <Button
                      size="small"
                      onClick={() => {
                        setStudio({ lit: { piece: '', at: d.place?.[0] as never } });
                        zoomTo(d.place ?? []);
                      }}
                    >
                      Show the place
                    </Button>
                  )}
                  {d.suggestions?.map((s) => (
                    <Button size="small" key={s.label} onClick={() => takeSuggestion(step.id, s)}>
                      {s.label}
                    </Button>
                  ))}
                </div>
              )}
            </div>
          );
        })}
        <div className="actions">
          {tool.asSeen?.when.is.includes(paramOf(step, tool.asSeen.when.key)) && (
            <Button size="small" onClick={() => takeView(step)}>
              {tool.asSeen.label}
            </Button>
          )}
          {told &&
            r?.actions.map((a) => (
              <Button size="small" key={a.label} onClick={() => setParams(step.id, a.params)}>
                {a.label}
              </Button>
            ))}
        </div>
        {!!r?.facts.length && told && (
          <dl className="factgrid">
            {r.facts.map((f) => {
              const beyond = f.number !== undefined && f.limit !== undefined && f.number > f.limit;
              return (
                <div key={f.label} className={beyond ? 'beyond' : ''} style={f.value.length > 18 ? { gridColumn: '1 / -1' } : undefined}>
                  <dt>{f.label}</dt>
                  <dd>{measure(f.value)}</dd>
                </div>
              );
            })}
          </dl>
        )}
      </div>
      {!!r?.pages?.length && told && <Pages pages={r.pages} />}
      <div className="cardfoot">
        {picksOf(step).length > 0 && (
          <Button size="small" title="Other methods for the same edges, side by side" onClick={startTrial}>
            Try-off
          </Button>
        )}
        {tool.writes && (
          <Button
            size="small"
            icon={<Download size={14} />}
            onClick={() => {
              if (draft) keepDraft();
              recompute({ files: [step.id] });
            }}
          >
            Write file
          </Button>
        )}
        {draft ? (
          <>
            <Button size="small" onClick={discardDraft}>
              Discard <kbd>Esc</kbd>
            </Button>
            <Button size="small" type="primary" onClick={keepDraft}>
              Keep ↵
            </Button>
          </>
        ) : (
          <Button size="small" onClick={() => setStudio({ open: undefined, slot: undefined })}>
            Close
          </Button>
        )}
      </div>
    </div>
  );
});

/** Pages a step makes, small on its card; a click shows them large, to be leafed through. */
function Pages({ pages }: { pages: readonly Page[] }) {
  const urls = useMemo(() => pages.map((p) => `data:image/svg+xml;charset=utf-8,${encodeURIComponent(p.svg)}`), [pages]);
  return (
    <div className="pages" data-testid="pages">
      <Image.PreviewGroup>
        {pages.map((p, i) => (
          <Image key={p.title} src={urls[i]} alt={p.title} title={p.title} width={pages.length > 1 ? 84 : 172} />
        ))}
      </Image.PreviewGroup>
    </div>
  );
}

/** Parameters of the step take the present view. */
function takeView(step: Step): void {
  const seen = viewLink()?.seen();
  const how = TOOLS.get(step.tool)?.asSeen;
  if (!seen || !how) return;
  const round = (p: readonly number[]) => p.map((x) => Number(x.toFixed(6)));
  setParams(step.id, {
    [how.eye]: round(seen.eye),
    ...(how.up ? { [how.up]: round(seen.up) } : {}),
    ...(how.centre ? { [how.centre]: round(seen.centre) } : {}),
  });
}
