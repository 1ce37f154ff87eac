import { LOCKS, QUAY, openDisc, titleOf, type OpenDisc } from '@/test-support/discs';
import { DiscError, type ByteSource } from '../bytes';
import { wholeTitleReel, type Reel } from '../reels';
import type { Reading, Segment } from '../reading';
import { joinProblem } from '../reels';
import { Assembly, assemble, planPiece } from '.';

let quay: OpenDisc;
let locks: OpenDisc;
beforeAll(async () => {
  [quay, locks] = [await openDisc(QUAY), await openDisc(LOCKS)];
});
afterAll(async () => {
  await quay.opened.close();
  await locks.opened.close();
});
const content = (disc: OpenDisc) => (name: string) => disc.opened.content(name);
const reelOf = (disc: OpenDisc, title: number): Reel => wholeTitleReel(titleOf(disc.reading, title), 'x');

interface Seen {
  readonly track: number;
  readonly ticks: number;
  readonly bytes: number;
}
async function run(disc: OpenDisc, reel: Reel, reading = disc.reading, open = content(disc)): Promise<Seen[]> {
  const seen: Seen[] = [];
  for await (const packet of assemble(reading, reel, open))
    seen.push({ track: packet.track, ticks: packet.ticks, bytes: packet.data.byteLength });
  return seen;
}

test('packets of all tracks come in order of time, from zero on', async () => {
  const seen = await run(quay, reelOf(quay, 2));
  expect(Math.min(...seen.map((p) => p.ticks))).toBe(0);
  for (const track of [1, 2, 3]) {
    const times = seen.filter((p) => p.track === track).map((p) => p.ticks);
    expect(times).toEqual([...times].sort((a, b) => a - b));
  }
  // Interleaved: whoever reads them one by one never waits long for any track.
  let video = 0;
  for (const p of seen) {
    if (p.track === 0) video = Math.max(video, p.ticks);
    else if (p.track <= 3) expect(Math.abs(p.ticks - video)).toBeLessThan(27e6);
  }
});

test('how large the pieces are in which a drive gives its sectors does not matter', async () => {
  const slow = async (name: string): Promise<ByteSource> => {
    const source = await quay.opened.content(name);
    return {
      ...source,
      read: async (offset, target) => {
        let done = 0;
        while (done < target.byteLength) {
          const got = await source.read(offset + done, target.subarray(done, done + 777));
          if (got === 0) break;
          done += got;
        }
        return done;
      },
    };
  };
  expect(await run(quay, reelOf(quay, 2), quay.reading, slow)).toEqual(await run(quay, reelOf(quay, 2)));
});

test('two titles are merged one after the other, with a chapter for each', async () => {
  const [first, second] = [await run(locks, reelOf(locks, 2)), await run(locks, reelOf(locks, 3))];
  const reel: Reel = { ...reelOf(locks, 2), pieces: [2, 3].map((title) => ({ title, angle: 1, fromChapter: 1, toChapter: 2 })) };
  const assembly = new Assembly(locks.reading, reel, content(locks));
  const pictures: number[] = [];
  while (await assembly.fill()) for (let p = assembly.take(); p; p = assembly.take()) if (p.track === 0) pictures.push(p.ticks);
  const count = (seen: readonly Seen[]) => seen.filter((p) => p.track === 0).length;
  expect(pictures).toHaveLength(count(first) + count(second));
  const times = [...pictures].sort((a, b) => a - b);
  const steps = times.slice(1).map((t, i) => t - (times[i] ?? 0));
  expect(steps.filter((step) => step !== 900_900)).toHaveLength(1);
  // Where they join, the picture stands until the sound is over, and no frame of it is lost.
  expect(steps[count(first) - 1]).toBeLessThan(2 * 900_900);
  for (const [track, { kind }] of assembly.tracks.entries()) if (kind === 'audio') expect([...assembly.account(track).left]).toEqual([]);
  expect(assembly.outputChapters().map((c) => c.name)).toEqual(['Chapter 1', 'Chapter 2', 'Chapter 3', 'Chapter 4']);
});

test('titles whose pictures are of different kind are not joined, and the reason is said', () => {
  expect(joinProblem(titleOf(quay.reading, 2), titleOf(locks.reading, 2))).toContain('pictures of different kind');
  expect(joinProblem(titleOf(locks.reading, 2), titleOf(locks.reading, 3))).toBeNull();
});

