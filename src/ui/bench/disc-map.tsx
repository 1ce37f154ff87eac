'use client';

import { memo, useMemo, useState, type KeyboardEvent } from 'react';
import { layoutMap, type DiscMap as Layout, type MapBlock, type Role, type TitleFinding } from '@/core/findings';
import { damagedSegments, type Title } from '@/core/reading';
import type { DiscRecord, DraftReel } from '@/store/db';
import { bytes, clock, plural } from '../format';
import { Panel } from '../parts/controls';
import { kindText, roleOf } from '../words';
import { hueOf, letterOf, paleHue } from './hues';

interface Group {
  readonly name: string;
  readonly roles: readonly Role[];
  /** From so many titles on, they are shown only when asked for. */
  readonly foldedFrom?: number;
}

const GROUPS: readonly Group[] = [
  { name: 'Film', roles: ['main', 'cut', 'version'] },
  { name: 'Episodes', roles: ['episode'] },
  { name: 'Repeats', roles: ['play-all', 'duplicate', 'part'], foldedFrom: 13 },
  { name: 'Extras', roles: ['extra'] },
  { name: 'Decoys', roles: ['decoy'], foldedFrom: 5 },
  { name: 'The rest', roles: ['menu', 'short', 'unusable'] },
];
const MARKS = 8;

function Axis({ length, unit }: { length: number; unit: 'place' | 'time' }) {
  return (
    <div className="relative h-6 border-b border-faint text-[11px] text-third" aria-hidden>
      {Array.from({ length: MARKS }, (_, i) => (
        <span
          key={i}
          className="absolute top-1 -translate-x-1/2 whitespace-nowrap last:-translate-x-full first:translate-x-0"
          style={{ left: `${String((100 * i) / (MARKS - 1))}%` }}
        >
          {unit === 'place' ? (i === 0 ? '0' : bytes((length * i) / (MARKS - 1))) : clock((length * i) / (MARKS - 1))}
        </span>
      ))}
    </div>
  );
}

function Choice<T extends string>({
  value,
  options,
  onChange,
  label,
}: {
  value: T;
  options: readonly { readonly value: T; readonly name: string }[];
  onChange: (value: T) => void;
  label: string;
}) {
  return (
    <div role="radiogroup" aria-label={label} className="flex overflow-hidden rounded-[6px] border border-line">
      {options.map((o) => (
        <button
          key={o.value}
          type="button"
          role="radio"
          aria-checked={o.value === value}
          onClick={() => {
            onChange(o.value);
          }}
          className={`px-2 py-0.5 ${o.value === value ? 'bg-ink text-paper' : 'bg-card hover:bg-wash'}`}
        >
          {o.name}
        </button>
      ))}
    </div>
  );
}

