import { pieceKey, STAGES } from '@ample-skin/core/recipe';
import { Button, Dropdown } from 'antd';
import { memo } from 'react';
import { likelyTools } from '../state/likely.ts';
import { bundle } from '../state/pieces.ts';
import { hideSelection, openStep, removeChosen, setStudio, startTool, startTrial, useStudio } from '../state/store.ts';
import { FactsLine } from './facts.tsx';
import { pickName } from './names.ts';

/** The tools for exactly this selection, likeliest first, in one line; the rest under More, by stage. The facts of the selection stand below. */
export const ContextBar = memo(function ContextBar() {
  const selection = useStudio((s) => s.selection);
  const pieces = useStudio((s) => s.pieces);
  const tools = likelyTools(selection, pieces);
  const only = selection.length === 1 ? selection[0] : undefined;
  const isPlane = only && pieces.get(pieceKey(only.step, only.output))?.kind === 'plane';
  const whole = selection.filter((p) => !p.part).flatMap((p) => pieces.get(pieceKey(p.step, p.output)) ?? []);
  const several = whole.length > 1 && whole.length === selection.length;
  const room = isPlane || several ? 3 : 4;
  const rest = tools.slice(room);
  const groups = STAGES.flatMap((s) => {
    const mine = rest.filter((t) => t.stage === s.id);
    return mine.length
      ? [{ type: 'group' as const, label: s.label, key: s.id, children: mine.map((t) => ({ key: t.id, label: t.label })) }]
      : [];
  });
  return (
    <div className="contextwrap">
      <div className="contextbar" role="toolbar" aria-label="For this selection">
        <span className="what">{only ? pickName(only) : `${selection.length} picked`}</span>
        {isPlane && (
          <Button type="text" size="small" onClick={() => setStudio({ plane: only, selection: [] })}>
            Draw here
          </Button>
        )}
        {several && (
          <Button type="text" size="small" onClick={() => bundle(whole)}>
            Group
          </Button>
        )}
        {tools.slice(0, room).map((t) => (
          <Button type="text" size="small" key={t.id} onClick={() => startTool(t.id)}>
            {t.label}
          </Button>
        ))}
        {selection.every((p) => p.part?.kind === 'edge') && (
          <Button type="text" size="small" title="Methods for this opening, or between these borders, side by side" onClick={startTrial}>
            Try-off
          </Button>
        )}
        <Dropdown
          trigger={['click']}
          menu={{
            className: 'moremenu',
            items: [
              ...groups,
              ...(groups.length ? [{ type: 'divider' as const }] : []),
              { key: '-edit', label: 'Edit its step', disabled: !only },
              { key: '-hide', label: 'Hide' },
              { key: '-remove', label: 'Remove', danger: true },
            ],
            onClick: ({ key }) => {
              if (key === '-edit') openStep(only?.step);
              else if (key === '-hide') hideSelection(false);
              else if (key === '-remove') removeChosen();
              else startTool(key);
            },
          }}
        >
          <Button type="text" size="small">
            More ▾
          </Button>
        </Dropdown>
        <Button type="text" size="small" onClick={() => hideSelection(false)}>
          Hide
        </Button>
      </div>
      <FactsLine />
    </div>
  );
});
