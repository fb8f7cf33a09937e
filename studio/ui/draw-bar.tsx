import { evaluateFormula } from '@ample-skin/core/math';
import { Button, Input, type InputRef } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { addPoint, drawnParam } from '../interact/drawing.ts';
import { discardDraft, keepDraft, notify, setParams, useStudio } from '../state/store.ts';
import { useDialNames } from './number-field.tsx';
import { unitFactor } from './units.ts';

/** Typed coordinates while drawing: two fields in the plane, Tab between them, Enter sets the point; with nothing typed Enter keeps. They have the keys from the start. */
export function DrawBar() {
  const open = useStudio((s) => s.open);
  const unit = useStudio((s) => s.model.unit);
  useStudio((s) => s.draft);
  const names = useDialNames();
  const [x, setX] = useState('');
  const [y, setY] = useState('');
  const first = useRef<InputRef>(null);
  useEffect(() => {
    setX('');
    setY('');
    first.current?.focus({ preventScroll: true });
  }, [open]);
  const d = drawnParam(open);
  if (!d) return null;
  const single = !!d.draws.radius;
  const hasCentre = single && !!d.step.params[d.draws.points];
  const done = single
    ? hasCentre && d.step.params[d.draws.radius ?? ''] !== undefined
    : !!d.draws.maximum && d.points.length >= d.draws.maximum;
  const number = (text: string) => {
    const r = evaluateFormula(text || '0', names);
    const plain = !/[a-z"]/i.test(text.replace(/e[-+]?\d/i, ''));
    return r.ok && plain ? { ok: true as const, value: r.value * unitFactor(unit) } : r;
  };
  const set = () => {
    if (!x.trim() && !y.trim()) return keepDraft();
    const [a, b] = [number(x), number(y)];
    if (!a.ok) return notify('error', `${hasCentre ? 'Radius' : 'x'}: ${a.message}`);
    if (hasCentre && d.draws.radius) setParams(d.step.id, { [d.draws.radius]: /[a-z]/i.test(x) ? x : a.value });
    else {
      if (!b.ok) return notify('error', `y: ${b.message}`);
      addPoint([a.value, b.value, 0]);
    }
    setX('');
    setY('');
    first.current?.focus({ preventScroll: true });
  };
  const onKey = (e: React.KeyboardEvent<HTMLInputElement>) => {
    if (e.key === 'Enter') {
      e.preventDefault();
      e.stopPropagation();
      set();
    } else if (e.key === 'Escape') {
      e.stopPropagation();
      if (x || y) {
        setX('');
        setY('');
      } else discardDraft();
    }
  };
  const count = d.points.length;
  const says = done
    ? 'Drawn: Enter keeps it'
    : single
      ? hasCentre
        ? 'Click for the size, or type it'
        : 'Click the centre, or type it'
      : count === 0
        ? 'Click points, or type them'
        : `${count} ${count === 1 ? 'point' : 'points'}${d.draws.closed && count > 2 ? ', click the first to close' : ''}`;
  return (
    <div className="drawbar">
      <span>{says}</span>
      <Input
        ref={first}
        size="small"
        aria-label={hasCentre ? 'Radius of the drawn circle' : 'x of the next point'}
        placeholder={hasCentre ? 'radius' : 'x'}
        value={x}
        onChange={(e) => setX(e.target.value)}
        onKeyDown={onKey}
      />
      {!hasCentre && (
        <Input
          size="small"
          aria-label="y of the next point"
          placeholder="y"
          value={y}
          onChange={(e) => setY(e.target.value)}
          onKeyDown={onKey}
        />
      )}
      {d.draws.closed && count > 2 && (
        <Button size="small" onClick={() => setParams(d.step.id, { [d.draws.closed as string]: !d.step.params[d.draws.closed as string] })}>
          {d.step.params[d.draws.closed] ? 'Open it' : 'Close it'}
        </Button>
      )}
      <Button size="small" type="primary" onClick={keepDraft} disabled={count < d.draws.minimum}>
        Keep ↵
      </Button>
    </div>
  );
}
