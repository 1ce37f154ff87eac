import type { Forecast } from '@/core/queue';
import { moment, timeLeft } from '../format';

/** How long the queue will take, as a sentence; what can not be said yet is said so. */
export function queueTimeText({ seconds, atLeast, missing, ends }: Forecast, now = Date.now()): string {
  if (seconds !== null)
    return ends.size === 0 ? '' : `About ${timeLeft(seconds)} left, until ${moment(new Date(now + seconds * 1000).toISOString())}.`;
  const lacks = missing.some((w) => w.startsWith('master '))
    ? 'no disc was read from there yet'
    : missing.some((w) => w.startsWith('access '))
      ? 'one of the recipes was never used here'
      : 'some of it was never done here';
  return atLeast > 0 ? `More than ${timeLeft(atLeast)} left; ${lacks}.` : `How long is not known yet: ${lacks}.`;
}
