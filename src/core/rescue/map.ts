import { DiscError } from '../bytes';

/**
 * What is known of each stretch of a medium that is copied with damage. In the open text form in which tools that rescue any medium keep
 * it, so that a copy begun with one goes on here and the other way round: a line each of position, size and one letter, in bytes.
 */
export const STRETCH_STATES = ['not tried', 'edge not found', 'not searched', 'unreadable', 'read'] as const;
export type StretchState = (typeof STRETCH_STATES)[number];

/** Of the text form: not tried, failed in a large read, failed with its edges found, a sector that failed by itself, read. */
const LETTERS: Readonly<Record<StretchState, string>> = {
  'not tried': '?',
  'edge not found': '*',
  'not searched': '/',
  unreadable: '-',
  read: '+',
};
const STATES = new Map(STRETCH_STATES.map((s) => [LETTERS[s], s]));

export interface Stretch {
  readonly from: number;
  /** Behind the last byte. */
  readonly to: number;
  readonly state: StretchState;
}

/** A disc has four million sectors per layer at most; a map of more lines than this is none of a disc. */
const MOST_LINES = 1_000_000;
const MOST_BYTES = 2 ** 40;

/** Stretches of a medium, in order, without holes; neighbours differ. */
export class RescueMap {
  private stretches: Stretch[];

  private constructor(stretches: Stretch[]) {
    this.stretches = stretches;
  }

  /** @param sizeBytes of the medium. */
  static untouched(sizeBytes: number): RescueMap {
    return new RescueMap(sizeBytes > 0 ? [{ from: 0, to: sizeBytes, state: 'not tried' }] : []);
  }

  get sizeBytes(): number {
    return this.stretches.at(-1)?.to ?? 0;
  }

  get all(): readonly Stretch[] {
    return this.stretches;
  }

  /** Number of the stretch that holds a byte, or of the next one. */
  private indexAt(byte: number): number {
    let [low, high] = [0, this.stretches.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.stretches[middle] as Stretch).to <= byte) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /** Notes what became of a stretch. @param from bytes, inside the medium. @param to behind the last. */
  set(from: number, to: number, state: StretchState): void {
    const [start, end] = [Math.max(0, from), Math.min(to, this.sizeBytes)];
    if (start >= end) return;
    const [first, last] = [this.indexAt(start), this.indexAt(end - 1)];
    const [head, tail] = [this.stretches[first] as Stretch, this.stretches[last] as Stretch];
    const made: Stretch[] = [];
    const add = (s: Stretch) => {
      if (s.from >= s.to) return;
      const before = made.at(-1);
      if (before?.state === s.state) made[made.length - 1] = { ...before, to: s.to };
      else made.push(s);
    };
    const [before, after] = [this.stretches[first - 1], this.stretches[last + 1]];
    if (before) add(before);
    add({ ...head, to: start });
    add({ from: start, to: end, state });
    add({ ...tail, from: end });
    if (after) add(after);
    const at = before ? first - 1 : first;
    this.stretches.splice(at, (after ? last + 1 : last) - at + 1, ...made);
  }

  /** What stands in a state, in order; a copy, so that it may be worked through while the map changes. */
  of(...states: readonly StretchState[]): Stretch[] {
    return this.stretches.filter((s) => states.includes(s.state));
  }

  bytesOf(...states: readonly StretchState[]): number {
    return this.stretches.reduce((sum, s) => (states.includes(s.state) ? sum + s.to - s.from : sum), 0);
  }

  /** What was not read, between two bytes. */
  gaps(from: number, to: number): { readonly from: number; readonly to: number }[] {
    const found: { from: number; to: number }[] = [];
    for (let i = this.indexAt(from); i < this.stretches.length; i++) {
      const s = this.stretches[i] as Stretch;
      if (s.from >= to) break;
      if (s.state === 'read') continue;
      const gap = { from: Math.max(from, s.from), to: Math.min(to, s.to) };
      const last = found.at(-1);
      if (last?.to === gap.from) last.to = gap.to;
      else found.push(gap);
    }
    return found;
  }

