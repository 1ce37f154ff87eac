import { DiscError, throwIfCancelled, unlessDamaged, type ByteSource } from '../../bytes';
import {
  CODING,
  SOURCE_PACKET_BYTES,
  SUB_PATH,
  parseClipInfo,
  parseDiscMetadata,
  parseIndexTable,
  parseMovieObjects,
  parsePlaylist,
  type ClipInfo,
  type IndexTable,
  type MovieObject,
  type Playlist,
  type PlaylistStream,
} from '../../bluray';
import { SECTOR_BYTES, type Volume } from '../../volume';
import { CLIP_FILE_ENDINGS, inMovieFolder, listNumbered, namesOf, openClip } from './clip-files';
import { CutList, safeCut, segmentsBetween, type ClipPlace, type Cuts } from './clip-segments';
import { blurayAudio, bluraySubtitle, blurayVideo, languageTag } from './tracks';
import { routesToPlaylists } from './routes';
import { ClipLooks } from './clip-looks';
import { besideClips, longestItem, picturesBeside, remarkStreams, secondPictures, soundBeside } from './beside';
import { note, stateOf, type Material, type NumberedPlaylist } from './material';
import { withLooks } from '../damage';
import { fingerprint } from '../fingerprint';
import { gapsBetween } from '../loose';
import {
  READING_VERSION,
  type Chapter,
  type ClipSegment,
  type DamageStretch,
  type LooseStretch,
  type Reading,
  type Remark,
  type StreamShare,
  type SubtitleTrack,
  type Title,
  type TitlePart,
} from '../model';
import type { ReadOptions } from '../progress';
import { payloadShares } from './payload-shares';
import { sampleTitles } from '../samples';
import { alignStreams } from './stream-tables';
import { readWithBackup, type Agreement } from '../structures';

/** Discs made to confuse have over a thousand playlists; more than this is not read. */
const MOST_PLAYLISTS = 2000;
const MOST_PARTS = 20_000;
/** A chapter mark this close to the end begins nothing. */
const LEAST_CHAPTER_MS = 1000;
const ULTRA_HD_VERSION = 300;

/**
 * Examines a Blu-ray or Ultra HD volume: index, movie objects, playlists, clip information, and a look at the first
 * packets of clips. Never scans streams. One bad playlist or clip hides no other: what is lost is said in `remarks`.
 * @param folder where PLAYLIST, CLIPINF and STREAM stand.
 * @throws DiscError `cancelled`; `not-found` where there is no playlist at all.
 */
