import { useEffect, useRef, useState } from 'react';
import { handOnView } from '../state/store.ts';

/** How often what stands beside the view follows a drag in it, in ms. */
const FOLLOW = 300;
/** The value; while a hand drags something in the view, the value of a few times a second. */
export function useWhileDragged<T>(value: T): T {
  const shown = useRef(value);
  const latest = useRef(value);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const [, redraw] = useState(0);
  latest.current = value;
  if (!handOnView()) shown.current = value;
  useEffect(() => {
    if (!handOnView() || timer.current) return;
    timer.current = setTimeout(() => {
      timer.current = undefined;
      shown.current = latest.current;
      redraw((n) => n + 1);
    }, FOLLOW);
  });
  useEffect(() => () => clearTimeout(timer.current), []);
  return shown.current;
}
