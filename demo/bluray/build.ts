import { mkdir, writeFile } from 'node:fs/promises';
import path from 'node:path';
import type { Building } from '../building';
import { inParallel } from '../run';
import { authorBluray, type BlurayPlan } from './author';
import { makeClip } from './clips';
import { makeSoundClip } from './sound-clip';

/** Raise when the way of authoring changes, so that cached discs are made anew. */
const AUTHORING_VERSION = 6;
/** Of discs with two views. */
const VIEWS_VERSION = 4;

/** Blu-rays, each a thing to be made by itself: an image, or a disc folder. Plans do not share clips. @param cache the folder that they stand in. */
export function blurayBuildings(plans: readonly BlurayPlan[], cache: string): Building[] {
  return plans.map((plan) => ({
    id: plan.id,
    name: plan.label,
    target: path.join(cache, 'discs', plan.asFolder ? plan.label : `${plan.label}.iso`),
    how: [AUTHORING_VERSION, plan, ...(plan.twoViews ? [VIEWS_VERSION] : [])],
    work: plan.clips.reduce((sum, clip) => sum + (clip.secondView === undefined ? 1 : 3) * clip.seconds, 0),
    make: async (target, folder) => {
      const clips = await inParallel(
        2,
        plan.clips.map((clip) => async () => {
          const own = path.join(folder, 'clips', clip.name);
          await mkdir(own, { recursive: true });
          return makeClip(clip, own);
        }),
      );
      const sounds = await Promise.all((plan.soundClips ?? []).map((clip) => makeSoundClip(clip, folder)));
      await authorBluray(plan, [...clips.flat(), ...sounds], target);
      // What streams held before they were authored: tests compare with this, not with what our own reader says.
      const truths = clips.flat().flatMap((c) => (c.truth ? [[c.name, c.truth] as const] : []));
      if (truths.length > 0) await writeFile(path.join(cache, `truth-${plan.id}.json`), JSON.stringify(Object.fromEntries(truths)));
      const views = clips.flat().flatMap((c) => (c.views ? [[c.name, c.views] as const] : []));
      if (views.length > 0) await writeFile(path.join(cache, `views-${plan.id}.json`), JSON.stringify(Object.fromEntries(views)));
    },
  }));
}
