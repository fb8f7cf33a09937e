import { Eye, EyeOff } from 'lucide-react';
import { change, openStep, setStudio, useStudio } from '../state/store.ts';
import { pickName } from './names.ts';

const KIND: Record<string, string> = { curve: 'Curves', point: 'Points', plane: 'Work planes', skin: 'Skins', solid: 'Solids', scan: 'Scans' };

/** Everything that stands for itself, with visibility, colour and measured facts. */
export function Pieces() {
  const pieces = useStudio((s) => s.pieces);
  const looks = useStudio((s) => s.model.pieces);
  const selection = useStudio((s) => s.selection);
  const live = [...pieces.values()].filter((p) => p.live);
  const kinds = [...new Set(live.map((p) => p.kind))];
  if (!live.length) return <div style={{ padding: '18px 16px', color: 'var(--slate)' }}>No pieces yet.</div>;
  return (
    <div>
      {kinds.map((k) => (
        <section key={k}>
          <div style={{ padding: '8px 14px 2px', color: 'var(--slate)', fontWeight: 600, fontSize: 12 }}>{KIND[k]}</div>
          {live
            .filter((p) => p.kind === k)
            .map((p) => {
              const look = looks[p.key];
              const pick = { step: p.step, output: p.output };
              const chosen = selection.some((x) => !x.part && x.step === p.step && x.output === p.output);
              return (
                <div
                  key={p.key}
                  className={`row ${chosen ? 'selected' : ''}`}
                  role="button"
                  tabIndex={0}
                  onClick={(e) => setStudio({ selection: e.ctrlKey && !chosen ? [...selection, pick] : chosen ? [] : [pick] })}
                  onDoubleClick={() => openStep(p.step)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter' && e.target === e.currentTarget) setStudio({ selection: [pick] });
                  }}
                  onMouseEnter={() => setStudio({ hover: pick })}
                  onMouseLeave={() => setStudio({ hover: undefined })}
                >
                  <button
                    type="button"
                    className="iconbtn eye"
                    style={{ padding: 2 }}
                    aria-label={look?.hidden ? 'Show' : 'Hide'}
                    onClick={(e) => {
                      e.stopPropagation();
                      change(look?.hidden ? 'Show' : 'Hide', { type: 'setPiece', key: p.key, look: { ...look, hidden: !look?.hidden } });
                    }}
                  >
                    {look?.hidden ? <EyeOff size={14} /> : <Eye size={14} />}
                  </button>
                  {(k === 'skin' || k === 'solid') && (
                    <input
                      type="color"
                      aria-label={`Colour of ${pickName(pick)}`}
                      value={look?.colour ?? '#b5cdbd'}
                      onClick={(e) => e.stopPropagation()}
                      onChange={(e) => change('Colour', { type: 'setPiece', key: p.key, look: { ...look, colour: e.target.value } })}
                      style={{ width: 18, height: 18, padding: 0, border: 0, background: 'none' }}
                    />
                  )}
                  <span className="name">{pickName(pick)}</span>
                  <span className="ms">{p.watertight === undefined ? '' : p.kind === 'solid' ? 'solid' : p.watertight ? 'watertight' : 'open'}</span>
                </div>
              );
            })}
        </section>
      ))}
      {selection.length === 1 && (
        <dl className="factgrid" style={{ margin: '14px 14px 0' }}>
          {pieces.get(`${selection[0].step}/${selection[0].output}`)?.facts.map((f) => (
            <div key={f.label} style={f.value.length > 14 ? { gridColumn: 'span 2' } : undefined}>
              <dt>{f.label}</dt>
              <dd>{f.value}</dd>
            </div>
          ))}
        </dl>
      )}
    </div>
  );
}
