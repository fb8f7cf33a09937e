import { STAGES } from '@ample-skin/core/recipe';
import { useEffect } from 'react';
import { hideSelection, nextView, togglePlane } from '../state/commands.ts';
import { change, discardDraft, getStudio, keepDraft, redo, removeStep, setStudio, setView, startTool, undo } from '../state/store.ts';
import { backSketch, openSketch } from './sketching.ts';

export const KEYS: readonly { readonly keys: string; readonly does: string }[] = [
  { keys: '1 – 8', does: 'Stages' },
  { keys: '/', does: 'Find a tool, step, piece or dial' },
  { keys: 'Enter', does: 'Keep the open step' },
  { keys: 'Esc', does: 'Back: discard, close, deselect' },
  { keys: 'Space', does: 'Repeat the last tool' },
  { keys: 'P', does: 'Active plane and world' },
  { keys: 'V', does: 'Next view' },
  { keys: 'F', does: 'Fit everything' },
  { keys: 'L', does: 'Next look' },
  { keys: 'D', does: 'Seam desk' },
  { keys: 'H', does: 'Hide what is selected' },
  { keys: 'Shift H', does: 'Show only what is selected; again: all' },
  { keys: 'Tab', does: 'What lies under the cursor' },
  { keys: 'Delete', does: 'Remove the open or selected step' },
  { keys: 'Ctrl Z', does: 'Undo' },
  { keys: 'Ctrl Shift Z', does: 'Redo' },
  { keys: 'Ctrl S', does: 'Named version' },
  { keys: '?', does: 'This list' },
];

const LOOKS = ['clay', 'sides', 'stripes'] as const;

/** Keys of the modelling screen; typing in a field is left alone. */
export function useKeys(): void {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const s = getStudio();
      const target = e.target as HTMLElement;
      const typing = /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable;
      const ctrl = e.ctrlKey || e.metaKey;
      if (ctrl && e.key.toLowerCase() === 'z' && !typing) {
        e.preventDefault();
        if (e.shiftKey) redo();
        else undo();
        return;
      }
      if (ctrl && e.key.toLowerCase() === 's') {
        e.preventDefault();
        window.dispatchEvent(new Event('ample-version'));
        return;
      }
      if (e.key === 'Escape') {
        if (s.find || s.keys) setStudio({ find: false, keys: false });
        else if (typing) target.blur();
        else if (openSketch() && backSketch()) return;
        else if (s.draft && openSketch()?.sketch.curves.length)
          keepDraft(); // a drawn sketch is never thrown away by a key
        else if (s.draft) discardDraft();
        else if (s.open) setStudio({ open: undefined, slot: undefined });
        else setStudio({ selection: [], lit: undefined });
        return;
      }
      if (typing || ctrl || e.altKey || document.querySelector('.ant-modal-wrap:not([style*="display: none"])')) return;
      const stage = STAGES[Number(e.key) - 1];
      if (stage) setStudio({ stage: stage.id });
      else if (e.key === '/') {
        e.preventDefault();
        setStudio({ find: true });
      } else if (e.key === '?') setStudio({ keys: true });
      else if (e.key === 'Enter' && target.tagName !== 'BUTTON') keepDraft();
      else if (e.key === ' ' && target.tagName !== 'BUTTON') {
        e.preventDefault();
        if (s.lastTool) startTool(s.lastTool);
      } else if (e.key === 'p' || e.key === 'P') togglePlane();
      else if (e.key === 'v' || e.key === 'V') nextView();
      else if (e.key === 'f' || e.key === 'F') window.dispatchEvent(new Event('ample-fit'));
      else if (e.key === 'l' || e.key === 'L') setView({ look: LOOKS[(LOOKS.indexOf(s.view.look) + 1) % LOOKS.length] });
      else if (e.key === 'd' || e.key === 'D')
        setStudio({ desk: { ...s.desk, size: s.desk.size === 'shut' ? 'low' : s.desk.size === 'low' ? 'half' : 'shut' } });
      else if (e.key === 'H') hideSelection(true);
      else if (e.key === 'h') hideSelection(false);
      else if (e.key === 'Delete' || e.key === 'Backspace') {
        if (s.open) removeStep(s.open);
        else {
          const ids = [...new Set(s.selection.filter((p) => !p.part).map((p) => p.step))].filter((id) =>
            s.model.steps.some((x) => x.id === id),
          );
          if (ids.length) {
            change(
              ids.length === 1 ? 'Remove step' : `Remove ${ids.length} steps`,
              ...ids.map((id) => ({ type: 'removeStep' as const, id })),
            );
            setStudio({ selection: [] });
          }
        }
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
