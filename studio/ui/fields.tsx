import { evaluateFormula } from '@ample-skin/core/math';
import { metaOf, type ParamMeta, type Step } from '@ample-skin/core/recipe';
import type { Sketch } from '@ample-skin/core/sketch';
import { Button, Slider, Switch, Tooltip, Upload } from 'antd';
import dynamic from 'next/dynamic';
import { memo, type ReactNode, useRef, useState } from 'react';
import type { z } from 'zod';
import { readable } from '../interact/sketching.ts';
import { endPreview, notify, setParams, setStudio, stepOf, useStudio } from '../state/store.ts';
import { CageField } from './cage-field.tsx';
import { Choice } from './choice.tsx';
import { storeFile } from './files.ts';
import { NumberField, useDialNames } from './number-field.tsx';
import { TextField } from './text-field.tsx';

const LawField = dynamic(() => import('./law-field.tsx').then((m) => m.LawField), { ssr: false });
const SketchField = dynamic(() => import('./sketch-field.tsx').then((m) => m.SketchField), { ssr: false });
type Formula = number | string;

/** A label with its hint, and the field beside it. */
export function Field({ label, hint, name, children }: { label: string; hint?: string; name?: string; children: ReactNode }) {
  return (
    <div className="field" data-param={name}>
      <Tooltip title={hint} mouseEnterDelay={0.5} placement="left" destroyOnHidden>
        <span className={`flabel ${hint ? 'hinted' : ''}`}>{label}</span>
      </Tooltip>
      <div style={{ minWidth: 0 }}>{children}</div>
    </div>
  );
}
const stepFor = (v: Formula): number => {
  const a = Math.abs(Number(v));
  return a >= 100 ? 1 : a >= 10 ? 0.5 : a >= 1 ? 0.1 : 0.01;
};

/** Fields that any record of parameter kinds can hold: those of a step, and those of a single pick. */
export function ValueField({
  meta,
  value,
  commit,
  preview,
  narrow,
}: {
  meta: ParamMeta;
  value: unknown;
  commit: (v: unknown) => void;
  preview?: (v: unknown) => void;
  narrow?: boolean;
}) {
  switch (meta.control) {
    case 'number':
    case 'integer': {
      const field = (
        <NumberField
          label={meta.label}
          value={value as Formula}
          quantity={meta.control === 'integer' ? undefined : meta.quantity}
          step={meta.control === 'integer' ? 1 : stepFor(value as Formula)}
          onCommit={commit}
          onPreview={preview}
        />
      );
      if (!meta.slider || typeof value !== 'number') return field;
      return (
        <>
          {field}
          <RangeSlider meta={meta} value={value} commit={commit} preview={preview} />
        </>
      );
    }
    case 'law':
      return <LawField meta={meta} value={value as (readonly [number, Formula])[]} commit={commit} preview={preview} />;
    case 'choice':
      return <Choice label={meta.label} options={meta.options ?? []} value={value as string} onChange={commit} narrow={narrow} />;
    case 'toggle':
      return <Switch size="small" checked={value as boolean} onChange={commit} aria-label={meta.label} />;
    case 'text':
      return <TextField label={meta.label} value={String(value)} onCommit={commit} allowEmpty />;
    case 'vector':
      return (
        <div className="triple">
          {(value as Formula[]).map((v, i) => (
            <NumberField
              key={'xyz'[i]}
              label={`${meta.label} ${'xyz'[i]}`}
              unit={'xyz'[i]}
              quantity={meta.quantity}
              value={v}
              step={stepFor(v)}
              onCommit={(x) => commit((value as Formula[]).map((o, k) => (k === i ? x : o)))}
              onPreview={preview && ((x) => preview((value as Formula[]).map((o, k) => (k === i ? x : o))))}
            />
          ))}
        </div>
      );
    default:
      return null;
  }
}

