import { useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { isDrawing } from '../interact/drawing.ts';
import { backSketch, openSketch } from '../interact/sketching.ts';
import { endCompare } from '../state/comparing.ts';
import { COMMANDS, discardDraft, endTrial, getStudio, keepDraft, keyOf, select, setStudio } from '../state/store.ts';
import { keysOfEvent } from './key-names.ts';

const DIALOG = '.ant-modal-wrap:not([style*="display: none"]), .ant-image-preview';
const TEXT = 'input:not([type=radio]):not([type=checkbox]), textarea, [contenteditable=true]';
const typingIn = (t: HTMLElement) => t.matches(TEXT) && !t.matches('[readonly]');
const dialogOpen = () => !!document.querySelector(DIALOG);

/** Escape goes back one step: the tool in hand, the draft, the open step, the selection. */
function back(): void {
  const s = getStudio();
  if (s.dialog) setStudio({ dialog: undefined });
  else if (s.trial) endTrial();
  else if (s.compare) endCompare();
  else if (s.measuring) setStudio({ measuring: undefined });
  else if (openSketch() && backSketch()) return;
  else if (s.draft && openSketch()?.sketch.curves.length)
    keepDraft(); // a drawn sketch is never thrown away by a key
  else if (s.draft) discardDraft();
  else if (s.open) setStudio({ open: undefined, slot: undefined });
  else {
    setStudio({ lit: undefined });
    select([]);
  }
}

/** Keys of the modelling screen, from the one table of commands. What is typed in a field stays in the field. */
export function useKeys(): void {
  useHotkeys(
    '*',
    (e) => {
      const target = e.target as HTMLElement;
      if (e.defaultPrevented) return;
      if (e.key === 'Escape') {
        if (
          dialogOpen() ||
          document.querySelector('.ant-dropdown:not(.ant-dropdown-hidden), .ant-select-dropdown:not(.ant-select-dropdown-hidden)')
        )
          return;
        if (typingIn(target)) target.blur();
        else back();
        return;
      }
      const keys = keysOfEvent(e);
      if (!keys || dialogOpen()) return;
      const command = COMMANDS.find((c) => keyOf(c) === (keys === 'backspace' ? 'delete' : keys));
      if (!command) return;
      const typing = typingIn(target);
      if (typing && !command.always && !(/^mod\+(shift\+)?z$/.test(keys) && !(target as HTMLInputElement).value)) return;
      // while drawing, digits are coordinates
      if (command.id.startsWith('stage-') && isDrawing()) return;
      // a focused button is pressed by its own keys
      if (/^(enter|space)$/.test(keys) && target.closest('button, a, [role=button], [role=option], [role=menuitem], [role=treeitem]'))
        return;
      if (command.id === 'copy' && window.getSelection()?.toString()) return;
      e.preventDefault();
      command.run();
    },
    { enableOnFormTags: true, useKey: true },
    [],
  );
  useEffect(() => {
    // Enter keeps the open step also when a switch, a choice, a slider or a closed list has the focus; Space is what toggles those
    const enter = (e: KeyboardEvent) => {
      if (e.key !== 'Enter' || e.ctrlKey || e.metaKey || e.altKey || dialogOpen()) return;
      const s = getStudio();
      const t = e.target as HTMLElement;
      if (!s.open || t.closest('.numfield')) return;
      const choice = t.closest(
        '[role=switch], [role=radio], [role=radiogroup], [role=checkbox], [role=slider], input[type=radio], input[type=checkbox], [role=tab]',
      );
      const list = t.closest('[role=combobox], .ant-select');
      const opened =
        list?.getAttribute('aria-expanded') === 'true' ||
        list?.classList.contains('ant-select-open') ||
        t.getAttribute('aria-expanded') === 'true';
      if (!choice && !(list && !opened)) return;
      e.preventDefault();
      e.stopPropagation();
      keepDraft();
    };
    // a button that was clicked lets go of the keys: the next key means the work again
    const released = (e: MouseEvent) => {
      // pressed by a key: the focus stays where it is
      if (!e.detail) return;
      const pressed = (e.target as HTMLElement | null)?.closest?.('.studio button');
      if (pressed)
        setTimeout(() => {
          const held = document.activeElement as HTMLElement | null;
          if (held?.tagName === 'BUTTON' && held.closest('.studio') && held.getAttribute('aria-expanded') !== 'true') held.blur();
        }, 0);
    };
    window.addEventListener('keydown', enter, true);
    window.addEventListener('click', released, true);
    return () => {
      window.removeEventListener('keydown', enter, true);
      window.removeEventListener('click', released, true);
    };
  }, []);
}
