import type { BlurayPlan } from './author';
import type { ClipPlan } from './clips';
import { small } from './proving-parts';
import { command } from './structures';

/** Short discs about joins: seams inside a stream, streams that move, and what is laid beside a title. */

const seam = (n: number, clock: number | null): ClipPlan => ({
  ...small,
  name: `0005${n}`,
  title: `Seam ${n}`,
  seed: 20 + n,
  seconds: 6,
  clock: 40 * n,
  video: 'h264closed',
  audio: [
    { codec: 'truehd', channels: 2, language: 'eng', tone: 210 },
    { codec: 'ac3', channels: 2, language: 'gla', tone: 310 },
    { codec: 'pcm', channels: 2, bits: 24, language: 'eng', tone: 170 },
  ],
  divided: { at: 3, lead: 0.096, clock, names: [`0005${n}`, `0006${n}`] },
});

export const SEAM: BlurayPlan = {
  id: 'seam',
  label: 'SEAM',
  titles: { eng: 'Seam' },
  clips: [seam(1, null), seam(2, 900)],
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00051'] }, { clips: ['00061'], connection: 6 }],
      chapters: [
        [0, 0],
        [1, 0],
      ],
    },
    {
      number: 2,
      items: [{ clips: ['00052'] }, { clips: ['00062'], connection: 5 }],
      chapters: [
        [0, 0],
        [1, 0],
      ],
    },
  ],
  objects: [[command.playPlaylist(1)], [command.playPlaylist(2)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0, 1],
};

/** Clips that do not go on as they began: languages on other streams, another size of picture; marks inside a group of pictures and at the very end. */
const change = (name: string, languages: readonly [string, string], size: readonly [number, number]): ClipPlan => ({
  ...small,
  width: size[0],
  height: size[1],
  name,
  title: `Change ${name}`,
  seed: 30,
  seconds: 3,
  clock: 70,
  video: 'h264closed',
  audio: languages.map((language) => ({ codec: 'ac3', channels: 2, language, tone: language === 'eng' ? 220 : 330 })),
});

export const CHANGES: BlurayPlan = {
  id: 'changes',
  label: 'CHANGES',
  titles: { eng: 'Changes' },
  asFolder: true,
  clips: [
    change('00071', ['eng', 'gla'], [320, 180]),
    change('00072', ['gla', 'eng'], [320, 180]),
    change('00073', ['eng', 'gla'], [480, 272]),
  ],
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00071'] }, { clips: ['00072'] }],
      chapters: [
        [0, 0],
        [0, 1.5],
        [1, 0],
        [1, 2.99],
      ],
    },
    {
      number: 2,
      items: [{ clips: ['00071'] }, { clips: ['00073'] }],
      chapters: [
        [0, 0],
        [1, 0],
      ],
    },
  ],
  objects: [[command.playPlaylist(1)], [command.playPlaylist(2)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0, 1],
};

/** What plays beside a title: a commentary in clips of its own, a second picture inside the title's clip, and one in a clip of its own. */
export const BESIDE: BlurayPlan = {
  id: 'beside',
  label: 'BESIDE',
  titles: { eng: 'Beside' },
  asFolder: true,
  clips: [
    {
      ...small,
      name: '00081',
      title: 'Beside 1',
      seed: 40,
      seconds: 4,
      clock: 50,
      video: 'h264closed',
      second: { seed: 41, width: 160, height: 96 },
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 220 }],
    },
    {
      ...small,
      name: '00082',
      title: 'Beside 2',
      seed: 42,
      seconds: 4,
      clock: 900,
      video: 'h264closed',
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 230 }],
    },
    {
      ...small,
      width: 160,
      height: 96,
      name: '00084',
      title: 'Apart',
      seed: 43,
      seconds: 3,
      clock: 20,
      video: 'h264closed',
      audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 400 }],
    },
  ],
  soundClips: [
    { name: '00083', seconds: 6, clock: 300, audio: { codec: 'ac3', channels: 2, language: 'eng', tone: 500 } },
    { name: '00085', seconds: 1.6, clock: 7, audio: { codec: 'ac3', channels: 2, language: 'eng', tone: 610 } },
    { name: '00086', seconds: 8.2, clock: 4, audio: { codec: 'eac3', channels: 2, language: 'nor', tone: 710 } },
  ],
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00081'] }, { clips: ['00082'], connection: 1 }],
      chapters: [
        [0, 0],
        [1, 0],
      ],
      beside: [
        {
          type: 5,
          as: ['secondary audio'],
          clips: [
            { clip: '00083', to: 5, item: 0, at: 0 },
            { clip: '00085', item: 1, at: 2 },
          ],
        },
        { type: 5, as: ['audio'], clips: [{ clip: '00086', item: 0, at: 0 }] },
        { type: 7, as: ['secondary video'], clips: [{ clip: '00081', from: 1.001, to: 3.003, item: 0, at: 1.001 }] },
        { type: 6, as: ['secondary video', 'secondary audio'], clips: [{ clip: '00084', item: 0, at: 0.5 }] },
      ],
    },
    {
      number: 2,
      items: [{ clips: ['00082'] }],
      chapters: [[0, 0]],
    },
  ],
  objects: [[command.playPlaylist(1)], [command.playPlaylist(2)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0, 1],
};
