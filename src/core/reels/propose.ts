import type { AudioTrack, SubtitleTrack, Title } from '../reading';
import type { DamageChoice, Reel, TakenTrack } from './model';

const COMMENTARY = new Set<string | null>(['commentary', 'alternative commentary', 'large commentary', "children's commentary"]);
const CAPTIONS = new Set<string | null>(['captions', 'large captions', "children's captions"]);

/** What a wide picture's subtitles are called that are drawn for another display. */
const DISPLAYS: Readonly<Partial<Record<SubtitleTrack['drawnFor'], string>>> = { letterbox: 'Letterbox', 'pan and scan': 'Pan and scan' };

/** Sound that no table names, where there is other. */
export const isSpare = (track: AudioTrack, audio: readonly AudioTrack[]): boolean =>
  track.unclaimed === true && audio.some((other) => !other.unclaimed);

/** Sound that is there to be taken: what no table names is only where there is no other. */
const audioToTake = ({ audio }: Pick<Title, 'audio'>): readonly AudioTrack[] => {
  const known = audio.filter((t) => t.codec !== 'unknown');
  return known.filter((track) => !isSpare(track, known));
};

/** The track as the reel takes it, with the flags that the disc's tables speak of. */
export function takeAudio(track: AudioTrack, isDefault: boolean): TakenTrack {
  return {
    stream: track.stream,
    language: track.language,
    name: COMMENTARY.has(track.purpose)
      ? 'Commentary'
      : track.purpose === 'visually impaired'
        ? 'Audio description'
        : track.unclaimed
          ? 'Not in the tables'
          : '',
    isDefault,
    isForced: false,
    isCommentary: COMMENTARY.has(track.purpose),
    isHearingImpaired: false,
    isVisuallyImpaired: track.purpose === 'visually impaired',
    isOriginal: false,
  };
}

export function takeSubtitle(track: SubtitleTrack): TakenTrack {
  return {
    stream: track.stream,
    language: track.language,
    name: [COMMENTARY.has(track.purpose) ? 'Commentary' : CAPTIONS.has(track.purpose) ? 'Captions' : '', DISPLAYS[track.drawnFor] ?? '']
      .filter(Boolean)
      .join(', '),
    isDefault: false,
    isForced: track.purpose === 'forced',
    isCommentary: COMMENTARY.has(track.purpose),
    isHearingImpaired: CAPTIONS.has(track.purpose),
    isVisuallyImpaired: false,
    isOriginal: false,
  };
}

/** The longest run of chapters that can be had whole: all of them, unless the disc is damaged. */
function wholeChapters(title: Title): { fromChapter: number; toChapter: number } {
  let best = { fromChapter: 1, toChapter: title.chapters.length, ms: -1 };
  let run = { fromChapter: 1, toChapter: 0, ms: 0 };
  for (const { number, durationMs, damaged } of title.chapters) {
    run = damaged ? { fromChapter: number + 1, toChapter: number, ms: 0 } : { ...run, toChapter: number, ms: run.ms + durationMs };
    if (!damaged && run.ms > best.ms) best = run;
  }
  return { fromChapter: best.fromChapter, toChapter: best.toChapter };
}

/** A reel that takes a title whole, as far as the disc has it: all its tracks, since what is not taken may be lost. */
/** @param damage `around` takes all chapters with what there is of them; else the longest run that can be had whole. */
export function wholeTitleReel(title: Title, name: string, damage: DamageChoice = 'refuse'): Reel {
  const all = { fromChapter: 1, toChapter: title.chapters.length };
  return {
    name,
    pieces: [{ title: title.number, angle: 1, ...(damage === 'around' ? all : wholeChapters(title)) }],
    audio: audioToTake(title).map((track, i) => takeAudio(track, i === 0)),
    subtitles: title.subtitles.map(takeSubtitle),
    chapterNames: [],
    ...(damage === 'around' ? { damage } : {}),
    recipes: ['master'],
  };
}

/** A reel with a track of its title more or less; those that are in it stand in the disc's own order. The first sound is the default. */
export function withTrack(reel: Reel, title: Title, kind: 'audio' | 'subtitles', stream: number, on: boolean): Reel {
  const keep = new Set([...reel[kind].map((t) => t.stream).filter((s) => s !== stream), ...(on ? [stream] : [])]);
  if (kind === 'audio') {
    const taken = title.audio
      .filter((t) => keep.has(t.stream))
      .map((t) => reel.audio.find((a) => a.stream === t.stream) ?? takeAudio(t, false));
    return { ...reel, audio: taken.map((t, i) => ({ ...t, isDefault: i === 0 })) };
  }
  return {
    ...reel,
    subtitles: title.subtitles
      .filter((t) => keep.has(t.stream))
      .map((t) => reel.subtitles.find((s) => s.stream === t.stream) ?? takeSubtitle(t)),
  };
}
