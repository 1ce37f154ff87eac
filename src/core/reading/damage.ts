import { DiscError, throwIfCancelled, unlessDamaged, type ByteSource } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import { packCheck, packetCheck, type ContentCheck } from './content-check';
import type { DamageStretch, Looked, Reading, Segment, Title } from './model';

const overlaps = (segment: Segment, stretch: DamageStretch) =>
  segment.content === stretch.content && segment.firstSector <= stretch.lastSector && segment.lastSector >= stretch.firstSector;

/** Segments that stand wholly or partly in damage, by id. */
export function damagedSegments(reading: Pick<Reading, 'segments' | 'damage'>): ReadonlyMap<string, DamageStretch> {
  const found = new Map<string, DamageStretch>();
  if (reading.damage.length === 0) return found;
  for (const segment of reading.segments) {
    const stretch = reading.damage.find((d) => overlaps(segment, d));
    if (stretch) found.set(segment.id, stretch);
  }
  return found;
}

/** A stretch of a title's playing time that can not be had whole. */
export interface DamagedTime {
  readonly fromMs: number;
  readonly toMs: number;
  readonly cause: DamageStretch['cause'];
}

/** Where damage lies in a title's playing time, to within a segment; stretches that touch are one. */
export function damagedTimes(title: Title, reading: Pick<Reading, 'segments' | 'damage'>): DamagedTime[] {
  const damaged = damagedSegments(reading);
  const segments = new Map(reading.segments.map((s) => [s.id, s]));
  const times: DamagedTime[] = [];
  let ms = 0;
  for (const part of title.parts) {
    if (part.angle !== null && part.angle !== 1) continue;
    const end = ms + (segments.get(part.segment)?.durationMs ?? 0);
    const stretch = damaged.get(part.segment);
    const last = times[times.length - 1];
    if (stretch && last?.toMs === ms && last.cause === stretch.cause) times[times.length - 1] = { ...last, toMs: end };
    else if (stretch) times.push({ fromMs: ms, toMs: end, cause: stretch.cause });
    ms = end;
  }
  return times;
}

/**
 * Puts damage into a reading: which chapters it touches, and which titles can still be taken in part.
 * What is protected or could not be opened stays so.
 */
export function withDamage(reading: Reading, damage: readonly DamageStretch[]): Reading {
  const damaged = damagedSegments({ segments: reading.segments, damage });
  const titles = reading.titles.map((title): Title => {
    if (title.state === 'scrambled' || title.state === 'unreadable') return title;
    const chapters = title.chapters.map((chapter, i) => {
      const end = title.chapters[i + 1]?.firstPart ?? title.parts.length;
      return { ...chapter, damaged: title.parts.slice(chapter.firstPart, end).some((p) => damaged.has(p.segment)) };
    });
    const hurt = chapters.some((c) => c.damaged);
    return { ...title, chapters, state: !hurt ? 'usable' : chapters.every((c) => c.damaged) ? 'cut short' : 'damaged' };
  });
  return { ...reading, titles, damage };
}

/** Three sectors are 32 source packets: a multiple of both, so that no packet reaches over two chunks. */
const CHUNK_SECTORS = 510;
/** Places of one disc that are looked at sector by sector; a disc with more has nothing to gain from exactness. */
const MOST_SEARCHED = 64;

/** What looks into the content of a disc of this kind. */
export const contentCheckFor = (reading: Pick<Reading, 'kind'>): ContentCheck =>
  reading.kind === 'DVD-Video' ? packCheck() : packetCheck();

/** Adds a run of sectors to a list of stretches; those that touch are one. */
function addStretch(found: DamageStretch[], content: string, firstSector: number, lastSector: number, cause: DamageStretch['cause']): void {
  const last = found[found.length - 1];
  if (last?.content === content && last.cause === cause && last.lastSector + 1 >= firstSector)
    found[found.length - 1] = { ...last, lastSector: Math.max(last.lastSector, lastSector) };
  else found.push({ content, firstSector, lastSector, cause });
}