export async function readBluray(volume: Volume, folder: string, options: ReadOptions = {}): Promise<Reading> {
  const { signal, onProgress } = options;
  const remarks: Remark[] = [];
  const structures: Uint8Array[] = [];
  if (volume.promisedBytes !== null && volume.sizeBytes < volume.promisedBytes) {
    const detail = `The file system promises ${volume.promisedBytes} bytes, there are ${volume.sizeBytes}`;
    note(remarks, 'image-cut-short', 'fault', detail);
  }
  const read = async <T>(
    inside: readonly string[],
    parse: (bytes: Uint8Array, source: string) => T,
    agreement: Agreement<T> | null = null,
    { again = false, compare = false } = {},
  ): Promise<T | null> => {
    const names = namesOf(inside.at(-1) ?? '');
    const places = (...above: readonly string[]) => names.map((name) => inMovieFolder(folder, ...above, ...inside.slice(0, -1), name));
    const told: Remark[] = [];
    const copies = { main: places(), backup: places('BACKUP'), compare };
    try {
      const found = await readWithBackup(volume, copies, parse, () => [], told, agreement);
      // What was said when it was read for the first time is not said again.
      remarks.push(...told.filter((t) => !again || !remarks.some((r) => r.detail === t.detail)));
      if (!again) structures.push(found.bytes); // what identifies a pressing is read once
      return found.value;
    } catch (error) {
      if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
      note(remarks, 'structure-lost', 'fault', `${inside.join('/')}: ${error.message}`);
      return null;
    }
  };
  const both = { compare: true };
  const index: IndexTable | null = await read(['index.bdmv'], parseIndexTable, null, both);
  const objects: MovieObject[] = (await read(['MovieObject.bdmv'], parseMovieObjects, null, both)) ?? [];

  const names = await playlistNames(volume, folder, remarks);
  const playlists: NumberedPlaylist[] = [];
  for (const [i, name] of names.entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'playlist', done: i, total: names.length });
    const playlist = await read(['PLAYLIST', `${name}.mpls`], parsePlaylist);
    if (playlist && playlist.items.length > 0) playlists.push({ number: Number(name), playlist });
  }

  const clipNames = await listNumbered(volume, folder, 'STREAM', CLIP_FILE_ENDINGS);
  const wanted = new Set([
    ...clipNames,
    ...playlists.flatMap(({ playlist }) => [...playlist.items.flatMap((i) => i.clips), ...besideClips(playlist)]),
  ]);
  const clips = new Map<string, ClipPlace>();
  const looks = new ClipLooks();
  let nextSector = 0;
  for (const [i, name] of [...wanted].sort().entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'clip', done: i, total: wanted.size });
    const file = await orLost(openClip(volume, folder, name), `clip ${name}`, remarks);
    const info: ClipInfo | null = await read(
      ['CLIPINF', `${name}.clpi`],
      parseClipInfo,
      file && i < MOST_AGREED ? (found) => entryAgreement(found, file) : null,
      { compare: i < MOST_AGREED },
    );
    const sizeBytes = file?.sizeBytes ?? 0;
    clips.set(name, { name, info, sizeBytes, discSector: file?.firstSector ?? nextSector });
    if (file) looks.add(name, file);
    nextSector += Math.ceil(sizeBytes / SECTOR_BYTES);
  }

  const longest = new Set([...playlists].sort((a, b) => lengthOf(b.playlist) - lengthOf(a.playlist)).slice(0, MOST_AGREED));
  for (const [i, numbered] of playlists.entries()) {
    const { number, playlist } = numbered;
    // A playlist that shows what its clips do not have is one of two: the other copy is then looked at, and of the longest ones always.
    if (playlistAgreement(playlist, clips) === 1 && !longest.has(numbered)) continue;
    const name = `${String(number).padStart(5, '0')}.mpls`;
    const better = await read(['PLAYLIST', name], parsePlaylist, (p) => Promise.resolve(playlistAgreement(p, clips)), {
      again: true,
      compare: longest.has(numbered),
    });
    if (better && better.items.length > 0) playlists[i] = { number, playlist: better };
  }

  const segments = new Map<string, ClipSegment>();
  const material: Material = { clips, looks, cuts: cutClips(playlists, clips), segments, remarks };
  const titles: Title[] = [];
  let parts = 0;
  for (const [i, numbered] of playlists.entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'looking', done: i, total: playlists.length });
    const title = await readTitle(titles.length + 1, numbered, material);
    parts += title.parts.length;
    if (parts > MOST_PARTS * 10) {
      note(remarks, 'too-many', 'warning', `From playlist ${numbered.number} on, playlists were passed over: they have too many parts`);
      break;
    }
    titles.push(title);
  }
  titles.push(...(await secondPictures(playlists.slice(0, titles.length), material, MOST_PLAYLISTS)));
  if (titles.length === 0) note(remarks, 'no-titles', 'fault', 'No playlist could be read');
  onProgress?.({ step: 'menus', done: 0, total: 1 });
  const own = titles.filter((t) => t.over === null);
  const samples = await sampleTitles(own, segments, (clip) => Promise.resolve(looks.file(clip)));
  const routes = index ? routesToPlaylists(index, objects, new Map(own.map((t) => [t.playlist ?? -1, t.number]))) : null;
  for (const { code, detail } of volume.remarks) note(remarks, code, 'warning', detail);
  const reading: Reading = {
    version: READING_VERSION,
    kind: (index?.version ?? 0) >= ULTRA_HD_VERSION ? 'Ultra HD Blu-ray' : 'Blu-ray',
    label: volume.label,
    fileSystem: volume.fileSystem,
    sizeBytes: volume.sizeBytes,
    fingerprint: await fingerprint(structures),
    contents: clipNames.length,
    names: await discNames(volume, folder, remarks),
    javaMenus: routes?.java ?? false,
    titles: titles.map((t) => ({ ...t, sample: samples.get(t.number) ?? null })),
    segments: [...segments.values()],
    shares: await sampledShares(material, titles),
    loose: looseStretches(clips, [...segments.values()], titles),
    damage: [],
    looked: null,
    routes: routes?.routes ?? [],
    remarks,
  };
  const missing: DamageStretch[] = [];
  for (const content of new Set([...segments.values()].map((s) => s.content))) {
    const own = [...segments.values()].filter((s) => s.content === content);
    const firstSector = Math.floor((await looks.reachableBytes(content)) / SECTOR_BYTES);
    const lastSector = Math.max(...own.map((s) => s.lastSector));
    const short =
      (clips.get(content)?.sizeBytes ?? 0) === 0 || own.some((s) => s.endPacket * SOURCE_PACKET_BYTES > (firstSector + 1) * SECTOR_BYTES);
    if (short) missing.push({ content, firstSector, lastSector, cause: 'missing' });
  }
  return withLooks(reading, missing, (clip) => Promise.resolve(looks.file(clip)));
}

