import { commandJump, type Jump } from './commands';

/** Registers of a player: sixteen of the disc's own, and those that the player keeps. */
export class Registers {
  readonly general: Uint16Array;
  readonly system: Uint16Array;

  constructor(general = new Uint16Array(16), system = playerAsSold()) {
    this.general = general;
    this.system = system;
  }

  copy(): Registers {
    return new Registers(this.general.slice(), this.system.slice());
  }

  /** The same text for the same state. */
  get key(): string {
    return `${this.general.join()} ${this.system[8]}`;
  }

  read(number: number): number {
    return (number & 0x80) !== 0 ? (this.system[number & 0x1f] ?? 0) : (this.general[number & 15] ?? 0);
  }
}

/** A player as it comes from the shop: English, no parental limit, wide screen, region 1. DVD-Video: system parameters. */
function playerAsSold(): Uint16Array {
  const registers = new Uint16Array(24);
  registers[0] = 0x656e;
  registers[1] = 15;
  registers[2] = 62;
  for (const one of [3, 4, 5, 6, 7]) registers[one] = 1;
  registers[8] = 1 << 10;
  registers[12] = 0x5553;
  registers[13] = 15;
  registers[14] = 0x0100;
  registers[15] = 0x7cfc;
  for (const none of [16, 18]) registers[none] = 0xffff;
  registers[20] = 1;
  return registers;
}

/** Links inside a program chain, by what they do to somebody who only follows. */
export type Link = 'top' | 'next' | 'previous' | 'next chain' | 'previous chain' | 'up' | 'tail' | 'resume';

/** What came of a list of commands. */
export type Outcome =
  | { readonly kind: 'through' }
  | { readonly kind: 'jump'; readonly jump: Jump }
  | { readonly kind: 'link'; readonly link: Link }
  | { readonly kind: 'exit' };

const THROUGH: Outcome = { kind: 'through' };
const MOST_LINES = 500;
/** LinkSub numbers of the standard. */
const LINKS: Readonly<Record<number, Link>> = {
  1: 'top',
  2: 'next',
  3: 'previous',
  5: 'top',
  6: 'next',
  7: 'previous',
  9: 'top',
  10: 'next chain',
  11: 'previous chain',
  12: 'up',
  13: 'tail',
  16: 'resume',
};
const MOST = 0xffff;

function compares(operation: number, a: number, b: number): boolean {
  switch (operation) {
    case 1:
      return (a & b) !== 0;
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
    case 7:
      return a < b;
    default:
      return true;
  }
}

/** Arithmetic of the standard: sums stop at the ends of 16 bits, and dividing by zero gives the most there is. */
function computed(operation: number, a: number, b: number): number {
  switch (operation) {
    case 3:
      return Math.min(MOST, a + b);
    case 4:
      return Math.max(0, a - b);
    case 5:
      return Math.min(MOST, a * b);
    case 6:
      return b === 0 ? MOST : Math.floor(a / b);
    case 7:
      return b === 0 ? MOST : a % b;
    case 8:
      return Math.min(a, 1); // a random number from 1 on: the first is as good as any, and always the same
    case 9:
      return a & b;
    case 10:
      return a | b;
    case 11:
      return a ^ b;
    default:
      return b;
  }
}

/**
 * Runs navigation commands as a player does: registers, comparisons and jumps, each once, with a bound on steps.
 * Spec: DVD-Video, navigation commands: types 0 (special), 1 (link, jump), 2 (set system), 3 to 6 (set, compare, link).
 */
export function runCommands(commands: readonly Uint8Array[], registers: Registers): Outcome {
  let line = 0;
  for (let steps = 0; line < commands.length && steps < MOST_LINES; steps++) {
    const command = commands[line++];
    if (!command) break;
    const step = runOne(command, registers);
    if (step === null) continue;
    if (typeof step === 'number') {
      if (step === 0) return THROUGH; // leaves the list
      line = step - 1;
    } else return step;
  }
  return THROUGH;
}

