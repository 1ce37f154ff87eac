import { findRoles, type Findings } from '@/core/findings';
import { mergeMeasures, withDamage, type DamageStretch, type Reading, type TitleMeasure } from '@/core/reading';
import { NO_TAGS, nameOfDisc } from '@/core/reels';
import { sourceKey, type JobState, type SourceRef } from '@/contract';
import type { Catalogue } from './db';

const MAX_SOURCES = 8;

/** Puts a reading into the catalogue; `ref` is null for an image that only this browser has seen. A disc that is already there keeps its name, and gains a source. */
export async function keepReading(
  db: Catalogue,
  reading: Reading,
  findings: Findings,
  ref: SourceRef | null,
  sourceName: string,
  thorough = false,
  now = new Date().toISOString(),
): Promise<void> {
  await db.transaction('rw', db.discs, async () => {
    const before = await db.discs.get(reading.fingerprint);
    const same = (other: SourceRef) => ref !== null && sourceKey(other) === sourceKey(ref);
    const [last] = before?.sources ?? [];
    // A quick reading of the same copy knows nothing of what jobs and scans have met on it.
    const damage = before && !thorough && last && same(last.ref) ? before.reading.damage.filter((d) => d.cause !== 'missing') : [];
    const known = damage.length > 0 ? withDamage(reading, [...reading.damage, ...damage]) : reading;
    await db.discs.put({
      fingerprint: reading.fingerprint,
      name: before?.name ?? nameOfDisc(reading),
      reading: before ? withMeasures(known, before.reading) : known,
      findings: damage.length > 0 ? findRoles(known) : findings,
      sources: [...(ref ? [{ ref, name: sourceName }] : []), ...(before?.sources ?? []).filter((s) => !same(s.ref))].slice(0, MAX_SOURCES),
      addedAt: before?.addedAt ?? now,
      tags: before?.tags ?? NO_TAGS,
      firstEpisode: before?.firstEpisode ?? null,
      labels: before?.labels ?? [],
      readAt: now,
    });
  });
}

/** What was measured of a disc is true of every copy of it: reading it again keeps that. */
function withMeasures(reading: Reading, before: Reading): Reading {
  const known = new Map(before.titles.map((t) => [t.number, t.measured]));
  return { ...reading, titles: reading.titles.map((t) => ({ ...t, measured: t.measured ?? known.get(t.number) ?? null })) };
}

/** Keeps what was measured of a title with the disc's reading. */
export async function keepMeasure(db: Catalogue, fingerprint: string, title: number, measured: TitleMeasure): Promise<void> {
  await db.discs
    .where('fingerprint')
    .equals(fingerprint)
    .modify((disc) => {
      const titles = disc.reading.titles.map((t) => (t.number === title ? { ...t, measured: mergeMeasures(t.measured, measured) } : t));
      Object.assign(disc, { reading: { ...disc.reading, titles } });
    });
}

/** Damage that a job met while it read belongs to the disc's reading: the map shows it, and later reels know of it. */
export async function keepDamage(db: Catalogue, job: JobState): Promise<void> {
  if (job.stretches.length === 0) return;
  await db.transaction('rw', db.discs, async () => {
    const disc = await db.discs.get(job.fingerprint);
    if (!disc) return;
    const known = (d: DamageStretch) =>
      disc.reading.damage.some((k) => k.content === d.content && k.firstSector <= d.firstSector && k.lastSector >= d.lastSector);
    const fresh = job.stretches.filter((d) => !known(d));
    if (fresh.length === 0) return;
    const reading = withDamage(disc.reading, [...disc.reading.damage, ...fresh]);
    await db.discs.put({ ...disc, reading, findings: findRoles(reading) });
  });
}

/** Makes the jobs as last seen agree with the engine's: what it no longer knows stays only where it had ended. */
export async function reconcileJobs(db: Catalogue, fromEngine: readonly JobState[]): Promise<void> {
  const known = new Set(fromEngine.map((j) => j.id));
  await db.transaction('rw', db.jobs, async () => {
    const lost = await db.jobs.filter((j) => !known.has(j.id) && !['done', 'failed', 'cancelled'].includes(j.state)).primaryKeys();
    await db.jobs.bulkDelete(lost);
    await db.jobs.bulkPut([...fromEngine]);
  });
}
