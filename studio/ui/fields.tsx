import { evaluateFormula, formatNumber, formulaNames } from '@ample-skin/core/math';
import type { ParamMeta, Step } from '@ample-skin/core/recipe';
import type { Sketch } from '@ample-skin/core/sketch';
import { Switch } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { endPreview, notify, setParams, setStudio, useStudio } from '../state/store.ts';
import { storeFile } from './files.ts';
import { SketchField } from './sketch-field.tsx';
import { readable } from './sketching.ts';

type Formula = number | string;

/** Dial names and values, for formulas typed in fields. */
export function useDialNames(): ReadonlyMap<string, number> {
  const dials = useStudio((s) => s.dials);
  return new Map([...dials].flatMap(([n, d]) => (d.value !== undefined ? [[n, d.value] as const] : [])));
}

interface NumberProps {
  readonly value: Formula;
  readonly label: string;
  readonly unit?: string;
  readonly step?: number;
  readonly onCommit: (v: Formula) => void;
  readonly onPreview?: (v: number) => void;
}
/** A number that takes units and formulas, is dragged sideways, and shows what its formula gives. */
export function NumberField({ value, label, unit, step = 1, onCommit, onPreview }: NumberProps) {
  const names = useDialNames();
  const [text, setText] = useState(String(value));
  const [bad, setBad] = useState<string>();
  const start = useRef<{ x: number; value: number } | undefined>(undefined);
  useEffect(() => {
    setText(typeof value === 'number' ? String(Number(value.toPrecision(9))) : value);
    setBad(undefined);
  }, [value]);
  const isFormula = typeof value === 'string';
  const shown = isFormula ? evaluateFormula(value, names) : undefined;
  const done = (t: string) => {
    const trimmed = t.trim();
    if (trimmed === String(value)) return;
    const r = evaluateFormula(trimmed, names);
    if (!r.ok) {
      setBad(r.message);
      return;
    }
    setBad(undefined);
    onCommit(formulaNames(trimmed).length || /[a-z]/i.test(trimmed.replace(/e[-+]?\d/i, '')) ? trimmed : r.value);
  };
  return (
    <div className={`numfield ${bad ? 'bad' : ''}`} title={bad ?? (isFormula && shown?.ok ? `= ${formatNumber(shown.value)}` : undefined)}>
      <input
        aria-label={label}
        value={text}
        spellCheck={false}
        aria-invalid={!!bad}
        onChange={(e) => setText(e.target.value)}
        onFocus={(e) => e.target.select()}
        onBlur={(e) => done(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            done(e.currentTarget.value);
            if (!e.currentTarget.closest('.points')) e.currentTarget.blur();
          }
          if (e.key === 'Escape') {
            setText(String(value));
            setBad(undefined);
          }
        }}
      />
      <span
        className="grip"
        title="Drag sideways"
        onPointerDown={(e) => {
          if (isFormula || !onPreview) return;
          e.currentTarget.setPointerCapture(e.pointerId);
          start.current = { x: e.clientX, value: Number(value) };
        }}
        onPointerMove={(e) => {
          if (start.current && onPreview)
            onPreview(Number((start.current.value + Math.round((e.clientX - start.current.x) / 3) * step).toPrecision(10)));
        }}
        onPointerUp={(e) => {
          if (!start.current) return;
          const v = Number((start.current.value + Math.round((e.clientX - start.current.x) / 3) * step).toPrecision(10));
          start.current = undefined;
          onCommit(v);
        }}
      >
        {isFormula && shown?.ok ? `= ${formatNumber(shown.value, 3)}` : (unit ?? '↔')}
      </span>
    </div>
  );
}

export function Segments<T extends string>({
  label,
  options,
  value,
  onChange,
}: {
  label: string;
  options: readonly { value: T; label: string }[];
  value: T;
  onChange: (v: T) => void;
}) {
  return (
    <div className="seg" role="radiogroup" aria-label={label}>
      {options.map((o) => (
        <button key={o.value} type="button" role="radio" aria-checked={value === o.value} onClick={() => onChange(o.value)}>
          {o.label}
        </button>
      ))}
    </div>
  );
}

