import type { Tool } from '@ample-skin/core/recipe';

/** A tool's own picture: input lines thin, the result in the full stroke. */
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
