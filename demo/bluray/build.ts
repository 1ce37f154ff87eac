import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { inParallel } from '../run';
import { authorBluray, type BlurayPlan } from './author';
import { makeClip } from './clips';
import { makeSoundClip } from './sound-clip';

/** Raise when the way of authoring changes, so that cached discs are made anew. */
const AUTHORING_VERSION = 5;
/** Of discs with two views. */
const VIEWS_VERSION = 4;

/**
 * Builds Blu-ray discs where they are not yet there, or were made by an older version. Clips of the same name in several
 * plans are made once each: plans do not share them.
 * @returns finished images and folders by id.
 */
export async function buildBlurays(
  plans: readonly BlurayPlan[],
  cache: string,
  say: (line: string) => void,
): Promise<ReadonlyMap<string, string>> {
  const targets = new Map(plans.map((p) => [p.id, path.join(cache, 'discs', p.asFolder ? p.label : `${p.label}.iso`)]));
  await mkdir(path.join(cache, 'discs'), { recursive: true });
  for (const plan of plans) {
    const target = targets.get(plan.id) ?? '';
    const stampFile = path.join(cache, `stamp-${plan.id}`);
    const stamp = createHash('sha256')
      .update(JSON.stringify([AUTHORING_VERSION, plan, ...(plan.twoViews ? [VIEWS_VERSION] : [])]))
      .digest('hex');
    if (existsSync(target) && existsSync(stampFile) && (await readFile(stampFile, 'utf8')) === stamp) continue;
    const work = path.join(cache, `work-${plan.id}`);
    await rm(work, { recursive: true, force: true });
    await mkdir(work, { recursive: true });
    const clips = await inParallel(
      2,
      plan.clips.map((clip) => () => makeClip(clip, work)),
    );
    const sounds = await Promise.all((plan.soundClips ?? []).map((clip) => makeSoundClip(clip, work)));
    await authorBluray(plan, [...clips.flat(), ...sounds], target);
    // What streams held before they were authored: tests compare with this, not with what our own reader says.
    const truths = clips.flat().flatMap((c) => (c.truth ? [[c.name, c.truth] as const] : []));
    if (truths.length > 0) await writeFile(path.join(cache, `truth-${plan.id}.json`), JSON.stringify(Object.fromEntries(truths)));
    const views = clips.flat().flatMap((c) => (c.views ? [[c.name, c.views] as const] : []));
    if (views.length > 0) await writeFile(path.join(cache, `views-${plan.id}.json`), JSON.stringify(Object.fromEntries(views)));
    await rm(work, { recursive: true, force: true });
    await writeFile(stampFile, stamp);
    say(`  disc ${plan.label}`);
  }
  return targets;
}
