import type { ReadingTask } from '@/contract';
import { call } from '@/store/api';
import { readingText } from '../words-queue';
import { Bar, Button } from './controls';
import { ProblemNote } from './problem-note';
import { useAction } from './use-action';

export const isUnderWay = (task: ReadingTask): boolean => task.state === 'reading' || task.state === 'waiting';

/** A reading under way: what it is doing, and the way to stop it. */
export function ReadingProgress({ task }: { task: ReadingTask }) {
  const action = useAction();
  const { done, total } = task.progress;
  return (
    <div className="mt-1.5">
      <div className="mb-1 flex items-center justify-between gap-2 text-second">
        <span>{readingText(task)}</span>
        <Button
          tone="quiet"
          className="-my-1"
          busy={action.busy}
          onClick={() => void action.run(() => call('cancelReading', { id: task.id }))}
        >
          Cancel
        </Button>
      </div>
      <Bar value={total > 0 ? done / total : null} label={`Reading ${task.name}`} />
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}
