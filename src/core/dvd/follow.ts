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

/** A player that does whatever a disc's commands say, with every button of every menu pressed once. */
class Follower {
  readonly routes: Route[] = [];
  private readonly reached = new Set<string>();
  private readonly states = new Map<string, number>();
  private readonly queue: Entering[] = [];

  constructor(
    private readonly manager: VideoManager,
    private readonly sets: ReadonlyMap<number, TitleSet>,
    private readonly buttons: ButtonTable,
  ) {}

  private add(title: number, step: Omit<Route, 'title'>): void {
    const key = `${title}/${step.by}`;
    if (this.reached.has(key)) return;
    this.reached.add(key);
    this.routes.push({ title, ...step });
  }

  private enter(entering: Entering): void {
    const { states } = this;
    const place = `${entering.titleSet}/${entering.chain ? `${entering.chain.language}${entering.chain.number}` : `t${entering.title}`}`;
    const state = `${place} ${entering.step.by} ${entering.registers.key}`;
    const seen = states.get(place) ?? 0;
    if (states.has(state) || seen >= MOST_STATES) return;
    states.set(state, 1).set(place, seen + 1);
    this.queue.push(entering);
  }

  private enterMenu(from: Entering, titleSet: number, matches: (menu: MenuChain) => boolean): void {
    const menus = (titleSet === 0 ? this.manager.menus : (this.sets.get(titleSet)?.menus ?? [])).filter(matches);
    const chain =
      menus.find((m) => m.language === (from.chain?.language ?? LANGUAGE)) ?? menus.find((m) => m.language === LANGUAGE) ?? menus[0];
    if (chain) this.enter({ ...from, pgc: chain.pgc, titleSet, chain, title: null });
  }

  private enterTitle(from: Entering, number: number): void {
    const entry = this.manager.titles.find((t) => t.number === number);
    const set = entry && this.sets.get(entry.titleSet);
    const first = entry && set?.chapters[entry.titleInSet - 1]?.[0];
    const pgc = set?.pgcs[(first?.pgc ?? entry?.titleInSet ?? 0) - 1];
    // A title whose tables are lost is reached all the same.
    if (!entry || !pgc) this.add(number, from.step);
    else this.enter({ ...from, pgc, titleSet: entry.titleSet, chain: null, title: number });
  }

  private enterChain(from: Entering, chain: number): void {
    if (from.title === null) {
      this.enterMenu(from, from.titleSet, (m) => m.number === chain);
      return;
    }
    const set = this.sets.get(from.titleSet);
    // The title of the set that begins with the chain.
    const entry = this.manager.titles.find(
      (t) => t.titleSet === from.titleSet && (set?.chapters[t.titleInSet - 1]?.[0]?.pgc ?? t.titleInSet) === chain,
    );
    const pgc = set?.pgcs[chain - 1];
    if (entry && entry.number !== from.title) this.enterTitle(from, entry.number);
    else if (pgc) this.enter({ ...from, pgc });
  }

  private follow(jump: Jump, from: Entering): void {
    switch (jump.to) {
      case 'title':
        this.enterTitle(from, jump.title);
        return;
      case 'titleInSet': {
        const entry = this.manager.titles.find((t) => t.titleSet === from.titleSet && t.titleInSet === jump.titleInSet);
        if (entry) this.enterTitle(from, entry.number);
        return;
      }
      case 'firstPlay':
        if (this.manager.firstPlay) this.enter({ ...from, pgc: this.manager.firstPlay, titleSet: 0, chain: null, title: null });
        return;
      case 'discMenu':
        this.enterMenu(from, 0, (m) => m.menu === jump.menu);
        return;
      case 'discMenuChain':
        this.enterMenu(from, 0, (m) => m.number === jump.chain);
        return;
      case 'setMenu':
        this.enterMenu(from, jump.titleSet || from.titleSet, (m) => m.menu === jump.menu);
        return;
      case 'chain':
        this.enterChain(from, jump.chain);
        return;
      default:
    }
  }

  /** @returns true where the outcome leads away. */
  private leads(outcome: Outcome, from: Entering): boolean {
    if (outcome.kind === 'through') return false;
    if (outcome.kind === 'jump') this.follow(outcome.jump, from);
    if (outcome.kind === 'link' && outcome.link === 'tail') this.afterwards(from);
    if (outcome.kind === 'link' && outcome.link === 'next chain') this.nextChain(from);
    return true;
  }

  private nextChain(from: Entering): void {
    if (from.pgc.nextPgc > 0) this.enterChain(from, from.pgc.nextPgc);
  }

  private afterwards(from: Entering): void {
    if (!this.leads(runCommands(from.pgc.postCommands, from.registers), from)) this.nextChain(from);
  }

  /** Presses every button of the menu that is shown. @returns whether there is one: nothing goes on by itself where a viewer has to choose. */
  private press(here: Entering): boolean {
    const shown = here.chain ? this.buttons.get(buttonKey(here.titleSet, here.chain.number, here.chain.language)) : undefined;
    shown?.commands.forEach((command, i) => {
      const registers = here.registers.copy();
      registers.system[8] = (i + 1) << 10;
      const selected = shown.selected === i + 1 || (shown.selected === 0 && i === 0);
      const pressed: Entering = { ...here, registers, step: { by: 'button', menus: here.step.menus + 1, button: i + 1, selected } };
      this.leads(runCommands([command], registers), pressed);
    });
    return (shown?.commands.length ?? 0) > 0;
  }

  private visit(here: Entering): void {
    if (this.leads(runCommands(here.pgc.preCommands, here.registers), here)) return;
    if (here.title !== null && here.pgc.cells.length > 0) {
      this.add(here.title, here.step);
      if (here.pgc.durationMs >= LOGO_MS) return;
    }
    if (this.press(here)) return;
    const cellCommand = here.pgc.cells.map((c) => here.pgc.cellCommands[c.command - 1]).find((c) => c !== undefined);
    if (cellCommand && this.leads(runCommands([cellCommand], here.registers), here)) return;
    this.afterwards(here);
  }

  run(): void {
    const { firstPlay } = this.manager;
    const step: Omit<Route, 'title'> = { by: 'play', menus: 0, button: 0, selected: false };
    if (firstPlay) this.queue.push({ pgc: firstPlay, titleSet: 0, chain: null, title: null, registers: new Registers(), step });
    for (let steps = 0; steps < MOST_STEPS; steps++) {
      const here = this.queue.shift();
      if (!here) return;
      this.visit(here);
    }
  }
}

/**
 * Runs a disc's navigation from first play on, with registers, and tries every button of every menu that comes up: how each title is
 * reached by a viewer who does not interfere, and how by one button or more. Unlike a search of all commands it takes only what
 * happens: through dummy chains and language menus it ends where a player does.
 * @returns routes in the order in which they were found; empty where nothing could be followed.
 */
export function followNavigation(manager: VideoManager, sets: ReadonlyMap<number, TitleSet>, buttons: ButtonTable): Route[] {
  const follower = new Follower(manager, sets, buttons);
  follower.run();
  return follower.routes.sort(byNearness);
}