/** Times of clips are rounded, and of a whole number of pictures. */
const PLAYLIST_SLACK_45K = 45_000;

/** Share of a playlist's items whose clips are there and have the times that it shows. */
function playlistAgreement(playlist: Playlist, clips: ReadonlyMap<string, ClipPlace>): number {
  const agreeing = playlist.items.filter((item) => {
    const clip = clips.get(item.clips[0] ?? '');
    if (!clip || clip.sizeBytes === 0) return false;
    const { info } = clip;
    if (!info || info.end45k === 0 || info.clockSequences > 1) return true;
    return item.in45k >= info.start45k - PLAYLIST_SLACK_45K && item.out45k <= info.end45k + PLAYLIST_SLACK_45K;
  });
  return playlist.items.length === 0 ? 0 : agreeing.length / playlist.items.length;
}

/** Clips whose tables are held against their content, and playlists whose copies are compared, and places in each: every one costs a drive a seek. */
const MOST_AGREED = 24;
const AGREEMENT_SAMPLES = 2;

/** Share of a few entry points at which a packet of a stream's beginning stands: what tells which of two copies is the right one. */
async function entryAgreement({ entries }: ClipInfo, clip: ByteSource): Promise<number> {
  if (entries.length === 0) return 1;
  const picked = Array.from(
    { length: AGREEMENT_SAMPLES },
    (_, i) => entries[Math.floor(((entries.length - 1) * i) / (AGREEMENT_SAMPLES - 1))],
  );
  const packet = new Uint8Array(SOURCE_PACKET_BYTES);
  let agreeing = 0;
  for (const entry of picked) {
    const got = entry ? await unlessDamaged(clip.read(entry.packet * SOURCE_PACKET_BYTES, packet), 0) : 0;
    const begins = got === SOURCE_PACKET_BYTES && packet[4] === 0x47 && ((packet[5] ?? 0) & 0x40) !== 0;
    // What can not be read says nothing against the table.
    if (begins || got < SOURCE_PACKET_BYTES) agreeing++;
  }
  return agreeing / AGREEMENT_SAMPLES;
}

/** A file, or null where the file system says something wrong of it: that is remarked, and hides nothing else. */
async function orLost<T>(work: Promise<T | null>, what: string, remarks: Remark[]): Promise<T | null> {
  try {
    return await work;
  } catch (error) {
    if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
    note(remarks, 'structure-lost', 'fault', `${what}: ${error.message}`);
    return null;
  }
}

/** Clips whose streams are weighed: the largest, since they decide what a disc comes to. */
const MOST_WEIGHED = 8;

async function sampledShares({ clips, looks, segments }: Material, titles: readonly Title[]): Promise<StreamShare[]> {
  const used = new Set([
    ...[...segments.values()].map((s) => s.content),
    ...titles.flatMap((t) => t.parts.flatMap((p) => p.companion ?? [])),
  ]);
  const largest = [...clips.values()]
    .filter((c) => used.has(c.name))
    .sort((a, b) => b.sizeBytes - a.sizeBytes)
    .slice(0, MOST_WEIGHED);
  const found: StreamShare[] = [];
  for (const { name, info, sizeBytes } of largest) {
    const file = looks.file(name);
    if (!file || !info) continue;
    const shares = await payloadShares(
      file,
      info.streams.map((s) => s.pid),
    );
    for (const [stream, share] of shares) found.push({ content: name, stream, share, contentBytes: sizeBytes });
  }
  return found;
}

