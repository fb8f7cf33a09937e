import { Button, Dropdown, Popover } from 'antd';
import { Image, Ruler } from 'lucide-react';
import dynamic from 'next/dynamic';
import { memo } from 'react';
import { toggleMeasuring } from '../state/measuring.ts';
import { LOOKS, type Panes } from '../state/settings.ts';
import { getStudio, setSettings, setStudio, useSettings, useStudio } from '../state/store.ts';
import { pickName } from './names.ts';

const LookPanel = dynamic(() => import('./view-panels.tsx').then((m) => m.LookPanel), { ssr: false });
const PicturePanel = dynamic(() => import('./picture-panel.tsx').then((m) => m.PicturePanel), { ssr: false });
const SectionPanel = dynamic(() => import('./section-panel.tsx').then((m) => m.SectionPanel), { ssr: false });
const SnapPanel = dynamic(() => import('./view-panels.tsx').then((m) => m.SnapPanel), { ssr: false });
/** Looks, snaps, plane and panes, along the lower edge of the view. */
export const ViewBar = memo(function ViewBar() {
  const look = useSettings((s) => s.look);
  const snaps = useSettings((s) => Object.values(s.snaps).filter(Boolean).length);
  const sections = useStudio((s) => s.model.sections?.filter((x) => !x.off).length ?? 0);
  const panes = useSettings((s) => s.panes);
  const parallel = useSettings((s) => s.parallel[0]);
  const measuring = useStudio((s) => !!s.measuring);
  return (
    <div className="viewbar">
      <Popover trigger="click" placement="topLeft" content={<LookPanel />} destroyOnHidden>
        <Button size="small" shape="round">
          <i>Look</i> <b>{LOOKS.find((l) => l.value === look)?.label}</b> ▾
        </Button>
      </Popover>
      <Popover trigger="click" placement="topLeft" content={<SnapPanel />} destroyOnHidden>
        <Button size="small" shape="round">
          <i>Snaps</i> <b>{snaps}</b> ▾
        </Button>
      </Popover>
      <Popover trigger="click" placement="topLeft" content={<SectionPanel />} destroyOnHidden>
        <Button size="small" shape="round">
          <i>Section</i> <b>{sections || 'none'}</b> ▾
        </Button>
      </Popover>
      <CageMenu />
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
      <Button
        size="small"
        shape="round"
        aria-pressed={measuring}
        aria-label="Measure"
        title="Measure between two places (key M)"
        icon={<Ruler size={14} />}
        onClick={toggleMeasuring}
      />
      <Popover trigger="click" placement="topLeft" content={<PicturePanel />} destroyOnHidden>
        <Button size="small" shape="round" aria-label="Pictures and report" title="Pictures and report" icon={<Image size={14} />} />
      </Popover>
    </div>
  );
});
const CAGES = { both: 'Both', cage: 'Cage', smooth: 'Smooth' } as const;
/** What is shown of cages, while there are any. */
function CageMenu() {
  const any = useStudio((s) => [...s.pieces.values()].some((p) => p.kind === 'cage'));
  const cages = useSettings((s) => s.cages);
  if (!any) return null;
  return (
    <Dropdown
      trigger={['click']}
      placement="topLeft"
      menu={{
        items: Object.entries(CAGES).map(([key, label]) => ({ key, label })),
        selectedKeys: [cages],
        onClick: ({ key }) => setSettings({ cages: key as keyof typeof CAGES }),
      }}
    >
      <Button size="small" shape="round">
        <i>Cages</i> <b>{CAGES[cages]}</b> ▾
      </Button>
    </Dropdown>
  );
}
const getParallel = () => useSettings.getState().parallel.slice(1);

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
        <i>Plane</i> <b>{plane ? pickName(plane) : 'World'}</b> ▾
      </Button>
    </Dropdown>
  );
}
