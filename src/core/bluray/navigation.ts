import type { IndexObject, IndexTable } from './index-table';
import type { MovieObject, NavigationCommand } from './movie-objects';

/** Where following the commands from one starting point led. */
export interface Followed {
  /** Playlists played, in order, each once. */
  readonly playlists: readonly number[];
  /** A Java program takes over: what it plays can not be known from here. */
  readonly java: boolean;
  /** It ends at the top menu. */
  readonly menu: boolean;
}

const MAX_STEPS = 20_000;
const MAX_PLAYED = 200;
const GENERAL_REGISTERS = 4096;
/** JUMP TITLE numbers with a meaning of their own. */
const TOP_MENU = 0;
const FIRST_PLAY = 0xffff;

/** Settings of a player as it comes from the shop: languages English, no parental limit. Spec: BD-ROM part 3, player status registers. */
function playerRegisters(): Uint32Array {
  const registers = new Uint32Array(128);
  registers[0] = 1;
  registers[1] = 1;
  registers[2] = 0xfff;
  registers[3] = 1;
  registers[4] = 1;
  registers[13] = 0xff;
  registers[15] = 0xffff;
  for (const language of [16, 17, 18]) registers[language] = 0x656e67;
  registers[19] = 0xffff;
  registers[20] = 2;
  registers[29] = 0x3;
  registers[30] = 0x1ffff;
  registers[31] = 0x80200;
  return registers;
}

interface Parts {
  readonly group: number;
  readonly subGroup: number;
  readonly branch: number;
  readonly compare: number;
  readonly set: number;
  readonly firstIsNumber: boolean;
  readonly secondIsNumber: boolean;
}

function partsOf({ operation }: NavigationCommand): Parts {
  return {
    group: (operation >>> 27) & 3,
    subGroup: (operation >>> 24) & 7,
    firstIsNumber: (operation & 0x800000) !== 0,
    secondIsNumber: (operation & 0x400000) !== 0,
    branch: (operation >>> 16) & 15,
    compare: (operation >>> 8) & 15,
    set: operation & 31,
  };
}

const holds = (compare: number, a: number, b: number): boolean => {
  switch (compare) {
    case 1:
      return (a & ~b) === 0;
    case 2:
      return a === b;
    case 3:
      return a !== b;
    case 4:
      return a >= b;
    case 5:
      return a > b;
    case 6:
      return a <= b;
    default:
      return a < b;
  }
};

const computed = (set: number, a: number, b: number): number => {
  const most = 0xffffffff;
  switch (set) {
    case 1:
      return b;
    case 3:
      return Math.min(most, a + b);
    case 4:
      return Math.max(0, a - b);
    case 5:
      return Math.min(most, a * b);
    case 6:
      return b === 0 ? most : Math.floor(a / b);
    case 7:
      return b === 0 ? most : a % b;
    case 8:
      return 1; // a random number from 1 to b: any will do, the first is taken
    case 9:
      return (a & b) >>> 0;
    case 10:
      return (a | b) >>> 0;
    case 11:
      return (a ^ b) >>> 0;
    case 12:
      return b < 32 ? (a | (1 << b)) >>> 0 : a;
    case 13:
      return b < 32 ? (a & ~(1 << b)) >>> 0 : a;
    case 14:
      return b < 32 ? (a << b) >>> 0 : 0;
    case 15:
      return b < 32 ? a >>> b : 0;
    default:
      return a;
  }
};

/** Runs movie objects as a player would that nobody touches: registers, comparisons and jumps, without pictures. */
class Player {
  readonly playlists: number[] = [];
  java = false;
  menu = false;
  private readonly general = new Uint32Array(GENERAL_REGISTERS);
  private readonly status = playerRegisters();
  private readonly calls: { object: number; next: number }[] = [];
  private steps = 0;

  constructor(
    private readonly index: IndexTable,
    private readonly objects: readonly MovieObject[],
  ) {}

  /** @returns the movie object to go on with, or null where it ends here. */
  start(object: IndexObject | null): number | null {
    if (!object) return null;
    if (object.kind === 'movie object') return object.id;
    this.java = true;
    return null;
  }

  private title(number: number): number | null {
    if (number === TOP_MENU) {
      this.menu = true; // what the menu itself plays is followed from there, as a menu's
      return null;
    }
    if (number === FIRST_PLAY) return this.start(this.index.firstPlay);
    this.status[4] = number;
    return this.start(this.index.titles[number - 1] ?? null);
  }

  private value(operand: number, isNumber: boolean): number {
    if (isNumber) return operand;
    return (operand & 0x80000000) !== 0 ? (this.status[operand & 0x7f] ?? 0) : (this.general[operand & 0xfff] ?? 0);
  }

  private store(operand: number, value: number): void {
    if ((operand & 0x80000000) === 0) this.general[operand & 0xfff] = value;
  }

  run(from: number | null): void {
    let object = from;
    let at = 0;
    while (object !== null && this.steps++ < MAX_STEPS && this.playlists.length < MAX_PLAYED) {
      const command: NavigationCommand | undefined = this.objects[object]?.commands[at];
      if (!command) {
        const back = this.calls.pop();
        if (!back) return;
        ({ object, next: at } = back);
        continue;
      }
      const parts = partsOf(command);
      const a = this.value(command.first, parts.firstIsNumber);
      const b = this.value(command.second, parts.secondIsNumber);
      at++;
      if (parts.group === 1) {
        if (!holds(parts.compare, a, b)) at++;
      } else if (parts.group === 2) {
        if (parts.subGroup === 0) this.setRegister(command, parts, a, b);
      } else if (parts.group === 0) {
        const next = this.branch(parts, a, object, at);
        if (next === null) return;
        ({ object, at } = next);
      }
    }
  }

  private setRegister(command: NavigationCommand, parts: Parts, a: number, b: number): void {
    if (parts.set === 2) {
      this.store(command.first, b);
      if (!parts.secondIsNumber) this.store(command.second, a);
    } else this.store(command.first, computed(parts.set, a, b));
  }

  private branch(parts: Parts, a: number, object: number, at: number): { object: number; at: number } | null {
    const go = (target: number | null) => (target === null ? null : { object: target, at: 0 });
    if (parts.subGroup === 0) {
      if (parts.branch === 1) return { object, at: a };
      return parts.branch === 2 ? null : { object, at };
    }
    if (parts.subGroup === 1) {
      const calls = parts.branch === 2 || parts.branch === 3;
      if (calls && this.calls.length < 16) this.calls.push({ object, next: at });
      if (parts.branch === 0 || parts.branch === 2) return go(a);
      if (parts.branch === 1 || parts.branch === 3) return go(this.title(a));
      const back = this.calls.pop();
      return back ? { object: back.object, at: back.next } : null;
    }
    if (parts.subGroup === 2 && parts.branch <= 2) {
      if (!this.playlists.includes(a)) this.playlists.push(a);
      this.status[6] = a;
    }
    return parts.subGroup === 2 && parts.branch === 3 ? null : { object, at };
  }
}

/** Follows the commands from an entry of the index, without a viewer. Ends by itself: steps and plays are bounded. */
export function followFrom(entry: IndexObject | null, index: IndexTable, objects: readonly MovieObject[]): Followed {
  const player = new Player(index, objects);
  player.run(player.start(entry));
  return { playlists: player.playlists, java: player.java, menu: player.menu };
}