describe('what can not be assembled', () => {
  const piece = { title: 2, angle: 1, fromChapter: 1, toChapter: 3 };
  test.each([
    [{ ...piece, title: 9 }, 'unsupported'],
    [{ ...piece, fromChapter: 0 }, 'unsupported'],
    [{ ...piece, fromChapter: 3, toChapter: 2 }, 'unsupported'],
    [{ ...piece, toChapter: 4 }, 'unsupported'],
    [{ ...piece, angle: 2 }, 'unsupported'],
  ])('%j is refused before anything is read', (wrong, code) => {
    expect(() => planPiece(quay.reading, wrong)).toThrow(expect.objectContaining({ code }));
  });

  test('a title that is known to be protected or cut short', () => {
    const change = (state: 'scrambled' | 'cut short'): Reading => ({
      ...quay.reading,
      titles: quay.reading.titles.map((t) => ({ ...t, state })),
    });
    expect(() => planPiece(change('scrambled'), piece)).toThrow(expect.objectContaining({ code: 'scrambled' }));
    expect(() => planPiece(change('cut short'), piece)).toThrow(expect.objectContaining({ code: 'unsupported' }));
  });

  test('a reel without pieces, with a track that is not there, or with one taken twice', () => {
    const reel = reelOf(quay, 2);
    const make = (change: Partial<Reel>) => () => new Assembly(quay.reading, { ...reel, ...change }, content(quay));
    expect(make({ pieces: [] })).toThrow(DiscError);
    expect(make({ audio: reel.audio.map((a) => ({ ...a, stream: 0xbd87 })) })).toThrow('no audio stream bd87');
    expect(make({ subtitles: [...reel.subtitles, ...reel.subtitles] })).toThrow('twice');
  });

  test('packets with scrambling flags that the reading did not see stop it', async () => {
    const scrambling = async (name: string): Promise<ByteSource> => {
      const source = await quay.opened.content(name);
      return {
        ...source,
        read: async (offset, target) => {
          const got = await source.read(offset, target);
          for (let at = 0; at + 2048 <= got; at += 2048)
            if (offset + at > 3_000_000 && target[at + 17] === 0xe0) target[at + 20] = (target[at + 20] ?? 0) | 0x10;
          return got;
        },
      };
    };
    await expect(run(quay, reelOf(quay, 2), quay.reading, scrambling)).rejects.toMatchObject({ code: 'scrambled' });
  });

  test('a scratch, and content that ends too early, are errors that say where', async () => {
    const broken = (read: (source: ByteSource, offset: number, target: Uint8Array) => Promise<number>) => async (name: string) => {
      const source = await quay.opened.content(name);
      return { ...source, read: (offset: number, target: Uint8Array) => read(source, offset, target) };
    };
    const scratched = broken((source, offset, target) =>
      offset > 1_000_000
        ? Promise.reject(new DiscError('read-failed', { source: 'drive', byteOffset: offset }, 'scratch'))
        : source.read(offset, target),
    );
    await expect(run(quay, reelOf(quay, 2), quay.reading, scratched)).rejects.toMatchObject({ code: 'read-failed' });
    const short = broken((source, offset, target) => (offset > 1_000_000 ? Promise.resolve(0) : source.read(offset, target)));
    await expect(run(quay, reelOf(quay, 2), quay.reading, short)).rejects.toMatchObject({ code: 'ended-early' });
  });

  test('cancelling ends it between two readings', async () => {
    const controller = new AbortController();
    const assembly = new Assembly(locks.reading, reelOf(locks, 1), content(locks), { signal: controller.signal });
    const work = (async () => {
      while (await assembly.fill())
        for (let p = assembly.take(); p; p = assembly.take()) if (assembly.readBytes > 2_000_000) controller.abort();
    })();
    await expect(work).rejects.toMatchObject({ code: 'cancelled' });
    expect(assembly.readBytes).toBeLessThan(assembly.totalBytes);
  });
});

test('cells that lead to sectors made up by someone are read within the content, or refused', async () => {
  const [title] = [titleOf(quay.reading, 2)];
  for (const [first, last] of [
    [0, 10 ** 9],
    [10 ** 9, 10 ** 9 + 5],
    [500, 400],
    [3, 3],
  ] as const) {
    const segments = quay.reading.segments.map((s): Segment =>
      s.id === title.parts[0]?.segment ? { ...s, firstSector: first, lastSector: last } : s,
    );
    const result = await run(quay, reelOf(quay, 2), { ...quay.reading, segments }).catch((e: unknown) => e);
    if (result instanceof Error) expect(result).toBeInstanceOf(DiscError);
  }
});

test('what is held in memory does not grow with the length of a title', async () => {
  const title = titleOf(locks.reading, 1);
  const copies = 12;
  const long: Segment[] = Array.from({ length: copies }, (_, copy) =>
    title.parts
      .flatMap((p) => locks.reading.segments.filter((s) => s.id === p.segment))
      .map((s) => ({ ...s, id: `${copy}/${s.id}`, clockRestarts: true })),
  ).flat();
  const reading: Reading = {
    ...locks.reading,
    segments: long,
    titles: [
      {
        ...title,
        parts: long.map((s) => ({ segment: s.id, angle: null, companion: null, seamless: false, moved: null })),
        chapters: [{ number: 1, startMs: 0, durationMs: title.durationMs * copies, firstPart: 0, damaged: false, name: null }],
      },
    ],
  };
  const reel: Reel = { ...reelOf(locks, 1), pieces: [{ title: 1, angle: 1, fromChapter: 1, toChapter: 1 }] };
  const peak = async (r: Reading, wanted: Reel) => {
    let most = 0;
    let n = 0;
    const assembly = new Assembly(r, wanted, content(locks));
    while (await assembly.fill())
      for (let p = assembly.take(); p; p = assembly.take()) if (++n % 50 === 0) most = Math.max(most, process.memoryUsage().arrayBuffers);
    return { most, read: assembly.readBytes };
  };
  const once = await peak(locks.reading, reelOf(locks, 1));
  const twelve = await peak(reading, reel);
  expect(twelve.read).toBe(once.read * copies);
  expect(twelve.most).toBeLessThan(once.most + 24_000_000);
});
