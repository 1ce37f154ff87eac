import type { FixityCheck } from '@/contract';
import { dayTime } from '../format';
import { CHECKED, CHECK_MARK } from '../words-checks';
import { StateText } from './controls';

/** What checks of a file have found over time. */
export function CheckList({ checks }: { checks: readonly FixityCheck[] }) {
  return (
    <ul className="max-h-28 overflow-y-auto">
      {checks.map((c) => (
        <li key={c.at} className="flex justify-between gap-3">
          <StateText state={CHECK_MARK[c.result]}>{CHECKED[c.result]}</StateText>
          <span className="text-second">{dayTime(c.at)}</span>
        </li>
      ))}
    </ul>
  );
}
