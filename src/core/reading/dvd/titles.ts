import { throwIfCancelled } from '../../bytes';
import {
  blockOf,
  chainsOfTitle,
  levelsOf,
  type DvdCell,
  type DvdTitleEntry,
  type ParentalFields,
  type TitleSet,
  type VideoManager,
} from '../../dvd';
import { SECTOR_BYTES, type Volume } from '../../volume';
import {
  ENDLESS_STILL_SECONDS,
  stillMs,
  type CellSegment,
  type Chapter,
  type Remark,
  type Title,
  type TitlePart,
  type TitleState,
} from '../model';
import { titleSetName } from '../title-set-name';
import type { ReadOptions } from '../progress';
import { cellTimeByClock } from './cell-times';
import { lostTitle } from './lost-title';
import type { StreamProbe } from './probe';
import { StreamLooks } from './stream-looks';
import type { ReadSet } from './title-sets';
import { audioTracks, paletteOf, subtitleTracks, videoTrack, type ChainInTitle } from './tracks';

function segmentOf(cell: DvdCell, read: ReadSet): CellSegment {
  const { set } = read;
  return {
    kind: 'cell',
    content: titleSetName(set.number),
    id: `${set.number}/${cell.vobId}.${cell.cellId}@${cell.firstSector}-${cell.lastSector}`,
    titleSet: set.number,
    vobId: cell.vobId,
    cellId: cell.cellId,
    firstSector: cell.firstSector,
    lastSector: cell.lastSector,
    discSector: read.base + cell.firstSector,
    durationMs: cell.durationMs,
    interleaved: cell.interleaved,
    seamless: cell.seamless,
    clockRestarts: cell.clockRestarts,
    stillSeconds: Number.isFinite(cell.stillSeconds) ? cell.stillSeconds : null,
  };
}

/** Program chains of a title in the order in which its chapters name them. */
function chainsOf(entry: DvdTitleEntry, set: TitleSet): { chapters: readonly { pgc: number; program: number }[]; order: number[] } {
  const chapters = set.chapters[entry.titleInSet - 1] ?? [];
  const order = [...new Set(chapters.map((c) => c.pgc))];
  // Where the chapter table was lost, the chain of the same number is the best there is.
  return chapters.length ? { chapters, order } : { chapters: [{ pgc: entry.titleInSet, program: 1 }], order: [entry.titleInSet] };
}

/** One of the versions of a title of which a player shows one by its parental level. */
interface ParentalVersion {
  /** Chains that stand in for those that the chapters name. */
  readonly instead: ReadonlyMap<number, number>;
  readonly levels: readonly number[] | null;
}

/** The versions of a title, the one that its chapters name first; only that one where there is no parental block. */
function parentalVersions(entry: DvdTitleEntry, set: TitleSet, fields: ParentalFields): ParentalVersion[] {
  const { order } = chainsOf(entry, set);
  const own = order.find((chain) => blockOf(set.places, chain).length > 1);
  if (own === undefined) return [{ instead: new Map(), levels: null }];
  const block = blockOf(set.places, own);
  return [own, ...block.filter((chain) => chain !== own)].map((chain) => ({
    instead: new Map([[own, chain]]),
    levels: levelsOf(set.places[chain - 1]?.mask ?? 0, fields),
  }));
}

async function readTitle(
  entry: DvdTitleEntry,
  version: ParentalVersion,
  read: ReadSet,
  segments: Map<string, CellSegment>,
  looked: StreamLooks,
  remarks: Remark[],
): Promise<Title | null> {
  const { set } = read;
  const named = chainsOf(entry, set);
  const shown = (chain: number) => version.instead.get(chain) ?? chain;
  const marks = named.chapters.map(({ pgc, program }) => ({ pgc: shown(pgc), program }));
  const order = chainsOfTitle(set, entry.titleInSet, named.order.map(shown));
  const parts: TitlePart[] = [];
  const own: CellSegment[] = [];
  const startOfCell = new Map<string, { part: number; ms: number }>();
  let ms = 0;
  let byClocks = 0;
  let stills = 0;
  const chains: (ChainInTitle & { readonly from: number; to: number })[] = [];
  for (const number of order) {
    const pgc = set.pgcs[number - 1];
    if (!pgc) continue;
    const from = parts.length;
    for (const said of pgc.cells) {
      if (said.lastSector < said.firstSector) continue;
      const byClock = read.content && (await cellTimeByClock(read.content.source, said));
      const cell = byClock === null ? said : { ...said, durationMs: byClock };
      if (byClock !== null) byClocks++;
      const segment = segmentOf(cell, read);
      segments.set(segment.id, segments.get(segment.id) ?? segment);
      own.push(segment);
      startOfCell.set(`${number}/${cell.number}`, { part: parts.length, ms });
      const { stillSeconds } = segment;
      const part = {
        segment: segment.id,
        angle: cell.angle,
        companion: null,
        seamless: cell.seamless,
        moved: null,
        ...(stillSeconds === segments.get(segment.id)?.stillSeconds ? {} : { stillSeconds }),
      };
      parts.push(part);
      const still = stillMs(part, segment);
      if (cell.angle !== null && cell.angle !== 1) continue;
      ms += cell.durationMs + still;
      stills += still;
    }
    if (parts.length > from)
      chains.push({ chain: pgc, probe: await looked.headers(read, own[from] as CellSegment), from, to: parts.length });
  }
  const firstChain = chains[0]?.chain;
  if (!firstChain) return null;
  if (byClocks > 0) {
    const detail = `Lengths of ${byClocks} cells of title ${entry.number} can not be as its table says: the clock of the content is believed`;
    remarks.push({ code: 'table-damaged', severity: 'note', title: entry.number, detail });
  }
  if (stills > 0) {
    const detail = `Pictures stand still in it for ${Math.round(stills / 1000)} s in all, as the disc says; one that waits for the viewer for ${ENDLESS_STILL_SECONDS} s`;
    remarks.push({ code: 'stills', severity: 'note', title: entry.number, detail });
  }
  const chapters = readChapters(marks, set, startOfCell, ms);
  const probe = chains[0]?.probe ?? null;
  const longest = own.reduce((a, b) => (b.lastSector - b.firstSector > a.lastSector - a.firstSector ? b : a));
  const state = await stateOf(entry.number, read, own, longest, probe, looked, remarks);
  const [audio, subtitles] = [audioTracks(set, chains), subtitleTracks(set, chains)];
  chains.forEach(({ from, to }, i) => {
    const moved = [...(audio.moved[i] ?? []), ...(subtitles.moved[i] ?? [])];
    if (moved.length > 0) for (let p = from; p < to; p++) parts[p] = { ...(parts[p] as TitlePart), moved };
  });
  const unique = new Map(own.map((s) => [s.id, s]));
  const single = order.length === 1 && entry.angles === 1 ? firstChain.durationMs : 0;
  return {
    number: entry.number,
    titleSet: entry.titleSet,
    titleInSet: entry.titleInSet,
    playlist: null,
    over: null,
    levels: version.levels,
    measured: null,
    sample: null,
    state,
    // The chain's own time loses at most one frame to rounding, the sum of its cells one per cell.
    durationMs: Math.abs(single + stills - ms) < 2000 && single > 0 ? single + stills : ms,
    sizeBytes: [...unique.values()].reduce((sum, s) => sum + (s.lastSector - s.firstSector + 1) * SECTOR_BYTES, 0),
    angles: Math.max(entry.angles, ...parts.map((p) => p.angle ?? 1)),
    chapters,
    parts,
    video: videoTrack(set.video, probe),
    audio: audio.tracks,
    subtitles: subtitles.tracks,
    palette: paletteOf(chains),
  };
}

