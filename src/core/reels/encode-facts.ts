import type { Reading, Title } from '../reading';
import type { EncodeFacts } from '../recipes/recipe';
import { firstIsRight } from './first-eye';
import { losslessLeft } from './lossless';
import type { Reel } from './model';
import { reelMs } from './pieces';

/** Subtitles of foreign dialogue that were seen when all of the title was read, where the reel takes no track that has any. */
function forcedLeft(title: Title, reel: Reel): number {
  const forced = (stream: number) => title.measured?.subtitles.find((s) => s.stream === stream)?.forcedAtMs.length ?? 0;
  const isTaken = reel.subtitles.some((t) => t.isForced || forced(t.stream) > 0) || (reel.added ?? []).some((a) => a.isForced);
  return isTaken ? 0 : Math.max(0, ...title.subtitles.map((t) => forced(t.stream)));
}

/** The two views that there are: of the title itself, or with another title's picture for the other eye. */
function viewsOf(
  { video, measured }: Title,
  reel: Reel,
): Pick<EncodeFacts['video'], 'twoViews' | 'baseIsRight' | 'viewsApart' | 'viewsRefused'> {
  if (!video.secondView && reel.otherEye) return { twoViews: true, baseIsRight: reel.otherEye.eye === 'left', viewsApart: true };
  const viewsRefused = measured?.picture?.eyes?.refused ?? null;
  return { twoViews: video.secondView !== null, baseIsRight: firstIsRight(video, reel), viewsRefused };
}

/**
 * What recipes need to know of a reel, from the reading; null where the reel's title is not there.
 * @param flaggedInterlaced what the stream's own flags said when it was read; else the disc's tables are believed.
 */
export function encodeFacts(reading: Reading, reel: Reel, flaggedInterlaced: boolean | null = null): EncodeFacts | null {
  const title = reading.titles.find((t) => t.number === reel.pieces[0]?.title);
  if (!title) return null;
  const { video } = title;
  const picture = title.measured?.picture ?? null;
  const told = picture ? picture.combed + picture.whole : 0;
  const names = new Map(title.audio.map((t) => [t.stream, t]));
  return {
    video: { ...video, ...viewsOf(title, reel) },
    flaggedInterlaced: flaggedInterlaced ?? video.interlaced,
    measured: picture && { scan: picture.scan, combed: told > 0 ? picture.combed / told : 0, bars: picture.bars },
    barsByHand: reel.bars ?? null,
    packed: reel.packed ?? null,
    subtitleDepth: reel.subtitleDepth ?? 0,
    audio: [
      ...reel.audio.map(({ stream, name }) => {
        const track = names.get(stream);
        const kbps = track?.bitRate ? track.bitRate / 1000 : null;
        const twin = track ? losslessLeft(title, reel, track) : null;
        return { codec: track?.codec ?? ('unknown' as const), channels: track?.channels ?? 2, name, kbps, losslessLeft: twin };
      }),
      ...(reel.addedAudio ?? []).map(({ codec, channels, name }) => ({ codec, channels, name })),
    ],
    subtitles: [
      ...reel.subtitles.map(({ stream, isForced, forcedOnly }) => ({
        codec: title.subtitles.find((t) => t.stream === stream)?.codec ?? ('PGS' as const),
        forced: isForced || forcedOnly === true,
      })),
      ...(reel.added ?? []).map(({ format, isForced }) => ({ codec: format, forced: isForced })),
    ],
    forcedLeft: forcedLeft(title, reel),
    cover: (reel.tags?.cover ?? null) !== null,
    chapters: (reel.chapters ?? reel.chapterNames).length,
    durationMs: reelMs(reading.titles, reel.pieces),
  };
}