/** The disc's own address space, one lane per title; the same material has the same hue and letter everywhere. */
export function DiscMap({
  disc,
  selected,
  onSelect,
  reels,
}: {
  disc: DiscRecord;
  selected: number | null;
  onSelect: (title: number) => void;
  reels: readonly DraftReel[];
}) {
  const [axis, setAxis] = useState<'place' | 'time'>('place');
  const [unfolded, setUnfolded] = useState<readonly string[]>([]);
  const { reading, findings } = disc;
  const map = useMemo(() => layoutMap(reading, findings, axis), [reading, findings, axis]);
  const groups = useMemo(() => {
    const roles = new Map(findings.titles.map((f) => [f.title, f.role]));
    return GROUPS.map((g) => ({ ...g, titles: reading.titles.filter((t) => g.roles.includes(roles.get(t.number) ?? 'extra')) })).filter(
      (g) => g.titles.length > 0,
    );
  }, [reading, findings]);
  const damaged = useMemo(() => damagedSegments(reading), [reading]);
  const found = useMemo(() => new Map(findings.titles.map((f) => [f.title, f])), [findings]);
  const lettered = useMemo(() => findings.titles.some((f) => REPEATS.has(f.role) || f.role === 'cut'), [findings]);
  const lanes = useMemo(() => new Map(map.lanes.map((l) => [l.title, l])), [map]);
  const folds = (group: (typeof groups)[number]) => group.titles.length >= (group.foldedFrom ?? Number.POSITIVE_INFINITY);
  const isOpen = (group: (typeof groups)[number]) => !folds(group) || unfolded.includes(group.name);
  const order = groups.filter(isOpen).flatMap((g) => g.titles.map((t) => t.number));
  const taken = new Set(reels.flatMap((r) => r.reel.pieces.map((p) => p.title)));
  const onKey = (event: KeyboardEvent) => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    const at = order.indexOf(selected ?? -1);
    const next = order[Math.max(0, Math.min(order.length - 1, at + step))];
    if (next !== undefined) {
      onSelect(next);
      document.getElementById(`lane-${String(next)}`)?.focus();
    }
  };
  return (
    <Panel
      label="Disc map"
      title="Disc map"
      aside={
        <div className="flex flex-1 items-center justify-between gap-3 pl-2">
          <Choice
            label="Axis"
            value={axis}
            onChange={setAxis}
            options={[
              { value: 'place', name: 'by place on disc' },
              { value: 'time', name: 'by playing time' },
            ]}
          />
          <span className="truncate text-second">
            {plural(reading.titles.length, 'title')} · {kindText(reading)} · {bytes(reading.sizeBytes)}
          </span>
        </div>
      }
    >
      <div className="grid grid-cols-[236px_minmax(0,1fr)] pr-4">
        <span />
        <Axis length={map.axisLength} unit={axis} />
      </div>
      <div role="listbox" aria-label="Titles" tabIndex={-1} onKeyDown={onKey} className="min-h-0 flex-1 overflow-y-auto outline-none">
        {groups.map((group) => (
          <div key={group.name} role="group" aria-label={group.name}>
            <div className="smallcaps flex items-baseline gap-3 border-b border-faint px-3 pt-2 pb-0.5">
              <span aria-hidden>{group.name}</span>
              {folds(group) && (
                <button
                  type="button"
                  aria-expanded={isOpen(group)}
                  onClick={() => {
                    setUnfolded(isOpen(group) ? unfolded.filter((n) => n !== group.name) : [...unfolded, group.name]);
                  }}
                  className="text-[12px] tracking-normal text-accent normal-case underline-offset-2 hover:underline"
                >
                  {isOpen(group) ? 'hide them' : `show all ${String(group.titles.length)}`}
                </button>
              )}
            </div>
            {(isOpen(group) ? group.titles : []).map((title) => (
              <Lane
                key={title.number}
                title={title}
                finding={found.get(title.number)}
                lettered={lettered}
                lane={lanes.get(title.number)}
                selected={title.number === selected}
                taken={taken.has(title.number)}
                damaged={damaged}
                tabbable={title.number === (selected ?? order[0])}
                onSelect={onSelect}
              />
            ))}
          </div>
        ))}
        {map.loose.length > 0 && <LooseLane loose={map.loose} labelled={!groups.some((g) => g.name === 'The rest')} />}
      </div>
    </Panel>
  );
}

/** What is on the disc and no title leads to: no title, so nothing to select, but not to be overlooked. */
function LooseLane({ loose, labelled }: { loose: Layout['loose']; labelled: boolean }) {
  const ms = loose.reduce((sum, l) => sum + (l.stretch.durationMs ?? 0), 0);
  const size = loose.reduce((sum, l) => sum + (l.stretch.lastSector - l.stretch.firstSector + 1) * 2048, 0);
  const chained = loose.filter((l) => l.stretch.chain !== null).length;
  const what = `${plural(loose.length, 'stretch', 'stretches')}, ${bytes(size)}${chained > 0 ? `; ${String(chained)} played by a program chain that no title names` : ''}`;
  return (
    <div role="note" aria-label={`Nothing leads to ${what}`} title={what}>
      {labelled && (
        <div className="smallcaps border-b border-faint px-3 pt-2 pb-0.5" aria-hidden>
          The rest
        </div>
      )}
      <div className="grid h-9 grid-cols-[236px_minmax(0,1fr)] items-center border-b border-faint pr-4">
        <div className="grid grid-cols-[34px_58px_minmax(0,1fr)] items-baseline pl-3">
          <span className="font-serif text-[16px] font-semibold">?</span>
          <span className="text-second">{ms > 0 ? clock(ms) : ''}</span>
          <span className="truncate pr-2 text-[12.5px] font-medium">nothing leads to it</span>
        </div>
        <div className="relative h-6">
          {loose.map(({ from, to, stretch }) => (
            <div
              key={stretch.id}
              className="hatch absolute top-0.5 h-5 rounded-[2px] border border-second text-second"
              style={{ left: percent(from), width: `max(5px, calc(${percent(to - from)} - 1px))` }}
            />
          ))}
        </div>
      </div>
    </div>
  );
}

