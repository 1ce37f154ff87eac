import type { BlurayPlan, PlannedPlaylist } from './author';
import type { ClipPlan } from './clips';
import { command } from './structures';

/** The Blu-ray discs of the demo archive: every name is made up, as on its DVDs. */

const picture = { width: 1280, height: 720, video: 'h264', audio: [], subtitles: [], isScene: true } as const;

const HAUL_LINES = [
  'We left on the morning tide.',
  '"Cast off forward!"',
  'The nets were tanned with bark, and stank of it.',
  'Eleven boats that year. Four came back full.',
  'My uncle kept the log in pencil.',
  '"Dè an uair a tha e?"',
  'You learned to sleep standing.',
];
const spoken = (from: number, count: number, every: number, forced: readonly number[] = []) =>
  Array.from({ length: count }, (_, i) => ({
    at: 3 + i * every,
    seconds: 3,
    text: HAUL_LINES[(from + i) % HAUL_LINES.length] ?? '',
    ...(forced.includes(i) ? { forced: true } : {}),
  }));

const haul = (name: string, seconds: number, clock: number, seed: number): ClipPlan => ({
  ...picture,
  name,
  title: 'The Long Haul',
  seconds,
  clock,
  seed,
  audio: [
    { codec: 'truehd', channels: 2, language: 'eng', tone: 220 },
    { codec: 'ac3', channels: 6, language: 'gla', tone: 330 },
    { codec: 'pcm', channels: 2, bits: 24, language: 'eng', tone: 150 },
  ],
  subtitles: [
    { language: 'eng', lines: spoken(seed, Math.floor(seconds / 9), 8, [1]) },
    { language: 'gla', lines: spoken(seed + 2, Math.floor(seconds / 12), 11) },
  ],
});
const short = (name: string, title: string, seconds: number, seed: number): ClipPlan => ({
  ...picture,
  name,
  title,
  seconds,
  clock: 60,
  seed,
  audio: [{ codec: 'ac3', channels: 2, language: 'eng', tone: 262 }],
});

const seamless = (clips: readonly string[]) => clips.map((c, i) => ({ clips: [c], connection: i === 0 ? 1 : 5 }));

const LONG_HAUL: BlurayPlan = {
  id: 'long-haul',
  label: 'LONG_HAUL',
  titles: { eng: 'The Long Haul: Herring Drifters of the Outer Bank' },
  clips: [
    haul('00101', 40, 600, 1),
    haul('00102', 14, 640, 2),
    haul('00103', 34, 640, 3),
    haul('00104', 46, 674, 4),
    short('00110', 'Mending the nets', 24, 6),
    short('00120', 'Menu', 12, 8),
  ],
  playlists: [
    {
      number: 1,
      items: seamless(['00101', '00102', '00104']),
      chapters: [
        [0, 0],
        [0, 20.02],
        [1, 0],
        [2, 0],
        [2, 16.016],
        [2, 32.032],
      ],
    },
    {
      number: 2,
      items: seamless(['00101', '00103', '00104']),
      chapters: [
        [0, 0],
        [0, 20.02],
        [1, 0],
        [2, 0],
        [2, 16.016],
        [2, 32.032],
      ],
    },
    { number: 10, items: [{ clips: ['00110'] }], chapters: [[0, 0]] },
    { number: 20, items: [{ clips: ['00120'] }], chapters: [] },
  ],
  objects: [
    [command.jumpTitle(0)],
    [command.playPlaylist(20)],
    [command.playPlaylist(1)],
    [command.playPlaylist(2)],
    [command.playPlaylist(10)],
  ],
  firstPlay: 0,
  topMenu: 1,
  indexed: [2, 3, 4],
};

const FERRY_CLIPS = ['00201', '00202', '00203', '00204', '00205', '00206'] as const;

