import { readFileSync } from 'node:fs';
import path from 'node:path';
import { DiscError, memorySource } from '../bytes';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { LOCKS, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { seeded } from '@/test-support/random';
import { wholeTitleReel } from '../reels';
import type { CopyFacts, MasterPromise } from '.';
import { plainExpectation, proveCopy, proveMaster } from '.';

let file: Uint8Array;
let promise: MasterPromise;
beforeAll(async () => {
  const disc = await openDisc(LOCKS);
  const target = path.join(temporaryFolder(), 'lock.mkv');
  ({ promise } = await writeMasterFile(disc, wholeTitleReel(titleOf(disc.reading, 2), 'Lock'), target));
  await disc.opened.close();
  file = new Uint8Array(readFileSync(target)); // a Buffer's slice would be a view
});

const prove = (data: Uint8Array, promised = promise) =>
  proveMaster(memorySource('lock.mkv', data), promised, { createHash: createPayloadHash, crc32: fastCrc32 });
const failed = async (...args: Parameters<typeof prove>) => (await prove(...args)).checks.filter((c) => !c.passed).map((c) => c.what);

describe('a master', () => {
  test('that is as it was promised passes, every track shown to be the disc’s own', async () => {
    const proof = await prove(file);
    expect(proof).toMatchObject({ passed: true, identicalTracks: 4, tracks: 4 });
    expect(proof.checks.length).toBeGreaterThan(15);
  });

  test('the re-packed LPCM is turned back before it is compared', async () => {
    expect(promise.tracks[2]?.lpcm).toMatchObject({ bitDepth: 24 });
    // Hashed as it stands in the file, it would be something else.
    expect(await failed(file, { ...promise, tracks: promise.tracks.map((t) => ({ ...t, lpcm: null })) })).toEqual(['track identical']);
  });

  test('does not pass with any bit of any picture, sample or subtitle changed', async () => {
    let errors = 0;
    for (let seed = 0; seed < 40; seed++) {
      const random = seeded(seed);
      const copy = file.slice();
      const at = 4096 + random.int(copy.byteLength - 8192);
      copy[at] = (copy[at] ?? 0) ^ (1 << random.int(8));
      try {
        expect((await prove(copy)).passed).toBe(false);
      } catch (error) {
        expect(error).toBeInstanceOf(DiscError);
        errors++;
      }
    }
    expect(errors).toBeLessThan(20);
  });

  test.each<[string, (p: MasterPromise) => MasterPromise, string]>([
    ['a frame more', (p) => ({ ...p, tracks: p.tracks.map((t, i) => (i === 0 ? { ...t, packets: t.packets + 1 } : t)) }), 'packets'],
    ['another duration', (p) => ({ ...p, durationMs: p.durationMs + 40 }), 'duration'],
    ['a chapter more', (p) => ({ ...p, chapters: [...p.chapters, { startMs: 1, name: 'x' }] }), 'chapters'],
    ['another hash', (p) => ({ ...p, tracks: p.tracks.map((t, i) => (i === 1 ? { ...t, hash: '0'.repeat(64) } : t)) }), 'track identical'],
  ])('that was promised %s does not pass', async (_, change, what) => {
    expect(await failed(file, change(promise))).toEqual([what]);
  });

  test('cut short is no master', async () => {
    await expect(prove(file.subarray(0, file.byteLength - 100_000))).rejects.toBeInstanceOf(DiscError);
  });

  test('can be stopped', async () => {
    const controller = new AbortController();
    controller.abort();
    await expect(
      proveMaster(memorySource('x', file), promise, { createHash: createPayloadHash, signal: controller.signal }),
    ).rejects.toMatchObject({ code: 'cancelled' });
  });
});

describe('a copy', () => {
  const good = (): CopyFacts => ({
    durationMs: promise.durationMs + 15,
    frames: promise.frames,
    videoStreams: 1,
    audioStreams: 2,
    subtitleStreams: 0,
    covers: 0,
    chapters: promise.chapters,
    decodeErrors: [],
  });
  const failures = (facts: CopyFacts) =>
    proveCopy(facts, plainExpectation(promise), promise)
      .checks.filter((c) => !c.passed)
      .map((c) => c.what);

  test('passes when nothing is missing and everything decodes', () => {
    expect(proveCopy(good(), plainExpectation(promise), promise)).toMatchObject({ passed: true, tracks: 3 });
  });

  test.each<[Partial<CopyFacts>, string]>([
    [{ frames: 7 }, 'packets'],
    [{ subtitleStreams: 1 }, 'streams'],
    [{ durationMs: 1 }, 'duration'],
    [{ audioStreams: 1 }, 'streams'],
    [{ chapters: [] }, 'chapters'],
    [{ decodeErrors: ['Invalid data'] }, 'decodes'],
  ])('with %j it does not', (change, what) => {
    expect(failures({ ...good(), ...change })).toEqual([what]);
  });

  test('a chapter elsewhere or called otherwise is not the promised one', () => {
    const changed = (change: object) => good().chapters.map((c, i) => (i === 1 ? { ...c, ...change } : c));
    expect(failures({ ...good(), chapters: changed({ startMs: (promise.chapters[1]?.startMs ?? 0) + 40 }) })).toEqual(['chapters']);
    expect(failures({ ...good(), chapters: changed({ name: 'Another' }) })).toEqual(['chapters']);
    expect(failures({ ...good(), chapters: changed({ name: ` ${promise.chapters[1]?.name ?? ''} ` }) })).toEqual([]);
  });
});
