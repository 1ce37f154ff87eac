import { readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import type { Building } from './building';
import { authorDisc } from './discs';
import { run } from './run';
import { CADENCE, withPulldown } from './pulldown';
import type { DemoDisc, Work } from './scenario';

/**
 * Discs whose pictures do not simply follow each other: film with repeated fields that changes to video and back, slides that
 * stand while sound goes on, sound that outlasts its pictures, a still that waits. Encoded and multiplexed by FFmpeg, authored by dvdauthor;
 * what streams held before that is kept beside the discs.
 */
const AUTHORING_VERSION = 2;
const quiet = ['-hide_banner', '-nostdin', '-loglevel', 'error', '-y'];

/** What a stream held before it was multiplexed. */
export interface OddTruth {
  /** Hash of every decoded picture, and when it is shown, in seconds from the first. */
  readonly pictures: readonly { readonly hash: string; readonly at: number }[];
  /** Hash of every frame of sound. */
  readonly sound: readonly string[];
}

async function hashes(file: string, folder: string, options: readonly string[]): Promise<string[]> {
  const list = path.join(folder, 'hashes');
  await run('ffmpeg', [...quiet, '-i', file, '-map', '0:0', ...options, '-f', 'framemd5', list]);
  const lines = (await readFile(list, 'utf8')).split('\n');
  return lines.flatMap((line) => (/^\d/.test(line) ? [line.split(',').at(-1)?.trim() ?? ''] : []));
}

const FILM_RATE = '24000/1001';
const FIELD = 1001 / 60_000;
const CODED =
  '-c:v mpeg2video -b:v 2500k -maxrate 7000k -bufsize 1835008 -g 12 -bf 2 -sc_threshold 1000000000 -pix_fmt yuv420p -aspect 4:3'.split(' ');

async function film(frames: number, hue: number, file: string): Promise<Buffer> {
  const source = `testsrc2=s=720x480:r=${FILM_RATE}:d=${frames / 23},hue=h=${hue}`;
  await run('ffmpeg', [...quiet, '-f', 'lavfi', '-i', source, '-frames:v', String(frames), ...CODED, '-f', 'mpeg2video', file]);
  return withPulldown(await readFile(file));
}

async function video(frames: number, file: string): Promise<Buffer> {
  const source = `testsrc2=s=720x480:r=60000/1001:d=${frames / 29},interlace=scan=tff`;
  const how = ['-frames:v', String(frames), ...CODED, '-flags', '+ilme+ildct', '-f', 'mpeg2video', file];
  await run('ffmpeg', [...quiet, '-f', 'lavfi', '-i', source, ...how]);
  return readFile(file);
}

async function tone(seconds: number, pitch: number, file: string): Promise<void> {
  const source = `sine=f=${pitch}:b=6:r=48000:d=${seconds}`;
  await run('ffmpeg', [...quiet, '-f', 'lavfi', '-i', source, '-ac', '2', '-c:a', 'ac3', '-b:a', '192k', file]);
}

interface Made {
  readonly work: Work;
  readonly stream: string;
  readonly truth: OddTruth;
}
const AUDIO: Work['audio'] = [{ language: 'en', codec: 'ac3', channels: 2, kbps: 192, tone: 300, content: 'normal' }];
const work = (id: string, standard: Work['standard'], chapters: readonly number[], audio = AUDIO): Work => ({
  id,
  name: id,
  standard,
  wide: false,
  chapters,
  videoKbps: 2500,
  audio,
  subtitles: [],
});

/** Film, video, film: on the disc's clock they follow each other field by field, and sound goes on over both changes. */
async function pulldown(folder: string): Promise<Made> {
  const [frames, videoFrames] = [48, 60];
  const parts = [
    await film(frames, 0, path.join(folder, 'film-1.m2v')),
    await video(videoFrames, path.join(folder, 'video.m2v')),
    await film(frames, 90, path.join(folder, 'film-2.m2v')),
  ];
  const picture = path.join(folder, 'pulldown.m2v');
  await writeFile(picture, Buffer.concat(parts));
  const sound = path.join(folder, 'pulldown.ac3');
  await tone(6, 300, sound);
  const stream = path.join(folder, 'pulldown.mpg');
  await run('ffmpeg', [...quiet, '-i', picture, '-i', sound, '-c', 'copy', '-f', 'dvd', stream]);
  const decoded = await hashes(picture, folder, ['-fps_mode', 'passthrough']);
  const fields = [
    ...Array.from({ length: frames }, (_, i) => (CADENCE[i % 4]?.again ? 3 : 2)),
    ...Array.from({ length: videoFrames }, () => 2),
    ...Array.from({ length: frames }, (_, i) => (CADENCE[i % 4]?.again ? 3 : 2)),
  ];
  let at = 0;
  const pictures = decoded.map((hash, i) => {
    const shown = { hash, at: at * FIELD };
    at += fields[i] ?? 2;
    return shown;
  });
  return { work: work('pulldown', 'ntsc', [3, 3]), stream, truth: { pictures, sound: await hashes(sound, folder, ['-c', 'copy']) } };
}

/** Slides, each one picture that stands for three seconds; with sound that goes on beyond the last, or without any. */
async function slides(id: string, chapters: readonly number[], soundSeconds: number | null, folder: string): Promise<Made> {
  const stand = 3;
  const count = chapters.length;
  const still = `testsrc2=s=720x576:r=25:d=${stand * count},select='not(mod(n\\,${25 * stand}))'`;
  const encoded = ['-f', 'lavfi', '-i', still];
  const how = ['-fps_mode', 'vfr', '-c:v', 'mpeg2video', '-g', '1', '-q:v', '4', '-aspect', '4:3'];
  const picture = path.join(folder, `${id}.nut`);
  await run('ffmpeg', [...quiet, ...encoded, ...how, picture]);
  const sound = path.join(folder, `${id}.ac3`);
  if (soundSeconds !== null) await tone(soundSeconds, 420, sound);
  const stream = path.join(folder, `${id}.mpg`);
  const withSound = soundSeconds === null ? [] : ['-i', sound, '-map', '0', '-map', '1', '-c:a', 'copy'];
  await run('ffmpeg', [...quiet, ...encoded, ...withSound, ...how, '-f', 'dvd', stream]);
  const decoded = await hashes(picture, folder, ['-fps_mode', 'passthrough']);
  return {
    work: work(id, 'pal', chapters, soundSeconds === null ? [] : AUDIO),
    stream,
    truth: {
      pictures: decoded.map((hash, i) => ({ hash, at: i * stand })),
      sound: soundSeconds === null ? [] : await hashes(sound, folder, ['-c', 'copy']),
    },
  };
}

/** Ordinary pictures, with sound of another length. */
async function ordinary(id: string, seconds: number, soundSeconds: number, pitch: number, folder: string): Promise<Made> {
  const picture = path.join(folder, `${id}.m2v`);
  const source = `testsrc2=s=720x576:r=25:d=${seconds},hue=h=${pitch}`;
  await run('ffmpeg', [...quiet, '-f', 'lavfi', '-i', source, ...CODED, '-f', 'mpeg2video', picture]);
  const sound = path.join(folder, `${id}.ac3`);
  await tone(soundSeconds, pitch, sound);
  const stream = path.join(folder, `${id}.mpg`);
  await run('ffmpeg', [...quiet, '-i', picture, '-i', sound, '-c', 'copy', '-f', 'dvd', stream]);
  const decoded = await hashes(picture, folder, ['-fps_mode', 'passthrough']);
  return {
    work: work(id, 'pal', [seconds]),
    stream,
    truth: { pictures: decoded.map((hash, i) => ({ hash, at: i / 25 })), sound: await hashes(sound, folder, ['-c', 'copy']) },
  };
}

const plain = { wide: false, menu: [{ label: 'One', title: 1 }], firstPlay: 1 } as const;
const DISCS: readonly DemoDisc[] = [
  { ...plain, id: 'cadence', label: 'CADENCE', standard: 'ntsc', titleSets: [[['pulldown']]] },
  {
    ...plain,
    id: 'slides',
    label: 'SLIDES',
    standard: 'pal',
    titleSets: [[['slides'], ['long', 'next'], ['next']], [['silent']]],
  },
];

/** The streams of these discs, and what they held before they were multiplexed. */
const MAKERS: Readonly<Record<string, (folder: string) => Promise<readonly Made[]>>> = {
  cadence: async (folder) => [await pulldown(folder)],
  slides: async (folder) => [
    await slides('slides', [3, 3, 3], 10, folder),
    await slides('silent', [3, 3], null, folder),
    await ordinary('long', 2, 3.5, 500, folder),
    await ordinary('next', 2, 2, 600, folder),
  ],
};

/** The discs, each a thing to be made by itself; `truth-odd-ID.json` stands beside them. @param cache the folder that they stand in. */
export function oddBuildings(cache: string): Building[] {
  return DISCS.map((disc) => ({
    id: disc.id,
    name: disc.label,
    target: path.join(cache, 'discs', `${disc.label}.iso`),
    how: [AUTHORING_VERSION, disc],
    work: 10,
    make: async (image, folder) => {
      const made = (await MAKERS[disc.id]?.(folder)) ?? [];
      const streams = new Map(made.map((m) => [m.work.id, m.stream]));
      await authorDisc(
        disc,
        made.map((m) => m.work),
        streams,
        folder,
        image,
      );
      await writeFile(
        path.join(cache, `truth-odd-${disc.id}.json`),
        JSON.stringify(Object.fromEntries(made.map((m) => [m.work.id, m.truth]))),
      );
    },
  }));
}
