import { DiscError, isDamage, throwIfCancelled, unlessDamaged, type ByteSource } from '../../bytes';
import {
  blockOf,
  buttonKey,
  findRoutes,
  followNavigation,
  levelsOf,
  parseTitleSet,
  parseVideoManager,
  type ButtonTable,
  type DvdCell,
  type DvdPgc,
  type DvdTitleEntry,
  type ParentalFields,
  type TitleSet,
  type VideoManager,
} from '../../dvd';
import { VIDEO_STREAM, readMenuButtons, readNavigationPack } from '../../streams';
import { SECTOR_BYTES, pathParts, type Volume } from '../../volume';
import {
  READING_VERSION,
  titleSetName,
  type CellSegment,
  type DamageStretch,
  type Chapter,
  type LooseStretch,
  type Reading,
  type Remark,
  type Title,
  type TitlePart,
  type TitleState,
} from '../model';
import { withLooks } from '../damage';
import { fingerprint } from '../fingerprint';
import { findLoose } from '../loose';
import type { ReadOptions } from '../progress';
import { probeStreams, type StreamProbe } from './probe';
import { reachOf } from './reach';
import { sampleTitles } from '../samples';
import { readWithBackup, type Copies } from '../structures';
import { dvdFileName, openInFolder, openTitleSetContent, type TitleSetContent } from './title-set-files';
import { audioTracks, subtitleTracks, videoTrack } from './tracks';

/** Sectors looked at for headers, at first and where a stream has not shown itself yet; for scrambling flags, per place. */
const FIRST_SECTORS = 24;
const PROBE_SECTORS = 160;
const SAMPLE_SECTORS = 8;
const SAMPLE_PLACES = [0.08, 0.5, 0.9] as const;
const MENU_SECTORS = 2;

interface ReadSet {
  readonly set: TitleSet;
  readonly content: TitleSetContent | null;
  /** Sector of the set's content in the disc's address space. */
  readonly base: number;
}

/**
 * Examines a DVD-Video volume: structures, menus, and a look at the first sectors of each title set.
 * Never scans streams. One bad title set hides no other: what is lost is said in `remarks`.
 * @param folder where VIDEO_TS.IFO stands.
 * @throws DiscError the main structure's own error when it and its backup are bad; `cancelled`.
 */
