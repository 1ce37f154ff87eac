import path from 'node:path';
import { readFileSync } from 'node:fs';
import { HAVEN, LOCKS, QUAY, TWIN, openDisc, temporaryFolder, titleOf, writeMasterFile, type OpenDisc } from '@/test-support/discs';
import { decodedFrames } from '@/test-support/ffmpeg';
import { seeded } from '@/test-support/random';
import { planPiece } from '../assembly';
import { DiscError, memorySource, readExactly, type ByteSource } from '../bytes';
import { findRoles, layoutMap } from '../findings';
import { coverageOf, DEFAULT_RULES, applyRules, wholeTitleReel } from '../reels';
import { SECTOR_BYTES, openImage } from '../volume';
import { damagedSegments, damagedTimes, openContent, readDisc, scanForDamage, withDamage, type DamageStretch } from '.';

/** A content in which the given sectors can not be read. */
function scratched(source: ByteSource, bad: ReadonlySet<number>): ByteSource {
  return {
    ...source,
    name: source.name,
    sizeBytes: source.sizeBytes,
    read: (offset, target) => {
      const [first, last] = [Math.floor(offset / 2048), Math.floor((offset + target.byteLength - 1) / 2048)];
      for (const sector of bad)
        if (sector >= first && sector <= last)
          return Promise.reject(new DiscError('read-failed', { source: source.name, byteOffset: sector * 2048 }, 'a scratch'));
      return source.read(offset, target);
    },
  };
}

let quay: OpenDisc;
beforeAll(async () => {
  quay = await openDisc(QUAY);
});
afterAll(() => quay.opened.close());

const scan = async (bad: ReadonlySet<number>) =>
  scanForDamage(quay.reading, async (name) =>
    name === 'VTS_02' ? scratched(await quay.opened.content(name), bad) : quay.opened.content(name),
  );

describe('a scan on request', () => {
  test('of a whole disc finds nothing, and reads what titles need, once', async () => {
    let last = [0, 0];
    const found = await scanForDamage(quay.reading, (name) => quay.opened.content(name), {
      onProgress: (done, total) => {
        expect(done).toBeGreaterThan(last[0] ?? 0);
        last = [done, total];
      },
    });
    expect(found).toEqual([]);
    expect(last[0]).toBe(last[1]);
  });

  test('finds scratches to the sector, wherever they are', async () => {
    const segments = quay.reading.segments.filter((s) => s.content === 'VTS_02');
    const end = Math.max(...segments.map((s) => s.lastSector));
    for (let seed = 0; seed < 12; seed++) {
      const random = seeded(seed);
      const runs = Array.from({ length: 1 + random.int(3) }, () => ({ first: random.int(end - 40), count: 1 + random.int(30) }));
      const bad = new Set(runs.flatMap((r) => Array.from({ length: r.count }, (_, i) => r.first + i)));
      const found = (await scan(bad)).flatMap((d) => Array.from({ length: d.lastSector - d.firstSector + 1 }, (_, i) => d.firstSector + i));
      expect(found).toEqual([...bad].sort((a, b) => a - b));
    }
  });

  /** What a scan finds where the content was changed. */
  const found = async (disc: OpenDisc, content: string, change: (data: Uint8Array) => void): Promise<readonly DamageStretch[]> => {
    const source = await disc.opened.content(content);
    const data = await readExactly(source, 0, source.sizeBytes, content);
    change(data);
    return scanForDamage(disc.reading, (name) =>
      name === content ? Promise.resolve(memorySource(name, data)) : disc.opened.content(name),
    );
  };
  const at = (sector: number) => sector * SECTOR_BYTES;

  test.each<[string, (data: Uint8Array) => void, readonly (readonly [number, number])[]]>([
    ['left at zero', (d) => d.fill(0, at(300), at(340)), [[300, 339]]],
    ['overwritten', (d) => d.set(seeded(3).bytes(SECTOR_BYTES), at(501)), [[501, 501]]],
    ['repeated', (d) => d.copyWithin(at(620), at(619), at(620)), [[620, 620]]],
    ['from further on', (d) => d.copyWithin(at(701), at(1400), at(1401)), [[701, 701]]],
  ])('finds sectors %s, which give no read error', async (_, change, runs) => {
    const stretches = await found(quay, 'VTS_02', change);
    expect(stretches.map((d) => [d.firstSector, d.lastSector])).toEqual(runs);
    expect(stretches.every((d) => d.cause === 'spoilt' && d.content === 'VTS_02')).toBe(true);
  });

  test('finds source packets that are none in a clip', async () => {
    const twin = await openDisc(TWIN);
    const stretches = await found(twin, '00011', (d) => d.fill(0, 192 * 100, 192 * 110));
    expect(stretches).toEqual([{ content: '00011', firstSector: 9, lastSector: 10, cause: 'spoilt' }]);
    await twin.opened.close();
  });

  test('a few looks while reading see what is large, say how much was looked at, and are no scan', async () => {
    const clean = await openDisc(LOCKS);
    expect(clean.reading.looked?.sectors).toBeGreaterThan(200);
    expect(clean.reading.looked?.of).toBe(8200);
    const image = new Uint8Array(readFileSync(LOCKS));
    const segment = clean.reading.segments[2];
    const from = ((segment?.discSector ?? 0) + 100) * SECTOR_BYTES;
    image.fill(0, from, from + 900 * SECTOR_BYTES);
    const reading = await readDisc(await openImage(memorySource('LOCKS.iso', image)));
    expect(reading.remarks.map((r) => r.code)).toEqual(['content-spoilt']);
    expect(reading.damage.every((d) => d.cause === 'spoilt' && d.firstSector >= (segment?.firstSector ?? 0) + 100)).toBe(true);
    expect(reading.titles.map((t) => t.state)).toEqual(['damaged', 'usable', 'damaged', 'usable', 'damaged']);
    await clean.opened.close();
  });

  test('can be stopped', async () => {
    const controller = new AbortController();
    controller.abort();
    await expect(scanForDamage(quay.reading, (name) => quay.opened.content(name), { signal: controller.signal })).rejects.toMatchObject({
      code: 'cancelled',
    });
  });
});

