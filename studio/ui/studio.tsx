'use client';
import { Splitter } from 'antd';
import dynamic from 'next/dynamic';
import { useEffect, useState } from 'react';
import { type LoadedModel, openModel, pollOthers, setSettings, setStudio, useSettings, useStudio } from '../state/store.ts';
import { takeUpTour } from '../state/tour-run.ts';
import { Bench } from './bench.tsx';
import { Desk } from './desk.tsx';
import { useKeys } from './keys.ts';
import { ModelView } from './model-view.tsx';
import { RightColumn } from './right-column.tsx';
import { TopBar } from './top-bar.tsx';

// dialogs come with the first that is asked for
const Dialogs = dynamic(() => import('./dialogs.tsx').then((m) => m.Dialogs), { ssr: false });
const Notices = dynamic(() => import('./notices.tsx').then((m) => m.Notices), { ssr: false });
const HEAD = 37;
/** The modelling screen: three columns over a drawer, all of them the person's to size and close. */
export function Studio({ loaded }: { loaded: LoadedModel }) {
  const [ready, setReady] = useState(false);
  useEffect(() => {
    openModel(loaded);
    setReady(true);
    takeUpTour();
    const timer = setInterval(pollOthers, 4000);
    window.addEventListener('focus', pollOthers);
    return () => {
      clearInterval(timer);
      window.removeEventListener('focus', pollOthers);
    };
  }, [loaded]);
  useKeys();
  const desk = useStudio((s) => s.desk.size);
  const sizes = useSettings();
  const asked = useStudio((s) => !!(s.dialog || s.removing || s.unsavable || s.tour));
  const told = useStudio((s) => s.notices.length > 0);
  if (!ready) return null;
  const height = desk === 'shut' ? HEAD : desk === 'low' ? Math.max(120, sizes.desk) : '50%';
  return (
    <div className="studio">
      <TopBar />
      <Splitter
        orientation="vertical"
        className="rows"
        onResizeEnd={([, h]) =>
          h > HEAD + 20 ? setSettings({ desk: Math.round(h) }) : setStudio((s) => ({ desk: { ...s.desk, size: 'shut' } }))
        }
      >
        <Splitter.Panel min={200}>
          <Splitter onResizeEnd={([l, , r]) => setSettings({ bench: Math.round(l), sheet: Math.round(r) })}>
            <Splitter.Panel
              defaultSize={sizes.bench}
              min={132}
              max={320}
              collapsible={{ start: false, end: false, showCollapsibleIcon: false }}
            >
              <Bench />
            </Splitter.Panel>
            <Splitter.Panel min={300}>
              <ModelView />
            </Splitter.Panel>
            <Splitter.Panel
              defaultSize={sizes.sheet}
              min={280}
              max={620}
              collapsible={{ start: true, end: false, showCollapsibleIcon: 'auto' }}
            >
              <RightColumn />
            </Splitter.Panel>
          </Splitter>
        </Splitter.Panel>
        <Splitter.Panel size={height} min={HEAD} resizable={desk !== 'shut'}>
          <Desk />
        </Splitter.Panel>
      </Splitter>
      {told && <Notices />}
      {asked && <Dialogs />}
    </div>
  );
}
