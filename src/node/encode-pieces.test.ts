import { existsSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { planEncode } from '@/core/recipes';
import { decodedFrames } from '@/test-support/ffmpeg';
import { CASES, MPEG2, expectSameFilm, facts, order, recipeOf, silent, source } from '@/test-support/pieces';
import { encodeCopy } from './encode-pieces';

/** Films encoded in pieces: the same as in one, and gone on with after a stop. Other codecs and treatments: `encode-pieces.long.test.ts`. */

test.each(CASES.slice(0, 2))('$name in pieces is the same film, picture by picture', expectSameFilm);

describe('what was finished before a stop', () => {
  const lossless = planEncode(recipeOf({ container: 'Matroska' }, { codec: 'FFV1', quality: null }), facts());

  /** Stops as soon as so many pieces are finished. */
  async function stoppedAfter(finished: number, divided: ReturnType<typeof order>): Promise<string[]> {
    const stop = new AbortController();
    const done = () => (existsSync(divided.folder) ? readdirSync(divided.folder).filter((n) => n.endsWith('.mkv')) : []);
    const progress = () => {
      if (done().length >= finished) stop.abort();
    };
    await expect(encodeCopy(divided, { ...silent, progress, signal: stop.signal })).rejects.toThrow();
    return done().map((n) => path.join(divided.folder, n));
  }

  test('is not made again; what was only begun is', async () => {
    const master = source('25', MPEG2);
    const divided = order(lossless, master);
    const kept = await stoppedAfter(2, divided);
    expect(kept.length).toBeGreaterThanOrEqual(2);
    const before = kept.map((f) => statSync(f).ino);
    writeFileSync(path.join(divided.folder, '0003.mkv.part'), 'torn');
    const notes: string[] = [];
    let seen: number[] = [];
    await encodeCopy(divided, {
      note: (text) => notes.push(text),
      progress: () => {
        if (existsSync(kept[1] ?? '')) seen = kept.map((f) => statSync(f).ino);
      },
    });
    expect(seen).toEqual(before);
    expect(notes.join()).toMatch(/^\d of 4 pieces were finished before/);
    expect(decodedFrames(divided.output, 'v:0').join() === decodedFrames(master, 'v:0').join()).toBe(true);
  });

  test('is of several pieces where they are made at once; where one fails the others stop, and the film is the same', async () => {
    const master = source('25', MPEG2);
    const one = order(lossless, master);
    await encodeCopy(one, silent);
    const many = { ...order(lossless, master), atOnce: 3 };
    const seen: number[] = [];
    const { pieces } = await encodeCopy(many, { ...silent, progress: (ms) => seen.push(ms) });
    expect(pieces).toBeGreaterThanOrEqual(4);
    expect(decodedFrames(many.output, 'v:0')).toEqual(decodedFrames(one.output, 'v:0'));
    expect(seen.every((ms, i) => i === 0 || ms >= (seen[i - 1] ?? 0) - 1)).toBe(true);
    expect(Math.max(...seen)).toBeLessThanOrEqual(8001);
    const stopped = { ...order(lossless, master), atOnce: 3 };
    await stoppedAfter(1, stopped);
    expect(existsSync(stopped.output)).toBe(false);
    await encodeCopy(stopped, silent);
    expect(decodedFrames(stopped.output, 'v:0')).toEqual(decodedFrames(one.output, 'v:0'));
  });

  test('counts only for the same work: another plan begins anew, and a piece that is spoilt is said, not joined', async () => {
    const master = source('25', MPEG2);
    const divided = order(lossless, master);
    const [first = ''] = await stoppedAfter(2, divided);
    const good = readFileSync(first);
    writeFileSync(first, good.subarray(0, good.byteLength / 2));
    await expect(encodeCopy(divided, silent)).rejects.toMatchObject({ code: 'work-lost' });
    expect(existsSync(divided.folder)).toBe(false);

    await stoppedAfter(1, divided);
    const notes: string[] = [];
    const other = { ...divided, plan: planEncode(recipeOf({ container: 'Matroska' }), facts()) };
    await encodeCopy(other, { ...silent, note: (text) => notes.push(text) });
    expect(notes.join()).not.toMatch(/finished before/);
    expect(decodedFrames(divided.output, 'v:0')).toHaveLength(decodedFrames(master, 'v:0').length);
  });
});
