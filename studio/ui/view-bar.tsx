import { Button, Checkbox, Divider, Dropdown, Popover, Slider, Switch } from 'antd';
import { LOOKS, type Look, type Panes, type SnapKind } from '../state/settings.ts';
import { getStudio, setSettings, setStudio, useSettings, useStudio } from '../state/store.ts';
import { Choice } from './choice.tsx';
import { pickName } from './names.ts';

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

/** Looks, snaps, plane and panes, along the lower edge of the view. */
export function ViewBar() {
  const look = useSettings((s) => s.look);
  const snaps = useSettings((s) => Object.values(s.snaps).filter(Boolean).length);
  const panes = useSettings((s) => s.panes);
  const parallel = useSettings((s) => s.parallel[0]);
  return (
    <div className="viewbar">
      <Popover trigger="click" placement="topLeft" content={<LookPanel />} destroyOnHidden>
        <Button size="small" shape="round">
          Look <b>{LOOKS.find((l) => l.value === look)?.label}</b> ▾
        </Button>
      </Popover>
      <Popover trigger="click" placement="topLeft" content={<SnapPanel />} destroyOnHidden>
        <Button size="small" shape="round">
          Snaps <b>{snaps}</b> ▾
        </Button>
      </Popover>
      <PlaneMenu />
      <Dropdown
        trigger={['click']}
        placement="topLeft"
        menu={{
          items: [1, 2, 4].map((n) => ({ key: String(n), label: n === 1 ? 'One pane' : n === 2 ? 'Two panes' : 'Four panes' })),
          onClick: ({ key }) => setSettings({ panes: Number(key) as Panes }),
        }}
      >
        <Button size="small" shape="round">
          <b>{panes}</b> {panes === 1 ? 'pane' : 'panes'} ▾
        </Button>
      </Dropdown>
      <Button
        size="small"
        shape="round"
        aria-pressed={parallel}
        title="Parallel lines stay parallel (key O)"
        onClick={() => setSettings({ parallel: [!parallel, ...getParallel()] as never })}
      >
        {parallel ? 'Parallel' : 'Perspective'}
      </Button>
    </div>
  );
}
const getParallel = () => useSettings.getState().parallel.slice(1);

function LookPanel() {
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

function SnapPanel() {
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

function PlaneMenu() {
  const plane = useStudio((s) => s.plane);
  const aligned = useSettings((s) => s.aligned);
  // a text, so that the bar is drawn anew only when planes come or go
  const planes = useStudio((s) =>
    [...s.pieces.values()]
      .filter((p) => p.kind === 'plane')
      .map((p) => p.key)
      .join('\n'),
  )
    .split('\n')
    .flatMap((key) => (key && getStudio().pieces.get(key)) || []);
  return (
    <Dropdown
      trigger={['click']}
      placement="topLeft"
      menu={{
        items: [
          { key: '', label: 'World' },
          ...planes.map((p) => ({ key: p.key, label: pickName({ step: p.step, output: p.output }) })),
          { type: 'divider' as const },
          { key: 'align', label: aligned ? 'Views follow the world' : 'Views follow the plane' },
        ],
        onClick: ({ key }) => {
          if (key === 'align') return setSettings({ aligned: !aligned });
          const p = getStudio().pieces.get(key);
          setStudio({ plane: p ? { step: p.step, output: p.output } : undefined });
        },
      }}
    >
      <Button size="small" shape="round">
        Plane <b>{plane ? pickName(plane) : 'World'}</b> ▾
      </Button>
    </Dropdown>
  );
}