/** A slider over the whole range of a number: even steps, or even in powers of ten. */
function RangeSlider({
  meta,
  value,
  commit,
  preview,
}: {
  meta: ParamMeta;
  value: number;
  commit: (v: unknown) => void;
  preview?: (v: unknown) => void;
}) {
  const powers = meta.slider === 'powers';
  const [low, high] = [meta.min ?? 0, meta.max ?? 1];
  const to = (x: number) => (powers ? Math.log10(Math.min(high, Math.max(low, x))) : x);
  const from = (x: number) => (meta.control === 'integer' ? Math.round(x) : Number((powers ? 10 ** x : x).toPrecision(powers ? 2 : 4)));
  return (
    <Slider
      className="range"
      min={to(low)}
      max={to(high)}
      step={meta.control === 'integer' ? 1 : powers ? 0.05 : (meta.step ?? (high - low) / 100)}
      value={to(value)}
      ariaLabelForHandle={`${meta.label}, slider`}
      tooltip={{ formatter: (x) => String(from(x ?? 0)) }}
      onChange={(x) => (preview ?? commit)(from(x))}
      onChangeComplete={(x) => commit(from(x))}
    />
  );
}

interface ParamProps {
  readonly step: Step;
  readonly name: string;
  readonly meta: ParamMeta;
  readonly value: unknown;
}
const alike = (a: unknown, b: unknown) => a === b || JSON.stringify(a) === JSON.stringify(b);
/** One parameter of a step, drawn by its kind; anew only when its own value changes, as a drag in the view changes one of many. */
export const ParamField = memo(
  function ParamField({ step, name, meta, value }: ParamProps) {
    const before = useRef<{ value: unknown } | undefined>(undefined);
    const preview = (v: unknown) => {
      before.current ??= { value: stepOf(step.id)?.params[name] };
      setParams(step.id, { [name]: v }, true);
    };
    const commit = (v: unknown) => {
      const old = before.current;
      before.current = undefined;
      if (old) endPreview(step.id, name, old.value, v);
      else setParams(step.id, { [name]: v });
    };
    if (meta.control === 'sketch')
      return (
        <div className="field" data-param={name}>
          {readable(value) ? (
            <SketchField sketch={value as Sketch} />
          ) : (
            <p className="soft note">This sketch cannot be read; the message below says where.</p>
          )}
        </div>
      );
    if (meta.control === 'operations')
      return (
        <div className="field" data-param={name}>
          <CageField step={step.id} name={name} value={value} />
        </div>
      );
    const special = () => {
      switch (meta.control) {
        case 'points':
          return <PointsField step={step} name={name} meta={meta} value={value as Formula[][]} commit={commit} />;
        case 'numbers':
          return <NumbersField meta={meta} value={value as number[]} commit={commit} />;
        case 'places':
          return <PlacesField step={step} value={value as number[][]} commit={commit} />;
        case 'asset':
          return <AssetField value={value as string} meta={meta} commit={commit} />;
        default:
          return <ValueField meta={meta} value={value} commit={commit} preview={preview} />;
      }
    };
    return (
      <Field label={meta.label} hint={meta.hint} name={name}>
        {special()}
      </Field>
    );
  },
  (a, b) => a.step.id === b.step.id && a.name === b.name && a.meta === b.meta && alike(a.value, b.value),
);

/** Settings that one pick carries by itself, in a row under its chip. */
export function SettingsRow({
  schema,
  values,
  onChange,
}: {
  schema: z.ZodObject;
  values: Readonly<Record<string, unknown>>;
  onChange: (v: Record<string, unknown>) => void;
}) {
  const defaults = schema.safeParse({});
  const current = { ...(defaults.success ? (defaults.data as Record<string, unknown>) : {}), ...values };
  return (
    <div className="picksettings">
      {Object.entries(schema.shape as Record<string, z.ZodType>).map(([key, field]) => {
        const meta = metaOf(field);
        return (
          <div key={key} className="picksetting" title={meta.hint}>
            <span className="soft">{meta.label}</span>
            <ValueField narrow meta={meta} value={current[key]} commit={(v) => onChange({ [key]: v })} />
          </div>
        );
      })}
    </div>
  );
}

