/** Where a navigation command can lead. */
export type Jump =
  | { readonly to: 'title'; readonly title: number }
  | { readonly to: 'titleInSet'; readonly titleInSet: number; readonly chapter: number | null }
  | { readonly to: 'firstPlay' }
  | { readonly to: 'discMenu'; readonly menu: number }
  | { readonly to: 'discMenuChain'; readonly chain: number }
  | { readonly to: 'setMenu'; readonly titleSet: number; readonly titleInSet: number; readonly menu: number }
  | { readonly to: 'chain'; readonly chain: number }
  | { readonly to: 'buttonTail' };

/**
 * The jump, call or link that a command makes when its condition holds; null for one that makes none.
 * Conditions and registers are not followed here: a conditional jump is one that can happen.
 * Spec: DVD-Video navigation commands, types 1 (link, jump, call) and 2 to 6 (set with link).
 */
export function commandJump(command: Uint8Array): Jump | null {
  const [b0 = 0, b1 = 0, b2 = 0, b3 = 0, b4 = 0, b5 = 0, b6 = 0, b7 = 0] = command;
  const type = b0 >> 5;
  if (type === 1 && b0 & 0x10) {
    const call = (b1 & 15) === 8;
    switch (b1 & 15) {
      case 2:
        return { to: 'title', title: b5 & 0x7f };
      case 3:
        return { to: 'titleInSet', titleInSet: b5 & 0x7f, chapter: null };
      case 5:
        return { to: 'titleInSet', titleInSet: b5 & 0x7f, chapter: ((b2 & 3) << 8) | b3 };
      case 6:
      case 8:
        switch (b5 >> 6) {
          case 0:
            return { to: 'firstPlay' };
          case 1:
            return { to: 'discMenu', menu: b5 & 15 };
          case 2:
            return { to: 'setMenu', titleSet: call ? 0 : b4, titleInSet: call ? 0 : b3, menu: b5 & 15 };
          default:
            return { to: 'discMenuChain', chain: ((b2 & 0x7f) << 8) | b3 };
        }
      default:
        return null;
    }
  }
  if (type === 1 || type === 2 || type === 3) {
    if ((b1 & 15) === 4) return { to: 'chain', chain: ((b6 & 0x7f) << 8) | b7 };
    return null;
  }
  return null;
}

/** True where a command does what it does only if a comparison holds. */
export const isConditional = (command: Uint8Array): boolean => (((command[1] ?? 0) >> 4) & 7) !== 0;
