import type { TitleFinding } from '@/core/findings';
import { canBeTaken, damagedTimes, type Title } from '@/core/reading';
import { bytes, clock, numbers, plural } from '../../format';
import { StateText } from '../../parts/controls';
import { GROUND, evidenceText, remarkText, videoText } from '../../words';
import { useBench } from '../bench-context';
import { PictureMeasure } from './measures';

/** Differences shown; the rest is for comparing side by side. */
const MOST_DIFFERENCES = 12;
const MOST_EVIDENCE = 4;

/** Where a cut differs from the main title, and with which chapters the works in a long title seem to begin. */
function Differences({ finding }: { finding: TitleFinding }) {
  const main = finding.evidence.find((e) => e.kind === 'shares')?.titles[0];
  if (finding.divisions.length > 0)
    return <p className="pt-1 text-second">Works of like length begin with chapters {numbers(finding.divisions)}.</p>;
  if (finding.differences.length === 0 || main === undefined) return null;
  return (
    <table className="mt-1.5 w-full text-[12.5px]">
      <thead>
        <tr className="text-left text-second">
          <th className="font-normal">at</th>
          <th className="font-normal">only here</th>
          <th className="font-normal">only in title {main}</th>
        </tr>
      </thead>
      <tbody>
        {finding.differences.slice(0, MOST_DIFFERENCES).map((d) => (
          <tr key={`${d.atMs}-${d.otherAtMs}`}>
            <td>{clock(d.atMs)}</td>
            <td>{d.ms > 0 ? clock(d.ms) : '–'}</td>
            <td>{d.otherMs > 0 ? `${clock(d.otherMs)} at ${clock(d.otherAtMs)}` : '–'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What a title was found to be and by what, where it is hurt, and what was remarked about it. */
export function TitleFindings({ title, taken }: { title: Title; taken: boolean }) {
  const { disc, proposal } = useBench();
  const finding = disc.findings.titles.find((f) => f.title === title.number);
  const decision = proposal.decisions.find((d) => d.title === title.number);
  if (!finding) return null;
  return (
    <div className="px-3.5 py-2">
      {decision && !decision.taken && !taken && canBeTaken(title) && (
        <p className="pb-1 text-second">Left by the house rules: {GROUND[decision.ground]}.</p>
      )}
      <p className="text-second">
        {finding.role === 'unusable' ? '' : `${Math.floor(finding.confidence * 100)} % sure: `}
        {finding.evidence.slice(0, MOST_EVIDENCE).map((e, i) => (
          <span key={e.kind}>
            {i > 0 && ', '}
            <span className={i < 2 ? 'font-semibold text-ink' : ''}>{evidenceText(e)}</span>
          </span>
        ))}
        .
      </p>
      <Differences finding={finding} />
      {damagedTimes(title, disc.reading).map((d) => (
        <p key={d.fromMs} className="pt-1">
          <StateText state="damaged">
            {clock(d.fromMs)} to {clock(d.toMs)}: {d.cause === 'missing' ? 'not in this source' : 'can not be read'}
          </StateText>
        </p>
      ))}
      {disc.reading.remarks
        .filter((r) => r.title === title.number)
        .map((r) => (
          <p key={r.code + r.detail} className="pt-1">
            <StateText state={r.severity === 'fault' ? 'damaged' : 'eyes'}>{remarkText(r)}</StateText>
          </p>
        ))}
    </div>
  );
}

/** What the disc says of a title, and what was measured of its picture. */
export function TitleFacts({ title }: { title: Title }) {
  return (
    <div className="grid grid-cols-[64px_minmax(0,1fr)] gap-x-2 px-3.5 py-2">
      <span className="text-second">picture</span>
      <span>{videoText(title)}</span>
      <span className="text-second">length</span>
      <span>
        {clock(title.durationMs)}, {bytes(title.sizeBytes)}, {plural(title.chapters.length, 'chapter')}
        {title.angles > 1 ? `, ${plural(title.angles, 'angle')}` : ''}
      </span>
      <PictureMeasure title={title} />
      {title.levels && (
        <>
          <span className="text-second">shown</span>
          <span>{title.levels.length > 0 ? `at parental levels ${numbers(title.levels)}` : 'at no parental level'}</span>
        </>
      )}
    </div>
  );
}
