/** The key of an event as the table writes it. */
export function keysOfEvent(e: {
  key: string;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  shiftKey: boolean;
}): string | undefined {
  const names: Record<string, string> = { ' ': 'space', Enter: 'enter', Delete: 'delete', Backspace: 'backspace', Tab: 'tab' };
  const key = names[e.key] ?? (e.key.length === 1 ? e.key.toLowerCase() : /^F\d+$/.test(e.key) ? e.key.toLowerCase() : undefined);
  if (!key || key === 'tab') return undefined;
  const letter = /^[a-z]$/.test(key) || key.length > 1;
  return [e.ctrlKey || e.metaKey ? 'mod' : '', e.altKey ? 'alt' : '', e.shiftKey && letter ? 'shift' : '', key].filter(Boolean).join('+');
}