export async function readDvd(volume: Volume, folder: string, options: ReadOptions = {}): Promise<Reading> {
  const { signal, onProgress } = options;
  const remarks: Remark[] = [];
  if (volume.promisedBytes !== null && volume.sizeBytes < volume.promisedBytes) {
    remarks.push({
      code: 'image-cut-short',
      severity: 'fault',
      title: null,
      detail: `The file system promises ${volume.promisedBytes} bytes, there are ${volume.sizeBytes}`,
    });
  }
  const main = await readWithBackup(volume, copiesOf(folder, 0), parseVideoManager, (v) => v.faults, remarks);
  const manager = main.value;
  remarkFaults(manager.faults, null, remarks);
  const structureBytes = [main.bytes];

  // Also the sets that no title stands in: what is hidden there is on the disc all the same.
  const numbers = [...new Set([...manager.titles.map((t) => t.titleSet), ...(await presentSets(volume, folder, manager.titleSetCount))])]
    .filter((n) => n >= 1 && n <= 99)
    .sort((a, b) => a - b);
  const sets = new Map<number, ReadSet>();
  let base = 0;
  for (const [index, number] of numbers.entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'titleSet', done: index, total: numbers.length });
    try {
      const content = await openTitleSetContent(volume, folder, number).catch((error: unknown) => {
        if (!(error instanceof DiscError)) throw error;
        remarks.push({ code: 'structure-lost', severity: 'fault', title: null, detail: error.message });
        return null;
      });
      const read = await readWithBackup(
        volume,
        copiesOf(folder, number),
        (bytes, source) => parseTitleSet(bytes, number, source),
        (v) => v.faults,
        remarks,
        content && ((set) => cellAgreement(set, content.source)),
      );
      structureBytes.push(read.bytes);
      remarkFaults(read.value.faults, null, remarks);
      sets.set(number, { set: read.value, content, base: content?.firstSector ?? base });
      base += content ? Math.ceil(content.source.sizeBytes / SECTOR_BYTES) : 0;
    } catch (error) {
      if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
      remarks.push({ code: 'structure-lost', severity: 'fault', title: null, detail: `Title set ${number}: ${error.message}` });
    }
  }

  const segments = new Map<string, CellSegment>();
  const looked = new StreamLooks();
  const titles: Title[] = [];
  const lostContents = new Map<number, number>();
  /** What a player shows instead of a title at another parental level: numbered behind the disc's own titles. */
  const others: Title[] = [];
  let hidden = 0;
  for (const [index, entry] of manager.titles.entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'looking', done: index, total: manager.titles.length });
    const read = sets.get(entry.titleSet);
    const fields = manager.parental.get(entry.titleSet) ?? [];
    const versions = read ? parentalVersions(entry, read.set, fields) : [];
    const [first] = versions;
    const title = read && first ? await readTitle(entry, first, read, segments, looked, remarks) : null;
    if (title && read) {
      titles.push(title);
      for (const version of versions.slice(1)) {
        const number = manager.titles.length + hidden + 1;
        const other = await readTitle({ ...entry, number }, version, read, segments, looked, remarks);
        if (!other) continue;
        hidden++;
        others.push(other);
      }
    } else {
      remarks.push({
        code: 'structure-lost',
        severity: 'fault',
        title: entry.number,
        detail: `Title ${entry.number} could not be read`,
      });
      titles.push(await lostTitle(volume, folder, entry, lostContents));
    }
  }
  titles.push(...others);
  if (titles.length === 0) remarks.push({ code: 'no-titles', severity: 'fault', title: null, detail: 'No title could be read' });
  throwIfCancelled(signal, volume.name);
  onProgress?.({ step: 'menus', done: 0, total: 1 });
  const buttons = await readButtons(volume, folder, manager, sets, signal);
  for (const { code, detail } of volume.remarks) remarks.push({ code, severity: 'warning', title: null, detail });
  const loose: LooseStretch[] = [];
  for (const [number, { set, content, base: discSector }] of sets) {
    const used = [...segments.values()].filter((s) => s.titleSet === number);
    if (content) loose.push(...(await findLoose(number, content.source, used, set.pgcs, discSector)));
  }
  const samples = await sampleTitles(titles, segments, (name) => Promise.resolve(sets.get(Number(name.slice(4)))?.content?.source ?? null));
  const tables = new Map([...sets].map(([n, s]) => [n, s.set]));
  const followed = followNavigation(manager, tables, buttons);
  // Where running the commands leads nowhere, all that can happen is looked through.
  const routes = followed.length > 0 ? followed : findRoutes(manager, tables, buttons);
  const reading: Reading = {
    version: READING_VERSION,
    kind: 'DVD-Video',
    label: volume.label,
    fileSystem: volume.fileSystem,
    sizeBytes: volume.sizeBytes,
    fingerprint: await fingerprint(structureBytes),
    contents: numbers.length,
    names: [],
    javaMenus: false,
    titles: titles.map((t) => ({ ...t, sample: samples.get(t.number) ?? null })),
    segments: [...segments.values()],
    loose,
    damage: [],
    looked: null,
    routes,
    remarks,
  };
  const open = (name: string) => Promise.resolve(sets.get(Number(name.slice(4)))?.content?.source ?? null);
  return withLooks(reading, await missingSectors(segments, sets), open);
}

/** What titles need beyond the end of their contents. */
async function missingSectors(segments: ReadonlyMap<string, CellSegment>, sets: ReadonlyMap<number, ReadSet>): Promise<DamageStretch[]> {
  const missing: DamageStretch[] = [];
  for (const [number, { content }] of sets) {
    const lastSector = Math.max(-1, ...[...segments.values()].filter((s) => s.titleSet === number).map((s) => s.lastSector));
    if (!content || lastSector < 0) continue;
    const firstSector = Math.floor((await reachOf(content.source)) / SECTOR_BYTES);
    if (firstSector <= lastSector) missing.push({ content: titleSetName(number), firstSector, lastSector, cause: 'missing' });
  }
  return missing;
}

const copiesOf = (folder: string, titleSet: number): Copies => ({
  main: [[...pathParts(folder), dvdFileName(titleSet, 'IFO')].join('/')],
  backup: [[...pathParts(folder), dvdFileName(titleSet, 'BUP')].join('/')],
  compare: true,
});

