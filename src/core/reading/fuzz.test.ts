import { readFileSync } from 'node:fs';
import { LOCKS, QUAY, titleOf } from '@/test-support/discs';
import { damaged, seeded } from '@/test-support/random';
import { ReadingSchema } from '@/contract';
import { Assembly } from '../assembly';
import { DiscError, memorySource, type ByteSource } from '../bytes';
import { findRoles, layoutMap } from '../findings';
import { coverageOf, estimateReel, DEFAULT_RULES, applyRules, wholeTitleReel } from '../reels';
import { SECTOR_BYTES, openImage } from '../volume';
import { findVideoFolder, openTitleSetContent, readDisc } from '.';

/** Whole discs, damaged anywhere in what a reading looks at: from the image to the reels, and on to the packets. */

/** Counts what is read: a reading that scans streams, or runs in circles, shows here. */
function watched(data: Uint8Array): ByteSource & { bytes: number; reads: number } {
  const plain = memorySource('damaged.iso', data);
  const source = {
    ...plain,
    bytes: 0,
    reads: 0,
    read: (offset: number, target: Uint8Array) => {
      source.bytes += target.byteLength;
      source.reads++;
      if (source.reads > 30_000) throw new Error('the reading runs in circles');
      return plain.read(offset, target);
    },
  };
  return source;
}

/** Sectors that hold structures of the file system or the disc, or navigation packs. */
function structureSectors(image: Uint8Array): number[] {
  const starts = (at: number, text: string) => text.split('').every((c, i) => image[at + i] === c.charCodeAt(0));
  const found: number[] = [];
  for (let sector = 16; sector < image.byteLength / SECTOR_BYTES; sector++) {
    const at = sector * SECTOR_BYTES;
    if (sector < 300) found.push(sector);
    else if (starts(at, 'DVDVIDEO')) for (let i = 0; i < 12; i++) found.push(sector + i);
    else if (image[at + 41] === 0xbf) found.push(sector);
  }
  return found;
}

describe.each([
  { name: 'a film', file: QUAY },
  { name: 'a series', file: LOCKS },
])('$name, damaged', ({ file }) => {
  const whole = new Uint8Array(readFileSync(file));
  const structures = structureSectors(whole);

  test('is read in part or refused with a typed error; whatever was read can be worked with', async () => {
    let read = 0;
    let titles = 0;
    for (let seed = 0; seed < 120; seed++) {
      const random = seeded(seed);
      const copy = whole.slice();
      for (let n = 1 + random.int(20); n > 0; n--) {
        const at = random.pick(structures) * SECTOR_BYTES;
        const hurt = damaged(copy.subarray(at, at + SECTOR_BYTES), random);
        copy.set(hurt, at);
      }
      const source = watched(copy);
      try {
        const reading = await readDisc(await openImage(source));
        expect(source.bytes).toBeLessThan(24_000_000);
        expect(ReadingSchema.parse(JSON.parse(JSON.stringify(reading)))).toEqual(reading);
        const findings = findRoles(reading);
        layoutMap(reading, findings, 'place');
        layoutMap(reading, findings, 'time');
        for (const reel of applyRules(reading, findings, DEFAULT_RULES).reels) {
          expect(Number.isSafeInteger(estimateReel(reading, reel).masterBytes)).toBe(true);
          coverageOf(reading, reel.pieces, []);
        }
        read++;
        titles += reading.titles.length;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    expect(read).toBeGreaterThan(20);
    expect(titles).toBeGreaterThan(20);
  });

  test('its streams give packets whose bytes are all accounted for, or a typed error', async () => {
    const volume = await openImage(memorySource('whole.iso', whole));
    const reading = await readDisc(volume);
    const folder = (await findVideoFolder(volume)) ?? '';
    const title = titleOf(reading, 2);
    const { source: content } = await openTitleSetContent(volume, folder, title.titleSet ?? 1);
    let finished = 0;
    for (let seed = 0; seed < 25; seed++) {
      const random = seeded(1000 + seed);
      const hurt: ByteSource = {
        ...content,
        read: async (offset, target) => {
          const got = await content.read(offset, target);
          for (let n = random.int(60); n > 0; n--) target[random.int(got)] = random.int(256);
          return got;
        },
      };
      const assembly = new Assembly(reading, wholeTitleReel(title, 'x'), () => Promise.resolve(hurt));
      const taken = assembly.tracks.map(() => 0);
      try {
        while (await assembly.fill()) {
          for (let packet = assembly.take(); packet; packet = assembly.take()) {
            expect(packet.ticks).toBeGreaterThanOrEqual(0);
            taken[packet.track] = (taken[packet.track] ?? 0) + 1;
          }
        }
        assembly.tracks.forEach((_, i) => {
          const account = assembly.account(i);
          const left = [...account.left.values()].reduce((sum, l) => sum + l.bytes, 0);
          expect(account.takenBytes + left).toBe(account.seenBytes);
          expect(account.packets).toBe(taken[i]);
        });
        finished++;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    expect(finished).toBeGreaterThan(5);
  });
});
