import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { createContext, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Button, Key } from './Button';

export type KeyAction = { key: string; does: string; act?: () => void };

type Registry = { add: (keys: KeyAction[]) => () => void };
const Keys = createContext<Registry>({ add: () => () => {} });

/** Gives the page keys of its own. `?` lists them. */
export function useKeys(keys: KeyAction[]) {
  const { add } = useContext(Keys);
  const latest = useRef(keys);
  useEffect(() => {
    latest.current = keys;
  });
  const names = keys.map((k) => `${k.key} ${k.does}`).join('|');
  useEffect(() => add(latest.current.map((k, i) => ({ ...k, act: () => latest.current[i]?.act?.() }))), [add, names]);
}

/** Hears keys for the whole site: never while somebody types, and never with a modifier. */
export function KeysProvider({ children }: { children: ReactNode }) {
  const sets = useRef(new Set<KeyAction[]>());
  const [shown, setShown] = useState<KeyAction[] | null>(null);
  const registry = useMemo<Registry>(
    () => ({
      add: (keys) => {
        sets.current.add(keys);
        return () => void sets.current.delete(keys);
      },
    }),
    [],
  );
  useEffect(() => {
    const hear = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || target.closest('input, textarea, select, [role=dialog]'))
        return;
      // On a button or a link, Enter means that one.
      if (event.key === 'Enter' && target.closest('button, a')) return;
      const all = [...sets.current].flat();
      if (event.key === '?') {
        event.preventDefault();
        setShown(all);
        return;
      }
      const action = all.findLast((a) => a.key === event.key);
      if (action?.act) {
        event.preventDefault();
        action.act();
      }
    };
    window.addEventListener('keydown', hear);
    return () => window.removeEventListener('keydown', hear);
  }, []);
  return (
    <Keys.Provider value={registry}>
      {children}
      <Dialog open={shown !== null} onClose={() => setShown(null)} className="relative z-50">
        <div className="fixed inset-0 flex items-center justify-center bg-ink/30 p-6">
          <DialogPanel className="min-w-80 rounded border border-rule bg-sheet p-5">
            <DialogTitle className="mb-3 text-lg font-semibold">Keys of this page</DialogTitle>
            <dl className="mb-4 grid grid-cols-[auto_1fr] items-baseline gap-x-4 gap-y-2">
              {shown?.map((k) => (
                <div key={k.key} className="contents">
                  <dt>
                    <Key>{k.key}</Key>
                  </dt>
                  <dd>{k.does}</dd>
                </div>
              ))}
            </dl>
            <Button onClick={() => setShown(null)}>Close</Button>
          </DialogPanel>
        </div>
      </Dialog>
    </Keys.Provider>
  );
}
