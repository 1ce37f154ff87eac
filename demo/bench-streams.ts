import { mkdirSync } from 'node:fs';
import { open, readFile, stat } from 'node:fs/promises';
import path from 'node:path';
import { readExactly } from '@/core/bytes';
import { findRoles } from '@/core/findings';
import { readDisc, titleSetName, type Reading, type Segment } from '@/core/reading';
import { openVolume } from '@/node/open-volume';
import { authorBluray, type BlurayPlan } from './bluray/author';
import { blurayBuildings } from './bluray/build';
import { scanClip } from './bluray/scan';
import { DEMO_BLURAYS } from './bluray/scenario';
import { command } from './bluray/structures';
import { buildAll } from './building';
import { run } from './run';

/** What is measured: streams of a gigabyte, and discs with very many titles. */

export const WANTED_BYTES = 1_000_000_000;
const SECTOR_BYTES = 2048;

export interface BenchStream {
  /** The stream as one file, as any other program would be given it. */
  readonly stream: string;
  readonly reading: Reading;
}

/** One program stream of a gigabyte: the demo film's title set over and over, each time a VOB with a clock of its own. */
export async function makeProgramStream(image: string, folder: string): Promise<BenchStream> {
  const opened = await openVolume({ kind: 'image', path: image, label: 'demo' });
  const reading = await readDisc(opened.volume);
  const title = reading.titles.find((t) => t.number === findRoles(reading).mainTitle);
  if (!title) throw new Error('the demo disc has no main title');
  const content = await opened.content(titleSetName(title.titleSet ?? 1));
  const segments = title.parts.flatMap((p) => reading.segments.find((s) => s.id === p.segment) ?? []);
  const sectors = (segments.at(-1)?.lastSector ?? 0) + 1;
  const copies = Math.ceil(WANTED_BYTES / (sectors * SECTOR_BYTES));
  const stream = path.join(folder, 'stream.vob');
  const handle = await open(stream, 'w');
  for (let copy = 0; copy < copies; copy++) {
    for (let at = 0; at < sectors; at += 16_384)
      await handle.write(await readExactly(content, at * SECTOR_BYTES, Math.min(16_384, sectors - at) * SECTOR_BYTES, 'content'));
  }
  await handle.close();
  await opened.close();
  const long: Segment[] = Array.from({ length: copies }, (_, copy) =>
    segments.map((s, i) => ({
      ...s,
      id: `${copy}/${s.id}`,
      firstSector: s.firstSector + copy * sectors,
      lastSector: s.lastSector + copy * sectors,
      clockRestarts: i === 0,
    })),
  ).flat();
  const longTitle = {
    ...title,
    number: 1,
    parts: long.map((s) => ({ segment: s.id, angle: null, companion: null, seamless: false, moved: null })),
    chapters: [{ number: 1, startMs: 0, durationMs: title.durationMs * copies, firstPart: 0, damaged: false, name: null }],
    durationMs: title.durationMs * copies,
    sizeBytes: sectors * SECTOR_BYTES * copies,
  };
  return { stream, reading: { ...reading, titles: [longTitle], segments: long } };
}

const VIDEO_PID = 0x1011;
const PIECE_SECONDS = 20;
const RATE_MBIT = 30;

/** One transport stream of a gigabyte: H.264 at 30 Mbit/s with AC-3 and DTS, at the rate of a real disc, as the one clip of one. */
export async function makeTransportStream(folder: string): Promise<BenchStream> {
  const piece = path.join(folder, 'piece.m2ts');
  const noise = `nullsrc=s=1920x1080:r=24000/1001:d=${PIECE_SECONDS},geq=lum='128+60*sin(X/9+N)+40*random(1)':cb=128:cr=128`;
  const small = noise.replace('1920x1080', '480x270');
  const mux = ['-muxdelay', '0', '-f', 'mpegts', '-mpegts_m2ts_mode', '1'];
  const rate = `${RATE_MBIT}M`;
  await run('ffmpeg', [
    ...['-v', 'error', '-y', '-nostdin', '-f', 'lavfi', '-i', `${small},scale=1920:1080:flags=neighbor`],
    ...['-f', 'lavfi', '-i', `sine=f=220:r=48000:d=${PIECE_SECONDS}`],
    ...['-map', '0:v', '-map', '1:a', '-map', '1:a', '-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p'],
    ...[
      '-b:v',
      rate,
      '-minrate',
      rate,
      '-maxrate',
      rate,
      '-bufsize',
      rate,
      '-x264-params',
      'aud=1:keyint=24:bframes=2:slices=4:nal-hrd=cbr',
    ],
    ...[
      '-c:a:0',
      'ac3',
      '-ac:a:0',
      '6',
      '-b:a:0',
      '640k',
      '-c:a:1',
      'dca',
      '-strict',
      '-2',
      '-ac:a:1',
      '6',
      '-b:a:1',
      '1509k',
      ...mux,
      piece,
    ],
  ]);
  const stream = path.join(folder, 'stream.m2ts');
  const { size } = await stat(piece);
  const loops = Math.ceil(WANTED_BYTES / size);
  await run('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-nostdin',
    '-stream_loop',
    String(loops - 1),
    '-i',
    piece,
    '-map',
    '0',
    '-c',
    'copy',
    ...mux,
    stream,
  ]);
  const facts = scanClip(new Uint8Array(await readFile(stream)), VIDEO_PID, 3753.75);
  const streams = [
    { pid: VIDEO_PID, coding: 0x1b, format: 0x61 },
    { pid: 0x1100, coding: 0x81, format: 0x61, language: 'eng' },
    { pid: 0x1101, coding: 0x82, format: 0x61, language: 'eng' },
  ];
  const disc = path.join(folder, 'BENCH');
  const plan: BlurayPlan = {
    id: 'bench',
    label: 'BENCH',
    titles: {},
    asFolder: true,
    clips: [],
    playlists: [{ number: 1, items: [{ clips: ['00001'] }], chapters: [[0, 0]] }],
    objects: [[command.playPlaylist(1)]],
    firstPlay: 0,
    topMenu: null,
    indexed: [0],
  };
  await authorBluray(plan, [{ name: '00001', file: stream, streams, facts }], disc);
  const opened = await openVolume({ kind: 'folder', path: disc, label: 'bench' });
  const reading = await readDisc(opened.volume);
  await opened.close();
  return { stream, reading };
}

/** The demo disc with decoys, with a thousand of them. @returns the image. */
export async function authorManyPlaylists(folder: string, count: number): Promise<string> {
  const ferry = DEMO_BLURAYS.find((p) => p.id === 'night-ferry');
  const list = ferry?.playlists.find((p) => p.items.length === 6);
  if (!ferry || !list) throw new Error('the demo archive has no disc with decoys');
  const playlists = Array.from({ length: count }, (_, i) => {
    const rest = [...list.items];
    const items = list.items.map((_, n) => rest.splice((i * 7 + n * 3) % rest.length, 1)[0] ?? { clips: [] });
    return { number: i + 1, items, chapters: list.chapters };
  });
  mkdirSync(folder, { recursive: true });
  const buildings = blurayBuildings([{ ...ferry, id: 'many', label: 'MANY', playlists }], folder);
  await buildAll(buildings, folder, () => undefined);
  return buildings[0]?.target ?? '';
}
