import { inflateSync } from 'node:zlib';
import { wholeTitleReel } from '@/core/reels';
import type { ReadCue } from '@/contract';
import { HAVEN, QUAY, titleOf } from '@/test-support/discs';
import { openSource } from './open-source';
import { grayPng } from './png';
import { readPages, readSubtitleText } from './subtitle-text';

async function readTrack(image: string, number: number, subtitle: number, language?: string) {
  const opened = await openSource({ kind: image === HAVEN ? 'folder' : 'image', path: image, label: 'x' });
  try {
    const reading = await opened.examine();
    const title = titleOf(reading, number);
    const whole = wholeTitleReel(title, 'Read');
    const reel = { ...whole, subtitles: whole.subtitles.map((t) => ({ ...t, language: language ?? t.language })) };
    const cues: ReadCue[] = [];
    const never = new AbortController().signal;
    await readSubtitleText({ opened, reading, title, reel }, subtitle, {
      signal: never,
      say: (line) => {
        if (line.type === 'cues') cues.push(...line.cues);
      },
    });
    return cues;
  } finally {
    await opened.close();
  }
}

test('what its author wrote is read, when it is shown and for as long', async () => {
  const cues = await readTrack(QUAY, 2, 0);
  expect(cues.map((c) => c.text)).toEqual(['Line 1', 'Line 2', 'Line 3', 'Line 4']);
  // Authored at these seconds, for eight tenths: spumux counts in steps of 1024/90 ms.
  for (const [i, at] of [500, 2000, 4000, 7000].entries()) {
    expect(Math.abs((cues[i]?.startMs ?? 0) - at)).toBeLessThan(45);
    expect(Math.abs((cues[i]?.endMs ?? 0) - at - 800)).toBeLessThan(60);
  }
  for (const { percent, picture } of cues) {
    expect(percent).toBeGreaterThan(50);
    expect(picture).toMatch(/^data:image\/png;base64,iVBORw0KGgo/);
  }
});

test('pictures of a Blu-ray too; a language without its data is said by the package that brings it', async () => {
  const cues = await readTrack(HAVEN, 1, 0, 'en');
  expect(cues.length).toBeGreaterThan(0);
  expect(cues.every((c) => c.endMs > c.startMs && /[a-z]/i.test(c.text))).toBe(true);
  await expect(readTrack(QUAY, 2, 1)).rejects.toMatchObject({
    code: 'text-reader-missing',
    message: expect.stringContaining('tesseract-ocr-gla') as string,
  });
  await expect(readTrack(QUAY, 2, 1, 'tlh')).rejects.toMatchObject({ code: 'text-reader-missing' });
  await expect(readTrack(QUAY, 2, 9)).rejects.toMatchObject({ code: 'bad-request' });
});

test('pages are told apart; lines keep their order, the least sure word counts, and a page without any is not sure at all', () => {
  const word = (page: number, line: number, percent: number, text: string) =>
    `5\t${page}\t1\t1\t${line}\t1\t0\t0\t9\t9\t${percent}\t${text}`;
  const tsv = [
    'level\tpage_num',
    `4\t1\t1\t1\t1\t0\t0\t0\t9\t9\t-1\t`,
    word(1, 1, 96.2, 'Good'),
    word(1, 1, 91, 'evening,'),
    word(1, 2, 62.4, 'keeper.'),
    word(3, 1, 99, 'No'),
    word(7, 1, 99, 'elsewhere'),
  ].join('\n');
  expect(readPages(tsv, 3)).toEqual([
    { text: 'Good evening,\nkeeper.', percent: 62 },
    { text: '', percent: 0 },
    { text: 'No', percent: 99 },
  ]);
  expect(readPages('', 1)).toEqual([{ text: '', percent: 0 }]);
  expect(readPages('5\tx\t\n\u0000', 1)).toEqual([{ text: '', percent: 0 }]);
});

test('a picture is written row by row as it is', () => {
  const png = grayPng(Uint8Array.from([1, 2, 3, 4, 5, 6]), 3, 2);
  const at = png.indexOf('IDAT');
  expect([png.readUInt32BE(16), png.readUInt32BE(20), png[24], png[25]]).toEqual([3, 2, 8, 0]);
  expect([...inflateSync(png.subarray(at + 4, at + 4 + png.readUInt32BE(at - 4)))]).toEqual([0, 1, 2, 3, 0, 4, 5, 6]);
});
