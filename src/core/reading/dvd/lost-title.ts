import { DiscError } from '../../bytes';
import type { DvdTitleEntry } from '../../dvd';
import { VIDEO_STREAM } from '../../streams';
import type { Volume } from '../../volume';
import type { Title } from '../model';
import { openTitleSetContent } from './title-set-files';

/** What a second of an average DVD takes: only tells long from short where nothing else does. */
const USUAL_BYTES_PER_MS = 600;

/**
 * A title of which only the list of titles and the menus still know: its tables are gone, its backup too. It is listed, since the
 * best of what is left is not the disc's main title.
 * @param contents bytes of contents by title set, looked up once; the first title of a set is taken to have all of it.
 */
export async function lostTitle(volume: Volume, folder: string, entry: DvdTitleEntry, contents: Map<number, number>): Promise<Title> {
  let sizeBytes = 0;
  if (!contents.has(entry.titleSet)) {
    const content = await openTitleSetContent(volume, folder, entry.titleSet).catch((error: unknown) => {
      if (error instanceof DiscError && error.code !== 'cancelled') return null;
      throw error;
    });
    sizeBytes = content?.source.sizeBytes ?? 0;
    contents.set(entry.titleSet, sizeBytes);
  }
  return {
    number: entry.number,
    titleSet: entry.titleSet,
    titleInSet: entry.titleInSet,
    playlist: null,
    over: null,
    levels: null,
    measured: null,
    sample: null,
    state: 'unreadable',
    durationMs: Math.round(sizeBytes / USUAL_BYTES_PER_MS),
    sizeBytes,
    angles: entry.angles,
    chapters: [],
    parts: [],
    video: {
      stream: VIDEO_STREAM,
      codec: 'MPEG-2',
      standard: null,
      widthPixels: 720,
      heightPixels: 576,
      displayAspect: [4, 3],
      frameRate: '25/1',
      frameTicks: 1_080_000,
      interlaced: null,
      profile: null,
      bitDepth: 8,
      closedCaptions: false,
      dynamicRange: 'standard',
      secondView: null,
      from: 'tables',
    },
    audio: [],
    subtitles: [],
    palette: [],
  };
}
