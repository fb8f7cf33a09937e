import { STAGES } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { useMemo, useState } from 'react';
import { openStep, setStudio, setView, startTool, useStudio } from '../state/store.ts';
import { KEYS } from './keys.ts';
import { pickName, stepName } from './names.ts';

interface Entry {
  readonly label: string;
  readonly kind: string;
  readonly note: string;
  readonly act: () => void;
}

/** Every tool, step, piece, dial and setting, by typing. */
export function FindPanel() {
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const model = useStudio((s) => s.model);
  const pieces = useStudio((s) => s.pieces);
  const entries = useMemo<Entry[]>(
    () => [
      ...[...TOOLS.values()].map((t) => ({ label: t.label, kind: 'tool', note: t.hint, act: () => startTool(t.id) })),
      ...model.steps.map((s, i) => ({ label: stepName(s), kind: 'step', note: `step ${i + 1}`, act: () => openStep(s.id) })),
      ...[...pieces.values()]
        .filter((p) => p.live)
        .map((p) => ({
          label: pickName(p),
          kind: 'piece',
          note: p.kind,
          act: () => setStudio({ selection: [{ step: p.step, output: p.output }], right: 'pieces' }),
        })),
      ...model.dials.map((d) => ({ label: d.name, kind: 'dial', note: d.formula, act: () => setStudio({ right: 'dials' }) })),
      ...STAGES.map((s, i) => ({ label: s.label, kind: 'stage', note: `key ${i + 1}`, act: () => setStudio({ stage: s.id }) })),
      ...(['clay', 'sides', 'stripes'] as const).map((l) => ({
        label: `Look: ${l === 'sides' ? 'inside and outside' : l}`,
        kind: 'view',
        note: 'key L',
        act: () => setView({ look: l }),
      })),
      { label: 'Four panes', kind: 'view', note: '', act: () => setView({ panes: 4 }) },
      { label: 'One pane', kind: 'view', note: '', act: () => setView({ panes: 1 }) },
      { label: 'Keys', kind: 'help', note: 'key ?', act: () => setStudio({ keys: true }) },
    ],
    [model, pieces],
  );
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = entries
    .filter((e) => words.every((w) => `${e.label} ${e.kind} ${e.note}`.toLowerCase().includes(w)))
    .sort(
      (a, b) =>
        Number(!a.label.toLowerCase().startsWith(text.toLowerCase())) - Number(!b.label.toLowerCase().startsWith(text.toLowerCase())),
    )
    .slice(0, 40);
  const run = (e?: Entry) => {
    setStudio({ find: false });
    e?.act();
  };
  return (
    <>
      <div className="backdrop" onPointerDown={() => setStudio({ find: false })} />
      <div className="findpanel" role="dialog" aria-label="Find">
        <input
          autoFocus
          placeholder="Tool, step, piece, dial or setting"
          aria-label="Find"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setAt(0);
          }}
          onKeyDown={(e) => {
            if (e.key === 'ArrowDown') {
              e.preventDefault();
              setAt(Math.min(found.length - 1, at + 1));
            }
            if (e.key === 'ArrowUp') {
              e.preventDefault();
              setAt(Math.max(0, at - 1));
            }
            if (e.key === 'Enter') {
              e.preventDefault();
              e.stopPropagation();
              run(found[at]);
            }
          }}
        />
        <div className="list" role="listbox">
          {found.map((e, i) => (
            <div
              className="entry"
              role="option"
              tabIndex={-1}
              key={`${e.kind}${e.label}${i}`}
              aria-selected={i === at}
              onClick={() => run(e)}
              onMouseEnter={() => setAt(i)}
            >
              <b style={{ fontWeight: 600 }}>{e.label}</b>
              <small>{e.note}</small>
              <span className="soft mono">{e.kind}</span>
            </div>
          ))}
          {!found.length && <div className="entry soft">Nothing by that name</div>}
        </div>
      </div>
    </>
  );
}

export function KeysPanel() {
  return (
    <>
      <div className="backdrop" onPointerDown={() => setStudio({ keys: false })} />
      <div className="findpanel" role="dialog" aria-label="Keys" style={{ padding: '14px 18px' }}>
        <div style={{ fontWeight: 650, marginBottom: 10 }}>Keys</div>
        <div className="keys">
          {KEYS.map((k) => [
            <kbd key={`${k.keys}k`} style={{ margin: 0 }}>
              {k.keys}
            </kbd>,
            <span key={`${k.keys}d`}>{k.does}</span>,
          ])}
        </div>
        <p className="soft" style={{ margin: '12px 0 0' }}>
          Drag orbits, right or middle drag pans, the wheel zooms to the cursor. Click selects, Ctrl adds, Shift-drag draws a box.
        </p>
      </div>
    </>
  );
}
