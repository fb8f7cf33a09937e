import { setStudio, useStudio } from '../state/store.ts';
import { BuildSheet } from './build-sheet.tsx';
import { Dials } from './dials.tsx';
import { Pieces } from './pieces.tsx';

/** Build sheet, pieces and dials: three faces of the right column. */
export function RightColumn() {
  const right = useStudio((s) => s.right);
  const live = useStudio((s) => [...s.pieces.values()].filter((p) => p.live).length);
  const dials = useStudio((s) => s.model.dials.length);
  const tab = (id: typeof right, label: string) => (
    <button type="button" role="tab" aria-selected={right === id} onClick={() => setStudio({ right: id })}>
      {label}
    </button>
  );
  return (
    <aside className="right">
      <div className="tabs" role="tablist">
        {tab('sheet', 'Build sheet')}
        {tab('pieces', `Pieces ${live}`)}
        {tab('dials', `Dials ${dials}`)}
      </div>
      <div className="scroll">{right === 'sheet' ? <BuildSheet /> : right === 'pieces' ? <Pieces /> : <Dials />}</div>
    </aside>
  );
}