describe('a disc with damage', () => {
  const hurt = async () => {
    const second = quay.reading.segments.find((s) => s.id === titleOf(quay.reading, 2).parts[1]?.segment);
    return withDamage(quay.reading, await scan(new Set([(second?.firstSector ?? 0) + 5])));
  };

  test('says which chapters and which times, and what is left of it', async () => {
    const reading = await hurt();
    const film = titleOf(reading, 2);
    expect(film).toMatchObject({ state: 'damaged' });
    expect(film.chapters.map((c) => c.damaged)).toEqual([false, true, false]);
    const [time] = damagedTimes(film, reading);
    expect(time).toMatchObject({ fromMs: film.chapters[1]?.startMs, toMs: film.chapters[2]?.startMs, cause: 'unreadable' });
    expect(damagedSegments(reading).size).toBe(1);
    const findings = findRoles(reading);
    expect(findings.mainTitle).toBe(2);
    expect(findings.titles[1]?.evidence[0]).toMatchObject({ kind: 'damaged', value: 1 });
    expect(coverageOf(reading, [], []).unusable.ms).toBe(time ? time.toMs - time.fromMs : 0);
    const lane = layoutMap(reading, findings, 'time').lanes[1];
    expect(lane?.blocks).toHaveLength(3);
  });

  test('its whole chapters can be planned and taken, and no reel reaches into the damage', async () => {
    const reading = await hurt();
    const [reel] = applyRules(reading, findRoles(reading), DEFAULT_RULES).reels;
    expect(reel?.pieces).toEqual([{ title: 2, angle: 1, fromChapter: 3, toChapter: 3 }]);
    expect(() => planPiece(reading, { title: 2, angle: 1, fromChapter: 1, toChapter: 2 })).toThrow(/Chapter 2 of title 2 is damaged/);
    expect(withDamage(reading, []).titles).toEqual(quay.reading.titles);
  });
});

test('of an image cut short, what is there comes out as from the whole', async () => {
  const data = new Uint8Array(readFileSync(QUAY)).subarray(0, 4_000_000);
  const volume = await openImage(memorySource('QUAY.iso', data));
  const reading = await readDisc(volume);
  const contents = new Map<string, Promise<ByteSource>>();
  const opened = {
    ...quay.opened,
    content: (name: string) => {
      const content = contents.get(name) ?? openContent(volume, name);
      contents.set(name, content);
      return content;
    },
  };
  const file = path.join(temporaryFolder(), 'part.mkv');
  const reel = wholeTitleReel(titleOf(reading, 2), 'part');
  expect(reel.pieces).toEqual([{ title: 2, angle: 1, fromChapter: 1, toChapter: 1 }]);
  await writeMasterFile({ opened, reading }, reel, file);
  const whole = path.join(temporaryFolder(), 'whole.mkv');
  await writeMasterFile(quay, wholeTitleReel(titleOf(quay.reading, 2), 'whole'), whole);
  const frames = decodedFrames(file, 'v:0');
  expect(frames.length).toBeGreaterThan(60);
  expect(decodedFrames(whole, 'v:0').slice(0, frames.length)).toEqual(frames);
});

test('a Blu-ray too: damage in a clip that two titles share is in both', async () => {
  const { reading, opened } = await openDisc(HAVEN);
  await opened.close();
  const shared = reading.segments.find((s) => s.content === '00002');
  const sector = (shared?.firstSector ?? 0) + 3;
  const hurt = withDamage(reading, [{ content: '00002', firstSector: sector, lastSector: sector, cause: 'unreadable' }]);
  expect(hurt.titles.map((t) => t.state)).toEqual(['damaged', 'damaged', 'usable', 'usable', 'usable', 'damaged', 'usable']);
  expect(titleOf(hurt, 2).chapters.map((c) => c.damaged)).toEqual([false, false, true]);
});