  /** @param remarks lines above, for people. */
  toText(remarks: readonly string[] = []): string {
    const hex = (n: number) => `0x${n.toString(16).toUpperCase().padStart(8, '0')}`;
    const [next] = this.of('not tried', 'edge not found', 'not searched');
    const status = next ? LETTERS[next.state] : '+';
    return [
      ...remarks.map((r) => `# ${r.replace(/[\r\n]+/g, ' ')}`),
      '# position  status  pass',
      `${hex(next?.from ?? this.sizeBytes)}     ${status}               1`,
      '#  position        size  status',
      ...this.stretches.map((s) => `${hex(s.from)}  ${hex(s.to - s.from)}  ${LETTERS[s.state]}`),
      '',
    ].join('\n');
  }

  /**
   * Reads the text form. Holes between lines were not tried; a map may end before its medium does.
   * @param name what the map is called, for messages. @param sizeBytes of the medium, where it is known.
   * @throws DiscError `bad-map` with the byte where it goes wrong.
   */
  static parse(text: string, name: string, sizeBytes: number | null = null): RescueMap {
    const stretches: Stretch[] = [];
    let [at, lines, end] = [0, 0, 0];
    let hasStatus = false;
    const bad = (what: string) => new DiscError('bad-map', { source: name, byteOffset: at, structure: 'map of an image' }, what);
    for (const line of text.split('\n')) {
      const words = (line.split('#')[0] ?? '').trim().split(/\s+/).filter(Boolean);
      if (words.length > 0) {
        if (++lines > MOST_LINES) throw bad('It has more lines than a disc has sectors');
        if (!hasStatus) {
          // Where the work stood: of use to whoever did it.
          if (words.length < 2 || words.length > 3 || numberOf(words[0]) === null) throw bad(`“${line.slice(0, 60)}” is no status line`);
          hasStatus = true;
        } else {
          const [position, size, state] = [numberOf(words[0]), numberOf(words[1]), STATES.get(words[2] ?? '')];
          if (words.length !== 3 || position === null || size === null || state === undefined)
            throw bad(`“${line.slice(0, 60)}” says nothing of a stretch`);
          if (position < end) throw bad(`The stretch at ${position} begins before the one above it ends`);
          if (position + size > MOST_BYTES) throw bad(`It speaks of byte ${position + size}: no disc is that large`);
          if (position > end) stretches.push({ from: end, to: position, state: 'not tried' });
          if (size > 0) stretches.push({ from: position, to: position + size, state });
          end = position + size;
        }
      }
      at += line.length + 1;
    }
    if (!hasStatus) throw bad('It is empty');
    if (sizeBytes !== null && end > sizeBytes && stretches.some((s) => s.to > sizeBytes && s.state === 'read'))
      throw bad(`It says that ${end} bytes were read, and there are ${sizeBytes}`);
    const map = RescueMap.untouched(sizeBytes ?? end);
    if (stretches.length === 0) return map;
    return map.withAll(stretches);
  }

  private withAll(stretches: readonly Stretch[]): RescueMap {
    const size = this.sizeBytes;
    const joined: Stretch[] = [];
    const end = stretches.at(-1)?.to ?? 0;
    for (const s of [...stretches, { from: end, to: size, state: 'not tried' as const }]) {
      const inside = { ...s, to: Math.min(s.to, size) };
      if (inside.from >= inside.to) continue;
      const last = joined.at(-1);
      if (last?.state === inside.state) joined[joined.length - 1] = { ...last, to: inside.to };
      else joined.push(inside);
    }
    return new RescueMap(joined);
  }
}

/** Decimal, or hexadecimal behind 0x. */
function numberOf(word: string | undefined): number | null {
  if (word === undefined || !/^(0x[0-9a-f]{1,12}|\d{1,15})$/i.test(word)) return null;
  return Number(word);
}
