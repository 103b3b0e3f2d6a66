import { useEffect, useRef } from 'react';

export type KeyMap = Record<string, (event: KeyboardEvent) => void>;

/** The name of a pressed key: `Shift+ArrowLeft`, `Ctrl+z`, `t`, `?`. */
export function keyName(e: KeyboardEvent) {
  const ctrl = e.ctrlKey || e.metaKey ? 'Ctrl+' : '';
  const shift = e.shiftKey && e.key.length > 1 ? 'Shift+' : '';
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  return ctrl + (ctrl && e.shiftKey && e.key.length === 1 ? 'Shift+' : shift) + key;
}

function typing(target: EventTarget | null) {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      target.matches('input:not([type=checkbox]):not([type=radio]), textarea, select') ||
      target.closest('[role=dialog],[role=listbox],[role=menu]') !== null)
  );
}

/** Answers keys anywhere on the page, except where somebody types or a dialog is open. */
export function useKeys(map: KeyMap) {
  const latest = useRef(map);
  useEffect(() => {
    latest.current = map;
  });
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (e.defaultPrevented || typing(e.target)) return;
      // Space and Enter belong to a focused button.
      const onButton = e.target instanceof HTMLElement && e.target.closest('button,a,[role=tab]');
      if (onButton && (e.key === ' ' || e.key === 'Enter')) return;
      const act = latest.current[keyName(e)];
      if (act) {
        e.preventDefault();
        act(e);
      }
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, []);
}
