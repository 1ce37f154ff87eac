import type { AudioTrack, Reading, SubtitleTrack, Title } from '../reading';
import type { Piece, Reel, TakenTrack } from './model';
import { pieceChapters, pieceMs, pieceSpan } from './pieces';

/** Composing reels out of pieces: merging, dividing, and what tracks become of it. */

const titleOf = (reading: Reading, number: number): Title | undefined => reading.titles.find((t) => t.number === number);

/** Two audio streams can stand in one track of the container only where a decoder can go on from one to the other. */
const sameSound = (a: AudioTrack, b: AudioTrack) =>
  a.codec === b.codec &&
  a.channels === b.channels &&
  a.sampleRateHz === b.sampleRateHz &&
  (a.codec !== 'LPCM' || a.bitDepth === b.bitDepth);

/** The track of another title that goes on what this one begins: the same language and purpose, the same stream where there is a choice. */
export function alignedAudio(track: AudioTrack, other: Title): AudioTrack | null {
  const alike = other.audio.filter((t) => t.language === track.language && t.purpose === track.purpose && sameSound(track, t));
  return alike.find((t) => t.stream === track.stream) ?? alike[0] ?? null;
}
export function alignedSubtitle(track: SubtitleTrack, other: Title): SubtitleTrack | null {
  // Text stands in a clip of its own, laid beside its title: the other title's clip is another one.
  if (track.codec === 'text') return null;
  const alike = other.subtitles.filter((t) => t.language === track.language && t.purpose === track.purpose && t.codec === track.codec);
  return alike.find((t) => t.stream === track.stream) ?? alike[0] ?? null;
}

/** Streams that a reel's tracks are read from in one of its titles; null where that title has none that goes on. */
export interface TrackSources {
  readonly audio: readonly (AudioTrack | null)[];
  readonly subtitles: readonly (SubtitleTrack | null)[];
}

/** Finds for every taken track of a reel the stream of a title that it is read from. The first piece's title names the tracks. */
export function trackSources(first: Title, other: Title, reel: Pick<Reel, 'audio' | 'subtitles'>): TrackSources {
  const audio = (taken: TakenTrack) => {
    const own = first.audio.find((t) => t.stream === taken.stream);
    return own ? (first === other ? own : alignedAudio(own, other)) : null;
  };
  const subtitle = (taken: TakenTrack) => {
    const own = first.subtitles.find((t) => t.stream === taken.stream);
    if (!own || first === other) return own ?? null;
    // The container holds one palette a track: pictures drawn for another one would come out in wrong colours.
    const aligned = alignedSubtitle(own, other);
    const inColours = (track: SubtitleTrack, title: Title) => (track.palette ?? title.palette).join();
    return aligned && (own.codec !== 'VobSub' || inColours(own, first) === inColours(aligned, other)) ? aligned : null;
  };
  return { audio: reel.audio.map(audio), subtitles: reel.subtitles.map(subtitle) };
}

/** A track that is not there during one of the pieces. */
export interface Absence {
  readonly kind: 'audio' | 'subtitles';
  /** Place in the reel's list. */
  readonly track: number;
  readonly piece: number;
  /** Where in the output the gap is. */
  readonly fromMs: number;
  readonly toMs: number;
}

/** What will be missing where, in a reel of pieces from titles with different tracks. */
export function absencesOf(reading: Reading, reel: Reel): Absence[] {
  const first = titleOf(reading, reel.pieces[0]?.title ?? 0);
  const found: Absence[] = [];
  let at = 0;
  reel.pieces.forEach((piece, index) => {
    const title = titleOf(reading, piece.title);
    if (!first || !title) return;
    const toMs = at + pieceMs(title, piece);
    const sources = trackSources(first, title, reel);
    for (const kind of ['audio', 'subtitles'] as const)
      sources[kind].forEach((source, track) => {
        if (!source) found.push({ kind, track, piece: index, fromMs: at, toMs });
      });
    at = toMs;
  });
  return found;
}

/** Puts the pieces of one reel behind those of another. The tracks are the first one's; the other eye's title goes with one piece only. */
export const mergeReels = (into: Reel, added: Reel): Reel => ({
  ...into,
  ...(into.otherEye ? { otherEye: null } : {}),
  pieces: [...into.pieces, ...added.pieces],
  chapterNames: joinedNames(into, added),
  chapters: null,
});

function joinedNames(into: Reel, added: Reel): readonly string[] {
  // Names belong to places: without the number of chapters before them they would slip.
  return added.chapterNames.every((n) => n === '') ? into.chapterNames : [...into.chapterNames, ...added.chapterNames];
}

/** Moves a piece inside its reel. */
export function movePiece(reel: Reel, from: number, to: number): Reel {
  const pieces = [...reel.pieces];
  const [piece] = pieces.splice(from, 1);
  if (!piece) return reel;
  pieces.splice(Math.max(0, Math.min(pieces.length, to)), 0, piece);
  return { ...reel, pieces, chapters: null };
}