/** Title sets that the manager counts and that are there. */
async function presentSets(volume: Volume, folder: string, count: number): Promise<number[]> {
  const names = new Set(((await volume.list(folder)) ?? []).map((e) => e.name.toUpperCase()));
  return Array.from({ length: count }, (_, i) => i + 1).filter((n) => names.has(dvdFileName(n, 'IFO')) || names.has(dvdFileName(n, 'BUP')));
}

/** Cells that are compared with the content; more of a disc made to confuse are not. */
const MOST_COMPARED_CELLS = 400;

/**
 * Share of a title set's cells that begin with their own navigation pack, and after which another begins or the content ends: what
 * tells which of two tables is the right one.
 */
async function cellAgreement(set: TitleSet, content: ByteSource): Promise<number> {
  const cells = set.pgcs.flatMap((pgc) => pgc?.cells ?? []).slice(0, MOST_COMPARED_CELLS);
  const sectors = Math.floor(content.sizeBytes / SECTOR_BYTES);
  const sector = new Uint8Array(SECTOR_BYTES);
  const packAt = async (at: number) => {
    const got = at < sectors ? await unlessDamaged(content.read(at * SECTOR_BYTES, sector), 0) : 0;
    return got === SECTOR_BYTES ? readNavigationPack(sector, 0) : null;
  };
  let agreeing = 0;
  for (const cell of cells) {
    const first = await packAt(cell.firstSector);
    const ends = cell.lastSector + 1 >= sectors ? cell.lastSector < sectors : (await packAt(cell.lastSector + 1)) !== null;
    if (first && first.vobId === cell.vobId && first.cellId === cell.cellId && ends) agreeing++;
  }
  return cells.length === 0 ? 0 : agreeing / cells.length;
}

function remarkFaults(faults: readonly DiscError[], title: number | null, remarks: Remark[]): void {
  for (const fault of faults) remarks.push({ code: 'table-damaged', severity: 'warning', title, detail: fault.message });
}

/** Remembers what was looked at, so that titles that share content are looked at once. */
class StreamLooks {
  private readonly probes = new Map<string, StreamProbe | null>();
  private readonly samples = new Map<string, boolean>();
  private readonly ends = new Map<string, Promise<boolean>>();

  async headers(read: ReadSet, segment: CellSegment): Promise<StreamProbe | null> {
    const key = `${segment.titleSet}/${segment.vobId}`;
    const setKey = `${segment.titleSet}/`;
    const known = this.probes.get(key) ?? (this.probes.size > 24 ? this.probes.get(setKey) : undefined);
    if (known !== undefined) return known;
    const sectors = segment.lastSector - segment.firstSector + 1;
    const first = await this.look(read, segment.firstSector, Math.min(FIRST_SECTORS, sectors));
    const complete = first !== null && first.video !== null && first.audio.size + first.lpcm.size >= read.set.audio.length;
    const probe = complete ? first : await this.look(read, segment.firstSector, Math.min(PROBE_SECTORS, sectors));
    this.probes.set(key, probe);
    if (!this.probes.has(setKey)) this.probes.set(setKey, probe);
    return probe;
  }

  async scrambled(read: ReadSet, segment: CellSegment): Promise<boolean> {
    const known = this.samples.get(segment.id);
    if (known !== undefined) return known;
    const looks = await Promise.all(
      SAMPLE_PLACES.map((place) =>
        this.look(read, segment.firstSector + Math.floor((segment.lastSector - segment.firstSector) * place), SAMPLE_SECTORS),
      ),
    );
    const found = looks.some((probe) => (probe?.scrambledPackets ?? 0) > 0);
    this.samples.set(segment.id, found);
    return found;
  }

  /** Can the last byte of this sector of the title set be read? A file system may promise more than the image has. */
  reaches(content: TitleSetContent, sector: number): Promise<boolean> {
    const key = `${content.source.name} ${sector}`;
    let known = this.ends.get(key);
    if (!known) {
      const sectors = Math.floor(content.source.sizeBytes / SECTOR_BYTES);
      const last = content.source.read(sector * SECTOR_BYTES + SECTOR_BYTES - 1, new Uint8Array(1));
      // A scratch is no end: what can not be read now is met again, and said, when the title is taken.
      known =
        sector < sectors
          ? last.then(
              (got) => got === 1,
              () => true,
            )
          : Promise.resolve(false);
      this.ends.set(key, known);
    }
    return known;
  }

