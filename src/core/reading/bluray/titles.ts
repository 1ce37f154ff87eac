import {
  CODING,
  SOURCE_PACKET_BYTES,
  SUB_PATH,
  type ClipInfo,
  type PlayItem,
  type Playlist,
  type PlaylistStream,
  type StreamTable,
} from '../../bluray';
import type { Chapter, ClipSegment, Title, TitlePart } from '../model';
import type { SubtitleTrack } from '../tracks';
import { longestItem, remarkStreams, picturesBeside, soundBeside } from './beside';
import { CutList, clockKey, inClock, isSameCut, safeCut, segmentsBetween, type ClipPlace, type Cuts } from './clip-segments';
import { note, stateOf, type Material, type NumberedPlaylist } from './material';
import type { ClipProbe, SeenAudio, SeenPicture } from './probe-transport';
import { alignStreams, type AlignedStreams } from './stream-tables';
import { blurayAudio, bluraySubtitle, blurayVideo } from './tracks';

export const MOST_PARTS = 20_000;
/** What comes before a first mark that stands so near to the beginning is no chapter of its own. */
const LEAST_CHAPTER_MS = 1000;
/** A mark this close to the end, before the last pictures of all, begins nothing: it says where the end is. */
const LEAST_END_MS = 100;

/** An entry mark, and where decoding can begin for what it marks. */
interface ChapterCut {
  readonly item: number;
  readonly at90k: number;
  readonly mark90k: number;
}

/** An item's clips, one for each angle, as its times count in them; undefined for what is not there. */
const placesOf = (item: PlayItem, clips: ReadonlyMap<string, ClipPlace>): (ClipPlace | undefined)[] =>
  item.clips.map((name, i) => {
    const clip = clips.get(name);
    return clip && inClock(clip, item.clocks[i] ?? 0);
  });

/** Entry marks of a playlist, each with the place where decoding can begin. */
function chapterCuts({ playlist }: NumberedPlaylist, clips: ReadonlyMap<string, ClipPlace>): ChapterCut[] {
  const found: ChapterCut[] = [];
  for (const mark of playlist.marks) {
    const item = playlist.items[mark.playItem];
    if (!mark.isEntry || !item || mark.time45k < item.in45k || mark.time45k >= item.out45k) continue;
    const info = placesOf(item, clips)[0]?.info ?? null;
    found.push({ item: mark.playItem, at90k: safeCut(info, mark.time45k * 2, item.in45k * 2), mark90k: mark.time45k * 2 });
  }
  return found.sort((a, b) => a.item - b.item || a.mark90k - b.mark90k);
}

/** Where clips are cut to segments: at every beginning and end of an item, and where decoding can begin for a chapter. */
export function cutClips(playlists: readonly NumberedPlaylist[], clips: ReadonlyMap<string, ClipPlace>): Cuts {
  const cuts = new CutList();
  for (const numbered of playlists) {
    for (const item of numbered.playlist.items)
      for (const place of placesOf(item, clips)) if (place) cuts.add(clockKey(place), item.in45k * 2, item.out45k * 2);
    for (const { item, at90k } of chapterCuts(numbered, clips)) {
      const shown = numbered.playlist.items[item];
      for (const place of shown ? placesOf(shown, clips) : []) if (place) cuts.addNear(clockKey(place), at90k);
    }
    for (const { clip, in45k, out45k } of picturesBeside(numbered.playlist)) cuts.add(clip, in45k * 2, out45k * 2);
  }
  return cuts.finish();
}

/**
 * What the title's streams say of themselves, by the stream that its track goes by: of the longest item, and of others for what does not
 * stand in its clip.
 */
