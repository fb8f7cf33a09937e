import { STAGES } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Button, Empty, Tooltip } from 'antd';
import { useRef, useState } from 'react';
import { startTool, stepOf, useStudio } from '../state/store.ts';
import { ToolIcon } from './tool-icon.tsx';

/** Headings in the order of the work; others follow as they come. */
const ORDER = ['Begin with', 'Draw', 'Fill', 'Stretch over curves', 'Derive', 'From skins', 'Shape', 'Change'];
const rank = (group: string) => (ORDER.includes(group) ? ORDER.indexOf(group) : ORDER.length);
/** Tools of the chosen stage. */
export function Bench() {
  const stage = useStudio((s) => s.stage);
  const open = useStudio((s) => s.open);
  useStudio((s) => s.draft?.step.tool);
  const [told, setTold] = useState<string>();
  const chosen = useRef<string>(undefined);
  const tools = [...TOOLS.values()].filter((t) => t.stage === stage);
  const groups = [...new Set(tools.map((t) => t.group))].sort((a, b) => rank(a) - rank(b));
  const current = stepOf(open)?.tool;
  return (
    <aside className="bench" aria-label="Tools">
      {groups.map((g) => (
        <section key={g}>
          <h3>{g}</h3>
          {tools
            .filter((t) => t.group === g)
            .map((t) => (
              <Tooltip
                key={t.id}
                title={
                  <span className="toolhint">
                    <img src={`/help/${t.id}.svg`} alt="" loading="lazy" />
                    {t.hint}
                  </span>
                }
                placement="right"
                mouseEnterDelay={0.6}
                destroyOnHidden
                open={told === t.id}
                // it never stands between the pointer and what lies under it, and does not come back over what was just chosen
                classNames={{ root: 'passive' }}
                onOpenChange={(on) => {
                  if (!on && chosen.current === t.id) chosen.current = undefined;
                  setTold(on && chosen.current !== t.id ? t.id : undefined);
                }}
              >
                <Button
                  type="text"
                  block
                  className={`tool ${current === t.id ? 'current' : ''}`}
                  aria-pressed={current === t.id}
                  icon={<ToolIcon tool={t} />}
                  onClick={() => {
                    chosen.current = t.id;
                    setTold(undefined);
                    startTool(t.id);
                  }}
                >
                  {t.label}
                </Button>
              </Tooltip>
            ))}
        </section>
      ))}
      {!tools.length && (
        <Empty
          image={false}
          description={
            stage === 'proof'
              ? 'Seams, rims and defects are measured all the time: see the seam desk below. Looks are chosen in the view.'
              : `No tools for ${STAGES.find((x) => x.id === stage)?.label.toLowerCase()} in this version.`
          }
        />
      )}
    </aside>
  );
}