/** Orders of six clips that look arbitrary and are the same in every build; the true one stands among them. */
function shuffled(count: number, truePlace: number): string[][] {
  let state = 7;
  const next = (below: number) => {
    state = (state * 1_103_515_245 + 12_345) % 2 ** 31;
    return Math.floor((state / 2 ** 31) * below);
  };
  const orders: string[][] = [];
  while (orders.length < count) {
    const rest: string[] = [...FERRY_CLIPS];
    const order = Array.from(FERRY_CLIPS, () => rest.splice(next(rest.length), 1)[0] ?? '');
    const key = order.join();
    if (key !== FERRY_CLIPS.join() && !orders.some((o) => o.join() === key)) orders.push(order);
  }
  orders[truePlace] = [...FERRY_CLIPS];
  return orders;
}

const FERRY_TRUE = 23;
const FERRY_LISTS = 36;
const NIGHT_FERRY: BlurayPlan = {
  id: 'night-ferry',
  label: 'NIGHT_FERRY',
  titles: { eng: 'Night Ferry' },
  clips: FERRY_CLIPS.map((name, i): ClipPlan => ({
    ...picture,
    name,
    title: 'Night Ferry',
    seconds: 12,
    clock: 600 + 12 * i,
    seed: 10 + i,
    audio: [{ codec: 'ac3', channels: 2, language: 'nor', tone: 200 + 15 * i }],
  })),
  playlists: [
    ...shuffled(FERRY_LISTS, FERRY_TRUE).map((clips, i): PlannedPlaylist => ({
      number: 800 + i,
      items: seamless(clips),
      chapters: clips.map((_, item) => [item, 0] as const),
    })),
    // Six seconds over and over, longer than the film by its own numbers.
    {
      number: 900,
      items: Array.from({ length: 30 }, () => ({ clips: ['00203'], from: 2.002, to: 8.008 })),
      chapters: Array.from({ length: 30 }, (_, item) => [item, 2.002] as const),
    },
  ],
  // The number is put together in a register: nothing in the file says 823.
  objects: [[command.move(3, 400), command.add(3, 423), command.playPlaylistIn(3)], [command.playPlaylist(900)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0, 1],
};

const CAMERAS = ['Stage', 'Harbour wall', 'Drums'] as const;
const QUAY_CONCERT: BlurayPlan = {
  id: 'quay-concert',
  label: 'QUAY_CONCERT',
  titles: { eng: 'Brass on the Quay' },
  asFolder: true,
  clips: CAMERAS.map((camera, i): ClipPlan => ({
    ...picture,
    name: `0030${i + 1}`,
    title: `Brass on the Quay: ${camera}`,
    seconds: 24,
    clock: 120,
    seed: 20 + i,
    audio: [{ codec: 'pcm', channels: 2, bits: 24, language: 'zxx', tone: 233 }],
  })),
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00301', '00302', '00303'] }],
      chapters: [
        [0, 0],
        [0, 8.008],
        [0, 16.016],
      ],
    },
  ],
  objects: [[command.playPlaylist(1)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0],
};

const REEF: BlurayPlan = {
  id: 'reef',
  label: 'LOW_LIGHT_REEF',
  titles: { eng: 'Low Light Reef' },
  twoViews: true,
  asFolder: true,
  clips: [
    {
      ...picture,
      // Not a scene: what the eyes see apart can be measured where nothing in the picture repeats.
      isScene: false,
      name: '00401',
      title: 'Low Light Reef',
      seconds: 24,
      clock: 90,
      seed: 31,
      secondView: '00402',
      audio: [{ codec: 'ac3', channels: 6, language: 'eng', tone: 196 }],
    },
  ],
  playlists: [
    {
      number: 1,
      items: [{ clips: ['00401'] }],
      chapters: [
        [0, 0],
        [0, 12.012],
      ],
      secondView: ['00402'],
    },
    {
      number: 2,
      items: [{ clips: ['00401'] }],
      chapters: [
        [0, 0],
        [0, 12.012],
      ],
    },
  ],
  objects: [[command.playPlaylist(1)], [command.playPlaylist(2)]],
  firstPlay: 0,
  topMenu: null,
  indexed: [0, 1],
};

export const DEMO_BLURAYS: readonly BlurayPlan[] = [LONG_HAUL, NIGHT_FERRY, QUAY_CONCERT, REEF];
