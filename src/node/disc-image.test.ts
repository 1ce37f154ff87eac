import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { RescueMap } from '@/core/rescue';
import { QUAY, temporaryFolder } from '@/test-support/discs';
import { takeDiscImage, unfinishedImage, type ImageFiles } from './disc-image';

const SECTOR = 2048;
const original = readFileSync(QUAY);

/** An image that was stopped when so many sectors of it had been read, as they stand on the disc but for those that are changed. */
function stopped(name: string, sectors: number, changed: readonly number[] = []): ImageFiles {
  const folder = path.join(temporaryFolder(), name);
  mkdirSync(folder);
  const files = unfinishedImage(folder);
  const taken = Buffer.alloc(original.byteLength);
  original.copy(taken, 0, 0, sectors * SECTOR);
  for (const sector of changed) taken[sector * SECTOR + 9] = (taken[sector * SECTOR + 9] ?? 0) ^ 0x10;
  writeFileSync(files.image, taken);
  const map = RescueMap.untouched(original.byteLength);
  map.set(0, sectors * SECTOR, 'read');
  writeFileSync(files.map, map.toText([]));
  return files;
}

const goOn = (files: ImageFiles) =>
  takeDiscImage(
    { source: { kind: 'image', path: QUAY, label: 'Quay' }, spunUp: true, files, label: 'Quay', fill: 'words', retries: 0 },
    { opened: () => undefined, progress: () => undefined, finishing: () => undefined },
  );

test.each([1, 17, 40])('an image that was stopped after %i sectors is gone on with', async (sectors) => {
  const files = stopped(`after ${sectors}`, sectors);
  const record = await goOn(files);
  expect(record.lostBytes).toBe(0);
  expect(readFileSync(files.image).equals(original)).toBe(true);
});

test('nothing is read anew that another disc was begun with, however little it is', async () => {
  // The volume's own descriptor: sector 16 of any ISO 9660 image.
  const files = stopped('of another disc', 17, [16]);
  const before = readFileSync(files.image);
  await expect(goOn(files)).rejects.toMatchObject({ code: 'other-disc' });
  expect(readFileSync(files.image).equals(before)).toBe(true);
});
