/** Numbers that look random and are the same in every run: a failure names its seed and can be had again. */
export interface Random {
  /** A whole number from 0 to `below - 1`. */
  int(below: number): number;
  bytes(length: number): Uint8Array;
  pick<T>(list: readonly T[]): T;
}

/** Mulberry32. */
export function seeded(seed: number): Random {
  let state = seed >>> 0;
  const next = () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
  const int = (below: number) => Math.floor(next() * below);
  return {
    int,
    bytes: (length) => {
      const data = new Uint8Array(length);
      for (let i = 0; i < length; i++) data[i] = int(256);
      return data;
    },
    pick: (list) => {
      const item = list[int(list.length)];
      if (item === undefined) throw new Error('nothing to pick from');
      return item;
    },
  };
}

/** A copy with some bytes changed: the usual damage to a structure. */
export function damaged(data: Uint8Array, random: Random, changes = 1 + random.int(8)): Uint8Array {
  const copy = data.slice();
  for (let i = 0; i < changes; i++) copy[random.int(copy.byteLength)] = random.pick([0, 1, 0x7f, 0x80, 0xff, random.int(256)]);
  return random.int(4) === 0 ? copy.subarray(0, random.int(copy.byteLength)) : copy;
}