/** @returns null to go on, a line to go on with (0: none), or how the list ends. */
function runOne(command: Uint8Array, registers: Registers): Outcome | number | null {
  const b = (i: number) => command[i] ?? 0;
  const u16 = (i: number) => (b(i) << 8) | b(i + 1);
  const type = b(0) >> 5;
  const direct = (b(0) & 0x10) !== 0;
  const operation = (b(1) >> 4) & 7;
  const comparesNumber = (b(1) & 0x80) !== 0;
  /** Comparison whose operands stand at a register's byte, and at a number or register from another byte on. */
  const holdsAt = (left: number, right: number) =>
    compares(operation, registers.read(b(left)), comparesNumber ? u16(right) : registers.read(b(right + 1)));
  switch (type) {
    case 0:
      if (!holdsAt(3, 4)) return null;
      if ((b(1) & 15) === 1) return b(7);
      if ((b(1) & 15) === 3) return b(7); // parental level granted
      return (b(1) & 15) === 2 ? 0 : null;
    case 1:
      if (direct) {
        if (!compares(operation, registers.read(b(6)), registers.read(b(7)))) return null;
        if ((b(1) & 15) === 1) return { kind: 'exit' };
        return jumpOf(command);
      }
      return holdsAt(3, 4) ? linkOf(command) : null;
    case 2: {
      if (!compares(operation, registers.read(b(6)), registers.read(b(7)))) return null;
      setSystem(command, registers);
      return linkOf(command);
    }
    case 3:
      if (!holdsAt(2, 6)) return null;
      setGeneral(registers, b(0) & 15, b(3) & 15, b(5) & 15, direct ? u16(4) : registers.read(b(5)));
      return linkOf(command);
    case 4:
      setGeneral(registers, b(0) & 15, b(1) & 15, b(3) & 15, direct ? u16(2) : registers.read(b(3)));
      return compares(operation, registers.general[b(1) & 15] ?? 0, comparesNumber ? u16(4) : registers.read(b(5))) ? subLink(b(7)) : null;
    case 5:
    case 6: {
      const holds = direct ? compares(operation, registers.read(b(4)), registers.read(b(5))) : holdsAt(2, 4);
      if (holds) setGeneral(registers, b(0) & 15, b(1) & 15, b(3) & 15, direct ? u16(2) : registers.read(b(3)));
      return holds || type === 6 ? subLink(b(7)) : null;
    }
    default:
      return null;
  }
}

function setGeneral(registers: Registers, operation: number, target: number, other: number, value: number): void {
  if (operation === 0) return;
  const before = registers.general[target] ?? 0;
  if (operation === 2) {
    registers.general[other] = before;
    registers.general[target] = value;
  } else registers.general[target] = computed(operation, operation === 8 ? value : before, value);
}

/** Only what navigation asks for later is kept: the selected button, and registers that are set through the system. */
function setSystem(command: Uint8Array, registers: Registers): void {
  const b = (i: number) => command[i] ?? 0;
  const direct = (b(0) & 0x10) !== 0;
  const operation = b(0) & 15;
  const value = direct ? (b(4) << 8) | b(5) : registers.read(b(5));
  if (operation === 6) registers.system[8] = value;
  else if (operation === 3) registers.general[b(5) & 15] = direct ? (b(2) << 8) | b(3) : registers.read(b(3));
}

const jumpOf = (command: Uint8Array): Outcome | null => {
  const jump = commandJump(command);
  return jump && { kind: 'jump', jump };
};

function subLink(number: number): Outcome | null {
  const link = LINKS[number & 31];
  return link === undefined ? null : { kind: 'link', link };
}

/** The link behind a command: to a chain by number, or inside the one that runs. */
function linkOf(command: Uint8Array): Outcome | null {
  const kind = (command[1] ?? 0) & 15;
  if (kind === 1) return subLink(command[7] ?? 0);
  if (kind === 4) return jumpOf(command);
  return kind >= 5 && kind <= 7 ? { kind: 'link', link: 'next' } : null;
}