const UNITS: Record<string, string | undefined> = { length: 'mm', angle: '°' };

/** One parameter of a step, drawn by its kind. */
export function ParamField({ step, name, meta, value }: { step: Step; name: string; meta: ParamMeta; value: unknown }) {
  const commit = (v: unknown) => setParams(step.id, { [name]: v });
  const id = `${step.id}-${name}`;
  const before = useRef<unknown>(undefined);
  const preview = (v: unknown) => {
    before.current ??= value;
    setParams(step.id, { [name]: v }, true);
  };
  const finish = (v: unknown) => {
    if (before.current !== undefined) {
      const old = before.current;
      before.current = undefined;
      endPreview(step.id, name, old, v);
    } else commit(v);
  };
  const field = () => {
    switch (meta.control) {
      case 'number':
      case 'integer':
        return (
          <NumberField
            label={meta.label}
            value={value as Formula}
            unit={UNITS[meta.quantity ?? '']}
            step={meta.control === 'integer' ? 1 : stepOf(value as Formula)}
            onCommit={finish}
            onPreview={preview}
          />
        );
      case 'choice':
        return (meta.options?.length ?? 0) <= 4 ? (
          <Segments label={meta.label} options={meta.options ?? []} value={value as string} onChange={commit} />
        ) : (
          <select aria-label={meta.label} value={value as string} onChange={(e) => commit(e.target.value)}>
            {meta.options?.map((o) => (
              <option key={o.value} value={o.value}>
                {o.label}
              </option>
            ))}
          </select>
        );
      case 'toggle':
        return <Switch size="small" checked={value as boolean} onChange={commit} aria-label={meta.label} style={{ marginTop: 4 }} />;
      case 'text':
        return (
          <div className="numfield">
            <input
              aria-label={meta.label}
              key={String(value)}
              defaultValue={String(value)}
              onBlur={(e) => {
                if (e.target.value !== value) commit(e.target.value);
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur();
              }}
            />
          </div>
        );
      case 'vector':
        return (
          <div className="triple">
            {(value as Formula[]).map((v, i) => (
              <NumberField
                key={`${id}${'xyz'[i]}`}
                label={`${meta.label} ${'xyz'[i]}`}
                unit={'xyz'[i]}
                value={v}
                step={stepOf(v)}
                onCommit={(x) => finish((value as Formula[]).map((o, k) => (k === i ? x : o)))}
                onPreview={(x) => preview((value as Formula[]).map((o, k) => (k === i ? x : o)))}
              />
            ))}
          </div>
        );
      case 'points':
        return <PointsField step={step} name={name} meta={meta} value={value as Formula[][]} commit={commit} />;
      case 'numbers':
        return (
          <div className="numfield">
            <input
              aria-label={meta.label}
              key={JSON.stringify(value)}
              defaultValue={(value as number[]).join(' ')}
              placeholder="1 1 2 1"
              onBlur={(e) => {
                const list = e.target.value
                  .trim()
                  .split(/[\s;]+/)
                  .filter(Boolean)
                  .map(Number);
                if (list.some((x) => !Number.isFinite(x))) notify('error', `${meta.label}: only numbers with spaces between`);
                else if (JSON.stringify(list) !== JSON.stringify(value)) commit(list);
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur();
              }}
            />
          </div>
        );
      case 'places':
        return <PlacesField step={step} value={value as number[][]} commit={commit} />;
      case 'sketch':
        return readable(value) ? (
          <SketchField sketch={value as Sketch} />
        ) : (
          <p className="soft note">This sketch cannot be read; the message below says where.</p>
        );
      case 'asset':
        return <AssetField value={value as string} meta={meta} commit={commit} />;
      default:
        return null;
    }
  };
  if (meta.control === 'sketch')
    return (
      <div className="field" data-param={name}>
        {field()}
      </div>
    );
  return (
    <div className="field" data-param={name}>
      <span className="flabel" title={meta.hint}>
        {meta.label}
      </span>
      <div style={{ minWidth: 0 }}>{field()}</div>
    </div>
  );
}
function stepOf(v: Formula): number {
  const a = Math.abs(Number(v));
  return a >= 100 ? 1 : a >= 10 ? 0.5 : a >= 1 ? 0.1 : 0.01;
}

