import type { Forecast } from '@/core/queue';
import { moment, timeLeft } from '../format';

/** How long the queue will take, in words; what can not be said yet is said so. */
export function queueTimeText({ seconds, missing, ends }: Forecast, now = Date.now()): string {
  if (seconds !== null)
    return ends.size === 0 ? '' : `about ${timeLeft(seconds)} left, until ${moment(new Date(now + seconds * 1000).toISOString())}`;
  const known = Math.max(0, ...ends.values());
  const lacks = missing.some((w) => w.startsWith('master '))
    ? 'reading from here'
    : missing.some((w) => w.startsWith('access '))
      ? 'one of its recipes'
      : 'this work';
  return `${known > 0 ? `more than ${timeLeft(known)} left; ` : ''}how long is known once ${lacks} was done for the first time`;
}
