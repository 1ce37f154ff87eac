import { Draw } from '../draw';
import { GROUP, type Look, type SoundCodec } from '../streams';
import {
  frame90k,
  type ChainPlan,
  type DisplayStreams,
  type DvdPlan,
  type SetPlan,
  type SoundPlan,
  type TitlePlan,
  type VobPlan,
} from './plan';
import { leastFirst90k } from './vob';

const LANGUAGES = ['en', 'de', 'fr', 'es', 'it', 'nl', 'pt', 'sv', 'da', 'fi', 'no', 'pl'] as const;
const CODECS: readonly SoundCodec[] = ['AC-3', 'AC-3', 'MPEG audio', 'DTS', 'LPCM'];
/** Sizes of the standard that a stranger's streams have. */
const LOOKS: readonly Look[] = [
  { standard: 'PAL', widthPixels: 352, heightPixels: 288, aspect: '4:3' },
  { standard: 'PAL', widthPixels: 352, heightPixels: 576, aspect: '4:3' },
  { standard: 'NTSC', widthPixels: 352, heightPixels: 240, aspect: '4:3' },
  { standard: 'PAL', widthPixels: 720, heightPixels: 576, aspect: '16:9' },
  { standard: 'NTSC', widthPixels: 720, heightPixels: 480, aspect: '16:9' },
];
const CLOCK = 2 ** 33;
const HABITS = 7_000_000;

const list = <T>(count: number, one: (i: number) => T): T[] => Array.from({ length: count }, (_, i) => one(i));

function drawSounds(draw: Draw, codecs: readonly { readonly codec: SoundCodec; readonly channels: number }[]): SoundPlan[] {
  const usual = draw.chance(0.5);
  return codecs.map(({ codec, channels }, physical) => ({
    codec,
    channels,
    physical,
    seed: 1 + physical,
    fromFrame: draw.between(0, 900),
    delay90k: usual
      ? 0
      : draw.kind('sound begins', ['before', 'with', 'after']) === 'before'
        ? -draw.between(1, 8000)
        : draw.between(0, 6000),
    tail90k: usual ? 0 : draw.between(-4000, 7000),
  }));
}

function drawVob(draw: Draw, look: Look, codecs: Parameters<typeof drawSounds>[1], drawn: readonly number[]): VobPlan {
  const cells = list(draw.between(1, 4), () => ({ groups: draw.between(1, 5) }));
  const length = cells.reduce((sum, c) => sum + c.groups, 0) * GROUP * frame90k(look);
  const soundLag90k = draw.oneOf([0, 9000, 27000]);
  const least = leastFirst90k({ soundLag90k });
  const nearWrap = draw.chance(0.06, 'clock: wraps');
  return {
    cells,
    fromGroup: draw.between(0, 58),
    first90k: nearWrap ? CLOCK - draw.between(1000, 100_000) : least + draw.between(0, 60_000),
    sounds: drawSounds(draw, codecs),
    drawings: drawn.map((physical) => ({
      physical,
      events: list(draw.between(0, 3), (i) => ({
        after90k: Math.floor(((i + draw.between(1, 8) / 10) * length) / 4),
        units: draw.between(10, 25),
        width: 16 + 2 * draw.between(0, 40),
        height: 8 + 2 * draw.between(0, 12),
      })),
    })),
    stampsAll: draw.chance(0.5, 'stamps: of every picture'),
    soundLag90k,
  };
}

const palette = (draw: Draw): number[] => list(16, () => draw.between(0, 0xffffff));

/** Streams of a logical subtitle: on a wide picture one for each display, or the same for several. */
function displays(draw: Draw, wide: boolean, from: number): DisplayStreams {
  if (!wide) return { full: from, wide: 0, letterbox: 0, panScan: 0 };
  const apart = draw.chance(0.5, 'subtitles: drawn for letterbox');
  const third = apart && draw.chance(0.5, 'subtitles: drawn for pan and scan');
  return { full: 0, wide: from, letterbox: apart ? from + 1 : from, panScan: third ? from + 2 : apart ? from + 1 : from };
}

