import { useEffect } from 'react';

/** Single keys that act anywhere on the page, except while something is typed or chosen. `keys` must be stable (memoised). */
export function useShortcuts(keys: Readonly<Record<string, () => void>>) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const el = e.target as HTMLElement;
      const ticks = el instanceof HTMLInputElement && ['checkbox', 'radio', 'file'].includes(el.type);
      const typing = (['INPUT', 'TEXTAREA', 'SELECT'].includes(el.tagName) || el.isContentEditable) && !ticks;
      const choosing = el.getAttribute('role') === 'option' || el.closest('[role=dialog]');
      const does = keys[e.key.toLowerCase()];
      if (!does || typing || choosing || e.altKey || e.metaKey || e.ctrlKey) return;
      e.preventDefault();
      does();
    };
    window.addEventListener('keydown', press);
    return () => window.removeEventListener('keydown', press);
  }, [keys]);
}
