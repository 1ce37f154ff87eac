import { commandJump, isConditional, type Jump } from './commands';
import type { MenuChain, TitleSet, VideoManager } from './ifo';
import type { DvdPgc } from './pgc';

/** How a title can be reached from inserting the disc. */
export interface Route {
  readonly title: number;
  /** `play`: without any button. `button`: by a menu button. */
  readonly by: 'play' | 'button';
  /** Menus passed before it; 0 where first play jumps there itself. */
  readonly menus: number;
  /** Place of the button in its menu, from 1; 0 where none is pressed. */
  readonly button: number;
  /** True where the menu selects that button by itself. */
  readonly selected: boolean;
}

/** Buttons of one menu program chain. */
export interface ChainButtons {
  readonly commands: readonly Uint8Array[];
  readonly selected: number;
}

/** Buttons per domain (0 for the disc's menus, else the title set) and chain number. */
export type ButtonTable = ReadonlyMap<string, ChainButtons>;
export const buttonKey = (titleSet: number, chain: number, language: string): string => `${titleSet}/${chain}/${language}`;

/** What plays by itself first, then what the fewest menus and the selected buttons lead to. */
export const byNearness = (a: Route, b: Route): number =>
  Number(a.by === 'button') - Number(b.by === 'button') ||
  a.menus - b.menus ||
  Number(b.selected) - Number(a.selected) ||
  a.button - b.button;

interface Place {
  readonly titleSet: number;
  readonly chain: MenuChain;
}

const MAX_STEPS = 4000;

/**
 * Follows first play and the menus as far as commands and buttons can be followed without a viewer,
 * and lists how each title is reached; the nearest route of a title comes first.
 * Every jump that can happen is followed once, so circles end by themselves.
 */
export function findRoutes(manager: VideoManager, sets: ReadonlyMap<number, TitleSet>, buttons: ButtonTable): Route[] {
  const routes: Route[] = [];
  const reached = new Set<string>();
  const queue: { place: Place | null; pgc: DvdPgc; menus: number; by: 'play' | 'button'; button: number; selected: boolean }[] = [];
  const add = (title: number, step: Omit<Route, 'title'>) => {
    const key = `${title}/${step.by}`;
    if (reached.has(key)) return;
    reached.add(key);
    routes.push({ title, ...step });
  };
  const enter = (place: Place, step: { menus: number; by: 'play' | 'button'; button: number; selected: boolean }) => {
    const key = buttonKey(place.titleSet, place.chain.number, place.chain.language);
    if (reached.has(key)) return;
    reached.add(key);
    queue.push({ place, pgc: place.chain.pgc, ...step });
  };
  const follow = (jump: Jump, from: Place | null, step: { menus: number; by: 'play' | 'button'; button: number; selected: boolean }) => {
    const set = from?.titleSet ?? 0;
    const chains = set === 0 ? manager.menus : (sets.get(set)?.menus ?? []);
    switch (jump.to) {
      case 'title':
        add(jump.title, step);
        return;
      case 'titleInSet': {
        const entry = manager.titles.find((t) => t.titleSet === set && t.titleInSet === jump.titleInSet);
        if (entry) add(entry.number, step);
        return;
      }
      case 'discMenu':
        for (const chain of manager.menus.filter((m) => m.menu === jump.menu)) enter({ titleSet: 0, chain }, step);
        return;
      case 'discMenuChain':
        for (const chain of manager.menus.filter((m) => m.number === jump.chain)) enter({ titleSet: 0, chain }, step);
        return;
      case 'setMenu': {
        const target = jump.titleSet || set;
        for (const chain of sets.get(target)?.menus.filter((m) => m.menu === jump.menu) ?? []) enter({ titleSet: target, chain }, step);
        return;
      }
      case 'chain':
        for (const chain of chains.filter((m) => m.number === jump.chain && m.language === (from?.chain.language ?? m.language)))
          enter({ titleSet: set, chain }, step);
        return;
      default:
    }
  };

  const runCommands = (
    commands: readonly Uint8Array[],
    from: Place | null,
    step: { menus: number; by: 'play' | 'button'; button: number; selected: boolean },
  ): boolean => {
    for (const command of commands) {
      const jump = commandJump(command);
      if (!jump) continue;
      follow(jump, from, step);
      if (!isConditional(command)) return true; // what follows an unconditional jump is never run
    }
    return false;
  };

  if (manager.firstPlay) queue.push({ place: null, pgc: manager.firstPlay, menus: 0, by: 'play', button: 0, selected: false });
  for (let steps = 0; queue.length > 0 && steps < MAX_STEPS; steps++) {
    const here = queue.shift();
    if (!here) break;
    const step = { menus: here.menus, by: here.by, button: here.button, selected: here.selected };
    if (runCommands(here.pgc.preCommands, here.place, step)) continue;
    const shown = here.place ? buttons.get(buttonKey(here.place.titleSet, here.place.chain.number, here.place.chain.language)) : undefined;
    shown?.commands.forEach((command, i) => {
      const jump = commandJump(command);
      if (jump)
        follow(jump, here.place, {
          menus: here.menus + 1,
          by: 'button',
          button: i + 1,
          selected: shown.selected === i + 1 || (shown.selected === 0 && i === 0),
        });
    });
    runCommands(here.pgc.cellCommands, here.place, step);
    runCommands(here.pgc.postCommands, here.place, step);
  }
  return routes.sort(byNearness);
}
