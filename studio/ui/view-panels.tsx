import { MAP_KINDS, mapLook } from '@ample-skin/core/proof/kinds';
import { Button, Checkbox, Divider, InputNumber, Radio, Select, Slider, Space, Switch } from 'antd';
import { useState } from 'react';
import { coloursOf, DEFAULT_MAP, setMap } from '../state/maps.ts';
import { LOOKS, type Look, type SnapKind } from '../state/settings.ts';
import { setSettings, useSettings, useStudio } from '../state/store.ts';
import { viewLink } from '../state/view-link.ts';
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

/** A slider with its name and value above it. */
function Level({
  label,
  value,
  unit = '',
  ...more
}: {
  label: string;
  value: number;
  unit?: string;
  min: number;
  max: number;
  onChange: (v: number) => void;
}) {
  return (
    <>
      <div className="soft">
        {label}: {value}
        {unit}
      </div>
      <Slider {...more} value={value} aria-label={label} />
    </>
  );
}
const FIXED = [
  { value: 'view', label: 'Fixed to view' },
  { value: 'world', label: 'To world' },
] as const;

/** Looks, and what can be set of the one in force. */
export function LookPanel() {
  const view = useSettings();
  const stripes = (more: Partial<typeof view.stripes>) => setSettings({ stripes: { ...view.stripes, ...more }, look: 'stripes' });
  const bars = (more: Partial<typeof view.bars>) => setSettings({ bars: { ...view.bars, ...more }, look: 'bars' });
  return (
    <div className="viewpanel">
      <Radio.Group
        className="lookgrid"
        aria-label="Look"
        size="small"
        value={view.look}
        onChange={(e) => setSettings({ look: e.target.value as Look })}
      >
        {LOOKS.map((l) => (
          <Radio.Button key={l.value} value={l.value}>
            {l.label}
          </Radio.Button>
        ))}
      </Radio.Group>
      {view.look === 'stripes' && (
        <div className="lookset">
          <Level label="Stripes" min={4} max={80} value={view.stripes.count} onChange={(count) => stripes({ count })} />
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
          <Choice label="Stripes fixed to" options={[...FIXED]} value={view.stripes.fixed} onChange={(fixed) => stripes({ fixed })} />
        </div>
      )}
      {view.look === 'bars' && (
        <div className="lookset">
          <Level label="Bars" min={1} max={9} value={view.bars.count} onChange={(count) => bars({ count })} />
          <Level label="Apart" unit="°" min={4} max={60} value={view.bars.spacing} onChange={(spacing) => bars({ spacing })} />
          <Level label="Width" unit="°" min={1} max={30} value={view.bars.width} onChange={(width) => bars({ width })} />
          <Level label="Turned" unit="°" min={-180} max={180} value={view.bars.heading} onChange={(heading) => bars({ heading })} />
          <Level label="Height" unit="°" min={-90} max={90} value={view.bars.height} onChange={(height) => bars({ height })} />
          <Choice label="Bars fixed to" options={[...FIXED]} value={view.bars.fixed} onChange={(fixed) => bars({ fixed })} />
        </div>
      )}
      {view.look === 'map' && <MapPanel />}
      <Divider style={{ margin: '8px 0' }} />
      <Level
        label="Lines on faces (parts of each)"
        min={0}
        max={24}
        value={view.isoparms}
        onChange={(isoparms) => setSettings({ isoparms })}
      />
      <Switch size="small" checked={view.nets} onChange={(nets) => setSettings({ nets })} aria-label="Control nets" /> Control nets of the
      selection
    </div>
  );
}