function PointsField({
  step,
  name,
  meta,
  value,
  commit,
}: {
  step: Step;
  name: string;
  meta: ParamMeta;
  value: Formula[][];
  commit: (v: unknown) => void;
}) {
  const names = useDialNames();
  const single = meta.minPoints === 1;
  const set = (i: number, k: number, text: string, reset: () => void) => {
    const r = evaluateFormula(text, names);
    if (!r.ok) {
      notify('error', `${meta.label} ${i + 1}: ${r.message}`);
      reset();
      return;
    }
    const v: Formula = /[a-z_]/i.test(text.replace(/e[-+]?\d/i, '')) ? text : r.value;
    const next = value.map((p) => [...p]);
    while (next[i].length <= k) next[i].push(0);
    if (next[i][k] === v) return;
    next[i][k] = v;
    commit(next);
  };
  return (
    <div className="points" onFocus={() => setStudio({ slot: undefined })}>
      {value.map((p, i) => (
        <div key={`${step.id}${name}${i}${p.join(',')}`}>
          <span className="n">{single ? '' : i + 1}</span>
          {[0, 1, 2].map((k) => (
            <input
              key={k}
              aria-label={`${meta.label} ${i + 1} ${'xyz'[k]}`}
              defaultValue={typeof p[k] === 'number' ? String(Number((p[k] as number).toFixed(4))) : (p[k] ?? '0')}
              onBlur={(e) => {
                const old = String(p[k] ?? 0);
                const t = e.target.value.trim();
                if (t !== old && t !== String(Number(Number(p[k] ?? 0).toFixed(4))))
                  set(i, k, t, () => {
                    e.target.value = old;
                  });
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur();
              }}
            />
          ))}
          {single ? (
            <span />
          ) : (
            <button type="button" aria-label={`Remove point ${i + 1}`} onClick={() => commit(value.filter((_, j) => j !== i))}>
              ×
            </button>
          )}
        </div>
      ))}
      {!value.length && (
        <span className="soft" style={{ padding: '4px 8px', display: 'block', fontSize: 12 }}>
          Click in the view, or type coordinates below it
        </span>
      )}
    </div>
  );
}

function PlacesField({ step, value, commit }: { step: Step; value: number[][]; commit: (v: unknown) => void }) {
  const marks = useStudio((s) => s.steps.get(step.id)?.marks.filter((m) => m.kind === 'region').length ?? 0);
  return (
    <div style={{ paddingTop: 3 }}>
      <span className="soft" style={{ fontSize: 12 }}>
        {value.length ? `${value.length} kept by click` : marks ? 'Click a dot in the view: green is kept' : 'The largest'}
      </span>
      {value.length > 0 && (
        <button type="button" className="btn" style={{ marginLeft: 8, padding: '0 7px' }} onClick={() => commit([])}>
          Reset
        </button>
      )}
    </div>
  );
}

function AssetField({ value, meta, commit }: { value: string; meta: ParamMeta; commit: (v: unknown) => void }) {
  const files = meta.files ?? [];
  const input = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  const choose = async (f: File) => {
    setBusy(true);
    try {
      commit(await storeFile(f, meta.megabytes));
    } catch (e) {
      notify('error', `${f.name}: ${(e as Error).message}`);
    }
    setBusy(false);
  };
  return (
    <>
      <button type="button" className="btn" disabled={busy} title={files.join(' ')} onClick={() => input.current?.click()}>
        {busy ? 'Storing…' : value ? 'Another file' : 'Choose a file'}
      </button>
      <input
        ref={input}
        type="file"
        hidden
        accept={files.join(',')}
        onChange={(e) => {
          const f = e.target.files?.[0];
          e.target.value = '';
          if (f) void choose(f);
        }}
      />
    </>
  );
}
