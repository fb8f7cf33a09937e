import { STAGES } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Button, Dropdown, Popover } from 'antd';
import {
  CircleHelp,
  Footprints,
  GitCompareArrows,
  History,
  Keyboard,
  Moon,
  Pause,
  Play,
  Redo2,
  Search,
  Settings2,
  Sun,
  Undo2,
} from 'lucide-react';
import Link from 'next/link';
import { memo } from 'react';
import { useStatusPart } from '../state/status.ts';
import { recompute, redo, setSettings, setStudio, undo, useSettings, useStudio } from '../state/store.ts';
import { beginTour } from '../state/tour-run.ts';
import { Changes } from './changes.tsx';
import { Mark } from './mark.tsx';

const SAVE = { saved: 'Saved', saving: 'Saving…', offline: 'Not sent yet', stopped: 'Not saved' } as const;

/** Brand, route, find, undo and the save state. */
export function TopBar() {
  const name = useStudio((s) => s.model.name);
  const save = useStudio((s) => s.save);
  const last = useStudio((s) => s.undo.at(-1)?.label);
  const next = useStudio((s) => s.redo.at(-1)?.label);
  const drafting = useStudio((s) => !!s.draft);
  const dark = useSettings((s) => s.dark);
  const paused = useStudio((s) => s.paused);
  return (
    <header className="topbar">
      <div className="brand">
        <Link href="/" aria-label="To all models" title="To all models">
          <Mark size={26} />
        </Link>
        <div style={{ minWidth: 0 }}>
          <div className="brand-name">Ample Skin</div>
          <Button type="text" size="small" className="brand-model" title="Rename the model" onClick={() => setStudio({ dialog: 'rename' })}>
            {name}
          </Button>
        </div>
      </div>
      <Route />
      <div className="topright">
        <Button
          size="small"
          className="findbox"
          onClick={() => setStudio({ dialog: 'find' })}
          aria-label="Find"
          icon={<Search size={13} />}
        >
          <span>Find</span>
          <kbd>/</kbd>
        </Button>
        <Button
          type="text"
          title={paused ? 'Compute again' : 'Pause computing'}
          aria-label={paused ? 'Compute again' : 'Pause computing'}
          className={paused ? 'paused' : ''}
          icon={paused ? <Play size={16} /> : <Pause size={16} />}
          onClick={() => {
            setStudio({ paused: !paused });
            if (paused) recompute();
          }}
        />
        <Dropdown
          trigger={['click']}
          menu={{
            items: [
              { key: 'dark', label: dark ? 'Light' : 'Dark', icon: dark ? <Sun size={14} /> : <Moon size={14} /> },
              { key: 'settings', label: 'Settings and unit', icon: <Settings2 size={14} /> },
              { key: 'keys', label: 'Keys', icon: <Keyboard size={14} /> },
              { key: 'versions', label: 'Named versions, compare', icon: <GitCompareArrows size={14} /> },
              { key: 'history', label: 'List of changes', icon: <History size={14} /> },
              { key: 'help', label: 'Help', icon: <CircleHelp size={14} /> },
              { key: 'tour', label: 'Show me round', icon: <Footprints size={14} /> },
            ],
            onClick: ({ key }) => {
              if (key === 'dark') setSettings({ dark: !dark });
              else if (key === 'tour') void beginTour();
              else setStudio({ dialog: key as 'keys' });
            },
          }}
        >
          <Button type="text" title="Settings" aria-label="Settings" icon={<Settings2 size={16} />} />
        </Dropdown>
        <Button
          type="text"
          title={drafting ? 'Discard the draft' : last ? `Undo: ${last}` : 'Nothing to undo'}
          aria-label="Undo"
          disabled={!last && !drafting}
          icon={<Undo2 size={16} />}
          onClick={undo}
        />
        <Button
          type="text"
          title={next ? `Redo: ${next}` : 'Nothing to redo'}
          aria-label="Redo"
          disabled={!next}
          icon={<Redo2 size={16} />}
          onClick={redo}
        />
        <Popover trigger="click" placement="bottomRight" content={<Changes short />} destroyOnHidden>
          <Button type="text" size="small" className={`save ${save}`} title="What was changed">
            <span role="status" data-testid="save-state">
              {SAVE[save]}
            </span>
          </Button>
        </Popover>
      </div>
    </header>
  );
}

/** The stages with their counts and their worst state. */
function Route() {
  const model = useStudio((s) => s.model);
  const steps = useStudio((s) => s.steps);
  const stage = useStudio((s) => s.stage);
  const misses = useStatusPart((s) => s.misses);
  const meets = useStatusPart((s) => s.meets);
  const seams = useStatusPart((s) => s.seams.length);
  const rims = useStatusPart((s) => s.rims.length);
  const counted = (id: string) => {
    const mine = model.steps.filter((s) => TOOLS.get(s.tool)?.stage === id);
    const errors = mine.filter((s) => ['error', 'hung'].includes(steps.get(s.id)?.status ?? '')).length;
    const waits = mine.filter((s) => steps.get(s.id)?.status === 'waits').length;
    if (id === 'proof') {
      if (misses) return { text: `${misses} ${misses === 1 ? 'misses' : 'miss'}`, state: 'warn' };
      return { text: meets ? 'on target' : seams ? 'no targets' : '–', state: '' };
    }
    if (errors) return { text: `${mine.length}, ${errors} failed`, state: 'bad' };
    if (waits) return { text: `${mine.length}, ${waits} wait`, state: 'warn' };
    if (id === 'solids' && !mine.length && rims) return { text: `${rims} ${rims === 1 ? 'rim' : 'rims'} open`, state: '' };
    return { text: mine.length ? String(mine.length) : '–', state: '' };
  };
  return (
    <nav className="route" aria-label="Stages">
      {STAGES.map((s, i) => {
        const c = counted(s.id);
        return <StageButton key={s.id} id={s.id} label={s.label} index={i} current={stage === s.id} text={c.text} state={c.state} />;
      })}
    </nav>
  );
}

interface StageProps {
  readonly id: (typeof STAGES)[number]['id'];
  readonly label: string;
  readonly index: number;
  readonly current: boolean;
  readonly text: string;
  readonly state: string;
}
const StageButton = memo(function StageButton({ id, label, index, current, text, state }: StageProps) {
  return (
    <Button type="text" className="stage" aria-current={current} title={`Key ${index + 1}`} onClick={() => setStudio({ stage: id })}>
      <span>{label}</span>
      <span className={`count ${state}`}>{text}</span>
    </Button>
  );
});
