import { evaluateFormula, type Vec3 } from '@ample-skin/core/math';
import { useEffect, useRef, useState } from 'react';
import { keepDraft, notify, setParams, useStudio } from '../state/store.ts';
import { drawnParam } from './drawing.ts';
import { useDialNames } from './fields.tsx';

/** Typed coordinates while drawing: two fields in the plane, Tab between them, Enter sets the point. */
export function DrawBar({ onPoint }: { onPoint: (p: Vec3) => void }) {
  const open = useStudio((s) => s.open);
  useStudio((s) => s.draft);
  const names = useDialNames();
  const [x, setX] = useState('');
  const [y, setY] = useState('');
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => {
    setX('');
    setY('');
  }, [open]);
  const d = drawnParam(open);
  if (!d) return null;
  const single = !!d.draws.radius;
  const hasCentre = single && !!d.step.params[d.draws.points];
  const set = () => {
    if (!x.trim() && !y.trim()) {
      keepDraft();
      return;
    }
    const [a, b] = [evaluateFormula(x || '0', names), evaluateFormula(y || '0', names)];
    if (hasCentre && d.draws.radius) {
      if (!a.ok) return notify('error', `Radius: ${a.message}`);
      setParams(d.step.id, { [d.draws.radius]: /[a-z]/i.test(x) ? x : a.value });
    } else {
      if (!a.ok) return notify('error', `x: ${a.message}`);
      if (!b.ok) return notify('error', `y: ${b.message}`);
      onPoint([a.value, b.value, 0]);
    }
    setX('');
    setY('');
    first.current?.focus();
  };
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === 'Enter') {
      e.preventDefault();
      e.stopPropagation();
      set();
    }
  };
  const count = d.points.length;
  return (
    <div className="drawbar">
      <span>
        {single
          ? hasCentre
            ? 'Click for the size, or type it'
            : 'Click the centre'
          : count === 0
            ? 'Click points'
            : `${count} ${count === 1 ? 'point' : 'points'}${d.draws.closed && count > 2 ? ', click the first to close' : ''}`}
      </span>
      <input
        ref={first}
        aria-label={hasCentre ? 'Radius' : 'x of the next point'}
        placeholder={hasCentre ? 'radius' : 'x'}
        value={x}
        onChange={(e) => setX(e.target.value)}
        onKeyDown={onKey}
      />
      {!hasCentre && (
        <input aria-label="y of the next point" placeholder="y" value={y} onChange={(e) => setY(e.target.value)} onKeyDown={onKey} />
      )}
      {d.draws.closed && count > 2 && (
        <button
          type="button"
          className="btn"
          onClick={() => setParams(d.step.id, { [d.draws.closed as string]: !d.step.params[d.draws.closed as string] })}
        >
          {d.step.params[d.draws.closed] ? 'Open it' : 'Close it'}
        </button>
      )}
      <button type="button" className="btn primary" onClick={keepDraft} disabled={count < d.draws.minimum}>
        Keep ↵
      </button>
    </div>
  );
}