/** Radius from which a surface counts as flat where an end of the colours is typed, mm: endless ones cannot be saved. */
const FLAT = 1e6;
const AXES: readonly { readonly value: string; readonly label: string; readonly direction: [number, number, number] }[] = [
  { value: 'z', label: 'Up (z)', direction: [0, 0, 1] },
  { value: '-z', label: 'Down (-z)', direction: [0, 0, -1] },
  { value: 'x', label: 'Side (x)', direction: [1, 0, 0] },
  { value: '-x', label: 'Side (-x)', direction: [-1, 0, 0] },
  { value: 'y', label: 'Depth (y)', direction: [0, 1, 0] },
  { value: '-y', label: 'Depth (-y)', direction: [0, -1, 0] },
];
/** What is mapped, in which direction or to what, and how it is coloured. */
function MapPanel() {
  const map = useStudio((s) => s.model.map) ?? DEFAULT_MAP;
  const maps = useStudio((s) => s.maps);
  const pieces = useStudio((s) => s.pieces);
  const [beyond, setBeyond] = useState(map.beyond);
  const [bands, setBands] = useState(map.bands);
  const d = map.direction ?? [0, 0, 1];
  const axis = AXES.find((a) => a.direction.every((x, k) => x === d[k]))?.value;
  const look = mapLook(map.kind);
  const { low, high } = coloursOf(maps, map);
  const ends: [number, number] = look.reciprocal ? [1 / high, Math.min(FLAT, 1 / Math.max(0, low))] : [low, high];
  const shown = (x: number) => Number(x.toPrecision(4));
  const end = (k: 0 | 1) => (v: number | null) => {
    if (v === null || !Number.isFinite(v)) return;
    const range: [number, number] = [...(map.range ?? ends)];
    range[k] = v;
    if (range[1] > range[0] && (!look.reciprocal || range[0] > 0)) setMap({ range });
  };
  return (
    <div className="lookset">
      <Select
        size="small"
        aria-label="What is mapped"
        style={{ width: '100%' }}
        value={map.kind}
        options={MAP_KINDS.map((k) => ({ value: k, label: mapLook(k).label }))}
        onChange={(kind) => setMap({ kind, range: undefined })}
      />
      {map.kind === 'draft' && (
        <Space.Compact block style={{ marginTop: 6 }}>
          <Select
            size="small"
            aria-label="The mould opens"
            style={{ width: '100%' }}
            value={axis ?? 'own'}
            options={[...AXES.map(({ value, label }) => ({ value, label })), ...(axis ? [] : [{ value: 'own', label: 'As it was seen' }])]}
            onChange={(v) => setMap({ direction: AXES.find((a) => a.value === v)?.direction ?? map.direction })}
          />
          <Button size="small" title="Opens towards the eye" onClick={() => setMap({ direction: seenNow() })}>
            As seen
          </Button>
        </Space.Compact>
      )}
      {map.kind === 'distance' && (
        <Select
          size="small"
          aria-label="Distance to"
          placeholder="Distance to…"
          style={{ width: '100%', marginTop: 6 }}
          value={map.to}
          options={[
            { value: 'before', label: 'What it was made from (deviation of a refit)' },
            ...[...pieces.values()]
              .filter((p) => p.kind === 'skin' || p.kind === 'solid' || p.kind === 'scan')
              .map((p) => ({ value: p.key, label: pickName({ step: p.step, output: p.output }) })),
          ]}
          onChange={(to) => setMap({ to, range: undefined })}
        />
      )}
      <div className="maprange">
        <InputNumber size="small" aria-label="Lower end of the colours" value={shown(ends[0])} onChange={end(0)} controls={false} />
        <span className="soft">to</span>
        <InputNumber size="small" aria-label="Upper end of the colours" value={shown(ends[1])} onChange={end(1)} controls={false} />
        <span className="soft">{look.unit}</span>
        <Button size="small" disabled={!map.range} onClick={() => setMap({ range: undefined })}>
          Auto
        </Button>
      </div>
      {!map.range && (
        <>
          <div className="soft">Area beyond the ends: {Math.round(1000 * beyond) / 10} %</div>
          <Slider
            min={0}
            max={0.2}
            step={0.005}
            value={beyond}
            aria-label="Area beyond the ends"
            tooltip={{ formatter: (v) => `${Math.round(1000 * (v ?? 0)) / 10} %` }}
            onChange={setBeyond}
            onChangeComplete={(v) => setMap({ beyond: v })}
          />
        </>
      )}
      <div className="soft">{bands ? `${bands} bands` : 'Smooth'}</div>
      <Slider min={0} max={16} value={bands} aria-label="Bands" onChange={setBands} onChangeComplete={(v) => setMap({ bands: v })} />
    </div>
  );
}
/** Direction to the eye, in four digits. */
const seenNow = (): [number, number, number] =>
  (viewLink()?.seen().eye ?? [0, 0, 1]).map((x) => Number(x.toFixed(4))) as [number, number, number];

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
