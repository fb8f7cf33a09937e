import { Input } from 'antd';
import { docNow } from '../interact/doc.ts';
import { handleMode } from '../interact/handle.ts';
import type { PointerAt } from '../interact/mode.ts';
import { runCommand } from '../interact/run.ts';
import type { Handle } from '../view/handles.ts';
import type { Viewport } from '../view/viewport.ts';

/** A handle that was clicked takes its number by typing. */
export function TypedHandle({
  handle,
  x,
  y,
  stage,
  onDone,
}: {
  handle: Handle;
  x: number;
  y: number;
  stage: Viewport;
  onDone: () => void;
}) {
  const place: PointerAt = { x, y, pane: 0, button: 0, shift: false, ctrl: false, alt: false };
  const mode = handleMode(stage, docNow, handle, place);
  const put = (text: string) => {
    for (const c of text) for (const command of mode?.key?.(c, place)?.commands ?? []) runCommand(command);
    for (const command of mode?.release?.(place, place)?.commands ?? []) if (command.do !== 'typed') runCommand(command);
    onDone();
  };
  return (
    <div className="typed" style={{ left: x + 12, top: y - 14 }}>
      <Input
        autoFocus
        size="small"
        aria-label="Value of the handle"
        placeholder={handle.label ?? 'value'}
        onBlur={onDone}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === 'Escape') onDone();
          if (e.key === 'Enter') put(e.currentTarget.value.trim());
        }}
      />
    </div>
  );
}
