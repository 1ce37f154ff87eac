import type { PlayItem, Playlist, PlaylistStream, StreamTable } from '../../bluray';
import type { MovedStream } from '../model';

/**
 * Tracks of a title over the stream tables of its play items. A track is an entry of each table (its place, language and kind), not
 * a PID: clips of one title may carry their languages on different ones.
 */
export interface AlignedStreams {
  readonly video: readonly PlaylistStream[];
  readonly audio: readonly PlaylistStream[];
  readonly graphics: readonly PlaylistStream[];
  readonly secondaryAudio: readonly PlaylistStream[];
  /** Where streams stand in an item, as far as that is elsewhere than their own PID says; null where none is. */
  readonly moved: (item: PlayItem) => readonly MovedStream[] | null;
}

/** PIDs have 13 bits: from here on none is meant. */
const FIRST_FRESH = 0x2000;

type Kind = 'video' | 'audio' | 'graphics' | 'secondaryAudio';
const KINDS: readonly Kind[] = ['video', 'audio', 'graphics', 'secondaryAudio'];

const alike = (a: PlaylistStream, b: PlaylistStream) =>
  a.attributes.language === b.attributes.language && a.attributes.kind === b.attributes.kind && a.attributes.coding === b.attributes.coding;
const samePlace = (a: PlaylistStream, b: PlaylistStream) => a.pid === b.pid && a.subPath === b.subPath;

/** The entry of a table that a track goes on in; null where none does. */
function goesOnIn(
  track: PlaylistStream,
  index: number,
  list: readonly PlaylistStream[],
  used: ReadonlySet<PlaylistStream>,
): PlaylistStream | null {
  const free = list.filter((s) => !used.has(s) && alike(s, track));
  return free.find((s) => samePlace(s, track)) ?? free.find((s) => s === list[index]) ?? free[0] ?? null;
}

/** @param main the item whose table gives the order: the longest. */
export function alignStreams(playlist: Playlist, main: PlayItem): AlignedStreams {
  const tracks: Record<Kind, PlaylistStream[]> = {
    video: [...main.streams.video],
    audio: [...main.streams.audio],
    graphics: [...main.streams.graphics],
    secondaryAudio: [...main.streams.secondaryAudio],
  };
  let fresh = FIRST_FRESH;
  // Most items have the very same table: it is compared once.
  const tables = [...new Set(playlist.items.map((i) => i.streams))];
  const found = new Map<StreamTable, Map<PlaylistStream, PlaylistStream>>();
  for (const table of tables) {
    const pairs = new Map<PlaylistStream, PlaylistStream>();
    for (const kind of KINDS) {
      const list = table[kind];
      const used = new Set<PlaylistStream>();
      for (const [i, track] of tracks[kind].entries()) {
        const entry = goesOnIn(track, i, list, used);
        if (!entry) continue;
        used.add(entry);
        pairs.set(track, entry);
      }
      for (const entry of list) {
        if (used.has(entry)) continue;
        // What stands where another track does in other items is a track all the same, and goes by a number of its own.
        const isTaken = KINDS.some((k) => tracks[k].some((t) => samePlace(t, entry)));
        const track = isTaken ? { ...entry, pid: fresh++ } : entry;
        tracks[kind].push(track);
        pairs.set(track, entry);
      }
    }
    found.set(table, pairs);
  }
  const moved = new Map<StreamTable, readonly MovedStream[] | null>();
  for (const table of tables) {
    const pairs = found.get(table);
    const list = KINDS.flatMap((kind) => tracks[kind])
      .filter((t) => t.inMux)
      .flatMap((track): MovedStream[] => {
        const pid = pairs?.get(track)?.pid ?? null;
        return pid === track.pid ? [] : [{ stream: track.pid, pid }];
      });
    moved.set(table, list.length > 0 ? list : null);
  }
  return { ...tracks, moved: (item) => moved.get(item.streams) ?? null };
}
