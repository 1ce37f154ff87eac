import type { Draw } from '../draw';
import { GROUP } from '../streams';
import {
  time90k,
  type BlurayPlan,
  type BluraySoundCodec,
  type ClipPlan,
  type ClipSoundPlan,
  type ItemPlan,
  type Picture,
  type PlaylistPlan,
} from './plan';

const LANGUAGES = ['en', 'de', 'fr', 'es', 'it', 'nl', 'pt', 'sv', 'da', 'fi', 'no', 'pl'] as const;
/** ISO 639-2, as the tables have them. */
const CODES: Readonly<Record<string, string>> = {
  ...{ en: 'eng', de: 'deu', fr: 'fra', es: 'spa', it: 'ita', nl: 'nld' },
  ...{ pt: 'por', sv: 'swe', da: 'dan', fi: 'fin', no: 'nor', pl: 'pol' },
};
export const codeOf = (language: string): string => CODES[language] ?? 'und';
const CODECS: readonly BluraySoundCodec[] = ['AC-3', 'AC-3', 'DTS', 'LPCM', 'TrueHD'];
const FRAMES_90K: Readonly<Record<BluraySoundCodec, number>> = { 'AC-3': 2880, DTS: 960, LPCM: 450, TrueHD: 75 };
const PICTURES: readonly Picture[] = [
  { codec: 'H.264', widthPixels: 720, heightPixels: 576, rate: [25, 1], format: 0x73 },
  { codec: 'H.264', widthPixels: 1280, heightPixels: 720, rate: [24_000, 1001], format: 0x51 },
  { codec: 'H.264', widthPixels: 1280, heightPixels: 720, rate: [50, 1], format: 0x56 },
  { codec: 'MPEG-2', widthPixels: 720, heightPixels: 480, rate: [30_000, 1001], format: 0x34 },
  { codec: 'MPEG-2', widthPixels: 720, heightPixels: 576, rate: [25, 1], format: 0x73 },
];
const MOST_FIRST_90K = 2 ** 32;

const list = <T>(count: number, one: (i: number) => T): T[] => Array.from({ length: count }, (_, i) => one(i));

interface Streams {
  readonly sounds: readonly { readonly codec: BluraySoundCodec; readonly channels: number; readonly language: string }[];
  readonly graphics: readonly { readonly language: string }[];
}

/** @param before the clip that sound goes on from without a break, where there is one. */
function drawClip(draw: Draw, picture: Picture, streams: Streams, before: ClipPlan | null): ClipPlan {
  const groups = draw.between(1, 8);
  const length = time90k(picture, groups * GROUP);
  const moved = draw.chance(0.15, 'clip: streams stand on other PIDs') ? draw.between(1, 6) : 0;
  const usual = draw.chance(0.5);
  const sounds = streams.sounds.map((sound, i): ClipSoundPlan => {
    const frame = FRAMES_90K[sound.codec];
    const old = before?.sounds[i];
    // Where the last frame of the clip before ended, by the picture's clock.
    const rest = old && before ? old.delay90k + old.frames * frame - time90k(before.picture, before.groups * GROUP) : 0;
    const delay90k = old
      ? rest
      : usual
        ? 0
        : draw.kind('sound begins', ['before', 'with', 'after']) === 'before'
          ? -draw.between(1, 8000)
          : draw.between(0, 6000);
    const tail90k = usual ? 0 : draw.between(-4000, 7000);
    return {
      ...sound,
      pid: 0x1100 + i + moved,
      seed: 1 + i,
      // A clip of TrueHD begins with a unit that decoding can begin with.
      fromFrame: sound.codec === 'TrueHD' ? 128 * draw.between(0, 140) : old ? old.fromFrame + old.frames : draw.between(0, 900),
      delay90k,
      frames: Math.max(1, Math.round((length + tail90k - delay90k) / frame)),
    };
  });
  return {
    picture,
    groups,
    fromGroup: draw.between(0, 39),
    first90k: 2 * draw.between(100_000, MOST_FIRST_90K / 2 - 10_000_000),
    sounds,
    graphics: streams.graphics.map(({ language }, i) => {
      const events = draw.between(0, 3);
      return {
        language,
        pid: 0x1200 + i + moved,
        events: list(events, (n) => ({
          at90k: Math.floor(((n + draw.between(1, 4) / 10) * length) / events),
          length90k: Math.floor((length / events) * (draw.between(1, 5) / 10)),
          forced: draw.chance(0.2, 'graphics: forced'),
          shade: draw.between(0, 200),
        })),
      };
    }),
    soundLag90k: draw.oneOf([0, 0, 9000, 18_000]),
    order: draw.between(1, 1_000_000),
  };
}

