/** Does a key belong to what has the focus? A box that is ticked with the space bar has no use for letters. */
export const inField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  ((/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName) && !(target instanceof HTMLInputElement && target.type === 'checkbox')) ||
    target.closest('[role=dialog],[role=menu]') !== null);