function NumbersField({ meta, value, commit }: { meta: ParamMeta; value: number[]; commit: (v: unknown) => void }) {
  return (
    <TextField
      label={meta.label}
      value={value.join(' ')}
      placeholder="Numbers, spaces between"
      allowEmpty
      onCommit={(t) => {
        const list = t
          .trim()
          .split(/[\s;]+/)
          .filter(Boolean)
          .map(Number);
        if (list.some((x) => !Number.isFinite(x))) notify('error', `${meta.label}: only numbers with spaces between`);
        else commit(list);
      }}
    />
  );
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
  // rows are given the same two functions for ever, which do what the newest picture says
  const act = useRef({ set: (_i: number, _k: number, _v: Formula) => {}, remove: (_i: number) => {} });
  const [latest] = useState(() => ({
    set: (i: number, k: number, v: Formula) => act.current.set(i, k, v),
    remove: (i: number) => act.current.remove(i),
  }));
  const set = (i: number, k: number, v: Formula) => {
    if (typeof v === 'string') {
      const r = evaluateFormula(v, names);
      if (!r.ok) return notify('error', `${meta.label} ${i + 1}: ${r.message}`);
    }
    const next = value.map((p) => [...p]);
    while (next[i].length <= k) next[i].push(0);
    if (next[i][k] !== v) {
      next[i][k] = v;
      commit(next);
    }
  };
  act.current = { set, remove: (i) => commit(value.filter((_, j) => j !== i)) };
  return (
    <div className="points" onFocus={() => setStudio({ slot: undefined })}>
      {value.map((p, i) => (
        <PointRow
          key={`${step.id}${name}${i}`}
          label={meta.label}
          index={i}
          point={p}
          single={single}
          set={latest.set}
          remove={latest.remove}
        />
      ))}
      {!value.length && <span className="soft pointsempty">Click in the view, or type coordinates below it</span>}
    </div>
  );
}

interface PointProps {
  readonly label: string;
  readonly index: number;
  readonly point: readonly Formula[];
  readonly single: boolean;
  readonly set: (i: number, k: number, v: Formula) => void;
  readonly remove: (i: number) => void;
}
/** One of many points: drawn anew only when it is the one that moves. */
const PointRow = memo(
  function PointRow({ label, index, point, single, set, remove }: PointProps) {
    return (
      <div>
        <span className="n">{single ? '' : index + 1}</span>
        {[0, 1, 2].map((k) => (
          <NumberField
            key={k}
            plain
            quantity="length"
            label={`${label} ${index + 1} ${'xyz'[k]}`}
            value={typeof point[k] === 'number' ? Number((point[k] as number).toFixed(4)) : (point[k] ?? 0)}
            onCommit={(v) => set(index, k, v)}
          />
        ))}
        {single ? (
          <span />
        ) : (
          <Button type="text" size="small" aria-label={`Remove point ${index + 1}`} onClick={() => remove(index)}>
            ×
          </Button>
        )}
      </div>
    );
  },
  (a, b) => a.index === b.index && a.label === b.label && a.single === b.single && alike(a.point, b.point),
);

function PlacesField({ step, value, commit }: { step: Step; value: number[][]; commit: (v: unknown) => void }) {
  const marks = useStudio((s) => s.steps.get(step.id)?.marks.filter((m) => m.kind === 'region').length ?? 0);
  return (
    <div style={{ paddingTop: 3 }}>
      <span className="soft" style={{ fontSize: 12 }}>
        {value.length ? `${value.length} kept by click` : marks ? 'Click a dot in the view: green is kept' : 'The largest'}
      </span>
      {value.length > 0 && (
        <Button size="small" style={{ marginLeft: 8 }} onClick={() => commit([])}>
          Reset
        </Button>
      )}
    </div>
  );
}

function AssetField({ value, meta, commit }: { value: string; meta: ParamMeta; commit: (v: unknown) => void }) {
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
    <Upload
      accept={meta.files?.join(',')}
      showUploadList={false}
      beforeUpload={(f) => {
        void choose(f);
        return false;
      }}
    >
      <Button size="small" loading={busy} title={meta.files?.join(' ')}>
        {value ? 'Another file' : 'Choose a file'}
      </Button>
    </Upload>
  );
}