/** Sectors that a title needs: what stands between them is nobody's, and need not be packs. */
function neededSectors(reading: Reading, content: string): (sector: number) => boolean {
  const own = reading.segments.filter((s) => s.content === content);
  let known = own[0];
  return (sector) => {
    if (known && sector >= known.firstSector && sector <= known.lastSector) return true;
    known = own.find((s) => sector >= s.firstSector && sector <= s.lastSector) ?? known;
    return known !== undefined && sector >= known.firstSector && sector <= known.lastSector;
  };
}

/**
 * Reads everything that titles need once, on request, and notes what can not be read, and what holds something else than belongs
 * there: zeroed, overwritten or repeated sectors, which give no read error. Takes as long as reading the disc.
 * @returns the stretches, joined where they touch; those already known as missing are kept.
 * @throws DiscError `cancelled`.
 */
export async function scanForDamage(
  reading: Reading,
  open: (content: string) => Promise<ByteSource>,
  options: { readonly signal?: AbortSignal; readonly onProgress?: (doneBytes: number, totalBytes: number) => void } = {},
): Promise<DamageStretch[]> {
  const missing = reading.damage.filter((d) => d.cause === 'missing');
  const found: DamageStretch[] = [...missing];
  const contents = new Map<string, { first: number; last: number }>();
  for (const s of reading.segments) {
    const run = contents.get(s.content) ?? { first: s.firstSector, last: s.lastSector };
    contents.set(s.content, { first: Math.min(run.first, s.firstSector), last: Math.max(run.last, s.lastSector) });
  }
  const total = [...contents.values()].reduce((sum, r) => sum + r.last - r.first + 1, 0) * SECTOR_BYTES;
  let done = 0;
  let searched = 0;
  const buffer = new Uint8Array(CHUNK_SECTORS * SECTOR_BYTES);
  for (const [content, run] of contents) {
    const source = await open(content);
    const end = Math.min(run.last + 1, ...missing.filter((d) => d.content === content).map((d) => d.firstSector));
    const reads = async (sector: number, sectors: number) => {
      try {
        await source.read(sector * SECTOR_BYTES, buffer.subarray(0, sectors * SECTOR_BYTES));
        return true;
      } catch (error) {
        if (!(error instanceof DiscError) || error.code !== 'read-failed') throw error;
        return false;
      }
    };
    const note = (firstSector: number, lastSector: number) => {
      addStretch(found, content, firstSector, lastSector, 'unreadable');
    };
    const check = contentCheckFor(reading);
    const isNeeded = neededSectors(reading, content);
    const wrong = (sector: number) => {
      if (isNeeded(sector)) addStretch(found, content, sector, sector, 'spoilt');
    };
    for (let sector = run.first - (run.first % 3); sector < end; sector += CHUNK_SECTORS) {
      throwIfCancelled(options.signal, reading.label);
      const sectors = Math.min(CHUNK_SECTORS, end - sector);
      if (await reads(sector, sectors)) check.look(buffer.subarray(0, sectors * SECTOR_BYTES), sector, wrong);
      else {
        check.jump();
        if (searched++ < MOST_SEARCHED) await search(sector, sectors, reads, note, options.signal, reading.label);
        else note(sector, sector + sectors - 1);
      }
      done += sectors * SECTOR_BYTES;
      options.onProgress?.(done, total);
    }
  }
  return found;
}

/** Halves an unreadable run until single sectors are told apart. */
async function search(
  sector: number,
  sectors: number,
  reads: (sector: number, sectors: number) => Promise<boolean>,
  note: (first: number, last: number) => void,
  signal: AbortSignal | undefined,
  name: string,
): Promise<void> {
  throwIfCancelled(signal, name);
  if (sectors === 1) {
    note(sector, sector);
    return;
  }
  const half = sectors >> 1;
  for (const [from, count] of [
    [sector, half],
    [sector + half, sectors - half],
  ] as const)
    if (!(await reads(from, count))) await search(from, count, reads, note, signal, name);
}

