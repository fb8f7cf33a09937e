'use client';
import { useEffect, useState } from 'react';
import { dismiss, type LoadedModel, openModel, pollOthers, useStudio } from '../state/store.ts';
import { Bench } from './bench.tsx';
import { Desk } from './desk.tsx';
import { FindPanel, KeysPanel } from './find.tsx';
import { useKeys } from './keys.ts';
import { ModelView } from './model-view.tsx';
import { RightColumn } from './right-column.tsx';
import { TopBar } from './top-bar.tsx';

/** The modelling screen. */
export function Studio({ loaded }: { loaded: LoadedModel }) {
  const [ready, setReady] = useState(false);
  useEffect(() => {
    openModel(loaded);
    setReady(true);
    const timer = setInterval(pollOthers, 4000);
    window.addEventListener('focus', pollOthers);
    return () => {
      clearInterval(timer);
      window.removeEventListener('focus', pollOthers);
    };
  }, [loaded]);
  useKeys();
  const desk = useStudio((s) => s.desk.size);
  const find = useStudio((s) => s.find);
  const keys = useStudio((s) => s.keys);
  if (!ready) return null;
  return (
    <div
      className="studio"
      style={{ gridTemplateRows: `48px minmax(0, 1fr) ${desk === 'shut' ? '36px' : desk === 'low' ? 'min(200px, 30vh)' : '48vh'}` }}
    >
      <TopBar />
      <div className="middle">
        <Bench />
        <ModelView />
        <RightColumn />
      </div>
      <Desk />
      <Notices />
      {find && <FindPanel />}
      {keys && <KeysPanel />}
    </div>
  );
}

function Notices() {
  const notices = useStudio((s) => s.notices);
  useEffect(() => {
    const last = notices.at(-1);
    if (!last) return;
    const t = setTimeout(() => dismiss(last.id), last.kind === 'error' ? 12_000 : 5000);
    return () => clearTimeout(t);
  }, [notices]);
  return (
    <div className="notices" role="status" aria-live="polite">
      {notices.map((n) => (
        <div key={n.id} className={`notice ${n.kind}`}>
          <span style={{ flex: 1 }}>{n.text}</span>
          <button type="button" className="iconbtn" style={{ padding: 0 }} aria-label="Close this message" onClick={() => dismiss(n.id)}>
            ×
          </button>
        </div>
      ))}
    </div>
  );
}
