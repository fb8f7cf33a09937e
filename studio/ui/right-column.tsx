import { Tabs } from 'antd';
import dynamic from 'next/dynamic';
import { setStudio, useStudio } from '../state/store.ts';
import { BuildSheet } from './build-sheet.tsx';

const Dials = dynamic(() => import('./dials.tsx').then((m) => m.Dials), { ssr: false });
const Pieces = dynamic(() => import('./pieces.tsx').then((m) => m.Pieces), { ssr: false });

/** Build sheet, pieces and dials: three faces of the right column. */
export function RightColumn() {
  const right = useStudio((s) => s.right);
  const live = useStudio((s) => [...s.pieces.values()].filter((p) => p.live).length);
  const dials = useStudio((s) => s.model.dials.length);
  return (
    <aside className="right" aria-label="Recipe">
      <Tabs
        size="small"
        activeKey={right}
        onChange={(k) => setStudio({ right: k as typeof right })}
        items={[
          { key: 'sheet', label: 'Build sheet' },
          { key: 'pieces', label: `Pieces ${live}` },
          { key: 'dials', label: `Dials ${dials}` },
        ]}
      />
      <div className="scroll">{right === 'sheet' ? <BuildSheet /> : right === 'pieces' ? <Pieces /> : <Dials />}</div>
    </aside>
  );
}
