import { Info } from 'lucide-react';
import { Button, StateText } from '../parts/controls';
import { CoverageBar, coverageText } from '../parts/coverage-bar';
import { discSentence, remarkText } from '../words';
import { useBench } from './bench-context';

const MOST_REMARKS = 2;
const REMARK_STATE = { note: 'none', warning: 'eyes', fault: 'damaged' } as const;

/** What the disc is, what is to be known of it, and what has become of it. */
export function BenchHead() {
  const { disc, coverage, openDialog } = useBench();
  const remarks = disc.reading.remarks.filter((r) => r.title === null).slice(0, MOST_REMARKS);
  return (
    <div className="flex items-end justify-between gap-6">
      <div className="min-w-0">
        <div className="flex items-center gap-2">
          <h1 className="truncate font-serif text-[24px] leading-tight font-medium">{disc.name}</h1>
          <Button
            tone="quiet"
            aria-label="About this disc"
            title="About this disc"
            className="px-1.5"
            onClick={() => {
              openDialog({ kind: 'facts' });
            }}
          >
            <Info size={15} aria-hidden />
          </Button>
          <p className="min-w-0 truncate pt-1 font-serif text-[15px] text-second italic">{discSentence(disc.reading, disc.findings)}</p>
        </div>
        {remarks.map((r) => (
          <p key={r.detail} title={r.detail}>
            <StateText state={REMARK_STATE[r.severity]}>{remarkText(r)}</StateText>
          </p>
        ))}
      </div>
      <button
        type="button"
        className="block w-[min(380px,32vw)] shrink-0 text-right text-second hover:text-ink"
        title="What has become of this disc, and why"
        aria-label={`Coverage: ${coverageText(coverage)}. Show why`}
        onClick={() => {
          openDialog({ kind: 'coverage' });
        }}
      >
        <span className="block truncate pb-1 underline-offset-2 hover:underline">{coverageText(coverage)}</span>
        <CoverageBar coverage={coverage} />
      </button>
    </div>
  );
}