/** Items: all clips in order, a part of one, or whichever in any order. */
function drawPlaylist(draw: Draw, clips: readonly ClipPlan[], joined: ReadonlySet<number>, first: boolean): PlaylistPlan {
  const which = first ? 'all clips in order' : draw.kind('items', ['all clips in order', 'a part of a clip', 'parts of a clip', 'any']);
  const one = draw.between(0, clips.length - 1);
  const groups = clips[one]?.groups ?? 1;
  const whole = (clip: number, connection: 1 | 5 = 1): ItemPlan => {
    const { sounds, graphics, groups: to } = clips[clip] as ClipPlan;
    return { clip, from: 0, to, connection, sounds: sounds.length, graphics: graphics.length };
  };
  const part = (clip: number, from: number, to: number): ItemPlan => ({ ...whole(clip), from, to });
  const cut = draw.between(1, Math.max(1, groups - 1));
  const from = draw.between(0, groups - 1);
  let items: ItemPlan[] =
    which === 'all clips in order'
      ? clips.map((_, c) => whole(c, joined.has(c) ? 5 : 1))
      : which === 'a part of a clip'
        ? [part(one, from, draw.between(from + 1, groups))]
        : which === 'parts of a clip'
          ? groups > 1
            ? draw.shuffled([part(one, 0, cut), part(one, cut, groups)])
            : [whole(one)]
          : draw
              .shuffled(clips.map((_, c) => c))
              .slice(0, draw.between(1, 3))
              .map((c) => whole(c));
  if (items.length > 1 && draw.chance(0.2, 'items: the first has fewer tracks'))
    items = items.map((item, i) => (i > 0 ? item : { ...item, sounds: Math.min(1, item.sounds), graphics: 0 }));
  const marks = items.flatMap((item, i) => {
    const { picture } = clips[item.clip] as ClipPlan;
    const begin = time90k(picture, item.from * GROUP);
    // Chapters of one group of pictures can not be cut apart: each group has one at the most, at its beginning or inside it.
    const own = list(item.to - item.from, (g) => {
      const at90k = time90k(picture, (item.from + g) * GROUP) - begin;
      if (g === 0) return i === 0 || draw.chance(0.6) ? 0 : null;
      if (!draw.chance(0.3)) return null;
      return draw.chance(0.5, 'mark: inside a group') ? at90k + 2 * draw.between(1, 4500) : at90k;
    }).filter((after90k) => after90k !== null);
    return own.map((after90k) => ({ item: i, after90k }));
  });
  return { items, marks };
}

const samePids = (a: ClipPlan, b: ClipPlan): boolean => {
  const pids = (c: ClipPlan) => [...c.sounds, ...c.graphics].map((s) => s.pid).join();
  return pids(a) === pids(b);
};

/**
 * A clip in two files, and the playlists in which each of its items is two: only where all of them play over the border, at which
 * nothing is whole.
 */
function divide(draw: Draw, clips: ClipPlan[], playlists: readonly PlaylistPlan[]): PlaylistPlan[] {
  const items = playlists.flatMap((l) => l.items);
  for (const [c, clip] of clips.entries()) {
    const at = draw.between(1, Math.max(1, clip.groups - 1));
    const isPlayedOver = items.every((i) => i.clip !== c || (i.from < at && i.to > at));
    if (!isPlayedOver || clip.after !== undefined || clips.some((o) => o.after === c)) continue;
    if (draw.chance(0.3, 'clip: goes on in a second file')) clips[c] = { ...clip, divided: at };
  }
  return playlists.map(({ items: own, marks }) => {
    const two: ItemPlan[] = [];
    const moved: { item: number; after90k: number }[] = [];
    own.forEach((item, i) => {
      const { picture, divided } = clips[item.clip] as ClipPlan;
      const first = two.length;
      const border = divided === undefined ? Infinity : time90k(picture, divided * GROUP) - time90k(picture, item.from * GROUP);
      if (divided === undefined) two.push(item);
      else two.push({ ...item, to: divided }, { ...item, from: divided, connection: 6 });
      // No chapter begins where a file goes on.
      for (const { item: of, after90k } of marks)
        if (of === i && after90k !== border)
          moved.push(after90k < border ? { item: first, after90k } : { item: first + 1, after90k: after90k - border });
    });
    return { items: two, marks: moved };
  });
}

/** Draws a Blu-ray. */
export function drawBluray(draw: Draw, seed: number): BlurayPlan {
  const picture = draw.oneOf(PICTURES);
  draw.kinds.add(`picture: ${picture.codec} ${picture.widthPixels}×${picture.heightPixels} at ${picture.rate.join('/')}`);
  const languages = draw.shuffled(LANGUAGES);
  const streams: Streams = {
    sounds: list(draw.between(0, 3), (i) => {
      const codec = draw.kind('sound', CODECS);
      return { codec, channels: codec === 'AC-3' && draw.chance(0.3) ? 6 : 2, language: languages[i] as string };
    }),
    graphics: list(draw.between(0, 2), (i) => ({ language: languages[6 + i] as string })),
  };
  const joined = new Set<number>();
  const clips: ClipPlan[] = [];
  for (let c = draw.between(1, 4); c > 0; c--) {
    const before = clips.at(-1) ?? null;
    const seamless = before !== null && draw.chance(0.4, 'items: joined without a break');
    if (seamless) joined.add(clips.length);
    clips.push(drawClip(draw, picture, streams, seamless ? before : null));
  }
  // Two clips of the same streams may stand in one file, each with its clock; sometimes at the very same times.
  const last = clips.length - 1;
  const before = clips[last - 1];
  const own = clips[last];
  if (before && own && !joined.has(last) && samePids(before, own) && draw.chance(0.3, 'clip: two clocks in one file'))
    clips[last] = {
      ...own,
      after: last - 1,
      ...(draw.chance(0.5, 'clip: two clocks with equal times') ? { first90k: before.first90k } : {}),
    };
  const drawn = list(draw.between(1, 3), (i) => drawPlaylist(draw, clips, joined, i === 0));
  const playlists = divide(draw, clips, drawn);
  const titles = draw.shuffled(playlists.map((_, i) => i));
  return { label: `STRANGER_${seed}`, clips, playlists, titles, plays: draw.between(1, titles.length) };
}
