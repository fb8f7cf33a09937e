import { Dropdown, Slider } from 'antd';
import { getStudio, setStudio, setView, useStudio } from '../state/store.ts';
import { Segments } from './fields.tsx';
import { pickName } from './names.ts';

const LOOK = { clay: 'Clay', sides: 'Inside/outside', stripes: 'Stripes' } as const;

/** Looks, snaps, plane and panes, along the lower edge of the view. */
export function ViewBar() {
  const view = useStudio((s) => s.view);
  const plane = useStudio((s) => s.plane);
  // a text, so that the bar is drawn anew only when planes come or go
  const planes = useStudio((s) =>
    [...s.pieces.values()]
      .filter((p) => p.kind === 'plane')
      .map((p) => p.key)
      .join('\n'),
  )
    .split('\n')
    .flatMap((key) => {
      const p = key ? getStudio().pieces.get(key) : undefined;
      return p ? [p] : [];
    });
  const snaps = Object.values(view.snaps).filter(Boolean).length;
  const panel = (children: React.ReactNode) => (
    <div
      style={{
        background: 'var(--chalk)',
        border: '1px solid var(--line)',
        borderRadius: 8,
        padding: 12,
        width: 252,
        boxShadow: '0 4px 14px rgb(30 42 46 / 14%)',
      }}
    >
      {children}
    </div>
  );
  return (
    <div className="viewbar">
      <Dropdown
        trigger={['click']}
        placement="topLeft"
        popupRender={() =>
          panel(
            <>
              <Segments
                label="Look"
                options={[
                  { value: 'clay', label: 'Clay' },
                  { value: 'sides', label: 'In/out' },
                  { value: 'stripes', label: 'Stripes' },
                ]}
                value={view.look}
                onChange={(look) => setView({ look })}
              />
              <div style={{ marginTop: 10, opacity: view.look === 'stripes' ? 1 : 0.45 }}>
                <div className="soft">Stripes: {view.stripes.count}</div>
                <Slider
                  min={4}
                  max={80}
                  value={view.stripes.count}
                  aria-label="Number of stripes"
                  onChange={(count) => setView({ stripes: { ...view.stripes, count }, look: 'stripes' })}
                />
                <Segments
                  label="Stripe direction"
                  options={[
                    { value: 'up', label: 'Up' },
                    { value: 'side', label: 'Side' },
                    { value: 'depth', label: 'Depth' },
                  ]}
                  value={view.stripes.direction}
                  onChange={(direction) => setView({ stripes: { ...view.stripes, direction }, look: 'stripes' })}
                />
                <div style={{ height: 6 }} />
                <Segments
                  label="Stripes fixed to"
                  options={[
                    { value: 'view', label: 'Fixed to view' },
                    { value: 'world', label: 'To world' },
                  ]}
                  value={view.stripes.fixed}
                  onChange={(fixed) => setView({ stripes: { ...view.stripes, fixed }, look: 'stripes' })}
                />
              </div>
            </>,
          )
        }
      >
        <button type="button" className="chip">
          Look <b>{LOOK[view.look]}</b> ▾
        </button>
      </Dropdown>
      <Dropdown
        trigger={['click']}
        placement="topLeft"
        popupRender={() =>
          panel(
            <>
              {(
                [
                  ['grid', 'Grid'],
                  ['end', 'Curve ends'],
                  ['middle', 'Middles'],
                  ['centre', 'Centres'],
                  ['point', 'Control points'],
                  ['crossing', 'Crossings'],
                  ['division', 'Equal parts of a curve'],
                  ['curve', 'On curve'],
                  ['skin', 'On skin'],
                ] as const
              ).map(([k, label]) => (
                <label key={k} style={{ display: 'flex', gap: 8, padding: '3px 0' }}>
                  <input
                    type="checkbox"
                    checked={view.snaps[k]}
                    onChange={(e) => setView({ snaps: { ...view.snaps, [k]: e.target.checked } })}
                  />
                  {label}
                </label>
              ))}
              {view.snaps.division && (
                <Segments
                  label="Equal parts"
                  options={['2', '3', '4', '5', '8'].map((v) => ({ value: v, label: v }))}
                  value={String(view.divisions)}
                  onChange={(v) => setView({ divisions: Number(v) })}
                />
              )}
              <div className="soft" style={{ marginTop: 6 }}>
                Grid step
              </div>
              <Segments
                label="Grid step"
                options={['1', '2', '5', '10'].map((v) => ({ value: v, label: v }))}
                value={String(view.gridStep)}
                onChange={(v) => setView({ gridStep: Number(v) })}
              />
              <label style={{ display: 'flex', gap: 8, padding: '8px 0 0' }}>
                <input type="checkbox" checked={view.grid} onChange={(e) => setView({ grid: e.target.checked })} />
                Show the grid
              </label>
            </>,
          )
        }
      >
        <button type="button" className="chip">
          Snaps <b>{snaps}</b> ▾
        </button>
      </Dropdown>
      <Dropdown
        trigger={['click']}
        placement="topLeft"
        menu={{
          items: [
            { key: '', label: 'World' },
            ...planes.map((p) => ({ key: p.key, label: pickName({ step: p.step, output: p.output }) })),
            { type: 'divider' as const },
            { key: 'align', label: view.aligned ? 'Views follow the world' : 'Views follow the plane' },
          ],
          onClick: ({ key }) => {
            if (key === 'align') {
              setView({ aligned: !view.aligned });
              return;
            }
            const p = getStudio().pieces.get(key);
            setStudio({ plane: p ? { step: p.step, output: p.output } : undefined });
          },
        }}
      >
        <button type="button" className="chip">
          Plane <b>{plane ? pickName(plane) : 'World'}</b> ▾
        </button>
      </Dropdown>
      <Dropdown
        trigger={['click']}
        placement="topLeft"
        menu={{
          items: [1, 2, 4].map((n) => ({ key: String(n), label: n === 1 ? 'One pane' : n === 2 ? 'Two panes' : 'Four panes' })),
          onClick: ({ key }) => setView({ panes: Number(key) as 1 }),
        }}
      >
        <button type="button" className="chip">
          <b>{view.panes}</b> {view.panes === 1 ? 'pane' : 'panes'} ▾
        </button>
      </Dropdown>
    </div>
  );
}