async function probeTitle({ items }: Playlist, streams: AlignedStreams, { clips, looks }: Material): Promise<ClipProbe | null> {
  const wanted = [...streams.video, ...streams.audio, ...streams.secondaryAudio].filter((s) => s.inMux).map((s) => s.pid);
  const video = new Map<number, SeenPicture>();
  const audio = new Map<number, SeenAudio>();
  let first: ClipProbe | null = null;
  for (const item of [...items].sort((a, b) => b.out45k - b.in45k - (a.out45k - a.in45k))) {
    const [clip = ''] = item.clips;
    const left = wanted.filter((pid) => !video.has(pid) && !audio.has(pid));
    if (left.length === 0) break;
    const probe = await looks.headers(clip, clips.get(clip)?.info ?? null);
    if (!probe) continue;
    first ??= probe;
    const moved = new Map(streams.moved(item)?.map((m) => [m.stream, m.pid]));
    for (const stream of left) {
      const pid = moved.has(stream) ? moved.get(stream) : stream;
      const picture = pid == null ? undefined : probe.video.get(pid);
      const sound = pid == null ? undefined : probe.audio.get(pid);
      if (picture) video.set(stream, picture);
      if (sound) audio.set(stream, sound);
    }
  }
  return first && { ...first, video, audio };
}

/** A second stream of HEVC in the title's own clips, in its table of layers or in that of its clip only, refines the first. */
function layerOf({ dolbyVision, secondaryVideo }: StreamTable, video: PlaylistStream | undefined, info: ClipInfo | null): number | null {
  const [listed] = dolbyVision;
  if (listed) return listed.pid;
  if (video?.attributes.coding !== CODING.hevc) return null;
  const others = (info?.streams ?? []).filter((s) => s.attributes.coding === CODING.hevc && s.pid !== video.pid);
  return others.find((s) => !secondaryVideo.some((v) => v.pid === s.pid))?.pid ?? null;
}

/** A playlist as a title. Its segments are added to the material's. */
export async function readTitle(number: number, numbered: NumberedPlaylist, material: Material): Promise<Title> {
  const { playlist } = numbered;
  const { clips, segments, cuts } = material;
  const main = longestItem(playlist);
  const streams = alignStreams(playlist, main);
  const parts: TitlePart[] = [];
  const starts: { item: number; at90k: number; part: number; ms: number }[] = [];
  const used = new Map<string, ClipSegment>();
  let ms = 0;
  const itemStarts: number[] = [];
  const views = playlist.subPaths.find((s) => s.type === SUB_PATH.secondView)?.items ?? [];
  const companions = views.filter((c) => (clips.get(c.clip)?.sizeBytes ?? 0) > 0);
  remarkViews(number, views.length - companions.length, companions.length, material);
  for (const [i, item] of playlist.items.entries()) {
    const companion = companions.find((c) => c.playItem === i)?.clip ?? null;
    const begin = ms;
    const moved = streams.moved(item);
    itemStarts.push(begin);
    placesOf(item, clips).forEach((clip, angle) => {
      if (!clip) return;
      for (const [n, fresh] of segmentsBetween(clip, item.in45k * 2, item.out45k * 2, cuts).entries()) {
        const isLast = fresh.out90k === item.out45k * 2;
        const segment = segments.get(fresh.id) ?? { ...fresh, stillSeconds: isLast ? item.stillSeconds : 0 };
        segments.set(segment.id, segment);
        used.set(segment.id, segment);
        if (angle === 0) {
          starts.push({ item: i, at90k: segment.in90k, part: parts.length, ms });
          ms = begin + (segment.out90k - item.in45k * 2) / 90;
        }
        const seamless = n > 0 || (i > 0 && item.connection !== 'new clock');
        const goesOn = n === 0 && i > 0 && item.connection === 'seamless, same clock';
        const own = { segment: segment.id, angle: item.clips.length > 1 ? angle + 1 : null, companion, seamless, moved };
        parts.push(goesOn ? { ...own, oneClock: true } : own);
      }
    });
  }
  const present = [...used.values()].filter((s) => (clips.get(s.content)?.sizeBytes ?? 0) > 0);
  const longest = present.reduce<ClipSegment | null>(
    (a, b) => (a && a.endPacket - a.firstPacket >= b.endPacket - b.firstPacket ? a : b),
    null,
  );
  const probe = await probeTitle(playlist, streams, material);
  const state = await stateOf(number, [...used.values()], longest, material);
  remarkStreams(number, streams, playlist, material);
  const video = streams.video[0];
  const second = companions.length > 0 ? secondView(clips, companions[0]?.clip ?? '') : null;
  return {
    number,
    titleSet: null,
    titleInSet: null,
    playlist: numbered.number,
    over: null,
    levels: null,
    measured: null,
    sample: null,
    state: video ? state : 'unreadable',
    durationMs: Math.round(ms),
    sizeBytes: [...used.values()].reduce((sum, s) => sum + (s.endPacket - s.firstPacket) * SOURCE_PACKET_BYTES, 0),
    angles: Math.max(1, ...playlist.items.map((i) => i.clips.length)),
    chapters: chaptersOf(numbered, clips, starts, Math.round(ms)),
    parts,
    video: blurayVideo(
      video ?? {
        pid: 0x1011,
        subPath: null,
        inMux: true,
        attributes: { coding: CODING.h264, kind: 'video', format: 6, rate: 1, language: null, dynamicRange: 0 },
      },
      probe,
      layerOf(main.streams, video, longest === null ? null : (clips.get(longest.content)?.info ?? null)),
      second === null ? null : { stream: second, baseIsRight: playlist.baseViewIsRight },
    ),
    audio: [
      ...streams.audio.filter((s) => s.inMux).flatMap((s) => blurayAudio(s, probe, false)),
      ...streams.secondaryAudio.filter((s) => s.inMux).flatMap((s) => blurayAudio(s, probe, true)),
      ...(await soundBeside(playlist, streams, itemStarts, material)),
    ],
    subtitles: streams.graphics.flatMap((s) => subtitleOf(s, playlist, itemStarts)),
    palette: [],
  };
}

