import type { Reel } from './model';

/** A subtitle track that is also written as a file of its own beside the result. */
export interface BesideFile {
  /** Place among the reel's own subtitle tracks, or among those from files; the other is null. */
  readonly subtitle: number | null;
  readonly added: number | null;
  /** What follows the result's name, language first: ".de.forced.mks". No two of a reel are the same. */
  readonly ending: string;
}

/** Bitmaps and the disc's own texts stand in Matroska; text from a file keeps the format of that file. */
const TEXT_ENDING = { SubRip: 'srt', WebVTT: 'vtt', ASS: 'ass' } as const;
const tagOf = (language: string | null) => (language !== null && /^[A-Za-z0-9-]{2,35}$/.test(language) ? language : 'und');

/** Files that a reel's subtitles become beside it, in the order of its tracks; none where they are not wanted. */
export function besideFiles(reel: Reel): BesideFile[] {
  if (!reel.subtitleFiles) return [];
  const wanted = [
    ...reel.subtitles.map((t, i) => ({
      subtitle: i,
      added: null,
      words: [tagOf(t.language), ...(t.isForced ? ['forced'] : []), ...(t.isHearingImpaired ? ['captions'] : [])],
      format: 'mks',
    })),
    ...(reel.added ?? []).map((t, i) => ({
      subtitle: null,
      added: i,
      words: [tagOf(t.language), ...(t.isForced ? ['forced'] : [])],
      format: TEXT_ENDING[t.format],
    })),
  ];
  const times = new Map<string, number>();
  return wanted.map(({ subtitle, added, words, format }) => {
    const stem = words.join('.');
    const key = `${stem}.${format}`;
    const nth = (times.get(key) ?? 0) + 1;
    times.set(key, nth);
    return { subtitle, added, ending: `.${stem}${nth > 1 ? `.${nth}` : ''}.${format}` };
  });
}
