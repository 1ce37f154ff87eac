import { useLiveQuery } from 'dexie-react-hooks';
import { useMemo } from 'react';
import { QUALITY, type Recipe, type TrialResult, type TriedPicture } from '@/core/recipes';
import { catalogue } from './archive';
import type { TrialRecord } from './db';

/** Trials that were made: what they said counts for as long as title and settings are the same. */

/** Everything of a recipe that the size and the nearness of its picture depend on; its name and its sound do not. */
export function settingsOf({ video, picture, speed, views, subtitles }: Recipe): string {
  const usual = video.codec === 'as it is' || video.codec === 'FFV1' ? null : QUALITY[video.codec].usual;
  // A quality that is not chosen is the usual one, also where somebody chose just that.
  const quality = video.rate ? null : (video.quality ?? usual);
  return JSON.stringify([{ ...video, quality }, picture, speed, views, subtitles.drawn]);
}

export async function rememberTrial(fingerprint: string, title: number, recipe: Recipe, ms: number, result: TrialResult): Promise<void> {
  await catalogue().trials.put({ fingerprint, title, settings: settingsOf(recipe), ms, result, at: new Date().toISOString() });
}

const NONE: readonly TrialRecord[] = [];

/** All that were made of a disc; live. */
export const useTrials = (fingerprint: string): readonly TrialRecord[] =>
  useLiveQuery(() => catalogue().trials.where('fingerprint').equals(fingerprint).toArray(), [fingerprint]) ?? NONE;

/** What a trial said of a title with these settings; null where none was made. */
export const trialOf = (trials: readonly TrialRecord[], title: number, recipe: Recipe): TrialRecord | null =>
  trials.find((t) => t.title === title && t.settings === settingsOf(recipe)) ?? null;

/** The same for estimates. */
export function useTried(fingerprint: string): (title: number, recipe: Recipe) => TriedPicture | null {
  const trials = useTrials(fingerprint);
  return useMemo(
    () => (title, recipe) => {
      const found = trialOf(trials, title, recipe);
      return found && { bytes: found.result.pictureBytes, ms: found.ms };
    },
    [trials],
  );
}
