import { WIDTH_OF_DEPTH } from '../recipes/recipe';
import { canBeTaken, type Reading, type Title } from '../reading';
import type { OtherEye, Piece, Reel } from './model';

/** Whether the first of a title's two views is the right eye's: as somebody has said, else as the disc does. */
export const firstIsRight = ({ secondView }: Pick<Title['video'], 'secondView'>, { firstEye }: Pick<Reel, 'firstEye'>): boolean =>
  firstEye ? firstEye === 'right' : (secondView?.baseIsRight ?? false);

/** What a reel takes of its disc: its pieces, and of the other eye's title the same. */
export const takenPieces = ({ pieces, otherEye }: Pick<Reel, 'pieces' | 'otherEye'>): readonly Piece[] =>
  otherEye ? [...pieces, ...pieces.map((p) => ({ ...p, title: otherEye.title, angle: otherEye.angle }))] : pieces;

/** Titles last as long as each other that differ by no more pictures. */
const MOST_APART = 2;
const MOST_OFFERED = 12;

/**
 * Pictures of other titles, or of another angle, that may be what the other eye sees of a reel of one piece: of the same size, rate and
 * length, with as many chapters.
 */
export function otherEyes({ titles }: Pick<Reading, 'titles'>, title: Title, { pieces }: Pick<Reel, 'pieces'>): OtherEye[] {
  const [piece, ...more] = pieces;
  if (!piece || more.length > 0 || title.video.secondView) return [];
  const { video, durationMs, chapters } = title;
  const isAlike = (other: Title): boolean =>
    canBeTaken(other) &&
    other.video.secondView === null &&
    other.video.widthPixels === video.widthPixels &&
    other.video.heightPixels === video.heightPixels &&
    other.video.frameTicks === video.frameTicks &&
    Math.abs(other.durationMs - durationMs) <= (MOST_APART * video.frameTicks) / 27_000 &&
    other.chapters.length === chapters.length;
  const pictures = titles
    .filter(isAlike)
    .flatMap((t) => Array.from({ length: Math.max(1, t.angles) }, (_, i) => ({ title: t.number, angle: i + 1 })));
  return pictures
    .filter((p) => p.title !== piece.title || p.angle !== piece.angle)
    .slice(0, MOST_OFFERED)
    .flatMap((p) => [
      { ...p, eye: 'right' as const },
      { ...p, eye: 'left' as const },
    ]);
}

/** How far subtitles can be told to stand before or behind the screen: pixels of `WIDTH_OF_DEPTH`, as far as discs can say. */
export const MOST_DEPTH = 63;

/**
 * How far in front of the screen subtitles stand before all that samples of both views show where they are drawn: pixels of 1,920 in each
 * eye; null where nothing there comes out of the screen, and where nobody looked.
 */
export function depthInFront({ video, measured }: Pick<Title, 'video' | 'measured'>, reel: Pick<Reel, 'firstEye'>): number | null {
  const below = measured?.picture?.eyes?.below;
  if (!below || !video.secondView) return null;
  const isSwapped = firstIsRight(video, reel) !== video.secondView.baseIsRight;
  const nearest = isSwapped ? -below.farthest : below.nearest;
  if (nearest >= 0) return null;
  // Half of it in each eye; and one more, since distances were measured in whole samples.
  return Math.min(MOST_DEPTH, Math.ceil((-nearest / 100) * (WIDTH_OF_DEPTH / 2)) + 1);
}
