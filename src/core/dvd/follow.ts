import type { Jump } from './commands';
import type { MenuChain, TitleSet, VideoManager } from './ifo';
import { Registers, runCommands, type Outcome } from './machine';
import type { DvdPgc } from './pgc';
import { buttonKey, byNearness, type ButtonTable, type Route } from './routes';

/** Steps in all, and states of the registers in which one chain is entered: discs made to confuse go round and round. */
const MOST_STEPS = 4000;
const MOST_STATES = 12;
/** A title that is over before this is a logo: what plays behind it by itself plays by itself too. */
const LOGO_MS = 60_000;
const LANGUAGE = 'en';

/** A program chain that is about to be entered. */
interface Entering {
  readonly pgc: DvdPgc;
  /** Menus of the disc: 0. */
  readonly titleSet: number;
  /** Null for first play and for titles. */
  readonly chain: MenuChain | null;
  /** Number of the title, where this is its chain. */
  readonly title: number | null;
  readonly registers: Registers;
  readonly step: Omit<Route, 'title'>;
}

/**
 * Runs a disc's navigation from first play on, with registers, and tries every button of every menu that comes up: how each title is
 * reached by a viewer who does not interfere, and how by one button or more. Unlike a search of all commands it takes only what
 * happens: through dummy chains and language menus it ends where a player does.
 * @returns routes in the order in which they were found; empty where nothing could be followed.
 */
export function followNavigation(manager: VideoManager, sets: ReadonlyMap<number, TitleSet>, buttons: ButtonTable): Route[] {
  const routes: Route[] = [];
  const reached = new Set<string>();
  const states = new Map<string, number>();
  const queue: Entering[] = [];

  const add = (title: number, step: Omit<Route, 'title'>) => {
    const key = `${title}/${step.by}`;
    if (reached.has(key)) return;
    reached.add(key);
    routes.push({ title, ...step });
  };
  const enter = (entering: Entering) => {
    const place = `${entering.titleSet}/${entering.chain ? `${entering.chain.language}${entering.chain.number}` : `t${entering.title}`}`;
    const state = `${place} ${entering.step.by} ${entering.registers.key}`;
    const seen = states.get(place) ?? 0;
    if (states.has(state) || seen >= MOST_STATES) return;
    states.set(state, 1).set(place, seen + 1);
    queue.push(entering);
  };
  const enterMenu = (from: Entering, titleSet: number, matches: (menu: MenuChain) => boolean) => {
    const menus = (titleSet === 0 ? manager.menus : (sets.get(titleSet)?.menus ?? [])).filter(matches);
    const chain =
      menus.find((m) => m.language === (from.chain?.language ?? LANGUAGE)) ?? menus.find((m) => m.language === LANGUAGE) ?? menus[0];
    if (chain) enter({ ...from, pgc: chain.pgc, titleSet, chain, title: null });
  };
  const enterTitle = (from: Entering, number: number) => {
    const entry = manager.titles.find((t) => t.number === number);
    const set = entry && sets.get(entry.titleSet);
    const first = entry && set?.chapters[entry.titleInSet - 1]?.[0];
    const pgc = set?.pgcs[(first?.pgc ?? entry?.titleInSet ?? 0) - 1];
    // A title whose tables are lost is reached all the same.
    if (!entry || !pgc) add(number, from.step);
    else enter({ ...from, pgc, titleSet: entry.titleSet, chain: null, title: number });
  };
  /** The title of a set that begins with a chain. */
  const titleOfChain = (titleSet: number, chain: number) =>
    manager.titles.find(
      (t) => t.titleSet === titleSet && (sets.get(titleSet)?.chapters[t.titleInSet - 1]?.[0]?.pgc ?? t.titleInSet) === chain,
    );

  const follow = (jump: Jump, from: Entering): void => {
    switch (jump.to) {
      case 'title':
        enterTitle(from, jump.title);
        return;
      case 'titleInSet': {
        const entry = manager.titles.find((t) => t.titleSet === from.titleSet && t.titleInSet === jump.titleInSet);
        if (entry) enterTitle(from, entry.number);
        return;
      }
      case 'firstPlay':
        if (manager.firstPlay) enter({ ...from, pgc: manager.firstPlay, titleSet: 0, chain: null, title: null });
        return;
      case 'discMenu':
        enterMenu(from, 0, (m) => m.menu === jump.menu);
        return;
      case 'discMenuChain':
        enterMenu(from, 0, (m) => m.number === jump.chain);
        return;
      case 'setMenu':
        enterMenu(from, jump.titleSet || from.titleSet, (m) => m.menu === jump.menu);
        return;
      case 'chain': {
        if (from.title === null) {
          enterMenu(from, from.titleSet, (m) => m.number === jump.chain);
          return;
        }
        const entry = titleOfChain(from.titleSet, jump.chain);
        const pgc = sets.get(from.titleSet)?.pgcs[jump.chain - 1];
        if (entry && entry.number !== from.title) enterTitle(from, entry.number);
        else if (pgc) enter({ ...from, pgc });
        return;
      }
      default:
    }
  };
  /** @returns true where the outcome leads away. */
  const leads = (outcome: Outcome, from: Entering): boolean => {
    if (outcome.kind === 'through') return false;
    if (outcome.kind === 'jump') follow(outcome.jump, from);
    if (outcome.kind === 'link' && outcome.link === 'tail') afterwards(from);
    if (outcome.kind === 'link' && outcome.link === 'next chain') nextChain(from);
    return true;
  };
  const nextChain = (from: Entering) => {
    if (from.pgc.nextPgc > 0) follow({ to: 'chain', chain: from.pgc.nextPgc }, from);
  };
  const afterwards = (from: Entering) => {
    if (!leads(runCommands(from.pgc.postCommands, from.registers), from)) nextChain(from);
  };

  const start: Omit<Route, 'title'> = { by: 'play', menus: 0, button: 0, selected: false };
  if (manager.firstPlay)
    queue.push({ pgc: manager.firstPlay, titleSet: 0, chain: null, title: null, registers: new Registers(), step: start });
  for (let steps = 0; queue.length > 0 && steps < MOST_STEPS; steps++) {
    const here = queue.shift() as Entering;
    if (leads(runCommands(here.pgc.preCommands, here.registers), here)) continue;
    if (here.title !== null && here.pgc.cells.length > 0) {
      add(here.title, here.step);
      if (here.pgc.durationMs >= LOGO_MS) continue;
    }
    const shown = here.chain ? buttons.get(buttonKey(here.titleSet, here.chain.number, here.chain.language)) : undefined;
    shown?.commands.forEach((command, i) => {
      const registers = here.registers.copy();
      registers.system[8] = (i + 1) << 10;
      const selected = shown.selected === i + 1 || (shown.selected === 0 && i === 0);
      const pressed: Entering = { ...here, registers, step: { by: 'button', menus: here.step.menus + 1, button: i + 1, selected } };
      leads(runCommands([command], registers), pressed);
    });
    // Where a viewer has to choose, nothing goes on by itself.
    if (shown && shown.commands.length > 0) continue;
    const cellCommand = here.pgc.cells.map((c) => here.pgc.cellCommands[c.command - 1]).find((c) => c !== undefined);
    if (cellCommand && leads(runCommands([cellCommand], here.registers), here)) continue;
    afterwards(here);
  }
  return routes.sort(byNearness);
}