/** Places looked into while a disc is read, and sectors at each: a cheap sample of what a scan would see. */
const SAMPLED_PLACES = 32;
const SAMPLED_SECTORS = 9;

/**
 * Looks into a few places along everything that titles need.
 * @returns what holds something else than belongs there, and how much was looked at of how much.
 */
export async function sampleContent(
  reading: Reading,
  open: (content: string) => Promise<ByteSource | null>,
): Promise<{ readonly damage: DamageStretch[]; readonly looked: Looked }> {
  const damage: DamageStretch[] = [];
  const of = reading.segments.reduce((sum, s) => sum + s.lastSector - s.firstSector + 1, 0);
  const buffer = new Uint8Array(SAMPLED_SECTORS * SECTOR_BYTES);
  let sectors = 0;
  let passed = 0;
  let next = of / SAMPLED_PLACES / 2;
  for (const segment of reading.segments) {
    const length = segment.lastSector - segment.firstSector + 1;
    for (; next < passed + length; next += Math.max(1, of / SAMPLED_PLACES)) {
      const within = segment.firstSector + Math.min(Math.floor(next - passed), Math.max(0, length - SAMPLED_SECTORS));
      const first = segment.kind === 'clip' ? within - (within % 3) : within;
      const count = Math.min(SAMPLED_SECTORS, segment.lastSector - first + 1);
      const source = await open(segment.content);
      const got = source ? await unlessDamaged(source.read(first * SECTOR_BYTES, buffer.subarray(0, count * SECTOR_BYTES)), 0) : 0;
      const whole = Math.floor(got / SECTOR_BYTES);
      sectors += whole;
      const check = contentCheckFor(reading);
      // Where the content stands on the disc is not looked at from so little of it.
      check.look(buffer.subarray(0, whole * SECTOR_BYTES), first, (sector) => {
        if (sector >= segment.firstSector && sector <= segment.lastSector) addStretch(damage, segment.content, sector, sector, 'spoilt');
      });
    }
    passed += length;
  }
  return { damage, looked: { sectors, of } };
}

/** What is known to be unreadable without reading it: the map of an image says so. */
async function knownGaps(reading: Reading, open: (content: string) => Promise<ByteSource | null>): Promise<DamageStretch[]> {
  const found: DamageStretch[] = [];
  for (const content of new Set(reading.segments.map((s) => s.content))) {
    const source = await unlessDamaged(open(content), null);
    for (const { from, to } of source?.gaps?.(0, source.sizeBytes) ?? [])
      addStretch(found, content, Math.floor(from / SECTOR_BYTES), Math.ceil(to / SECTOR_BYTES) - 1, 'unreadable');
  }
  return found;
}

/** Puts what is missing, and what a few looks into the content have shown, into a reading. */
export async function withLooks(
  reading: Reading,
  absent: readonly DamageStretch[],
  open: (content: string) => Promise<ByteSource | null>,
): Promise<Reading> {
  const missing = [...absent, ...(await knownGaps(reading, open))];
  // What can not be taken anyway is not looked into: enciphered content looks like spoilt one.
  const takeable = new Set(reading.titles.filter((t) => t.state === 'usable').flatMap((t) => t.parts.map((p) => p.segment)));
  const segments = reading.segments.filter((s) => takeable.has(s.id));
  if (segments.length === 0) return withDamage(reading, missing);
  const { damage, looked } = await sampleContent({ ...reading, segments }, open);
  const spoilt = damage.reduce((sum, d) => sum + d.lastSector - d.firstSector + 1, 0);
  const remarks =
    spoilt === 0
      ? reading.remarks
      : [
          ...reading.remarks,
          {
            code: 'content-spoilt' as const,
            severity: 'fault' as const,
            title: null,
            detail: `${spoilt} of ${looked.sectors} sectors looked into hold something else than belongs there`,
          },
        ];
  return withDamage({ ...reading, looked, remarks }, [...missing, ...damage]);
}