function drawSet(draw: Draw): SetPlan {
  const look = draw.oneOf(LOOKS);
  draw.kinds.add(`picture: ${look.standard} ${look.widthPixels}×${look.heightPixels}`);
  const soundCount = draw.between(0, 3);
  const codecs = list(soundCount, () => {
    const codec = draw.kind('sound', CODECS);
    return { codec, channels: codec === 'AC-3' && draw.chance(0.3) ? 6 : 2 };
  });
  const languages = draw.shuffled(LANGUAGES);
  const audio = codecs.map((c, i) => ({ ...c, language: languages[i] as string }));
  const wide = look.aspect === '16:9';
  const subtitleCount = draw.between(0, 2);
  const streams = list(subtitleCount, (i) => displays(draw, wide, i * 3));
  const drawn = [...new Set(streams.flatMap((s) => (wide ? [s.wide, s.letterbox, s.panScan] : [s.full])))];
  const subtitles = streams.map((_, i) => ({ language: languages[4 + i] as string }));
  // A stream of sound that no table names.
  const stray = draw.chance(0.1, 'sound: in no table') ? [{ codec: draw.oneOf(CODECS), channels: 2 }] : [];
  const vobs = list(draw.between(1, 4), () => drawVob(draw, look, [...codecs, ...stray], drawn));
  const every = vobs.flatMap((vob, v) => vob.cells.map((_, c) => ({ vob: v, cell: c })));
  const colours = palette(draw);
  const chains: ChainPlan[] = [];
  const titles = list(draw.between(1, 3), (t): TitlePlan => {
    const count = draw.oneOf([1, 1, 2, 2, 3]);
    if (count > 1) draw.kinds.add('title: of several chains');
    const first = chains.length;
    const joinedBy = draw.kind('chains joined by', ['chapters and next', 'next', 'command'] as const);
    const own = list(count, (i) => {
      const cells = drawCells(draw, every, vobs, t === 0 && count === 1);
      const programs = list(cells.length, (c) => c).filter((c) => c === 0 || draw.chance(0.6));
      const cleared = count > 1 && i === 0 && draw.chance(0.3, 'chain: a card with fewer tracks');
      const moved = count > 1 && i > 0 && codecs.length > 1 && draw.chance(0.3, 'chain: tracks stand on other streams');
      const sameCodec = (a: number, b: number) => codecs[a]?.codec === codecs[b]?.codec && codecs[a]?.channels === codecs[b]?.channels;
      const map = list(codecs.length, (l): number | null => l);
      if (moved && sameCodec(0, 1)) [map[0], map[1]] = [1, 0];
      const goesOn = i + 1 < count;
      return {
        cells,
        programs,
        audio: cleared ? map.map((p, l) => (l === 0 ? p : null)) : map,
        subtitles: cleared ? streams.map(() => null) : streams,
        palette: i > 0 && draw.chance(0.2, 'chain: another palette') ? palette(draw) : colours,
        next: goesOn && joinedBy !== 'command' ? first + i + 1 : null,
        post: goesOn && joinedBy === 'command' ? first + i + 1 : null,
        times: draw.chance(0.05, 'times: zero')
          ? ('zero' as const)
          : draw.chance(0.05, 'times: absurd')
            ? ('absurd' as const)
            : ('true' as const),
      };
    });
    chains.push(...own);
    const named = joinedBy === 'chapters and next' ? own : own.slice(0, draw.between(1, count));
    if (named.length < own.length) draw.kinds.add('title: goes on behind its last chapter');
    return {
      chapters: named.flatMap((chain, i) => chain.programs.map((_, p) => ({ chain: first + i, program: p }))),
      chains: own.map((_, i) => first + i),
    };
  });
  return { look, audio, subtitles, vobs, chains, titles };
}

/** Cells of a chain: all in order, a run that begins inside a VOB, or whichever, in any order. */
function drawCells(
  draw: Draw,
  every: readonly { vob: number; cell: number }[],
  vobs: readonly VobPlan[],
  all: boolean,
): ChainPlan['cells'] {
  const which = all ? 'all in order' : draw.kind('cells', ['all in order', 'a run', 'a whole VOB', 'any']);
  const from = draw.between(0, every.length - 1);
  const vob = draw.between(0, vobs.length - 1);
  const picked =
    which === 'all in order'
      ? every
      : which === 'a run'
        ? every.slice(from, from + draw.between(1, 5))
        : which === 'a whole VOB'
          ? every.filter((c) => c.vob === vob)
          : draw.shuffled(every).slice(0, draw.between(1, 4));
  const stills = draw.chance(0.08, 'cells: stills');
  return picked.map((cell, i) => ({
    ...cell,
    seamless: i > 0 && draw.chance(0.3),
    ...(stills && draw.chance(0.5) ? { still: draw.oneOf([1, 4, 20, 255]) } : {}),
  }));
}

/** What authors round, or leave as it is: it costs nothing. By a draw of its own, so that all else of a seed stays. */
function withHabits(draw: Draw, set: SetPlan): SetPlan {
  const vobs = set.vobs.map((vob): VobPlan => {
    const units = vob.cells.reduce((sum, { groups }) => sum + groups, 0);
    const from = draw.between(1, Math.max(1, units - 1));
    const late = draw.chance(0.1, 'navigation: a field late') ? ([from, draw.between(from, units)] as const) : null;
    const sameClock = draw.chance(0.1, 'clock: that of the navigation pack');
    return { ...vob, ...(late ? { fieldLate: late } : {}), ...(sameClock ? { sameClock } : {}) };
  });
  return { ...set, vobs };
}

/** Draws a DVD. */
export function drawDvd(draw: Draw, seed: number): DvdPlan {
  const habits = new Draw(seed + HABITS);
  const sets = list(draw.oneOf([1, 1, 2]), () => withHabits(habits, drawSet(draw)));
  for (const kind of habits.kinds) draw.kinds.add(kind);
  const titles = draw.shuffled(sets.flatMap((set, s) => set.titles.map((_, title) => ({ set: s, title }))));
  return { label: `STRANGER_${seed}`, sets, titles, plays: draw.between(1, titles.length) };
}