/** A subtitle stream as a track; text stands in a clip of its own, other clips beside the title are for other purposes. */
function subtitleOf(stream: PlaylistStream, playlist: Playlist, itemStarts: readonly number[]): SubtitleTrack[] {
  if (stream.subPath === null) return [bluraySubtitle(stream)];
  const path = playlist.subPaths[stream.subPath];
  const [item] = path?.type === SUB_PATH.text ? path.items : [];
  const shown = item && playlist.items[item.playItem];
  if (!item || !shown) return [];
  const atMs = (itemStarts[item.playItem] ?? 0) + (item.syncStart45k - shown.in45k) / 45;
  return [bluraySubtitle(stream, { clip: item.clip, pid: stream.pid, in90k: item.in45k * 2, atMs })];
}

/** What of the second view is not there; the title is made all the same. */
function remarkViews(number: number, absent: number, present: number, { remarks }: Material): void {
  if (absent === 0) return;
  const what =
    present === 0
      ? 'The clips of its second view are not there: it is made with one view'
      : `${absent} of the ${absent + present} clips of its second view are not there`;
  note(remarks, 'beside-title', 'warning', what, number);
}

const SECOND_VIEW_PID = 0x1012;
const secondView = (clips: ReadonlyMap<string, ClipPlace>, clip: string): number =>
  clips.get(clip)?.info?.streams.find((s) => s.attributes.coding === CODING.mvc)?.pid ?? SECOND_VIEW_PID;

function chaptersOf(
  numbered: NumberedPlaylist,
  clips: ReadonlyMap<string, ClipPlace>,
  starts: readonly { item: number; at90k: number; part: number; ms: number }[],
  endMs: number,
): Chapter[] {
  const found: { part: number; ms: number }[] = [];
  for (const cut of chapterCuts(numbered, clips)) {
    const start = starts.find((s) => s.item === cut.item && isSameCut(s.at90k, cut.at90k));
    // The mark says when a chapter begins; a file that begins with the chapter begins a little before, where decoding can.
    const ms = Math.round((start?.ms ?? 0) + (cut.mark90k - (start?.at90k ?? 0)) / 90);
    if (!start || ms > endMs - LEAST_END_MS) continue;
    if (found.length === 0 || start.part > (found[found.length - 1]?.part ?? 0)) found.push({ part: start.part, ms });
  }
  // What comes before the first mark belongs to the first chapter: nothing is cut off a title by its marks.
  if (found.length === 0 || found[0]?.part !== 0) {
    if (found.length > 0 && (found[0]?.ms ?? 0) < LEAST_CHAPTER_MS) found.shift();
    found.unshift({ part: 0, ms: 0 });
  }
  return found.map((start, i) => ({
    number: i + 1,
    startMs: start.ms,
    durationMs: (found[i + 1]?.ms ?? endMs) - start.ms,
    firstPart: start.part,
    damaged: false,
    name: null,
  }));
}
