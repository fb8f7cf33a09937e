import { evaluateFormula, formatNumber, formulaMeasures, formulaNames, type Measured } from '@ample-skin/core/math';
import { AutoComplete, Input, type InputRef } from 'antd';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type StudioState, useStudio } from '../state/state.ts';
import { unitFactor } from './units.ts';

type Formula = number | string;
const NO_STEPS: StudioState['steps'] = new Map();
/** Dial names and values, for formulas typed in fields. */
export function useDialNames(): ReadonlyMap<string, number> {
  const dials = useStudio((s) => s.dials);
  return useMemo(() => new Map([...dials].flatMap(([n, d]) => (d.value !== undefined ? [[n, d.value] as const] : []))), [dials]);
}

/** What formulas measured when the model was last computed. */
const measuredBy =
  (steps: StudioState['steps']): Measured =>
  (step, fact) => {
    for (const s of steps.values()) {
      const value = s.measured?.[`${step}.${fact}`];
      if (value !== undefined) return { ok: true, value };
    }
    return { ok: false, message: 'not measured yet' };
  };
/** While a formula is typed only its writing is looked at: what it measures is found out, and told, by the engine. */
const anything: Measured = () => ({ ok: true, value: 1 });

interface NumberProps {
  readonly value: Formula;
  readonly label: string;
  readonly quantity?: 'length' | 'angle' | 'ratio';
  readonly unit?: string;
  readonly step?: number;
  readonly plain?: boolean;
  readonly onCommit: (v: Formula) => void;
  readonly onPreview?: (v: number) => void;
}
/**
 * A number that takes units and formulas, is dragged sideways at its unit, and shows what its formula gives. Plain numbers of lengths count
 * in the model's unit; in formulas they count in mm. What is typed is handed on once: by Enter, by Tab or by leaving.
 */
export function NumberField({ value, label, quantity, unit, step = 1, plain, onCommit, onPreview }: NumberProps) {
  const names = useDialNames();
  const steps = useStudio((s) => (typeof value === 'string' && formulaMeasures(value).length ? s.steps : NO_STEPS));
  const modelUnit = useStudio((s) => s.model.unit);
  const factor = quantity === 'length' ? unitFactor(modelUnit) : 1;
  const written = (v: Formula): string => (typeof v === 'number' ? String(Number((v / factor).toPrecision(9))) : v);
  const [text, setText] = useState(written(value));
  const [bad, setBad] = useState<string>();
  const [open, setOpen] = useState(false);
  const input = useRef<InputRef>(null);
  const committed = useRef(written(value));
  const start = useRef<{ x: number; value: number } | undefined>(undefined);
  useEffect(() => {
    committed.current = written(value);
    setText(committed.current);
    setBad(undefined);
  }, [value, factor]);
  const isFormula = typeof value === 'string';
  const shown = isFormula ? evaluateFormula(value, names, 'mm', measuredBy(steps)) : undefined;
  const done = (t: string): boolean => {
    const trimmed = t.trim();
    if (trimmed === committed.current) {
      setBad(undefined);
      return true;
    }
    const r = evaluateFormula(trimmed, names, 'mm', anything);
    if (!r.ok) {
      setBad(r.message);
      return false;
    }
    setBad(undefined);
    committed.current = trimmed;
    const hasWords =
      formulaNames(trimmed).length + formulaMeasures(trimmed).length > 0 || /[a-z"°]/i.test(trimmed.replace(/e[-+]?\d/i, ''));
    onCommit(hasWords ? trimmed : Number((r.value * factor).toPrecision(12)));
    return true;
  };
  const word = /[A-Za-z_][A-Za-z0-9_]*$/.exec(text)?.[0] ?? '';
  const options =
    word && text !== committed.current
      ? [...names]
          .filter(([n]) => n.startsWith(word) && n !== word)
          .map(([n, v]) => ({ value: `${text.slice(0, text.length - word.length)}${n}`, label: `${n} = ${formatNumber(v, 3)}` }))
      : [];
  const sideways = (x: number) =>
    Number(((start.current?.value ?? 0) + Math.round((x - (start.current?.x ?? 0)) / 3) * step * factor).toPrecision(10));
  const suffix = (
    <span
      className="grip"
      title={onPreview && !isFormula ? 'Drag sideways' : undefined}
      onPointerDown={(e) => {
        if (isFormula || !onPreview) return;
        e.preventDefault();
        e.currentTarget.setPointerCapture(e.pointerId);
        start.current = { x: e.clientX, value: Number(value) };
      }}
      onPointerMove={(e) => {
        if (start.current && onPreview) onPreview(sideways(e.clientX));
      }}
      onPointerUp={(e) => {
        if (!start.current) return;
        const v = sideways(e.clientX);
        start.current = undefined;
        onCommit(v);
      }}
    >
      {isFormula && shown?.ok
        ? `= ${formatNumber(shown.value / factor, 3)}`
        : (unit ?? (quantity === 'length' ? modelUnit : quantity === 'angle' ? '°' : '↔'))}
    </span>
  );
  return (
    <AutoComplete
      className={`numfield ${bad ? 'bad' : ''}`}
      value={text}
      options={options}
      open={open && options.length > 0}
      onOpenChange={setOpen}
      defaultActiveFirstOption={false}
      onChange={(t) => setText(t ?? '')}
      onSelect={(t) => {
        setText(t);
        done(t);
      }}
    >
      <Input
        ref={input}
        size="small"
        aria-label={label}
        aria-invalid={!!bad}
        status={bad ? 'error' : undefined}
        title={bad}
        spellCheck={false}
        suffix={plain ? undefined : suffix}
        onFocus={(e) => {
          e.target.select();
          setOpen(true);
        }}
        onBlur={() => {
          setOpen(false);
          // an unreadable number stays, marked, until it is mended or Escape puts the old one back
          done(text);
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && !(open && options.length && document.querySelector('.ant-select-item-option-active'))) {
            e.stopPropagation();
            if (done(text) && !e.currentTarget.closest('.points')) input.current?.blur();
          }
          if (e.key === 'Escape') {
            e.stopPropagation();
            setText(committed.current);
            setBad(undefined);
            input.current?.blur();
          }
        }}
      />
    </AutoComplete>
  );
}
