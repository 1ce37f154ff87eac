import { useEffect, useRef } from 'react';
import { tinykeys } from 'tinykeys';
import { inField } from './in-field';
import { KEYS, type KeyAction } from './key-table';

/** What keys do now; an action that is null can not be done and its key is left alone. */
export type KeyHandlers = Partial<Readonly<Record<KeyAction, (() => void) | null>>>;

/** Binds keys of the table while a part of a page is shown. Nothing is taken from a field that is written in. */
export function useKeys(handlers: KeyHandlers): void {
  const now = useRef(handlers);
  useEffect(() => {
    now.current = handlers;
  });
  const bound = KEYS.filter((k) => k.action in handlers)
    .map((k) => k.action)
    .join(' ');
  useEffect(() => {
    const bindings = KEYS.filter((k) => bound.split(' ').includes(k.action)).flatMap(({ action, bind }) =>
      bind.map((key) => [
        key,
        (event: KeyboardEvent) => {
          const run = now.current[action];
          if (!run || inField(event.target)) return;
          event.preventDefault();
          run();
        },
      ]),
    );
    return tinykeys(window, Object.fromEntries(bindings) as Record<string, (event: KeyboardEvent) => void>);
  }, [bound]);
}
