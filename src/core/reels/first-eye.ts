import type { Title } from '../reading';
import type { Reel } from './model';

/** Whether the first of a title's two views is the right eye's: as somebody has said, else as the disc does. */
export const firstIsRight = ({ secondView }: Pick<Title['video'], 'secondView'>, { firstEye }: Pick<Reel, 'firstEye'>): boolean =>
  firstEye ? firstEye === 'right' : (secondView?.baseIsRight ?? false);
