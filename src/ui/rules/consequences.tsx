'use client';

import { useMemo } from 'react';
import { MASTER } from '@/core/recipes';
import { reelFileName, type HouseRules, type Reel } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { proposalOf } from '@/store/draft';
import { list, plural } from '../format';

const copies = ({ recipes }: Reel): string => {
  const n = recipes.filter((r) => r !== MASTER).length;
  return n > 0 ? `, with ${plural(n, 'copy', 'copies')}` : '';
};

/** A reel in a few words: enough to see that it has changed. */
const told = (disc: DiscRecord, reel: Reel, rules: HouseRules) =>
  `${reelFileName(disc.name, reel, rules)}: ${list([plural(reel.audio.length, 'audio track'), plural(reel.subtitles.length, 'subtitle track')])}${copies(reel)}`;

/** What a change of the rules would do to discs of the collection. */
export function Consequences({ discs, before, after }: { discs: readonly DiscRecord[]; before: HouseRules; after: HouseRules }) {
  const rows = useMemo(
    () =>
      discs.map((disc) => {
        const was = proposalOf(disc, before).reels.map((r) => told(disc, r, before));
        const now = proposalOf(disc, after).reels.map((r) => told(disc, r, after));
        return { disc, was, now, gone: was.filter((w) => !now.includes(w)), fresh: now.filter((n) => !was.includes(n)) };
      }),
    [discs, before, after],
  );
  const changed = rows.filter((r) => r.gone.length > 0 || r.fresh.length > 0);
  const shown = changed.length > 0 ? changed : rows;
  return (
    <div>
      <p className="pb-2 text-second" aria-live="polite">
        {changed.length === 0
          ? `Nothing changes: this is what the rules make of ${plural(rows.length, 'disc')}.`
          : `Proposals for ${plural(changed.length, 'disc')} of ${rows.length} would change. Reels that are planned stay as they are.`}
      </p>
      <ul className="flex flex-col gap-2">
        {shown.slice(0, 60).map(({ disc, now, gone, fresh }) => (
          <li key={disc.fingerprint} className="border-t border-faint pt-1.5">
            <h3 className="font-serif text-[15px] font-medium">{disc.name}</h3>
            {gone.map((text) => (
              <p key={`gone ${text}`} className="text-second line-through">
                {text}
              </p>
            ))}
            {fresh.map((text) => (
              <p key={`fresh ${text}`} className="text-planned">
                {text}
              </p>
            ))}
            {gone.length === 0 &&
              fresh.length === 0 &&
              (now.length === 0 ? <p className="text-second">nothing is taken</p> : now.map((text) => <p key={text}>{text}</p>))}
          </li>
        ))}
      </ul>
    </div>
  );
}