const REPEATS: ReadonlySet<Role> = new Set(['play-all', 'duplicate', 'part', 'version', 'decoy']);
const percent = (share: number) => `${(share * 100).toFixed(3)}%`;

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
        left: percent(block.from),
        width: `max(5px, calc(${percent(block.to - block.from)} - 1px))`,
        ...(usable && repeats && !damaged ? { backgroundColor: paleHue(block.content) } : {}),
      }}
    >
      {letter ? letterOf(block.content) : ''}
    </div>
  );
}

/** A disc can have a thousand: only those whose looks change are drawn anew. */
const Lane = memo(function Lane({
  title,
  finding,
  lettered,
  lane,
  selected,
  taken,
  damaged,
  tabbable,
  onSelect,
}: {
  title: Title;
  finding: TitleFinding | undefined;
  /** Shared material carries a letter beside its hue. */
  lettered: boolean;
  lane: ReturnType<typeof layoutMap>['lanes'][number] | undefined;
  selected: boolean;
  taken: boolean;
  /** Segments that can not be read whole. */
  damaged: ReadonlyMap<string, unknown>;
  tabbable: boolean;
  onSelect: (title: number) => void;
}) {
  const role = finding ? roleOf(finding) : '';
  return (
    <div
      id={`lane-${String(title.number)}`}
      role="option"
      aria-selected={selected}
      tabIndex={tabbable ? 0 : -1}
      onClick={() => {
        onSelect(title.number);
      }}
      onFocus={() => {
        onSelect(title.number);
      }}
      aria-label={`Title ${String(title.number)}, ${clock(title.durationMs)}, ${role}${taken ? ', in a reel' : ''}`}
      className={`grid h-9 cursor-pointer grid-cols-[236px_minmax(0,1fr)] items-center border-b border-faint pr-4 -outline-offset-2 ${selected ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : 'hover:bg-wash/60'}`}
    >
      <div className="grid grid-cols-[34px_58px_minmax(0,1fr)] items-baseline pl-3">
        <span className="font-serif text-[16px] font-semibold">{title.number}</span>
        <span className="text-second">{clock(title.durationMs)}</span>
        <span className="truncate pr-2 text-[12.5px] font-medium" title={role}>
          {role}
        </span>
      </div>
      <div className="relative h-6">
        {lane?.blocks.map((block) => (
          <Block
            key={block.segments[0]}
            block={block}
            usable={title.state === 'usable' || title.state === 'damaged'}
            damaged={block.segments.some((id) => damaged.has(id))}
            repeats={finding !== undefined && REPEATS.has(finding.role)}
            letter={lettered && block.shared}
            facts={`${clock(title.durationMs)}, ${plural(block.segments.length, 'segment')}${block.shared ? ', shared with another title' : ''}`}
          />
        ))}
        {lane && taken && lane.blocks[0] && (
          <div
            className="pointer-events-none absolute -top-px h-[26px] rounded-[5px] border-[1.5px] border-planned"
            style={{
              left: `calc(${percent(Math.min(...lane.blocks.map((b) => b.from)))} - 2px)`,
              width: `calc(${percent(Math.max(...lane.blocks.map((b) => b.to)) - Math.min(...lane.blocks.map((b) => b.from)))} + 3px)`,
            }}
          />
        )}
        {lane?.ticks.map((tick) => (
          <div key={tick} className="absolute -bottom-1 h-1 w-px bg-third" style={{ left: percent(tick) }} />
        ))}
      </div>
    </div>
  );
});
