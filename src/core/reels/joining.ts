import type { Title } from '../reading';

/**
 * Says why two titles can not be joined without re-encoding; null where they can.
 * Only what the container must know once for the whole file counts.
 */
export function joinProblem(first: Title, second: Title): string | null {
  const [a, b] = [first.video, second.video];
  if (a.codec !== b.codec || a.widthPixels !== b.widthPixels || a.heightPixels !== b.heightPixels || a.frameTicks !== b.frameTicks) {
    return `Titles ${first.number} and ${second.number} have pictures of different kind`;
  }
  const [wide, high] = [a.displayAspect[0] * b.displayAspect[1], b.displayAspect[0] * a.displayAspect[1]];
  if (wide !== high)
    return `Titles ${first.number} and ${second.number} have pictures of different shape (${a.displayAspect.join(':')} and ${b.displayAspect.join(':')}): a file has one. Make a reel of each`;
  if ((a.secondView === null) !== (b.secondView === null)) return `Only one of titles ${first.number} and ${second.number} has two views`;
  return null;
}
