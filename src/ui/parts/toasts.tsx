'use client';

import { X } from 'lucide-react';
import Link from 'next/link';
import { Toast } from 'radix-ui';
import { useEffect, useSyncExternalStore } from 'react';
import { Mark, type State } from './controls';

/** What ended in the background, and where it leads. */
export interface ToastWish {
  readonly text: string;
  readonly state?: State;
  readonly to?: { readonly href: string; readonly name: string };
  /** What can be done about it at once. */
  readonly act?: { readonly name: string; readonly run: () => void };
}
interface Shown extends ToastWish {
  readonly id: number;
}

const SHOWN_MS = 8000;
let shown: readonly Shown[] = [];
let count = 0;
const NONE: readonly Shown[] = [];
const listeners = new Set<() => void>();

function set(next: readonly Shown[]): void {
  shown = next;
  tell();
}

/** Says something that has happened, from anywhere: the latest, in the frame's own line, where it stands over nothing. It goes by itself, and stays while it is looked at. */
export function toast(wish: ToastWish): void {
  set([{ ...wish, id: count++ }]);
}

let held = 0;
const tell = () => {
  for (const listener of listeners) listener();
};

function hold(): () => void {
  held++;
  tell();
  return () => {
    held--;
    tell();
  };
}

/** Within what is open over the page, a dialog or a menu: nothing is said meanwhile, for it would stand over it and take the Escape that is meant for it. */
export function HoldToasts() {
  useEffect(hold, []);
  return null;
}

/** Where it is said. */
export function Toasts() {
  const all = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => (held > 0 ? NONE : shown),
    () => NONE,
  );
  return (
    <Toast.Provider duration={SHOWN_MS} label="Said" swipeDirection="right">
      {all.map(({ id, text, state, to, act }) => (
        <Toast.Root
          key={id}
          className="flex h-8 items-center gap-2 rounded-[8px] border border-line bg-card px-2.5 shadow-md"
          onOpenChange={(open) => {
            if (!open) set(shown.filter((s) => s.id !== id));
          }}
        >
          {state && <Mark state={state} />}
          <Toast.Description title={text} className="min-w-0 flex-1 truncate">
            {text}
          </Toast.Description>
          {to && (
            <Toast.Action altText={`${to.name}, by the places above`} asChild>
              <Link href={to.href} className="font-semibold text-accent underline-offset-2 hover:underline">
                {to.name}
              </Link>
            </Toast.Action>
          )}
          {act && (
            <Toast.Action altText={`${act.name}, by the places above`} asChild>
              <button type="button" className="font-semibold text-accent underline-offset-2 hover:underline" onClick={act.run}>
                {act.name}
              </button>
            </Toast.Action>
          )}
          <Toast.Close aria-label="Close" className="text-third hover:text-ink">
            <X size={14} aria-hidden />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="fixed top-1.5 right-12 left-[590px] z-[60] mx-auto w-[min(460px,calc(100vw-646px))] outline-none" />
    </Toast.Provider>
  );
}
