import { createHash } from 'node:crypto';
import {
  appendFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  renameSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import path from 'node:path';
import { temporaryFolder } from '@/test-support/discs';
import { makeWorkshop } from './library';
import { holdStorage, markStorage } from './storage-mark';
import { placeFinished, realDisk, sidecarOf, type Disk, type Finished, type Whose } from './placing';

/**
 * A kill between any two calls to the file system: the layer under placing ends the process, so to say, before or after its n-th call, and
 * another attempt begins with what is on the disk. With hard links, and on a file system that has none.
 */
const root = temporaryFolder();
const sha = (text: string) => createHash('sha256').update(text).digest('hex');
const FILM = 'the film, every byte of it';
const SUBTITLES = 'the subtitles';

class Killed extends Error {}

/** @param at call to be killed at. @param after killed when the call has done its work, else before. */
function dying(disk: Disk, at: number, after: boolean): { disk: Disk; calls: () => number } {
  let calls = 0;
  const wrap = <A extends unknown[], R>(call: (...args: A) => R) => {
    return (...args: A): R => {
      const mine = calls++;
      if (mine === at && !after) throw new Killed();
      let result: R;
      try {
        result = call(...args);
      } catch (error) {
        throw mine === at ? new Killed() : error;
      }
      if (mine === at) throw new Killed();
      return result;
    };
  };
  const { stamp, readText, digest } = disk;
  const { link, unlink, reserve, rename, write, makeFolder, syncFolder } = disk;
  return {
    disk: {
      stamp,
      readText,
      digest,
      link: wrap(link),
      unlink: wrap(unlink),
      reserve: wrap(reserve),
      rename: wrap(rename),
      write: wrap(write),
      makeFolder: wrap(makeFolder),
      syncFolder: wrap(syncFolder),
    },
    calls: () => calls,
  };
}

const withoutLinks: Disk = {
  ...realDisk,
  link: () => {
    throw Object.assign(new Error('no links'), { code: 'EPERM' });
  },
};

function job(folder = mkdtempSync(path.join(root, 'storage-'))) {
  const workshop = path.join(folder, '.careful-vault', 'job');
  const library = path.join(folder, 'films');
  mkdirSync(workshop, { recursive: true });
  const [part, beside] = [path.join(workshop, 'master.mkv.part'), path.join(workshop, 'beside.srt.part')];
  writeFileSync(part, FILM);
  writeFileSync(beside, SUBTITLES);
  const { inode, sizeBytes, changedMs } = realDisk.stamp(part) ?? { inode: 0, sizeBytes: 0, changedMs: 0 };
  const provenance = () => JSON.stringify({ job: 'mine', sha: sha(FILM), madeAt: Math.random() });
  const files: Finished[] = [
    {
      from: part,
      to: path.join(library, 'Film.mkv'),
      sizeBytes: FILM.length,
      digest: sha(FILM),
      stamp: { inode, sizeBytes, changedMs },
      sidecar: provenance(),
    },
    { from: beside, to: path.join(library, 'Film.srt'), sizeBytes: SUBTITLES.length, digest: sha(SUBTITLES), stamp: null, sidecar: null },
  ];
  return { workshop, library, files, part };
}

const whose = (text: string): Whose => {
  try {
    const read = JSON.parse(text) as { job: string; sha: string };
    return read.job !== 'mine' ? 'other' : read.sha === sha(FILM) ? 'this file' : 'this job';
  } catch {
    return 'other';
  }
};
const place = (j: ReturnType<typeof job>, disk: Disk = realDisk, note: (text: string) => void = () => undefined) =>
  placeFinished(j.files, j.workshop, whose, note, disk);

function expectPlaced({ library, part }: ReturnType<typeof job>): void {
  expect(readdirSync(library).sort()).toEqual(['Film.mkv', 'Film.mkv.json', 'Film.srt']);
  expect(readFileSync(path.join(library, 'Film.mkv'), 'utf8')).toBe(FILM);
  expect(readFileSync(path.join(library, 'Film.srt'), 'utf8')).toBe(SUBTITLES);
  expect(whose(readFileSync(path.join(library, 'Film.mkv.json'), 'utf8'))).toBe('this file');
  expect([existsSync(part), existsSync(sidecarOf(part))]).toEqual([false, false]);
}

describe.each([
  ['with hard links', realDisk],
  ['on a file system without hard links', withoutLinks],
])('placing %s', (_, disk) => {
  test('is done again after a kill at every call, as often as it takes', async () => {
    const counting = dying(disk, -1, false);
    await place(job(), counting.disk);
    expect(counting.calls()).toBeGreaterThan(10);
    for (let first = 0; first < counting.calls(); first++) {
      for (const after of [false, true]) {
        for (const second of [-1, 0, 2]) {
          const j = job();
          await expect(place(j, dying(disk, first, after).disk)).rejects.toThrow(Killed);
          // What has its name already is whole: nothing that only looks finished.
          const film = path.join(j.library, 'Film.mkv');
          if (existsSync(film) && disk === realDisk) expect(readFileSync(film, 'utf8')).toBe(FILM);
          if (existsSync(film)) expect(whose(readFileSync(sidecarOf(film), 'utf8'))).toBe('this file');
          if (second >= 0) await place(j, dying(disk, second, after).disk).catch(() => undefined);
          await place(j, disk);
          expectPlaced(j);
          // And once more, where the last word of the attempt was lost.
          await place(j, disk);
          expectPlaced(j);
        }
      }
    }
  });

  test.each(['Film.mkv', 'Film.mkv.json', 'Film.srt'])('never over %s of somebody else, also an empty one', async (name) => {
    for (const text of ['somebody’s', '']) {
      const j = job();
      mkdirSync(j.library);
      writeFileSync(path.join(j.library, name), text);
      await expect(place(j, disk)).rejects.toMatchObject({ code: 'name-taken' });
      expect(readdirSync(j.library)).toEqual([name]);
      expect(readFileSync(path.join(j.library, name), 'utf8')).toBe(text);
      expect(readFileSync(j.part, 'utf8')).toBe(FILM);
    }
  });

  test('a name that is taken in the very moment is left alone, and no provenance of ours stays', async () => {
    const j = job();
    const film = path.join(j.library, 'Film.mkv');
    const racing: Disk = {
      ...disk,
      link: (from, to) => {
        if (to === film) writeFileSync(film, 'faster');
        disk.link(from, to);
      },
    };
    await expect(place(j, racing)).rejects.toMatchObject({ code: 'name-taken' });
    expect(readdirSync(j.library)).toEqual(['Film.mkv']);
    expect(readFileSync(film, 'utf8')).toBe('faster');
  });
});

test('a file without links says why it was renamed', async () => {
  const notes: string[] = [];
  await place(job(), withoutLinks, (text) => notes.push(text));
  expect(notes).toEqual([expect.stringContaining('no hard links')]);
});

describe('what was changed after it was proven', () => {
  test('is not placed', async () => {
    const j = job();
    writeFileSync(j.part, FILM.replace('every', 'eveny'));
    await expect(place(j)).rejects.toMatchObject({ code: 'proof-failed' });
    expect(readdirSync(j.library)).toEqual([]);
  });

  test('nor is one that has grown, or is gone', async () => {
    const j = job();
    appendFileSync(j.part, '.');
    await expect(place(j)).rejects.toMatchObject({ code: 'proof-failed' });
    realDisk.unlink(j.part);
    await expect(place(j)).rejects.toMatchObject({ code: 'proof-failed' });
  });

  test('one that was only touched is hashed again, and is still it', async () => {
    const j = job();
    utimesSync(j.part, new Date(0), new Date(0));
    await place(j);
    expectPlaced(j);
  });
});

test('a sidecar that an earlier making of the same job has left alone is replaced', async () => {
  const j = job();
  mkdirSync(j.library);
  writeFileSync(path.join(j.library, 'Film.mkv.json'), JSON.stringify({ job: 'mine', sha: 'of another making' }));
  await place(j);
  expectPlaced(j);
});

test('a storage that is unmounted after it was looked at gets its files all the same, and the mount point nothing', async () => {
  const folder = mkdtempSync(path.join(root, 'mounted-'));
  const away = `${folder}.away`;
  const storage = { name: 'Films', path: folder, mark: (await markStorage(folder)).id };
  const { files, workshop } = job(folder);
  const held = await holdStorage(storage);
  renameSync(folder, away);
  mkdirSync(folder);
  const inside = (file: string) => path.join(held.path, path.relative(folder, file));
  const moved = files.map((f) => ({ ...f, from: inside(f.from), to: inside(f.to) }));
  await placeFinished(moved, inside(workshop), whose, () => undefined);
  held.release();
  expect(readdirSync(path.join(away, 'films')).sort()).toEqual(['Film.mkv', 'Film.mkv.json', 'Film.srt']);
  expect(readdirSync(folder)).toEqual([]);
  await expect(holdStorage(storage)).rejects.toMatchObject({ code: 'storage-missing' });
  await expect(makeWorkshop(storage, 'job')).rejects.toMatchObject({ code: 'storage-missing' });
  expect(readdirSync(folder)).toEqual([]);
});
