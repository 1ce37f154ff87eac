import type { Problem } from '@/contract';
import { Mark } from './controls';

/** What happened, what is safe, and what to do. */
export function ProblemNote({ problem, onClose }: { problem: Problem; onClose?: () => void }) {
  return (
    <div role="alert" className="flex items-start gap-2 rounded-[6px] border border-damaged/50 bg-card px-3 py-2">
      <span className="pt-0.5">
        <Mark state="damaged" />
      </span>
      <div className="min-w-0 flex-1">
        <p className="break-words">{problem.message}</p>
        <p className="text-second">{problem.whatToDo}</p>
      </div>
      {onClose && (
        <button type="button" className="text-second hover:text-ink" onClick={onClose}>
          Close
        </button>
      )}
    </div>
  );
}