async function playlistNames(volume: Volume, folder: string, remarks: Remark[]): Promise<string[]> {
  const main = await listNumbered(volume, folder, 'PLAYLIST', ['mpls', 'MPL']);
  const backup = await listNumbered(volume, folder, 'BACKUP/PLAYLIST', ['mpls', 'MPL']);
  const all = [...new Set([...main, ...backup])].sort();
  if (all.length === 0) throw new DiscError('not-found', { source: volume.name, byteOffset: 0 }, 'The PLAYLIST folder has no playlist');
  if (all.length > MOST_PLAYLISTS) note(remarks, 'too-many', 'warning', `Of ${all.length} playlists the first ${MOST_PLAYLISTS} were read`);
  return all.slice(0, MOST_PLAYLISTS);
}

const lengthOf = (playlist: Playlist) => playlist.items.reduce((sum, item) => sum + item.out45k - item.in45k, 0);

/** An entry mark, and where decoding can begin for what it marks. */
interface ChapterCut {
  readonly item: number;
  readonly at90k: number;
  readonly mark90k: number;
}

/** Entry marks of a playlist, each with the place where decoding can begin. */
function chapterCuts({ playlist }: NumberedPlaylist, clips: ReadonlyMap<string, ClipPlace>): ChapterCut[] {
  const found: ChapterCut[] = [];
  for (const mark of playlist.marks) {
    const item = playlist.items[mark.playItem];
    if (!mark.isEntry || !item || mark.time45k < item.in45k || mark.time45k >= item.out45k) continue;
    const info = clips.get(item.clips[0] ?? '')?.info ?? null;
    found.push({ item: mark.playItem, at90k: safeCut(info, mark.time45k * 2, item.in45k * 2), mark90k: mark.time45k * 2 });
  }
  return found.sort((a, b) => a.item - b.item || a.mark90k - b.mark90k);
}

function cutClips(playlists: readonly NumberedPlaylist[], clips: ReadonlyMap<string, ClipPlace>): Cuts {
  const cuts = new CutList();
  for (const numbered of playlists) {
    for (const item of numbered.playlist.items) for (const clip of item.clips) cuts.add(clip, item.in45k * 2, item.out45k * 2);
    for (const { item, at90k } of chapterCuts(numbered, clips)) {
      for (const clip of numbered.playlist.items[item]?.clips ?? []) cuts.add(clip, at90k);
    }
    for (const { clip, in45k, out45k } of picturesBeside(numbered.playlist)) cuts.add(clip, in45k * 2, out45k * 2);
  }
  return cuts.finish();
}

