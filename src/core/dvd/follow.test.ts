import { followNavigation } from './follow';
import type { MenuChain, TitleSet, VideoManager } from './ifo';
import { Registers, runCommands } from './machine';
import type { DvdCell, DvdPgc } from './pgc';
import { buttonKey, findRoutes } from './routes';

/** Navigation programs written out as the standard codes them. */

const c = (hex: string) => Uint8Array.from(hex.replaceAll(' ', '').match(/../g) ?? [], (h) => parseInt(h, 16));
const hex = (n: number, digits: number) => n.toString(16).padStart(digits, '0');
/** g[register] = value */
const set = (register: number, value: number) => c(`71 00 00 ${hex(register, 2)} ${hex(value, 4)} 00 00`);
const add = (register: number, value: number) => c(`73 00 00 ${hex(register, 2)} ${hex(value, 4)} 00 00`);
/** if (g[register] == value) goto line */
const gotoIf = (register: number, value: number, line: number) => c(`00 a1 00 ${hex(register, 2)} ${hex(value, 4)} 00 ${hex(line, 2)}`);
const jumpTitle = (title: number) => c(`30 02 00 00 00 ${hex(title, 2)} 00 00`);
const discMenuChain = (chain: number) => c(`30 06 ${hex(chain, 4)} 00 c0 00 00`);
const linkChain = (chain: number) => c(`20 04 00 00 00 00 ${hex(chain, 4)}`);
const NOTHING = c('00 00 00 00 00 00 00 00');

const cell: DvdCell = {
  number: 1,
  vobId: 1,
  cellId: 1,
  firstSector: 0,
  lastSector: 10,
  lastUnitSector: 10,
  durationMs: 1000,
  angle: null,
  seamless: false,
  interleaved: false,
  clockRestarts: true,
  stillSeconds: 0,
  command: 0,
};
const pgc = (change: Partial<DvdPgc>): DvdPgc => ({
  durationMs: 0,
  cells: [],
  programs: [],
  audioStreams: [],
  subpictureStreams: [],
  palette: [],
  preCommands: [],
  postCommands: [],
  cellCommands: [],
  nextPgc: 0,
  ...change,
});

describe('the machine', () => {
  const run = (...commands: Uint8Array[]) => {
    const registers = new Registers();
    return { outcome: runCommands(commands, registers), registers };
  };

  test('keeps registers, compares them, and goes to lines', () => {
    const { outcome, registers } = run(set(0, 5), add(0, 2), gotoIf(0, 7, 5), jumpTitle(1), jumpTitle(2));
    expect(registers.general[0]).toBe(7);
    expect(outcome).toEqual({ kind: 'jump', jump: { to: 'title', title: 2 } });
  });

  test('sums stop at the ends of sixteen bits, dividing by zero gives the most there is', () => {
    expect(run(set(1, 0xfff0), add(1, 0x20)).registers.general[1]).toBe(0xffff);
    expect(run(set(1, 3), c('74 00 00 01 00 09 00 00')).registers.general[1]).toBe(0);
    expect(run(set(1, 3), c('76 00 00 01 00 00 00 00')).registers.general[1]).toBe(0xffff);
  });

  test('two registers change places, and a program that goes round ends', () => {
    const swapped = run(set(1, 11), set(2, 22), c('62 00 00 01 00 02 00 00')).registers.general;
    expect([swapped[1], swapped[2]]).toEqual([22, 11]);
    expect(run(c('00 01 00 00 00 00 00 01')).outcome).toEqual({ kind: 'through' });
  });

  test('whatever bytes a program is made of, it ends', async () => {
    const { seeded } = await import('@/test-support/random');
    for (let seed = 0; seed < 400; seed++) {
      const random = seeded(seed);
      const commands = Array.from({ length: 1 + random.int(20) }, () => random.bytes(8));
      expect(['through', 'jump', 'link', 'exit']).toContain(runCommands(commands, new Registers()).kind);
    }
  });
});

describe('following', () => {
  const title = pgc({ cells: [cell], durationMs: 3_600_000 });
  const menu = (number: number, change: Partial<DvdPgc>): MenuChain => ({
    language: 'en',
    menu: number === 1 ? 2 : 0,
    number,
    pgc: pgc(change),
  });
  const disc = (firstPlay: readonly Uint8Array[], menus: readonly MenuChain[], titles = 4) => {
    const manager: VideoManager = {
      titleSetCount: 1,
      providerId: '',
      titles: Array.from({ length: titles }, (_, i) => ({ number: i + 1, angles: 1, chapters: 1, titleSet: 1, titleInSet: i + 1 })),
      firstPlay: pgc({ preCommands: firstPlay }),
      parental: new Map(),
      menus,
      faults: [],
    };
    const set1 = {
      number: 1,
      chapters: Array.from({ length: titles }, (_, i) => [{ pgc: i + 1, program: 1 }]),
      pgcs: Array.from({ length: titles }, () => title),
      menus: [],
    } as unknown as TitleSet;
    return [manager, new Map([[1, set1]])] as const;
  };

  test('through dummy chains that choose by a register it ends at the one title that a player plays', () => {
    // First play sets a register; a chain without pictures looks at it and jumps; all other jumps never happen.
    const dummy = menu(2, { preCommands: [gotoIf(3, 9, 4), jumpTitle(1), jumpTitle(2), jumpTitle(4), jumpTitle(3)] });
    const [manager, sets] = disc([set(3, 9), discMenuChain(2)], [dummy]);
    expect(followNavigation(manager, sets, new Map())).toEqual([{ title: 4, by: 'play', menus: 0, button: 0, selected: false }]);
    // A search that knows no registers takes the first jump that it sees.
    expect(findRoutes(manager, sets, new Map())[0]?.title).toBe(1);
  });

  test('a language menu sets a register, and the menu behind it offers other titles by it', () => {
    const languages = menu(1, { cells: [cell] });
    const root = menu(2, { cells: [cell], preCommands: [NOTHING] });
    const chooser = menu(3, { preCommands: [gotoIf(0, 1, 3), jumpTitle(3), jumpTitle(2)] });
    const buttons = new Map([
      [buttonKey(0, 1, 'en'), { commands: [c('71 04 00 00 00 01 00 02'), c('71 04 00 00 00 02 00 02')], selected: 1 }],
      [buttonKey(0, 2, 'en'), { commands: [linkChain(3)], selected: 1 }],
    ]);
    const [manager, sets] = disc([discMenuChain(1)], [languages, root, chooser]);
    const routes = followNavigation(manager, sets, buttons);
    expect(routes.map((r) => [r.title, r.by, r.menus])).toEqual([
      [2, 'button', 2],
      [3, 'button', 2],
    ]);
  });

  test('chains that lead to each other in ever new states end', () => {
    const round = menu(2, { preCommands: [add(0, 1), linkChain(2)] });
    const [manager, sets] = disc([discMenuChain(2)], [round]);
    expect(followNavigation(manager, sets, new Map())).toEqual([]);
  });
});
