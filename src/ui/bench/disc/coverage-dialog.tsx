'use client';

import { damagedTimes, type Reading, type Title } from '@/core/reading';
import type { Coverage, Proposal, Reel } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { bytes, clock, plural } from '../../format';
import { Button, StateText } from '../../parts/controls';
import { COVERAGE_PARTS, percentOf } from '../../parts/coverage-bar';
import { Modal } from '../../parts/modal';
import { GROUND, roleOf } from '../../words';

const SECTOR_BYTES = 2048;

/** What stands on the disc and no title plays. */
function Loose({ reading, onShow }: { reading: Reading; onShow: (id: string) => void }) {
  return (
    <section aria-label="Nothing leads to" className="pt-3">
      <h3 className="smallcaps">Nothing leads to</h3>
      <ul>
        {reading.loose.slice(0, 200).map((s) => (
          <li key={s.id} className="flex items-center gap-3 border-b border-faint py-1 last:border-0">
            <span className="min-w-0 flex-1">
              {s.content}, {plural(s.lastSector - s.firstSector + 1, 'sector')} from {s.discSector.toLocaleString('en-GB')}
              <span className="text-second">{s.chain === null ? '' : `; played by program chain ${s.chain}, which no title names`}</span>
            </span>
            <span className="text-second">
              {s.durationMs === null ? 'length not said' : clock(s.durationMs)}, {bytes((s.lastSector - s.firstSector + 1) * SECTOR_BYTES)}
            </span>
            <Button
              className="px-2 py-0.5"
              onClick={() => {
                onShow(s.id);
              }}
            >
              Show it
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Titles that no reel takes, and whose decision that was. */
function Left({
  titles,
  disc,
  proposal,
  onTitle,
}: {
  titles: readonly Title[];
  disc: DiscRecord;
  proposal: Proposal | null;
  onTitle: (title: number) => void;
}) {
  const found = new Map(disc.findings.titles.map((f) => [f.title, f]));
  const reasonOf = (title: number) => {
    const decision = proposal?.decisions.find((d) => d.title === title);
    return decision && !decision.taken ? `left by the rules: ${GROUND[decision.ground]}` : 'left by you';
  };
  return (
    <section aria-label="Left" className="pt-3">
      <h3 className="smallcaps">Left, and why</h3>
      <ul>
        {titles.map((t) => {
          const finding = found.get(t.number);
          return (
            <li key={t.number} className="grid grid-cols-[70px_64px_minmax(0,1fr)_minmax(0,1fr)] items-baseline gap-2 py-0.5">
              <button
                type="button"
                className="text-left text-accent hover:underline"
                onClick={() => {
                  onTitle(t.number);
                }}
              >
                Title {t.number}
              </button>
              <span className="text-right">{clock(t.durationMs)}</span>
              <span className="truncate">{finding ? roleOf(finding) : ''}</span>
              <span className="truncate text-second">{reasonOf(t.number)}</span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** What has become of a disc, part by part: what is left and why, what is damaged and where, what nothing leads to. */
export function CoverageDialog({
  disc,
  coverage,
  proposal,
  reels,
  onTitle,
  onStretch,
  onClose,
}: {
  disc: DiscRecord;
  coverage: Coverage;
  proposal: Proposal | null;
  reels: readonly Reel[];
  onTitle: (title: number) => void;
  /** Shows a stretch on the map. */
  onStretch: (id: string) => void;
  onClose: () => void;
}) {
  const { reading } = disc;
  const taken = new Set(reels.flatMap((r) => r.pieces.map((p) => p.title)));
  const left = reading.titles.filter((t) => !taken.has(t.number) && t.state !== 'scrambled');
  const hurt = reading.titles.flatMap((t) => {
    const times = damagedTimes(t, reading);
    return times.length > 0 ? [{ title: t, times }] : [];
  });
  return (
    <Modal title="What has become of this disc" onClose={onClose}>
      <table className="w-full">
        <tbody>
          {COVERAGE_PARTS.map(([kind, colour, name]) => (
            <tr key={kind} className={`border-b border-faint last:border-0 ${coverage[kind].bytes > 0 ? '' : 'text-third'}`}>
              <td className="w-6 py-1">
                <span className={`inline-block size-3 rounded-[2px] border border-line ${colour}`} aria-hidden />
              </td>
              <th scope="row" className="text-left font-normal">
                {name}
              </th>
              <td className="text-right">{clock(coverage[kind].ms)}</td>
              <td className="w-24 text-right">{bytes(coverage[kind].bytes)}</td>
              <td className="w-16 text-right">{percentOf(coverage, kind)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
      {reading.looked && (
        <p className="pt-2 text-second">
          Looked into while reading: {reading.looked.sectors.toLocaleString('en-GB')} of {plural(reading.looked.of, 'sector')}
          {reading.damage.length === 0 ? ', nothing wrong in them. ' : '. '}
          Every sector is looked into when a master is made, or on request: the button beside the source.
        </p>
      )}
      {reading.loose.length > 0 && (
        <Loose
          reading={reading}
          onShow={(id) => {
            onStretch(id);
            onClose();
          }}
        />
      )}
      {hurt.length > 0 && (
        <section aria-label="Damaged" className="pt-3">
          <h3 className="smallcaps">Damaged</h3>
          <ul>
            {hurt.map(({ title, times }) => (
              <li key={title.number} className="py-0.5">
                <StateText state="damaged">
                  Title {title.number}: {times.map((t) => `${clock(t.fromMs)} to ${clock(t.toMs)}`).join(', ')}
                </StateText>
              </li>
            ))}
          </ul>
        </section>
      )}
      {left.length > 0 && (
        <Left
          titles={left}
          disc={disc}
          proposal={proposal}
          onTitle={(title) => {
            onTitle(title);
            onClose();
          }}
        />
      )}
    </Modal>
  );
}