async function readTitle(number: number, numbered: NumberedPlaylist, material: Material): Promise<Title> {
  const { playlist } = numbered;
  const { clips, segments, cuts } = material;
  const main = longestItem(playlist);
  const streams = alignStreams(playlist, main);
  const parts: TitlePart[] = [];
  const starts: { item: number; at90k: number; part: number; ms: number }[] = [];
  const used = new Map<string, ClipSegment>();
  let ms = 0;
  const itemStarts: number[] = [];
  const companions = playlist.subPaths.find((s) => s.type === SUB_PATH.secondView)?.items ?? [];
  for (const [i, item] of playlist.items.entries()) {
    const companion = companions.find((c) => c.playItem === i)?.clip ?? null;
    const begin = ms;
    const moved = streams.moved(item);
    itemStarts.push(begin);
    item.clips.forEach((name, angle) => {
      const clip = clips.get(name);
      if (!clip) return;
      for (const [n, fresh] of segmentsBetween(clip, item.in45k * 2, item.out45k * 2, cuts).entries()) {
        const isLast = fresh.out90k === item.out45k * 2;
        const segment = segments.get(fresh.id) ?? { ...fresh, stillSeconds: isLast ? item.stillSeconds : 0 };
        segments.set(segment.id, segment);
        used.set(segment.id, segment);
        if (angle === 0) {
          starts.push({ item: i, at90k: segment.in90k, part: parts.length, ms });
          ms = begin + Math.round((segment.out90k - item.in45k * 2) / 90);
        }
        const seamless = n > 0 || (i > 0 && item.connection !== 'new clock');
        parts.push({ segment: segment.id, angle: item.clips.length > 1 ? angle + 1 : null, companion, seamless, moved });
      }
    });
  }
  const present = [...used.values()].filter((s) => (clips.get(s.content)?.sizeBytes ?? 0) > 0);
  const longest = present.reduce<ClipSegment | null>(
    (a, b) => (a && a.endPacket - a.firstPacket >= b.endPacket - b.firstPacket ? a : b),
    null,
  );
  const probe = longest ? await material.looks.headers(longest.content, clips.get(longest.content)?.info ?? null) : null;
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
    durationMs: ms,
    sizeBytes: [...used.values()].reduce((sum, s) => sum + (s.endPacket - s.firstPacket) * SOURCE_PACKET_BYTES, 0),
    angles: Math.max(1, ...playlist.items.map((i) => i.clips.length)),
    chapters: chaptersOf(numbered, clips, starts, ms),
    parts,
    video: blurayVideo(
      video ?? {
        pid: 0x1011,
        subPath: null,
        inMux: true,
        attributes: { coding: CODING.h264, kind: 'video', format: 6, rate: 1, language: null, dynamicRange: 0 },
      },
      probe,
      main.streams.dolbyVision.length > 0,
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
    const start = starts.find((s) => s.item === cut.item && s.at90k === cut.at90k);
    // The mark says when a chapter begins; a file that begins with the chapter begins a little before, where decoding can.
    const ms = (start?.ms ?? 0) + Math.round((cut.mark90k - cut.at90k) / 90);
    if (!start || ms > endMs - LEAST_CHAPTER_MS) continue;
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

/** Clips that no playlist names, and long stretches of clips that none shows. */
function looseStretches(clips: ReadonlyMap<string, ClipPlace>, segments: readonly ClipSegment[], titles: readonly Title[]): LooseStretch[] {
  const companions = new Set(
    titles.flatMap((t) => [
      ...t.parts.map((p) => p.companion),
      ...t.audio.flatMap((a) => a.apart?.map((run) => run.clip) ?? []),
      ...t.subtitles.map((a) => a.apart?.clip ?? null),
    ]),
  );
  const byClip = new Map<string, { first: number; last: number }[]>();
  for (const s of segments) byClip.set(s.content, [...(byClip.get(s.content) ?? []), { first: s.firstSector, last: s.lastSector }]);
  return [...clips.values()].flatMap((clip) => {
    if (clip.sizeBytes === 0 || companions.has(clip.name)) return [];
    const sectors = Math.ceil(clip.sizeBytes / SECTOR_BYTES);
    return gapsBetween(byClip.get(clip.name) ?? [], sectors).map(({ first, last }) => {
      const whole = clip.info ? (clip.info.end45k - clip.info.start45k) / 45 : null;
      return {
        id: `${clip.name}/loose@${first}-${last}`,
        content: clip.name,
        firstSector: first,
        lastSector: last,
        discSector: clip.discSector + first,
        durationMs: whole === null || whole < 0 ? null : Math.round((whole * (last - first + 1)) / sectors),
        chain: null,
      };
    });
  });
}

async function discNames(volume: Volume, folder: string, remarks: Remark[]): Promise<{ language: string; name: string }[]> {
  const inside = inMovieFolder(folder, 'META', 'DL');
  const found: { language: string; name: string }[] = [];
  for (const entry of ((await volume.list(inside)) ?? []).slice(0, 64)) {
    const code = /^bdmt_([a-z]{3})\.xml$/i.exec(entry.name)?.[1]?.toLowerCase();
    if (code === undefined || entry.sizeBytes > 256 * 1024) continue;
    const file = await orLost(volume.open(`${inside}/${entry.name}`), entry.name, remarks);
    if (!file) continue;
    const data = new Uint8Array(file.sizeBytes);
    const got = await unlessDamaged(file.read(0, data), 0);
    const card = parseDiscMetadata(data.subarray(0, got), code);
    if (card) found.push({ language: languageTag(code) ?? code, name: card.title });
  }
  return found;
}
