import { DiscError, throwIfCancelled } from '../../bytes';
import { parseClipInfo, parsePlaylist, type Playlist } from '../../bluray';
import { SECTOR_BYTES, type Volume } from '../../volume';
import type { Remark } from '../model';
import type { ReadOptions } from '../progress';
import { readWithBackup, type Agreement } from '../structures';
import { MOST_AGREED, entryAgreement, playlistAgreement } from './agreement';
import { besideClips } from './beside';
import { CLIP_FILE_ENDINGS, inMovieFolder, listNumbered, namesOf, openClip } from './clip-files';
import { ClipLooks } from './clip-looks';
import type { ClipPlace } from './clip-segments';
import { note, type NumberedPlaylist } from './material';

/** Discs made to confuse have over a thousand playlists; more than this is not read. */
export const MOST_PLAYLISTS = 2000;

/** A file, or null where the file system says something wrong of it: that is remarked, and hides nothing else. */
export async function orLost<T>(work: Promise<T | null>, what: string, remarks: Remark[]): Promise<T | null> {
  try {
    return await work;
  } catch (error) {
    if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
    note(remarks, 'structure-lost', 'fault', `${what}: ${error.message}`);
    return null;
  }
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

/** The tables of a Blu-ray, each from the better of its two copies. One that is lost is remarked, and hides no other. */
export class BlurayStructures {
  /** What identifies the pressing. */
  readonly read: Uint8Array[] = [];

  /** @param folder where PLAYLIST, CLIPINF and STREAM stand. */
  constructor(
    private readonly volume: Volume,
    private readonly folder: string,
    private readonly remarks: Remark[],
    private readonly options: ReadOptions,
  ) {}

  /**
   * @param agreement how well a copy agrees with what else is known; null where nothing tells.
   * @returns null where neither copy can be read. @throws DiscError `cancelled`.
   */
  async table<T>(
    inside: readonly string[],
    parse: (bytes: Uint8Array, source: string) => T,
    agreement: Agreement<T> | null = null,
    { again = false, compare = false } = {},
  ): Promise<T | null> {
    const { remarks } = this;
    const names = namesOf(inside.at(-1) ?? '');
    const places = (...above: readonly string[]) => names.map((name) => inMovieFolder(this.folder, ...above, ...inside.slice(0, -1), name));
    const told: Remark[] = [];
    const copies = { main: places(), backup: places('BACKUP'), compare };
    try {
      const found = await readWithBackup(this.volume, copies, parse, () => [], told, agreement);
      // What was said when it was read for the first time is not said again.
      remarks.push(...told.filter((t) => !again || !remarks.some((r) => r.detail === t.detail)));
      if (!again) this.read.push(found.bytes); // what identifies a pressing is read once
      return found.value;
    } catch (error) {
      if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
      note(remarks, 'structure-lost', 'fault', `${inside.join('/')}: ${error.message}`);
      return null;
    }
  }

  private step(step: 'playlist' | 'clip', done: number, total: number): void {
    throwIfCancelled(this.options.signal, this.volume.name);
    this.options.onProgress?.({ step, done, total });
  }

  async playlists(): Promise<NumberedPlaylist[]> {
    const names = await playlistNames(this.volume, this.folder, this.remarks);
    const playlists: NumberedPlaylist[] = [];
    for (const [i, name] of names.entries()) {
      this.step('playlist', i, names.length);
      const playlist = await this.table(['PLAYLIST', `${name}.mpls`], parsePlaylist);
      if (playlist && playlist.items.length > 0) playlists.push({ number: Number(name), playlist });
    }
    return playlists;
  }

  /** Clips that are there, and those that playlists want. */
  async clips(playlists: readonly NumberedPlaylist[]): Promise<{ clips: Map<string, ClipPlace>; looks: ClipLooks; count: number }> {
    const there = await listNumbered(this.volume, this.folder, 'STREAM', CLIP_FILE_ENDINGS);
    const shown = playlists.flatMap(({ playlist }) => [...playlist.items.flatMap((i) => i.clips), ...besideClips(playlist)]);
    const wanted = [...new Set([...there, ...shown])].sort();
    const clips = new Map<string, ClipPlace>();
    const looks = new ClipLooks();
    let nextSector = 0;
    for (const [i, name] of wanted.entries()) {
      this.step('clip', i, wanted.length);
      const file = await orLost(openClip(this.volume, this.folder, name), `clip ${name}`, this.remarks);
      const agreement: Agreement<ReturnType<typeof parseClipInfo>> | null =
        file && i < MOST_AGREED ? (found) => entryAgreement(found, file) : null;
      const info = await this.table(['CLIPINF', `${name}.clpi`], parseClipInfo, agreement, { compare: i < MOST_AGREED });
      const sizeBytes = file?.sizeBytes ?? 0;
      clips.set(name, { name, info, sizeBytes, discSector: file?.firstSector ?? nextSector });
      if (file) looks.add(name, file);
      nextSector += Math.ceil(sizeBytes / SECTOR_BYTES);
    }
    return { clips, looks, count: there.length };
  }

  /** A playlist that shows what its clips do not have is one of two: the other copy is then looked at, and of the longest ones always. */
  async bettered(playlists: readonly NumberedPlaylist[], clips: ReadonlyMap<string, ClipPlace>): Promise<NumberedPlaylist[]> {
    const longest = new Set([...playlists].sort((a, b) => lengthOf(b.playlist) - lengthOf(a.playlist)).slice(0, MOST_AGREED));
    const better: NumberedPlaylist[] = [];
    for (const numbered of playlists) {
      const { number, playlist } = numbered;
      const compare = longest.has(numbered);
      const name = `${String(number).padStart(5, '0')}.mpls`;
      const other =
        playlistAgreement(playlist, clips) === 1 && !compare
          ? null
          : await this.table(['PLAYLIST', name], parsePlaylist, (p) => Promise.resolve(playlistAgreement(p, clips)), {
              again: true,
              compare,
            });
      better.push(other && other.items.length > 0 ? { number, playlist: other } : numbered);
    }
    return better;
  }
}
