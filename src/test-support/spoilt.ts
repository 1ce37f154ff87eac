import { Assembly, planReel } from '@/core/assembly';
import { memorySource, readExactly, type ByteSource } from '@/core/bytes';
import type { Fault } from '@/core/reading';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { createHash } from 'node:crypto';
import { titleOf, type OpenDisc } from './discs';

/** What an assembly of a title gives: every packet of every track, and what was found wrong. */
export interface Assembled {
  /** By track: time in ticks, length and hash of each packet. */
  readonly packets: readonly (readonly { readonly ticks: number; readonly bytes: number; readonly hash: string }[])[];
  /** By track: all payload behind each other. */
  readonly payload: readonly Buffer[];
  readonly chaptersMs: readonly number[];
  readonly faults: readonly Fault[];
  readonly endMs: number;
}

/** Content of a disc with some of its bytes changed. */
export type Change = (content: Uint8Array, name: string) => void;

/** Assembles a title, or a reel of it, around whatever is wrong with its content. */
export async function assembled(
  { opened, reading }: OpenDisc,
  title: number,
  change: Change | null,
  more: Partial<Reel> = {},
): Promise<Assembled> {
  const reel: Reel = { ...wholeTitleReel(titleOf(reading, title), 'x'), damage: 'around', ...more };
  const changed = new Map<string, Promise<ByteSource>>();
  const content = (name: string): Promise<ByteSource> => {
    const known = changed.get(name);
    if (known) return known;
    const made = opened.content(name).then(async (source) => {
      if (!change) return source;
      const data = await readExactly(source, 0, source.sizeBytes, name);
      change(data, name);
      return memorySource(name, data);
    });
    changed.set(name, made);
    return made;
  };
  const assembly = new Assembly(reading, reel, content, { pieces: await planReel(reading, reel, content) });
  const packets = assembly.tracks.map((): { ticks: number; bytes: number; hash: string }[] => []);
  const payload = assembly.tracks.map((): Buffer[] => []);
  while (await assembly.fill())
    for (let p = assembly.take(); p; p = assembly.take()) {
      packets[p.track]?.push({
        ticks: Math.round(p.ticks),
        bytes: p.data.byteLength,
        hash: createHash('md5').update(p.data).digest('hex'),
      });
      payload[p.track]?.push(Buffer.from(p.data));
    }
  return {
    packets,
    payload: payload.map((p) => Buffer.concat(p)),
    chaptersMs: assembly.outputChapters().map((c) => c.startTicks / 27_000),
    faults: assembly.wholeness().faults,
    endMs: assembly.endTicks / 27_000,
  };
}

/** Adds to every clock of a program stream: pack headers, PES stamps, and the 32-bit times of navigation packs. */
export function shiftClock(content: Uint8Array, add90k: number): void {
  const data = Buffer.from(content.buffer, content.byteOffset, content.byteLength);
  const WRAP = 2 ** 33;
  const moved = (value: number) => (((value + add90k) % WRAP) + WRAP) % WRAP;
  for (let at = 0; at + 2048 <= data.byteLength; at += 2048) {
    const clock = BigInt.asUintN(48, data.readBigUInt64BE(at + 4) >> 16n);
    const scr = Number(((clock >> 43n) & 7n) << 30n) + Number((clock >> 27n) & 0x7fffn) * 2 ** 15 + Number((clock >> 11n) & 0x7fffn);
    const next = BigInt(moved(scr));
    const keep = clock & 0x7ffn;
    const made =
      (1n << 46n) |
      ((next >> 30n) << 43n) |
      (1n << 42n) |
      (((next >> 15n) & 0x7fffn) << 27n) |
      (1n << 26n) |
      ((next & 0x7fffn) << 11n) |
      keep;
    data.writeUIntBE(Number(made), at + 4, 6);
    let p = at + 14 + ((data[at + 13] ?? 0) & 7);
    while (p + 6 <= at + 2048) {
      const id = data[p + 3] ?? 0;
      const length = data.readUInt16BE(p + 4);
      if (id === 0xbd || (id >= 0xc0 && id <= 0xef)) {
        const stamps = (data[p + 7] ?? 0) >> 6;
        for (let n = 0; n < (stamps === 3 ? 2 : stamps === 2 ? 1 : 0); n++) {
          const s = p + 9 + n * 5;
          const value = (((data[s] ?? 0) >> 1) & 7) * 2 ** 30 + (data.readUInt16BE(s + 1) >> 1) * 2 ** 15 + (data.readUInt16BE(s + 3) >> 1);
          const stamp = moved(value);
          data[s] = ((data[s] ?? 0) & 0xf1) | (Math.floor(stamp / 2 ** 30) << 1);
          data.writeUInt16BE(((Math.floor(stamp / 2 ** 15) % 2 ** 15) << 1) | 1, s + 1);
          data.writeUInt16BE(((stamp % 2 ** 15) << 1) | 1, s + 3);
        }
      } else if (id === 0xbf) {
        // PCI: start and end of the VOBU, and the end of its pictures; DSI: the clock reference again.
        for (const field of data[p + 6] === 0 ? [12, 16, 20] : [0]) {
          const f = p + 7 + field;
          const value = data.readUInt32BE(f);
          // The end of the pictures is zero where none is said.
          if (field !== 20 || value > 0) data.writeUInt32BE(moved(value) % 2 ** 32, f);
        }
      }
      p += 6 + length;
    }
  }
}
