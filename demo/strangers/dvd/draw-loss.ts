import type { Draw } from '../draw';
import type { DvdPlan } from './plan';

/** The same disc, of which its author lost a pack of a sound, somewhere in its middle; null where it has no sound. */
export function drawDvdLoss(draw: Draw, plan: DvdPlan): DvdPlan | null {
  const heard = plan.sets.flatMap((set, s) =>
    set.vobs.flatMap((vob, v) => vob.sounds.map((sound, i) => ({ s, v, i, codec: sound.codec }))),
  );
  if (heard.length === 0) return null;
  const { s, v, i, codec } = draw.oneOf(heard);
  draw.kinds.add(codec);
  const lost = { sound: i, share: draw.between(30, 70) / 100 };
  const sets = plan.sets.map((set, at) =>
    at === s ? { ...set, vobs: set.vobs.map((vob, n) => (n === v ? { ...vob, lost } : vob)) } : set,
  );
  return { ...plan, sets };
}