  private async look(read: ReadSet, sector: number, sectors: number): Promise<StreamProbe | null> {
    if (!read.content) return null;
    try {
      return await probeStreams(read.content.source, sector, sectors);
    } catch (error) {
      if (!isDamage(error)) throw error;
      return null; // a scratch here is met again, and said, when the title is taken
    }
  }
}

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
  const order = named.order.map(shown);
  const parts: TitlePart[] = [];
  const own: CellSegment[] = [];
  const startOfCell = new Map<string, { part: number; ms: number }>();
  let ms = 0;
  let firstChain: DvdPgc | null = null;
  for (const number of order) {
    const pgc = set.pgcs[number - 1];
    if (!pgc) continue;
    firstChain ??= pgc;
    for (const cell of pgc.cells) {
      if (cell.lastSector < cell.firstSector) continue;
      const segment = segmentOf(cell, read);
      segments.set(segment.id, segments.get(segment.id) ?? segment);
      own.push(segment);
      startOfCell.set(`${number}/${cell.number}`, { part: parts.length, ms });
      parts.push({ segment: segment.id, angle: cell.angle, companion: null, seamless: cell.seamless, moved: null });
      if (cell.angle === null || cell.angle === 1) ms += cell.durationMs;
    }
  }
  if (!firstChain || parts.length === 0) return null;
  const chapters = readChapters(marks, set, startOfCell, ms);
  const first = own[0] as CellSegment;
  const probe = await looked.headers(read, first);
  const longest = own.reduce((a, b) => (b.lastSector - b.firstSector > a.lastSector - a.firstSector ? b : a));
  const state = await stateOf(entry.number, read, own, longest, probe, looked, remarks);
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
    durationMs: Math.abs(single - ms) < 2000 && single > 0 ? single : ms,
    sizeBytes: [...unique.values()].reduce((sum, s) => sum + (s.lastSector - s.firstSector + 1) * SECTOR_BYTES, 0),
    angles: Math.max(entry.angles, ...parts.map((p) => p.angle ?? 1)),
    chapters,
    parts,
    video: videoTrack(set.video, probe),
    audio: audioTracks(set, firstChain, probe),
    subtitles: subtitleTracks(set, firstChain),
    palette: firstChain.palette,
  };
}

/** What a second of an average DVD takes: only tells long from short where nothing else does. */
const USUAL_BYTES_PER_MS = 600;

/**
 * A title of which only the list of titles and the menus still know: its tables are gone, its backup too. It is listed, since the
 * best of what is left is not the disc's main title.
 * @param contents bytes of contents by title set, looked up once; the first title of a set is taken to have all of it.
 */
async function lostTitle(volume: Volume, folder: string, entry: DvdTitleEntry, contents: Map<number, number>): Promise<Title> {
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

/** Reads the button commands of every menu chain out of the first navigation packs of its cells. */
async function readButtons(
  volume: Volume,
  folder: string,
  manager: VideoManager,
  sets: ReadonlyMap<number, ReadSet>,
  signal: AbortSignal | undefined,
): Promise<ButtonTable> {
  const table = new Map<string, { commands: readonly Uint8Array[]; selected: number }>();
  const domains = [{ number: 0, menus: manager.menus }, ...[...sets].map(([number, s]) => ({ number, menus: s.set.menus }))];
  for (const domain of domains) {
    if (domain.menus.length === 0) continue;
    throwIfCancelled(signal, volume.name);
    const file = await openInFolder(volume, folder, dvdFileName(domain.number, 'VOB'));
    if (!file) continue;
    for (const menu of domain.menus) {
      const cell = menu.pgc.cells[0];
      if (!cell) continue;
      const data = new Uint8Array(MENU_SECTORS * SECTOR_BYTES);
      const got = await unlessDamaged(file.read(cell.firstSector * SECTOR_BYTES, data), 0);
      const buttons = got >= SECTOR_BYTES ? readMenuButtons(data, 0) : null;
      if (buttons) table.set(buttonKey(domain.number, menu.number, menu.language), buttons);
    }
  }
  return table;
}
