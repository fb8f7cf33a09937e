import { fits, pieceKey } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Dropdown } from 'antd';
import { hideSelection } from '../state/commands.ts';
import { openStep, setStudio, startTool, useStudio } from '../state/store.ts';
import { pickName } from './names.ts';

/** Tools that can take exactly what is selected. */
export function ContextBar() {
  const selection = useStudio((s) => s.selection);
  const pieces = useStudio((s) => s.pieces);
  const kinds = selection.map((p) => ({ piece: pieces.get(pieceKey(p.step, p.output)), part: p.part?.kind }));
  const tools = [...TOOLS.values()].filter((t) =>
    Object.values(t.slots).some(
      (s) =>
        s.min > 0 && selection.length <= s.max && kinds.every((k) => k.piece && fits(s.accepts, { kind: k.piece.kind } as never, k.part)),
    ),
  );
  const only = selection.length === 1 ? selection[0] : undefined;
  const isPlane = only && pieces.get(pieceKey(only.step, only.output))?.kind === 'plane';
  // one line: as many tools as stand beside each other; the rest in a list
  const room = isPlane ? 3 : 4;
  return (
    <div className="contextbar" role="toolbar" aria-label="For this selection">
      <span className="what">{only ? pickName(only) : `${selection.length} picked`}</span>
      {isPlane && (
        <button type="button" onClick={() => setStudio({ plane: only, selection: [] })}>
          Draw here
        </button>
      )}
      {tools.slice(0, room).map((t) => (
        <button type="button" key={t.id} onClick={() => startTool(t.id)}>
          {t.label}
        </button>
      ))}
      {tools.length > room && (
        <Dropdown
          trigger={['click']}
          menu={{ items: tools.slice(room).map((t) => ({ key: t.id, label: t.label })), onClick: ({ key }) => startTool(key) }}
        >
          <button type="button">More ▾</button>
        </Dropdown>
      )}
      {only && (
        <button type="button" onClick={() => openStep(only.step)}>
          Edit
        </button>
      )}
      <button type="button" onClick={() => hideSelection(false)}>
        Hide
      </button>
    </div>
  );
}
