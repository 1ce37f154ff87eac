import {
  SOURCE_PACKET_BYTES,
  SUB_PATH,
  type PlayItem,
  type Playlist,
  type PlaylistStream,
  type SubPath,
  type SubPlayItem,
} from '../../bluray';
import { note, stateOf, type Material, type NumberedPlaylist } from './material';
import { blurayAudio, blurayVideo } from './tracks';
import { segmentsBetween } from './clip-segments';
import type { ClipSegment, Title, TitlePart } from '../model';
import type { ApartRun, AudioTrack } from '../tracks';
import type { AlignedStreams } from './stream-tables';

/**
 * What a playlist lays beside its title: sound in clips of its own, and second pictures, in clips of their own or in the title's.
 * Sound in step with the title is a track of it. A second picture is a title of its own, since a file shows one picture at a time.
 * Spec: BD-ROM part 3, SubPath and STN_table.
 */

const PICTURE_PATHS: readonly number[] = [SUB_PATH.apart, SUB_PATH.secondPictureFree, SUB_PATH.secondPictureInside];

/** Clips that sub-paths of a playlist play. */
export const besideClips = (playlist: Playlist): string[] =>
  playlist.subPaths.filter((s) => s.type === SUB_PATH.text || PICTURE_PATHS.includes(s.type)).flatMap((s) => s.items.map((i) => i.clip));

const itemsOf = (playlist: Playlist, { subPath }: PlaylistStream): readonly SubPlayItem[] =>
  (subPath === null ? undefined : playlist.subPaths[subPath])?.items ?? [];
const typeOf = (playlist: Playlist, { subPath }: PlaylistStream): SubPath['type'] | null =>
  subPath === null ? null : (playlist.subPaths[subPath]?.type ?? null);

/** Second pictures of the longest item's table, each once. */
function pictures(playlist: Playlist): readonly PlaylistStream[] {
  const main = longestItem(playlist);
  return main.streams.secondaryVideo.filter((s) => itemsOf(playlist, s).length > 0);
}

/** The item whose table gives a title's streams their order. */
export const longestItem = (playlist: Playlist): PlayItem =>
  [...playlist.items].sort((a, b) => b.out45k - b.in45k - (a.out45k - a.in45k))[0] as PlayItem;

/** Stretches of clips of their own that second pictures are shown from. */
export const picturesBeside = (playlist: Playlist): SubPlayItem[] =>
  pictures(playlist).flatMap((s) => (s.inMux ? [] : itemsOf(playlist, s)));

/** Where a sub-path's clips are heard in the title. */
function runsOf(playlist: Playlist, stream: PlaylistStream, itemStarts: readonly number[]): ApartRun[] {
  return itemsOf(playlist, stream).flatMap((item) => {
    const shown = playlist.items[item.playItem];
    if (!shown || item.out45k <= item.in45k) return [];
    const atMs = (itemStarts[item.playItem] ?? 0) + (item.syncStart45k - shown.in45k) / 45;
    return [{ clip: item.clip, pid: stream.pid, in90k: item.in45k * 2, out90k: item.out45k * 2, atMs }];
  });
}

/** Sound in step with the title that stands in clips of its own. */
export async function soundBeside(
  playlist: Playlist,
  streams: AlignedStreams,
  itemStarts: readonly number[],
  { clips, looks }: Material,
): Promise<AudioTrack[]> {
  const found: AudioTrack[] = [];
  for (const [stream, secondary] of [
    ...streams.audio.map((s) => [s, false] as const),
    ...streams.secondaryAudio.map((s) => [s, true] as const),
  ]) {
    if (stream.inMux || typeOf(playlist, stream) !== SUB_PATH.apart) continue;
    const runs = runsOf(playlist, stream, itemStarts);
    const first = runs.find((run) => (clips.get(run.clip)?.sizeBytes ?? 0) > 0);
    if (!first) continue;
    const probe = await looks.headers(first.clip, clips.get(first.clip)?.info ?? null);
    found.push(...blurayAudio(stream, probe, secondary, runs));
  }
  return found;
}

