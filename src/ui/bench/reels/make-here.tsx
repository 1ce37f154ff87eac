import type { DraftReel } from '@/store/db';
import { droppedFile, makeDropped, stopDropped, useDropped } from '@/store/dropped';
import { Button } from '../../parts/controls';
import { useBench } from '../bench-context';

/** How many of the works under way are told of at a time. */
const MOST_SHOWN = 3;

/** Masters of an image that only this browser has are made in it. */
export function MakeHere({ waiting }: { waiting: readonly DraftReel[] }) {
  const { disc, places } = useBench();
  const nameOf = ({ id, reel }: DraftReel) => (places.get(id)?.path ?? reel.name).split('/').at(-1) ?? reel.name;
  const names = new Set([...places.values()].map((p) => p.path.split('/').at(-1)));
  const here = useDropped().filter((w) => names.has(w.name));
  if (!droppedFile(disc.fingerprint)) return null;
  /** Sound from files stands on the server: a browser that has only the image can not add it. */
  const masters = waiting.filter(({ reel }) => reel.recipes.includes('master') && !reel.addedAudio?.length);
  return (
    <div className="flex flex-col gap-1">
      <Button
        disabled={masters.length === 0 || here.some((w) => w.state !== 'done' && w.state !== 'failed')}
        title="Made in this browser from the image that was dropped, one after another; each is saved as a download once it is proven"
        onClick={() => {
          for (const draft of masters) makeDropped(disc.reading, draft.reel, nameOf(draft));
        }}
      >
        {masters.length > 1 ? `Make the ${masters.length} masters here` : 'Make the master here'}
      </Button>
      {here.slice(-MOST_SHOWN).map((w) => (
        <span key={w.id} role="status" className={`flex items-baseline gap-2 ${w.state === 'failed' ? 'text-damaged' : ''}`}>
          <span className="min-w-0 flex-1">
            {here.length > 1 ? `${w.name}: ` : ''}
            {w.message ?? `${w.state}${w.total > 0 ? `, ${Math.floor((100 * w.done) / w.total)} %` : ''}`}
          </span>
          {w.state !== 'done' && w.state !== 'failed' && (
            <button
              type="button"
              className="underline"
              onClick={() => {
                stopDropped(w.id);
              }}
            >
              stop
            </button>
          )}
        </span>
      ))}
    </div>
  );
}
