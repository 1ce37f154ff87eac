import { seeded } from '@/test-support/random';

/** What decides every choice of a random disc: numbers of a seed, and a note of which kinds of choice were met. */
export class Draw {
  /** Kinds of choice that this disc has: "sound: AC-3". */
  readonly kinds = new Set<string>();
  private readonly random;

  constructor(seed: number) {
    this.random = seeded(seed);
  }

  /** A whole number; both ends are included. */
  between(least: number, most: number): number {
    return least + this.random.int(most - least + 1);
  }

  oneOf<T>(list: readonly T[]): T {
    return this.random.pick(list);
  }

  /** @param share how often it is so, 0 to 1. @param kind noted where it is so. */
  chance(share: number, kind: string | null = null): boolean {
    const is = this.random.int(1000) < share * 1000;
    if (is && kind) this.kinds.add(kind);
    return is;
  }

  /** One of a list, noted under a heading. */
  kind<T extends string>(heading: string, list: readonly T[]): T {
    const one = this.oneOf(list);
    this.kinds.add(`${heading}: ${one}`);
    return one;
  }

  shuffled<T>(list: readonly T[]): T[] {
    const left = [...list];
    return Array.from(list, () => left.splice(this.random.int(left.length), 1)[0] as T);
  }
}