/** Segments of a second picture: a stretch of a clip after the other. */
function partsOf(playlist: Playlist, stream: PlaylistStream, { clips, segments, cuts }: Material) {
  const parts: TitlePart[] = [];
  const used: ClipSegment[] = [];
  for (const item of itemsOf(playlist, stream)) {
    const clip = clips.get(item.clip);
    if (!clip || item.out45k <= item.in45k) continue;
    for (const [n, fresh] of segmentsBetween(clip, item.in45k * 2, item.out45k * 2, cuts).entries()) {
      const segment = segments.get(fresh.id) ?? fresh;
      segments.set(segment.id, segment);
      used.push(segment);
      parts.push({ segment: segment.id, angle: null, companion: null, seamless: n > 0, moved: null });
    }
  }
  return { parts, used };
}

/**
 * Second pictures of all playlists, as titles of their own behind the others. The same one, named by several playlists, is one.
 * @param titles the playlists in the order of their titles, which are numbered from 1. @param most titles there may be in all.
 */
export async function secondPictures(titles: readonly NumberedPlaylist[], material: Material, most: number): Promise<Title[]> {
  const { clips, looks, remarks } = material;
  const found: Title[] = [];
  const known = new Set<string>();
  for (const [i, { number: playlistNumber, playlist }] of titles.entries()) {
    const before = found.length;
    for (const stream of pictures(playlist)) {
      const { parts, used } = partsOf(playlist, stream, material);
      const key = JSON.stringify([stream.pid, parts.map((p) => p.segment)]);
      const [first] = used;
      if (!first || known.has(key) || titles.length + found.length >= most) continue;
      known.add(key);
      const number = titles.length + found.length + 1;
      const probe = await looks.headers(first.content, clips.get(first.content)?.info ?? null);
      const durationMs = Math.round(used.reduce((sum, s) => sum + (s.out90k - s.in90k) / 90, 0));
      const sound = longestItem(playlist).streams.secondaryAudio.filter((s) =>
        stream.inMux ? s.inMux : !s.inMux && s.subPath === stream.subPath,
      );
      found.push({
        number,
        titleSet: null,
        titleInSet: null,
        playlist: playlistNumber,
        over: i + 1,
        levels: null,
        measured: null,
        sample: null,
        state: await stateOf(number, used, first, material),
        durationMs,
        sizeBytes: used.reduce((sum, s) => sum + (s.endPacket - s.firstPacket) * SOURCE_PACKET_BYTES, 0),
        angles: 1,
        chapters: [{ number: 1, startMs: 0, durationMs, firstPart: 0, damaged: false, name: null }],
        parts,
        video: blurayVideo(stream, probe, null, null),
        audio: sound.flatMap((s) => blurayAudio(s, probe, true)),
        subtitles: [],
        palette: [],
      });
    }
    const numbers = found.slice(before).map((t) => String(t.number));
    const [what, verb] = numbers.length === 1 ? ['a second picture', 'is title'] : ['second pictures', 'are titles'];
    if (numbers.length > 0)
      note(remarks, 'beside-title', 'note', `A player can lay ${what} over it, which here ${verb} ${numbers.join(' and ')}`, i + 1);
  }
  return found;
}

/** What of a title's tables is not as simple as its list of tracks, or can not be taken. */
export function remarkStreams(number: number, streams: AlignedStreams, playlist: Playlist, { clips, remarks }: Material): void {
  const say = (detail: string) => {
    note(remarks, 'streams-moved', 'note', detail, number);
  };
  const moved = playlist.items.flatMap((item) => streams.moved(item) ?? []);
  const elsewhere = new Set(moved.filter((m) => m.pid !== null).map((m) => m.stream)).size;
  const ending = new Set(moved.filter((m) => m.pid === null).map((m) => m.stream)).size;
  if (elsewhere > 0) say(`${elsewhere} of its tracks stand on other streams in some clips; they are followed by language and kind`);
  if (ending > 0) say(`${ending} of its tracks do not go on in all of its clips`);
  const lost = (clip: string) => (clips.get(clip)?.sizeBytes ?? 0) === 0;
  const missing = new Set(besideClips(playlist).filter(lost));
  for (const clip of missing)
    note(remarks, 'beside-title', 'warning', `Clip ${clip}, which plays beside it, is not there, and can not be taken`, number);
  if (playlist.subPaths.some((s) => s.type === SUB_PATH.slideSound))
    note(remarks, 'beside-title', 'warning', 'Sound of its own accord plays to its stills, in a clip of its own, and is not taken', number);
}