function readChapters(
  marks: readonly { pgc: number; program: number }[],
  set: TitleSet,
  startOfCell: ReadonlyMap<string, { part: number; ms: number }>,
  endMs: number,
): Chapter[] {
  const starts: { part: number; ms: number }[] = [];
  for (const mark of marks) {
    const cell = set.pgcs[mark.pgc - 1]?.programs[mark.program - 1];
    const start = cell === undefined ? undefined : startOfCell.get(`${mark.pgc}/${cell}`);
    if (start && (starts.length === 0 || start.ms >= (starts[starts.length - 1]?.ms ?? 0))) starts.push(start);
  }
  if (starts.length === 0) starts.push({ part: 0, ms: 0 });
  return starts.map((start, i) => ({
    number: i + 1,
    startMs: start.ms,
    durationMs: (starts[i + 1]?.ms ?? endMs) - start.ms,
    firstPart: start.part,
    damaged: false,
    name: null,
  }));
}

async function stateOf(
  title: number,
  read: ReadSet,
  own: readonly CellSegment[],
  longest: CellSegment,
  probe: StreamProbe | null,
  looked: StreamLooks,
  remarks: Remark[],
): Promise<TitleState> {
  const { content } = read;
  if (!content) return 'unreadable';
  const lastSector = Math.max(...own.map((s) => s.lastSector));
  const readable = await looked.reaches(content, lastSector);
  // The beginning has been looked at; often only the film itself is scrambled, and not from its first picture on.
  if ((probe?.scrambledPackets ?? 0) > 0 || (await looked.scrambled(read, longest))) {
    remarks.push({ code: 'scrambled', severity: 'fault', title, detail: `Packets of title ${title} carry scrambling flags` });
    return 'scrambled';
  }
  if (!readable) {
    remarks.push({
      code: 'beyond-end',
      severity: 'fault',
      title,
      detail: `Title ${title} goes on to sector ${lastSector} of its title set, the content ends before it`,
    });
  }
  return 'usable'; // what is missing is put in at the end, for all titles at once
}

/**
 * Reads every title of the disc's list, and behind them what a player shows instead of one at another parental level. One that can
 * not be read is listed all the same, and remarked.
 * @param segments what titles consist of is added to. @throws DiscError `cancelled`.
 */
export async function readTitles(
  volume: Volume,
  folder: string,
  manager: VideoManager,
  sets: ReadonlyMap<number, ReadSet>,
  { signal, onProgress }: ReadOptions,
  segments: Map<string, CellSegment>,
  remarks: Remark[],
): Promise<Title[]> {
  const looked = new StreamLooks();
  const titles: Title[] = [];
  const others: Title[] = [];
  const lostContents = new Map<number, number>();
  for (const [index, entry] of manager.titles.entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'looking', done: index, total: manager.titles.length });
    const read = sets.get(entry.titleSet);
    const [first, ...more] = read ? parentalVersions(entry, read.set, manager.parental.get(entry.titleSet) ?? []) : [];
    const title = read && first ? await readTitle(entry, first, read, segments, looked, remarks) : null;
    if (!title || !read) {
      const detail = `Title ${entry.number} could not be read`;
      remarks.push({ code: 'structure-lost', severity: 'fault', title: entry.number, detail });
      titles.push(await lostTitle(volume, folder, entry, lostContents));
      continue;
    }
    titles.push(title);
    for (const version of more) {
      const number = manager.titles.length + others.length + 1;
      const other = await readTitle({ ...entry, number }, version, read, segments, looked, remarks);
      if (other) others.push(other);
    }
  }
  return [...titles, ...others];
}
