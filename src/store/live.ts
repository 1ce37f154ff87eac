import { useLiveQuery } from 'dexie-react-hooks';
import type { HouseRules } from '@/core/reels';
import type { JobState } from '@/contract';
import { catalogue, useArchive } from './archive';
import type { DiscRecord, DraftRecord } from './db';
import { nextEpisode } from './facts';
import { findOrder, type KeptOrder } from './repair';
import { readRules } from './rules';

/** What pages show of the catalogue, live. `undefined` while it is being looked up; the pages know of no tables. */

export function useDiscCount(): number | null {
  const open = useArchive();
  const isOpen = open !== null && !open.isTooNew;
  return useLiveQuery(() => (isOpen ? catalogue().discs.count() : Promise.resolve(0)), [isOpen]) ?? null;
}

export const useDiscs = (): DiscRecord[] | undefined => useLiveQuery(() => catalogue().discs.toArray(), []);

/** Those read last. */
export const useRecentDiscs = (most: number): DiscRecord[] | undefined =>
  useLiveQuery(() => catalogue().discs.orderBy('readAt').reverse().limit(most).toArray(), [most]);

export const useDrafts = (): DraftRecord[] | undefined => useLiveQuery(() => catalogue().drafts.toArray(), []);

/** Jobs as they were last seen. */
export const useKnownJobs = (): JobState[] | undefined => useLiveQuery(() => catalogue().jobs.toArray(), []);

/** @param id the beginning of its fingerprint. @returns null where there is none. */
export const useDisc = (id: string): DiscRecord | null | undefined =>
  useLiveQuery(async () => (await catalogue().discs.where('fingerprint').startsWith(id).first()) ?? null, [id]);

export const useLastDisc = (): DiscRecord | null | undefined =>
  useLiveQuery(async () => (await catalogue().discs.orderBy('readAt').last()) ?? null, []);

/** The rules as they are kept. */
export const useKeptRules = (): HouseRules | undefined => useLiveQuery(readRules, []);

/** Number of the episode that a disc of a series begins with, going by the other discs. */
export const useNextEpisode = (fingerprint: string, series: string, season: number | null): number | undefined =>
  useLiveQuery(() => nextEpisode(catalogue(), fingerprint, series, season), [fingerprint, series, season]);

export const useSeriesNames = (): string[] | undefined =>
  useLiveQuery(async () => [...new Set((await catalogue().discs.toArray()).map((d) => d.tags.series).filter((s) => s !== ''))], []);

/** What this browser has of a job whose order was lost. */
export const useKeptOrder = (jobId: string): KeptOrder | null | undefined => useLiveQuery(() => findOrder(jobId), [jobId]);

/** The disc that was read last of those of which nothing has been sent to the queue yet. */
export const useNextDisc = (besides: string): DiscRecord | null | undefined =>
  useLiveQuery(async () => {
    const begun = new Set(
      (await catalogue().drafts.toArray()).filter((d) => d.reels.some((r) => r.jobId !== null)).map((d) => d.fingerprint),
    );
    const next = catalogue()
      .discs.orderBy('readAt')
      .reverse()
      .filter((d) => d.fingerprint !== besides && !begun.has(d.fingerprint) && d.reading.titles.some((t) => t.state === 'usable'));
    return (await next.first()) ?? null;
  }, [besides]);

/** A disc by its fingerprint, for what is said of it once. */
export const discNamed = async (fingerprint: string): Promise<DiscRecord | null> => (await catalogue().discs.get(fingerprint)) ?? null;
