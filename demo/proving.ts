import type { Archive, Work, WorkSubtitle } from './scenario';

/**
 * Short discs that the tests read: every codec and both television standards, a play-all with its parts, a duplicate, and
 * chapters at known times. Made by the same author as the demo archive.
 */
const lines = (at: readonly number[], forced: readonly number[] = []): WorkSubtitle['lines'] =>
  at.map((t, i) => ({ at: t, seconds: 0.8, text: `Line ${i + 1}`, ...(forced.includes(i) ? { forced: true } : {}) }));

const QUAY: Work = {
  id: 'quay',
  name: 'Quay',
  standard: 'pal',
  wide: true,
  videoKbps: 2400,
  chapters: [3, 2.4, 3.6],
  audio: [
    { language: 'en', codec: 'ac3', channels: 6, kbps: 384, tone: 220, content: 'normal' },
    { language: 'gd', codec: 'pcm16', channels: 2, kbps: 1536, tone: 330, content: 'normal' },
    { language: 'en', codec: 'dts', channels: 2, kbps: 768, tone: 147, content: 'comments1' },
  ],
  subtitles: [
    { language: 'en', content: 'normal', lines: lines([0.5, 2, 4, 7], [1]) },
    { language: 'gd', content: 'forced', lines: lines([1, 6]) },
  ],
};

const BUOY: Work = {
  id: 'buoy',
  name: 'Buoy',
  standard: 'pal',
  wide: true,
  videoKbps: 1600,
  chapters: [2],
  audio: [{ language: 'en', codec: 'mp2', channels: 2, kbps: 192, tone: 262, content: 'impaired' }],
  subtitles: [],
};

const LOCKS: readonly Work[] = [1, 2, 3].map((n) => ({
  id: `lock-${n}`,
  name: `Lock ${n}`,
  standard: 'ntsc',
  wide: false,
  videoKbps: 1800,
  chapters: [4 + n / 2, 5],
  audio: [
    { language: 'no', codec: 'ac3', channels: 2, kbps: 192, tone: 300 + 40 * n, content: 'normal' },
    { language: 'en', codec: 'pcm24', channels: 2, kbps: 2304, tone: 180 + 20 * n, content: 'normal' },
  ],
  subtitles: [{ language: 'en', content: 'normal', lines: lines([1, 5]) }],
}));

export const PROVING_ARCHIVE: Archive = {
  works: [QUAY, BUOY, ...LOCKS],
  discs: [
    {
      id: 'quay',
      label: 'QUAY',
      standard: 'pal',
      wide: true,
      titleSets: [[['buoy']], [['quay']]],
      menu: [
        { label: 'Quay', title: 2 },
        { label: 'Buoy', title: 1 },
      ],
      firstPlay: 2,
    },
    {
      id: 'locks',
      label: 'LOCKS',
      standard: 'ntsc',
      wide: false,
      titleSets: [[['lock-1', 'lock-2', 'lock-3'], ['lock-1'], ['lock-2'], ['lock-3'], ['lock-2']]],
      menu: [
        { label: 'All', title: 1 },
        { label: 'Second', title: 3 },
      ],
      firstPlay: 0,
    },
  ],
};
