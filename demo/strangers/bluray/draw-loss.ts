import type { Draw } from '../draw';
import { GROUP } from '../streams';
import type { BlurayPlan, ClipPlan, Omission } from './plan';

/** Segments of an event: five that show it, three that clear it; of those, the window is needed by nobody. */
export const SEGMENTS = 8;
const NEEDED = [0, 1, 2, 3, 4, 5, 7] as const;

/** A jump of stamps that so few follow may be an end that an encoder made. LPCM is judged in runs of four packets. */
const LEAST_BEHIND = 50;

/** What can be lost of a clip, such that what stands round it tells: the first and the last of a stream of sound tell nobody. */
function drawOmission(draw: Draw, { picture, groups, sounds, graphics }: ClipPlan): Omission {
  const kinds: Omission[] = [{ kind: 'picture', stream: 0, packet: draw.between(1, groups * GROUP - 1) }];
  if (picture.codec === 'H.264') kinds.push({ kind: 'emptied', stream: 0, packet: draw.between(0, groups - 1) * GROUP });
  sounds.forEach(({ frames }, stream) => {
    if (frames > 2 * LEAST_BEHIND) kinds.push({ kind: 'sound', stream, packet: draw.between(2, frames - LEAST_BEHIND) });
  });
  graphics.forEach(({ events }, stream) => {
    if (events.length > 0)
      kinds.push({ kind: 'graphics', stream, packet: draw.between(0, events.length - 1) * SEGMENTS + draw.oneOf(NEEDED) });
  });
  return draw.oneOf(kinds);
}

/** The same disc, of which its author lost something. */
export function drawLoss(draw: Draw, plan: BlurayPlan): BlurayPlan {
  const clip = draw.between(0, plan.clips.length - 1);
  const lost = drawOmission(draw, plan.clips[clip] as ClipPlan);
  const what = lost.kind === 'sound' ? (plan.clips[clip]?.sounds[lost.stream]?.codec ?? '') : '';
  draw.kinds.add(`${lost.kind} ${what}`.trim());
  return { ...plan, clips: plan.clips.map((c, i) => (i === clip ? { ...c, lost } : c)) };
}
