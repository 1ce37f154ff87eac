import { throwIfCancelled, unlessDamaged } from '../../bytes';
import { SOURCE_PACKET_BYTES, parseDiscMetadata, parseIndexTable, parseMovieObjects } from '../../bluray';
import { SECTOR_BYTES, type Volume } from '../../volume';
import { withLooks } from '../damage';
import { fingerprint } from '../fingerprint';
import { READING_VERSION, type ClipSegment, type DamageStretch, type Reading, type Remark, type StreamShare, type Title } from '../model';
import type { ReadOptions } from '../progress';
import { sampleTitles } from '../samples';
import { cutShort } from '../structures';
import { secondPictures } from './beside';
import { inMovieFolder } from './clip-files';
import { looseStretches } from './loose-clips';
import { note, type Material, type NumberedPlaylist } from './material';
import { payloadShares } from './payload-shares';
import { routesToPlaylists } from './routes';
import { BlurayStructures, MOST_PLAYLISTS, orLost } from './structures';
import { MOST_PARTS, cutClips, readTitle } from './titles';
import { languageTag } from './tracks';

const ULTRA_HD_VERSION = 300;
const BOTH = { compare: true } as const;

/**
 * Examines a Blu-ray or Ultra HD volume: index, movie objects, playlists, clip information, and a look at the first
 * packets of clips. Never scans streams. One bad playlist or clip hides no other: what is lost is said in `remarks`.
 * @param folder where PLAYLIST, CLIPINF and STREAM stand.
 * @throws DiscError `cancelled`; `not-found` where there is no playlist at all.
 */
export async function readBluray(volume: Volume, folder: string, options: ReadOptions = {}): Promise<Reading> {
  const remarks: Remark[] = cutShort(volume);
  const structures = new BlurayStructures(volume, folder, remarks, options);
  const index = await structures.table(['index.bdmv'], parseIndexTable, null, BOTH);
  const objects = (await structures.table(['MovieObject.bdmv'], parseMovieObjects, null, BOTH)) ?? [];
  const read = await structures.playlists();
  const { clips, looks, count } = await structures.clips(read);
  const playlists = await structures.bettered(read, clips);
  const segments = new Map<string, ClipSegment>();
  const material: Material = { clips, looks, cuts: cutClips(playlists, clips), segments, remarks };
  const titles = await readTitles(playlists, material, volume.name, options);
  if (titles.length === 0) note(remarks, 'no-titles', 'fault', 'No playlist could be read');
  options.onProgress?.({ step: 'menus', done: 0, total: 1 });
  const own = titles.filter((t) => t.over === null);
  const open = (clip: string) => Promise.resolve(looks.file(clip));
  const samples = await sampleTitles(own, segments, open);
  const routes = index ? routesToPlaylists(index, objects, new Map(own.map((t) => [t.playlist ?? -1, t.number]))) : null;
  for (const { code, detail } of volume.remarks) note(remarks, code, 'warning', detail);
  const reading: Reading = {
    version: READING_VERSION,
    kind: (index?.version ?? 0) >= ULTRA_HD_VERSION ? 'Ultra HD Blu-ray' : 'Blu-ray',
    label: volume.label,
    fileSystem: volume.fileSystem,
    sizeBytes: volume.sizeBytes,
    fingerprint: await fingerprint(structures.read),
    contents: count,
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
  return withLooks(reading, await missingSectors(material), open);
}

/** A title of each playlist, and of what plays in a second picture beside one. */
async function readTitles(
  playlists: readonly NumberedPlaylist[],
  material: Material,
  volume: string,
  { signal, onProgress }: ReadOptions,
): Promise<Title[]> {
  const titles: Title[] = [];
  let parts = 0;
  for (const [i, numbered] of playlists.entries()) {
    throwIfCancelled(signal, volume);
    onProgress?.({ step: 'looking', done: i, total: playlists.length });
    const title = await readTitle(titles.length + 1, numbered, material);
    parts += title.parts.length;
    if (parts > MOST_PARTS * 10) {
      const detail = `From playlist ${numbered.number} on, playlists were passed over: they have too many parts`;
      note(material.remarks, 'too-many', 'warning', detail);
      break;
    }
    titles.push(title);
  }
  return [...titles, ...(await secondPictures(playlists.slice(0, titles.length), material, MOST_PLAYLISTS))];
}

/** What titles need beyond the end of their clips. */
async function missingSectors({ clips, looks, segments }: Material): Promise<DamageStretch[]> {
  const missing: DamageStretch[] = [];
  for (const content of new Set([...segments.values()].map((s) => s.content))) {
    const own = [...segments.values()].filter((s) => s.content === content);
    const firstSector = Math.floor((await looks.reachableBytes(content)) / SECTOR_BYTES);
    const lastSector = Math.max(...own.map((s) => s.lastSector));
    const isShort =
      (clips.get(content)?.sizeBytes ?? 0) === 0 || own.some((s) => s.endPacket * SOURCE_PACKET_BYTES > (firstSector + 1) * SECTOR_BYTES);
    if (isShort) missing.push({ content, firstSector, lastSector, cause: 'missing' });
  }
  return missing;
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
