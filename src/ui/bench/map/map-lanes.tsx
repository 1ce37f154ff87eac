'use client';

import { useDraggable } from '@dnd-kit/core';
import { memo, type CSSProperties } from 'react';
import type { DiscMap as Layout, MapBlock, MapLane, MapStretch, Role, TitleFinding } from '@/core/findings';
import { canBeTaken, type Title } from '@/core/reading';
import { bytes, clock, plural } from '../../format';
import { roleOf } from '../../words';
import { hueOf, letterOf, paleHue } from './hues';

/** Where something stands on the map as it is looked at: the view is two variables of the style sheet, so that nothing is drawn anew. */
const at = (share: number) => `calc((${share.toFixed(6)} - var(--map-from)) * var(--map-scale) * 100%)`;
const wide = (share: number, less = 1) => `max(5px, calc(${share.toFixed(6)} * var(--map-scale) * 100% - ${less}px))`;

/** What is on the disc and no title leads to: no title, so nothing to select, but not to be overlooked. */
export function LooseLane({ loose, labelled, shown }: { loose: Layout['loose']; labelled: boolean; shown: string | null }) {
  const ms = loose.reduce((sum, l) => sum + (l.stretch.durationMs ?? 0), 0);
  const size = loose.reduce((sum, l) => sum + (l.stretch.lastSector - l.stretch.firstSector + 1) * 2048, 0);
  const chained = loose.filter((l) => l.stretch.chain !== null).length;
  const what = `${plural(loose.length, 'stretch', 'stretches')}, ${bytes(size)}${chained > 0 ? `; ${chained} played by a program chain that no title names` : ''}`;
  return (
    <div id="loose-lane" role="note" aria-label={`Nothing leads to ${what}`} title={what}>
      {labelled && (
        <div className="smallcaps border-b border-faint px-3 pt-2 pb-0.5" aria-hidden>
          The rest
        </div>
      )}
      <div className="grid h-9 grid-cols-[var(--names)_minmax(0,1fr)] items-center border-b border-faint pr-4">
        <div className="grid grid-cols-[34px_58px_minmax(0,1fr)] items-baseline pl-3">
          <span className="font-serif text-[16px] font-semibold">?</span>
          <span className="text-second">{ms > 0 ? clock(ms) : ''}</span>
          <span className="truncate pr-2 text-[12.5px] font-medium">nothing leads to it</span>
        </div>
        <div className="relative h-6 overflow-x-clip">
          {loose.map(({ from, to, stretch }) => (
            <div
              key={stretch.id}
              className={`hatch absolute top-0.5 h-5 rounded-[2px] border text-second ${stretch.id === shown ? 'border-accent outline-2 outline-accent' : 'border-second'}`}
              style={{ left: at(from), width: wide(to - from) }}
            />
          ))}
        </div>
      </div>
    </div>
  );
}

export const REPEATS: ReadonlySet<Role> = new Set(['play-all', 'duplicate', 'part', 'version', 'decoy']);

/** A stretch of a lane: its own material in full colour, what repeats another's paler, what can not be taken hatched. */
function Block({
  block,
  usable,
  damaged,
  repeats,
  letter,
  facts,
}: {
  block: MapBlock;
  usable: boolean;
  damaged: boolean;
  repeats: boolean;
  letter: boolean;
  facts: string;
}) {
  const look =
    !usable || damaged ? 'hatch border border-current text-damaged' : repeats ? 'text-ink' : `text-on-hue ${hueOf(block.content)}`;
  return (
    <div
      title={facts}
      className={`absolute top-0.5 h-5 min-w-[5px] overflow-hidden rounded-[2px] px-1 text-[11px] leading-5 ${look}`}
      style={{
        left: at(block.from),
        width: wide(block.to - block.from),
        ...(usable && repeats && !damaged ? { backgroundColor: paleHue(block.content) } : {}),
      }}
    >
      {letter ? letterOf(block.content) : ''}
    </div>
  );
}

/** A disc can have a thousand: only those whose looks change are drawn anew. */
export const Lane = memo(function Lane({
  title,
  finding,
  lettered,
  lane,
  selected,
  taken,
  damaged,
  tabbable,
  place,
  count,
  style,
  onSelect,
}: {
  title: Title;
  finding: TitleFinding | undefined;
  /** Shared material carries a letter beside its hue. */
  lettered: boolean;
  lane: MapLane | undefined;
  selected: boolean;
  /** What of it reels take. */
  taken: readonly MapStretch[];
  /** Segments that can not be read whole. */
  damaged: ReadonlyMap<string, unknown>;
  tabbable: boolean;
  /** Place among all that can be chosen, from 1, and how many there are: only some are drawn. */
  place: number;
  count: number;
  style: CSSProperties;
  onSelect: (title: number) => void;
}) {
  const role = finding ? roleOf(finding) : '';
  const usable = canBeTaken(title);
  const { setNodeRef, listeners } = useDraggable({ id: `lane ${title.number}`, disabled: !usable });
  return (
    <div
      id={`lane-${title.number}`}
      ref={setNodeRef}
      {...listeners}
      style={style}
      role="option"
      aria-setsize={count}
      aria-posinset={place}
      aria-selected={selected}
      tabIndex={tabbable ? 0 : -1}
      onClick={() => {
        onSelect(title.number);
      }}
      onFocus={() => {
        onSelect(title.number);
      }}
      aria-label={`Title ${title.number}, ${clock(title.durationMs)}, ${role}${taken.length > 0 ? ', in a reel' : ''}`}
      className={`absolute inset-x-0 grid h-9 cursor-pointer grid-cols-[var(--names)_minmax(0,1fr)] items-center border-b border-faint pr-4 -outline-offset-2 ${selected ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : 'hover:bg-wash/60'}`}
    >
      <div className="grid grid-cols-[34px_58px_minmax(0,1fr)] items-baseline pl-3">
        <span className="font-serif text-[16px] font-semibold">{title.number}</span>
        <span className="text-second">{clock(title.durationMs)}</span>
        <span className="truncate pr-2 text-[12.5px] font-medium" title={role}>
          {role}
        </span>
      </div>
      <div className="relative h-6 overflow-x-clip">
        {lane?.blocks.map((block) => (
          <Block
            key={block.segments[0]}
            block={block}
            usable={usable}
            damaged={block.segments.some((id) => damaged.has(id))}
            repeats={finding !== undefined && REPEATS.has(finding.role)}
            letter={lettered && block.shared}
            facts={`Title ${title.number}, ${role}: ${clock(title.durationMs)}, ${plural(title.chapters.length, 'chapter')}, ${plural(block.segments.length, 'segment')} here${block.shared ? ', shared with another title' : ''}${block.segments.some((id) => damaged.has(id)) ? ', damaged' : ''}`}
          />
        ))}
        {taken.map(({ from, to }) => (
          <div
            key={from}
            className="pointer-events-none absolute -top-px h-[26px] rounded-[5px] border-[1.5px] border-planned"
            style={{ left: `calc(${at(from)} - 2px)`, width: wide(to - from, -3) }}
          />
        ))}
        {lane?.ticks.map((tick) => (
          <div key={tick} className="absolute -bottom-1 h-1 w-px bg-third" style={{ left: at(tick) }} />
        ))}
      </div>
    </div>
  );
});
