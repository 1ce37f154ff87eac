import { TARGETS, obstaclesOn, type CopyShape } from '@/core/recipes';
import { obstacleText } from '../words-recipes';

/** On which classes of players it plays, and what stands in the way of the others. */
export function PlaysOn({ shape }: { shape: CopyShape }) {
  return (
    <section aria-label="Plays on">
      <h3 className="smallcaps pb-1">Plays on</h3>
      <ul className="flex flex-col gap-0.5">
        {TARGETS.map((target) => {
          const obstacles = obstaclesOn(target, shape);
          return (
            <li key={target.id} className="grid grid-cols-[16px_minmax(0,1fr)] gap-x-1" title={target.from}>
              <span aria-hidden className={obstacles.length === 0 ? 'text-kept' : 'text-third'}>
                {obstacles.length === 0 ? '✓' : '–'}
              </span>
              <span>
                <span className={obstacles.length === 0 ? '' : 'text-second'}>
                  {obstacles.length > 0 && <span className="sr-only">not on </span>}
                  {target.name}
                </span>
                {obstacles.length > 0 && <span className="block text-[12px] text-second">{obstacles.map(obstacleText).join('; ')}</span>}
              </span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
