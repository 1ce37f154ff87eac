import { Columns2, Redo2, Undo2, WandSparkles } from 'lucide-react';
import { plural } from '../../format';
import { Button } from '../../parts/controls';
import { Switch } from '../../parts/switch';
import { useKept } from '../../parts/use-kept';
import { useBench } from '../bench-context';
import { PlaceFields, QueueBox, useQueueing } from './queue-box';
import { ReelCards } from './reel-card';
import { ReelList } from './reel-list';

/** So many reels stand beside each other as cards; more are a list, unless somebody has chosen. */
const MOST_CARDS = 3;

/** What will be made: the reels, where they go, and the one main action. */
export function ReelsStrip({ dragged }: { dragged: readonly number[] }) {
  const { draft, reels, commands, openDialog } = useBench();
  const [wish, setWish] = useKept('reels-as', ['by number', 'cards', 'list'], 'by number');
  const queueing = useQueueing();
  const shape = wish === 'by number' ? (reels.length > MOST_CARDS ? 'list' : 'cards') : wish;
  return (
    <section aria-label="What will be made" className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-x-1 gap-y-1.5">
        <h2 className="pr-1 font-serif text-[15px] font-semibold">{plural(reels.length, 'reel')}</h2>
        {reels.length > 1 && (
          <Switch
            label="Shape of the reels"
            value={shape}
            onChange={setWish}
            options={[
              { value: 'cards', name: 'cards' },
              { value: 'list', name: 'list' },
            ]}
          />
        )}
        <Button
          tone="quiet"
          onClick={() => draft.undo?.()}
          disabled={!draft.undo}
          aria-label="Undo"
          title="Undo (Ctrl Z)"
          className="px-1.5"
        >
          <Undo2 size={14} aria-hidden />
        </Button>
        <Button
          tone="quiet"
          onClick={() => draft.redo?.()}
          disabled={!draft.redo}
          aria-label="Redo"
          title="Redo (Ctrl Shift Z)"
          className="px-1.5"
        >
          <Redo2 size={14} aria-hidden />
        </Button>
        <Button
          tone="quiet"
          onClick={() => void commands.proposeAgain()}
          title="What is not on the queue is proposed anew by the house rules"
        >
          <WandSparkles size={14} aria-hidden /> By the house rules
        </Button>
        <Button
          tone="quiet"
          onClick={() => {
            openDialog({ kind: 'compare' });
          }}
          title="Compare the title with another (C)"
        >
          <Columns2 size={14} aria-hidden /> Compare
        </Button>
        <PlaceFields queueing={queueing} />
      </div>
      <div className={`flex gap-4 ${shape === 'list' ? 'h-[186px]' : ''}`}>
        {reels.length === 0 ? (
          <p className="flex flex-1 items-center justify-center rounded-[8px] border border-dashed border-line py-8 text-second">
            No reel yet: select a title on the map and take it.
          </p>
        ) : shape === 'list' ? (
          <ReelList dragged={dragged} />
        ) : (
          <ReelCards dragged={dragged} />
        )}
        <QueueBox queueing={queueing} />
      </div>
    </section>
  );
}
