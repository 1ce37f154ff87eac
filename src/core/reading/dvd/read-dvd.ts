import { throwIfCancelled } from '../../bytes';
import { findRoutes, followNavigation, parseVideoManager } from '../../dvd';
import { SECTOR_BYTES, type Volume } from '../../volume';
import { READING_VERSION, type CellSegment, type DamageStretch, type LooseStretch, type Reading, type Remark } from '../model';
import { titleSetName } from '../title-set-name';
import { withLooks } from '../damage';
import { fingerprint } from '../fingerprint';
import { findLoose } from '../loose';
import type { ReadOptions } from '../progress';
import { sampleTitles } from '../samples';
import { cutShort, readWithBackup } from '../structures';
import { readButtons } from './buttons';
import { reachOf } from './reach';
import { copiesOf, readTitleSets, remarkFaults, type ReadSet } from './title-sets';
import { readTitles } from './titles';

/**
 * Examines a DVD-Video volume: structures, menus, and a look at the first sectors of each title set.
 * Never scans streams. One bad title set hides no other: what is lost is said in `remarks`.
 * @param folder where VIDEO_TS.IFO stands.
 * @throws DiscError the main structure's own error when it and its backup are bad; `cancelled`.
 */
export async function readDvd(volume: Volume, folder: string, options: ReadOptions = {}): Promise<Reading> {
  const { signal, onProgress } = options;
  const remarks: Remark[] = cutShort(volume);
  const main = await readWithBackup(volume, copiesOf(folder, 0), parseVideoManager, (v) => v.faults, remarks);
  const manager = main.value;
  remarkFaults(manager.faults, null, remarks);
  const structures = [main.bytes];
  const { sets, count } = await readTitleSets(volume, folder, manager, options, structures, remarks);
  const segments = new Map<string, CellSegment>();
  const titles = await readTitles(volume, folder, manager, sets, options, segments, remarks);
  if (titles.length === 0) remarks.push({ code: 'no-titles', severity: 'fault', title: null, detail: 'No title could be read' });
  throwIfCancelled(signal, volume.name);
  onProgress?.({ step: 'menus', done: 0, total: 1 });
  const buttons = await readButtons(volume, folder, manager, sets, signal);
  for (const { code, detail } of volume.remarks) remarks.push({ code, severity: 'warning', title: null, detail });
  const open = (name: string) => Promise.resolve(sets.get(Number(name.slice('VTS_'.length)))?.content?.source ?? null);
  const samples = await sampleTitles(titles, segments, open);
  const tables = new Map([...sets].map(([n, s]) => [n, s.set]));
  const followed = followNavigation(manager, tables, buttons);
  const reading: Reading = {
    version: READING_VERSION,
    kind: 'DVD-Video',
    label: volume.label,
    fileSystem: volume.fileSystem,
    sizeBytes: volume.sizeBytes,
    fingerprint: await fingerprint(structures),
    contents: count,
    names: [],
    javaMenus: false,
    titles: titles.map((t) => ({ ...t, sample: samples.get(t.number) ?? null })),
    segments: [...segments.values()],
    loose: await looseStretches(segments, sets),
    damage: [],
    looked: null,
    // Where running the commands leads nowhere, all that can happen is looked through.
    routes: followed.length > 0 ? followed : findRoutes(manager, tables, buttons),
    remarks,
  };
  return withLooks(reading, await missingSectors(segments, sets), open);
}

/** What of the title sets no title leads to. */
async function looseStretches(segments: ReadonlyMap<string, CellSegment>, sets: ReadonlyMap<number, ReadSet>): Promise<LooseStretch[]> {
  const loose: LooseStretch[] = [];
  for (const [number, { set, content, base }] of sets) {
    const used = [...segments.values()].filter((s) => s.titleSet === number);
    if (content) loose.push(...(await findLoose(number, content.source, used, set.pgcs, base)));
  }
  return loose;
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
