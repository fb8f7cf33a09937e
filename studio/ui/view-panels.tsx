import { Checkbox, Divider, Slider, Switch } from 'antd';
import { LOOKS, type Look, type SnapKind } from '../state/settings.ts';
import { setSettings, useSettings } from '../state/store.ts';
import { Choice } from './choice.tsx';

const SNAPS: readonly (readonly [SnapKind, string])[] = [
  ['grid', 'Grid'],
  ['end', 'Curve ends'],
  ['middle', 'Middles'],
  ['centre', 'Centres'],
  ['point', 'Control points'],
  ['crossing', 'Crossings'],
  ['division', 'Equal parts of a curve'],
  ['curve', 'On curve'],
  ['skin', 'On skin'],
];
const words = (list: readonly string[]) => list.map((v) => ({ value: v, label: v }));

/** Looks and stripes. */
export function LookPanel() {
  const view = useSettings();
  const stripes = (more: Partial<typeof view.stripes>) => setSettings({ stripes: { ...view.stripes, ...more }, look: 'stripes' });
  return (
    <div className="viewpanel">
      <Choice
        label="Look"
        options={LOOKS.map((l) => ({ value: l.value, label: l.value === 'sides' ? 'In/out' : l.label }))}
        value={view.look}
        onChange={(v: Look) => setSettings({ look: v })}
      />
      <div style={{ marginTop: 10, opacity: view.look === 'stripes' ? 1 : 0.55 }}>
        <div className="soft">Stripes: {view.stripes.count}</div>
        <Slider min={4} max={80} value={view.stripes.count} aria-label="Number of stripes" onChange={(count) => stripes({ count })} />
        <Choice
          label="Stripe direction"
          options={[
            { value: 'up', label: 'Up' },
            { value: 'side', label: 'Side' },
            { value: 'depth', label: 'Depth' },
          ]}
          value={view.stripes.direction}
          onChange={(direction) => stripes({ direction })}
        />
        <div style={{ height: 6 }} />
        <Choice
          label="Stripes fixed to"
          options={[
            { value: 'view', label: 'Fixed to view' },
            { value: 'world', label: 'To world' },
          ]}
          value={view.stripes.fixed}
          onChange={(fixed) => stripes({ fixed })}
        />
      </div>
    </div>
  );
}

/** What the pointer snaps to, and the grid. */
export function SnapPanel() {
  const view = useSettings();
  return (
    <div className="viewpanel">
      {SNAPS.map(([k, label]) => (
        <div key={k}>
          <Checkbox checked={view.snaps[k]} onChange={(e) => setSettings({ snaps: { ...view.snaps, [k]: e.target.checked } })}>
            {label}
          </Checkbox>
        </div>
      ))}
      {view.snaps.division && (
        <Choice
          label="Equal parts"
          options={words(['2', '3', '4', '5'])}
          value={String(view.divisions)}
          onChange={(v) => setSettings({ divisions: Number(v) })}
        />
      )}
      <Divider style={{ margin: '8px 0' }} />
      <div className="soft">Grid step</div>
      <Choice
        label="Grid step"
        options={words(['1', '2', '5', '10'])}
        value={String(view.gridStep)}
        onChange={(v) => setSettings({ gridStep: Number(v) })}
      />
      <div style={{ marginTop: 8 }}>
        <Switch size="small" checked={view.grid} onChange={(grid) => setSettings({ grid })} aria-label="Show the grid" /> Show the grid
      </div>
    </div>
  );
}
