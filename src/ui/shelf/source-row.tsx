'use client';

import type { FoundSource, ReadingTask, SourceRef } from '@/contract';
import { bytes } from '../format';
import { Button } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { ReadingProgress, isUnderWay } from '../parts/reading-progress';
import { useAction } from '../parts/use-action';
import { lastTask, startReading } from './readings';

/** An image or a disc folder that a place has. */
export function SourceRow({ source, tasks, known }: { source: FoundSource; tasks: readonly ReadingTask[]; known: boolean }) {
  const action = useAction();
  const ref: SourceRef = { kind: 'place', root: source.root, path: source.path };
  const task = lastTask(tasks, ref);
  const reading = task && isUnderWay(task) ? task : null;
  return (
    <li className="border-b border-faint px-3 py-1.5 last:border-0">
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate" title={source.path}>
          {source.name}
        </span>
        <span className="text-third">{source.sizeBytes === null ? 'folder' : bytes(source.sizeBytes)}</span>
        {!reading && (
          <Button
            tone={known ? 'quiet' : 'plain'}
            className="-my-0.5"
            onClick={() => void action.run(() => startReading(ref))}
            busy={action.busy}
            aria-label={`Read ${source.name}`}
          >
            {known ? 'Read again' : 'Read'}
          </Button>
        )}
      </div>
      {reading && <ReadingProgress task={reading} />}
      {task?.state === 'failed' && task.problem && (
        <div className="my-1">
          <ProblemNote problem={task.problem} />
        </div>
      )}
      {task?.state === 'cancelled' && <p className="text-second">Reading was cancelled.</p>}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </li>
  );
}