export const removePiece = (reel: Reel, at: number): Reel =>
  reel.pieces.length < 2 ? reel : { ...reel, pieces: reel.pieces.filter((_, i) => i !== at), chapters: null };

/** Places in a piece at which it can be divided: chapters that begin inside it. */
export const dividingChapters = (title: Title, piece: Piece): number[] =>
  pieceChapters(title, piece)
    .slice(1)
    .map((c) => c.number);

/**
 * Divides a reel of one piece before the given chapters: a reel each, in order.
 * @param before chapter numbers with which new reels begin.
 */
export function divideByChapters(title: Title, reel: Reel, before: readonly number[]): Reel[] {
  const [piece] = reel.pieces;
  if (!piece || reel.pieces.length > 1) return [reel];
  const inside = pieceChapters(title, piece).map((c) => c.number);
  const [first, last] = [inside[0] ?? 1, inside.at(-1) ?? 1];
  const starts = [first, ...[...new Set(before)].filter((n) => n > first && n <= last).sort((a, b) => a - b)];
  return starts.map((fromChapter, i) => {
    const toChapter = (starts[i + 1] ?? last + 1) - 1;
    return {
      ...reel,
      name: `${reel.name} - part ${i + 1}`,
      pieces: [{ ...piece, fromChapter, toChapter, range: null }],
      chapterNames: reel.chapterNames.slice(fromChapter - first, toChapter - first + 1),
      chapters: null,
      fileName: '',
    };
  });
}

/** Divides a reel of one piece at moments of its title's playing time. */
export function divideAt(title: Title, reel: Reel, momentsMs: readonly number[]): Reel[] {
  const [piece] = reel.pieces;
  if (!piece || reel.pieces.length > 1) return [reel];
  const { fromMs, toMs } = pieceSpan(title, piece);
  const starts = [fromMs, ...[...new Set(momentsMs)].filter((ms) => ms > fromMs && ms < toMs).sort((a, b) => a - b)];
  if (starts.length === 1) return [reel];
  return starts.map((from, i) => ({
    ...reel,
    name: `${reel.name} - part ${i + 1}`,
    pieces: [{ ...piece, fromChapter: 1, toChapter: title.chapters.length, range: { fromMs: from, toMs: starts[i + 1] ?? toMs } }],
    chapterNames: [],
    chapters: null,
    fileName: '',
  }));
}

/**
 * Divides a reel of one piece before chapters and at moments of its title's playing time. By chapters alone the parts stay
 * whole chapters; with moments among the marks they become ranges.
 */
export function divideAtMarks(title: Title, reel: Reel, before: readonly number[], momentsMs: readonly number[]): Reel[] {
  if (momentsMs.length === 0) return divideByChapters(title, reel, before);
  const starts = title.chapters.filter((c) => before.includes(c.number)).map((c) => c.startMs);
  return divideAt(title, reel, [...starts, ...momentsMs]);
}

/** A reel for each angle of its title: all angles are kept, and each can be seen on its own. */
export function divideByAngles(title: Title, reel: Reel): Reel[] {
  const [piece] = reel.pieces;
  if (!piece || reel.pieces.length > 1 || title.angles < 2) return [reel];
  return Array.from({ length: title.angles }, (_, i) => ({
    ...reel,
    name: `${reel.name} - angle ${i + 1}`,
    pieces: [{ ...piece, angle: i + 1 }],
    fileName: '',
  }));
}

/** A moment as frames from the beginning of the title, and back: people who cut count frames. */
export const frameAt = (title: Title, ms: number): number => Math.round((ms * 27_000) / title.video.frameTicks);
export const msOfFrame = (title: Title, frame: number): number => (frame * title.video.frameTicks) / 27_000;

/** Takes the choice of tracks of one reel over to another: by language, purpose and kind, since streams have other numbers there. */
export function withTracksLike(reading: Reading, target: Reel, model: Reel): Reel {
  const [from, to] = [titleOf(reading, model.pieces[0]?.title ?? 0), titleOf(reading, target.pieces[0]?.title ?? 0)];
  if (!from || !to) return target;
  const audio = model.audio.flatMap((taken): TakenTrack[] => {
    const own = from.audio.find((t) => t.stream === taken.stream);
    const other = own && (alignedAudio(own, to) ?? to.audio.find((t) => t.language === own.language && t.purpose === own.purpose));
    return other ? [{ ...taken, stream: other.stream }] : [];
  });
  const subtitles = model.subtitles.flatMap((taken): TakenTrack[] => {
    const own = from.subtitles.find((t) => t.stream === taken.stream);
    const other = own && alignedSubtitle(own, to);
    return other ? [{ ...taken, stream: other.stream }] : [];
  });
  const unique = (list: readonly TakenTrack[]) =>
    list.filter((t, i) => list.findIndex((o) => o.stream === t.stream && Boolean(o.forcedOnly) === Boolean(t.forcedOnly)) === i);
  return {
    ...target,
    audio: audio.length > 0 ? unique(audio) : target.audio,
    subtitles: unique(subtitles),
    recipes: model.recipes,
    subtitleFiles: model.subtitleFiles,
  };
}
