import { STAGES } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { App, Input } from 'antd';
import { Moon, Pause, Play, Redo2, Search, Sun, Undo2 } from 'lucide-react';
import Link from 'next/link';
import { useEffect } from 'react';
import { change, getStudio, notify, recompute, redo, setStudio, setView, undo, useStudio } from '../state/store.ts';
import { Mark } from './mark.tsx';

/** Brand, route, find, undo and the save state. */
export function TopBar() {
  const name = useStudio((s) => s.model.name);
  const save = useStudio((s) => s.save);
  const canUndo = useStudio((s) => s.undo.length > 0 || !!s.draft);
  const canRedo = useStudio((s) => s.redo.length > 0);
  const dark = useStudio((s) => s.view.dark);
  const paused = useStudio((s) => s.paused);
  const { modal } = App.useApp();

  useEffect(() => {
    const ask = () => {
      let name = '';
      modal.confirm({
        title: 'Named version',
        icon: null,
        content: (
          <Input
            autoFocus
            placeholder="What is special about this state?"
            onChange={(e) => {
              name = e.target.value;
            }}
          />
        ),
        okText: 'Keep version',
        onOk: async () => {
          const r = await fetch(`/api/models/${getStudio().id}/versions`, {
            method: 'POST',
            headers: { 'content-type': 'application/json' },
            body: JSON.stringify({ name }),
          });
          if (r.ok) notify('info', `Version “${name}” kept`);
          else notify('error', (await r.json()).message);
        },
      });
    };
    window.addEventListener('ample-version', ask);
    return () => window.removeEventListener('ample-version', ask);
  }, [modal]);

  return (
    <header className="topbar">
      <div className="brand">
        <Link href="/" aria-label="To all models" title="To all models">
          <Mark size={26} />
        </Link>
        <div style={{ minWidth: 0 }}>
          <div className="brand-name">Ample Skin</div>
          <button
            type="button"
            className="brand-model"
            title="Rename the model"
            onClick={() => {
              let next = name;
              modal.confirm({
                title: 'Rename the model',
                icon: null,
                content: (
                  <Input
                    autoFocus
                    defaultValue={name}
                    maxLength={200}
                    onChange={(e) => {
                      next = e.target.value;
                    }}
                  />
                ),
                okText: 'Rename',
                onOk: () => {
                  if (next.trim() && next.trim() !== name) change('Rename model', { type: 'setModel', name: next.trim() });
                },
              });
            }}
          >
            {name}
          </button>
        </div>
      </div>
      <Route />
      <div className="topright">
        <button type="button" className="findbox" onClick={() => setStudio({ find: true })} aria-label="Find">
          <Search size={13} />
          <span>Find</span>
          <kbd>/</kbd>
        </button>
        <button
          type="button"
          className="iconbtn"
          title={paused ? 'Compute again' : 'Pause computing'}
          aria-label={paused ? 'Compute again' : 'Pause computing'}
          onClick={() => {
            setStudio({ paused: !paused });
            if (paused) recompute();
          }}
        >
          {paused ? <Play size={16} /> : <Pause size={16} />}
        </button>
        <button type="button" className="iconbtn" title="Light or dark" aria-label="Light or dark" onClick={() => setView({ dark: !dark })}>
          {dark ? <Sun size={16} /> : <Moon size={16} />}
        </button>
        <button type="button" className="iconbtn" title="Undo (Ctrl Z)" aria-label="Undo" disabled={!canUndo} onClick={undo}>
          <Undo2 size={16} />
        </button>
        <button type="button" className="iconbtn" title="Redo (Ctrl Shift Z)" aria-label="Redo" disabled={!canRedo} onClick={redo}>
          <Redo2 size={16} />
        </button>
        <span className={`save ${save}`} role="status" data-testid="save-state">
          {save === 'saved' ? 'Saved' : save === 'saving' ? 'Saving…' : 'Not sent yet'}
        </span>
      </div>
    </header>
  );
}

/** The stages with their counts and their worst state. */
function Route() {
  const model = useStudio((s) => s.model);
  const steps = useStudio((s) => s.steps);
  const stage = useStudio((s) => s.stage);
  const proofs = useStudio((s) => s.proofs);
  const any = useStudio((s) => s.pieces.size > 0);
  let below = 0;
  for (const p of proofs.values()) below += p.seams.filter((x) => !x.met).length;
  const open = [...proofs.values()].reduce((n, p) => n + p.rims.length, 0);
  const counted = (id: string) => {
    const mine = model.steps.filter((s) => TOOLS.get(s.tool)?.stage === id);
    const errors = mine.filter((s) => ['error', 'hung'].includes(steps.get(s.id)?.status ?? '')).length;
    const waits = mine.filter((s) => steps.get(s.id)?.status === 'waits').length;
    if (id === 'proof') return { text: below ? `${below} below target` : proofs.size ? 'on target' : '–', state: below ? 'warn' : '' };
    if (errors) return { text: `${mine.length}, ${errors} failed`, state: 'bad' };
    if (waits) return { text: `${mine.length}, ${waits} wait`, state: 'warn' };
    if (id === 'solids' && !mine.length && open && any) return { text: `${open} ${open === 1 ? 'rim' : 'rims'} open`, state: '' };
    return { text: mine.length ? String(mine.length) : '–', state: '' };
  };
  return (
    <nav className="route" aria-label="Stages">
      {STAGES.map((s, i) => {
        const c = counted(s.id);
        return (
          <button type="button" key={s.id} aria-current={stage === s.id} title={`Key ${i + 1}`} onClick={() => setStudio({ stage: s.id })}>
            <span>{s.label}</span>
            <span className={`count ${c.state}`}>{c.text}</span>
          </button>
        );
      })}
    </nav>
  );
}
