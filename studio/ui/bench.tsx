import { STAGES, type Tool } from '@ample-skin/core/recipe';
import { TOOLS } from '@ample-skin/core/tools';
import { Tooltip } from 'antd';
import { startTool, stepOf, useStudio } from '../state/store.ts';

export function ToolIcon({ tool }: { tool: Tool }) {
  return (
    <svg
      className="toolicon"
      viewBox="0 0 24 24"
      fill="none"
      stroke="currentColor"
      strokeLinecap="round"
      strokeLinejoin="round"
      aria-hidden="true"
    >
      {tool.icon.map((d, i) => (
        <path key={d} d={d} strokeWidth={i === tool.icon.length - 1 ? 1.5 : 1} opacity={i === tool.icon.length - 1 ? 1 : 0.55} />
      ))}
    </svg>
  );
}

/** Tools of the chosen stage. */
export function Bench() {
  const stage = useStudio((s) => s.stage);
  const open = useStudio((s) => s.open);
  useStudio((s) => s.draft?.step.tool);
  const tools = [...TOOLS.values()].filter((t) => t.stage === stage);
  const groups = [...new Set(tools.map((t) => t.group))];
  const current = stepOf(open)?.tool;
  return (
    <aside className="bench" aria-label="Tools">
      {groups.map((g) => (
        <section key={g}>
          <h3>{g}</h3>
          {tools
            .filter((t) => t.group === g)
            .map((t) => (
              <Tooltip key={t.id} title={t.hint} placement="right" mouseEnterDelay={0.6}>
                <button type="button" aria-pressed={current === t.id} onClick={() => startTool(t.id)}>
                  <ToolIcon tool={t} />
                  {t.label}
                </button>
              </Tooltip>
            ))}
        </section>
      ))}
      {!tools.length && (
        <div className="empty">
          {stage === 'proof'
            ? 'Seams, rims and defects are measured all the time: see the seam desk below. Looks are chosen in the view.'
            : `No tools for ${STAGES.find((x) => x.id === stage)?.label.toLowerCase()} in this version.`}
        </div>
      )}
    </aside>
  );
}
