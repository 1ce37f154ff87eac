import type { Coverage } from '@/core/reels';

/** What can become of a disc's material: kind, colour, words. */
export const COVERAGE_PARTS = [
  ['kept', 'bg-kept', 'in the vault'],
  ['planned', 'bg-planned', 'planned'],
  ['open', 'bg-line', 'not taken'],
  ['unusable', 'hatch text-damaged', 'can not be taken'],
  ['unexplained', 'hatch text-second', 'nothing leads to it'],
] as const;

export const percentOf = (coverage: Coverage, kind: (typeof COVERAGE_PARTS)[number][0]): number =>
  coverage.total.ms > 0 ? Math.round((100 * coverage[kind].ms) / coverage.total.ms) : 0;

/** "in the vault 88 %, not taken 12 %". */
export function coverageText(coverage: Coverage): string {
  return (
    COVERAGE_PARTS.filter(([kind]) => percentOf(coverage, kind) > 0)
      .map(([kind, , name]) => `${name} ${percentOf(coverage, kind)} %`)
      .join(' · ') || 'nothing on it'
  );
}

/** What has become of a disc's minutes. */
export function CoverageBar({ coverage, className = '' }: { coverage: Coverage; className?: string }) {
  return (
    <div
      role="img"
      aria-label={coverageText(coverage)}
      title={coverageText(coverage)}
      className={`flex h-2 gap-px overflow-hidden rounded-[2px] bg-faint ${className}`}
    >
      {COVERAGE_PARTS.map(([kind, colour]) =>
        coverage[kind].ms > 0 ? (
          <div key={kind} className={colour} style={{ width: `${(100 * coverage[kind].ms) / coverage.total.ms}%` }} />
        ) : null,
      )}
    </div>
  );
}
