import type { BlurayPlan } from './author';
import type { ClipPlan } from './clips';
import { BESIDE, CHANGES, SEAM } from './proving-joins';
import { lines, small } from './proving-parts';
import { command } from './structures';

/** Short discs that the tests read: every codec there is an encoder for, joins, two cuts, angles, two views. */

const HAVEN_AUDIO: ClipPlan['audio'] = [
  { codec: 'truehd', channels: 2, language: 'eng', tone: 220 },
  { codec: 'ac3', channels: 2, language: 'gla', tone: 330 },
  { codec: 'pcm', channels: 6, bits: 24, language: 'eng', tone: 180 },
];
const haven = (name: string, seconds: number, clock: number): ClipPlan => ({
  ...small,
  name,
  title: `Haven ${name}`,
  seconds,
  clock,
  video: 'h264',
  audio: HAVEN_AUDIO,
  subtitles: [
    { language: 'eng', lines: lines([0.4, 1.6, 2.7], [1]) },
    { language: 'gla', lines: lines([1]) },
  ],
});

export const HAVEN: BlurayPlan = {
  id: 'haven',
  label: 'HAVEN',
  titles: { eng: 'Haven & Harbour', gla: 'Caladh' },
  asFolder: true,
  clips: [
    haven('00001', 4, 600),
    haven('00002', 3, 11),
    haven('00003', 5, 95_000),
    {
      ...small,
      name: '00004',
      title: 'Fields',
      seconds: 4,
      clock: 60,
      video: 'h264i',
      audio: [
        { codec: 'pcm', channels: 8, bits: 16, language: 'nor', tone: 200 },
        { codec: 'eac3', channels: 6, language: 'eng', tone: 260 },
        { codec: 'dts', channels: 6, language: 'deu', tone: 300 },
      ],
    },
    {
      ...small,
      name: '00005',
      title: 'Deep',
      seconds: 3,
      clock: 60,
      video: 'hevc',
      audio: [{ codec: 'eac3', channels: 2, language: 'eng', tone: 250 }],
    },
    {
      ...small,
      name: '00006',
      title: 'Old',
      seconds: 3,
      clock: 60,
      video: 'mpeg2',
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 250 }],
    },
    {
      ...small,
      name: '00007',
      title: 'Nowhere',
      seconds: 2,
      clock: 60,
      video: 'h264',
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 250 }],
    },
  ],
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00001'] }, { clips: ['00002'], connection: 5 }],
      chapters: [
        [0, 0],
        [0, 2.002],
        [1, 0],
      ],
    },
    {
      number: 2,
      items: [{ clips: ['00001'] }, { clips: ['00003'], connection: 5 }, { clips: ['00002'], connection: 5 }],
      chapters: [
        [0, 0],
        [1, 0],
        [2, 0],
      ],
    },
    {
      number: 3,
      items: [{ clips: ['00004'] }],
      chapters: [
        [0, 0],
        [0, 2],
      ],
    },
    { number: 4, items: [{ clips: ['00005'] }], chapters: [[0, 0]] },
    { number: 5, items: [{ clips: ['00006'] }], chapters: [[0, 0]] },
    {
      number: 6,
      items: [{ clips: ['00001'] }, { clips: ['00002'], connection: 5 }],
      chapters: [
        [0, 0],
        [0, 2.002],
        [1, 0],
      ],
    },
    { number: 10, items: [{ clips: ['00003'], from: 1.001, to: 3.003 }], chapters: [] },
  ],
  objects: [
    [command.move(1, 2), command.ifEqual(1, 3), command.playPlaylist(5), command.playPlaylistIn(1)],
    [command.playPlaylist(1), command.jumpTitle(0)],
    [command.playPlaylist(3)],
  ],
  firstPlay: 0,
  topMenu: 2,
  indexed: [1, 2],
};

export const TWIN: BlurayPlan = {
  id: 'twin',
  label: 'TWIN',
  titles: { eng: 'Twin' },
  twoViews: true,
  clips: [
    {
      ...small,
      name: '00011',
      title: 'Reef',
      seconds: 4,
      clock: 20,
      video: 'h264',
      secondView: '00012',
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 240 }],
    },
    ...[1, 2, 3].map((n): ClipPlan => ({
      ...small,
      name: `0002${n}`,
      title: `Angle ${n}`,
      seed: n,
      seconds: 4,
      clock: 30,
      video: 'h264',
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 240 }],
    })),
  ],
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00011'] }],
      chapters: [
        [0, 0],
        [0, 2.002],
      ],
      secondView: ['00012'],
    },
    {
      number: 2,
      items: [{ clips: ['00021', '00022', '00023'] }],
      chapters: [
        [0, 0],
        [0, 2.002],
      ],
    },
    { number: 3, items: [{ clips: ['00011'] }], chapters: [[0, 0]] },
  ],
  objects: [[command.playPlaylist(1)], [command.playPlaylist(2)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0, 1],
};

/** Longer than three minutes: libbluray leaves out what is shorter. */
export const WATCH: BlurayPlan = {
  id: 'watch',
  label: 'WATCH',
  titles: { eng: 'The Watch' },
  asFolder: true,
  clips: [100, 90].map((seconds, i): ClipPlan => ({
    ...small,
    name: `0003${i + 1}`,
    title: `Watch ${i + 1}`,
    seed: 5 + i,
    seconds,
    clock: 600 + 100 * i,
    video: 'h264',
    audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 240 + i }],
  })),
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00031'] }, { clips: ['00032'], connection: 5 }],
      chapters: [
        [0, 0],
        [1, 0],
      ],
      text: [
        {
          clip: '00033',
          language: 'eng',
          lines: [5, 60, 101, 150].map((at) => ({ at, seconds: 2.5, text: `Spoken at ${at} s` })),
        },
        { clip: '00034', language: 'gla', lines: [{ at: 102, seconds: 3, text: 'Facal' }] },
      ],
    },
  ],
  objects: [[command.playPlaylist(1)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0],
};

/** Two clips that were made in one and cut in two, with the sound of the end at the head of the second: on one clock, and on two. */
export const PROVING_BLURAYS: readonly BlurayPlan[] = [HAVEN, TWIN, WATCH, SEAM, CHANGES, BESIDE];
