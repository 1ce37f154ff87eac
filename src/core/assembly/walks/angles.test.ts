import { createHash } from 'node:crypto';
import { LOCKS, openDisc, titleOf, type OpenDisc } from '@/test-support/discs';
import { memorySource, readExactly } from '../../bytes';
import type { CellSegment, Reading } from '../../reading';
import { wholeTitleReel } from '../../reels';
import { readNavigationPack } from '../../streams';
import { SECTOR_BYTES } from '../../volume';
import { assemble } from '..';

/** Angles of a DVD: cells cut into units that stand between each other's. Made from two cells of an authored disc. */

let locks: OpenDisc;
beforeAll(async () => {
  locks = await openDisc(LOCKS);
});
afterAll(() => locks.opened.close());

const firstCell = (title: number): CellSegment => {
  const segment = locks.reading.segments.find((s) => s.id === titleOf(locks.reading, title).parts[0]?.segment);
  if (segment?.kind !== 'cell') throw new Error('no cell');
  return segment;
};

/** The units (VOBUs) of a cell, each from its navigation pack to the next. */
async function unitsOf(cell: CellSegment): Promise<Uint8Array[]> {
  const content = await locks.opened.content(cell.content);
  const sectors = cell.lastSector - cell.firstSector + 1;
  const data = await readExactly(content, cell.firstSector * SECTOR_BYTES, sectors * SECTOR_BYTES, 'cell');
  const starts = Array.from({ length: sectors }, (_, i) => i).filter((i) => readNavigationPack(data, i * SECTOR_BYTES) !== null);
  return starts.map((from, i) => data.subarray(from * SECTOR_BYTES, (starts[i + 1] ?? sectors) * SECTOR_BYTES));
}

/** Navigation packs name the sector they stand at, as an author writes them (DVD-Video: NV_PCK_LBN in both halves). */
function renumbered(content: Buffer): Buffer {
  for (let at = 0; at < content.byteLength; at += SECTOR_BYTES) {
    if (!readNavigationPack(content, at)) continue;
    for (const place of [45, 1031 + 4]) content.writeUInt32BE(at / SECTOR_BYTES, at + place);
  }
  return content;
}

/** Both cells in one content, `together` units of each in turn, and a reading of it whose title has them as its two angles. */
async function interleaved(together: number): Promise<{ reading: Reading; content: Uint8Array }> {
  const cells = [firstCell(2), firstCell(3)];
  const units = await Promise.all(cells.map(unitsOf));
  const laid: { angle: number; unit: Uint8Array }[] = [];
  const most = Math.max(...units.map((u) => u.length));
  for (let at = 0; at < most; at += together)
    units.forEach((list, angle) => laid.push(...list.slice(at, at + together).map((unit) => ({ angle, unit }))));
  let sector = 0;
  const spans = cells.map(() => ({ first: -1, last: -1 }));
  for (const { angle, unit } of laid) {
    const span = spans[angle];
    if (!span) continue;
    if (span.first < 0) span.first = sector;
    sector += unit.byteLength / SECTOR_BYTES;
    span.last = sector - 1;
  }
  const segments = cells.map((cell, i) => ({
    ...cell,
    interleaved: true,
    clockRestarts: true,
    firstSector: spans[i]?.first ?? 0,
    lastSector: spans[i]?.last ?? 0,
  }));
  const title = titleOf(locks.reading, 2);
  const angles = {
    ...title,
    number: 1,
    angles: 2,
    parts: segments.map((s, i) => ({ segment: s.id, angle: i + 1, companion: null, seamless: false, moved: null })),
    chapters: [{ number: 1, startMs: 0, durationMs: cells[0]?.durationMs ?? 0, firstPart: 0, damaged: false, name: null }],
  };
  return { reading: { ...locks.reading, titles: [angles], segments }, content: renumbered(Buffer.concat(laid.map((l) => l.unit))) };
}

async function digest(reading: Reading, angle: number, content: Uint8Array): Promise<{ hash: string; packets: number }> {
  const [title] = reading.titles;
  if (!title) throw new Error('no title');
  const reel = { ...wholeTitleReel(title, 'angle'), pieces: [{ title: title.number, angle, fromChapter: 1, toChapter: 1 }] };
  const hash = createHash('sha256');
  let packets = 0;
  const open = (name: string) => Promise.resolve(memorySource(name, content));
  for await (const packet of assemble(reading, reel, open)) {
    packets++;
    hash.update(`${packet.track} ${packet.ticks} ${packet.key} `).update(packet.data);
  }
  return { hash: hash.digest('hex'), packets };
}

/** The content as it would be if the cell were its last. */
const upTo = async ({ content, lastSector }: CellSegment): Promise<Uint8Array> =>
  readExactly(await locks.opened.content(content), 0, (lastSector + 1) * SECTOR_BYTES, 'content');

/** The same cell by itself, as a title of one part. */
const alone = (number: number): Reading => {
  const cell = firstCell(number);
  const title = titleOf(locks.reading, number);
  const chapter = { number: 1, startMs: 0, durationMs: cell.durationMs, firstPart: 0, damaged: false, name: null };
  return {
    ...locks.reading,
    segments: [{ ...cell, clockRestarts: true }],
    titles: [{ ...title, parts: [{ segment: cell.id, angle: null, companion: null, seamless: false, moved: null }], chapters: [chapter] }],
  };
};

test.each([1, 2, 5])('each angle comes out whole and alone, whatever stands between its units (%i together)', async (together) => {
  const { reading, content } = await interleaved(together);
  for (const [angle, title] of [
    [1, 2],
    [2, 3],
  ] as const) {
    const wanted = await digest(alone(title), 1, await upTo(firstCell(title)));
    expect(wanted.packets).toBeGreaterThan(200);
    expect(await digest(reading, angle, content)).toEqual(wanted);
  }
});
