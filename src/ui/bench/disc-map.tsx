'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { Minus, Plus } from 'lucide-react';
import { useEffect, useMemo, useRef, useState, type CSSProperties, type KeyboardEvent } from 'react';
import { layoutMap, type MapStretch, type Role } from '@/core/findings';
import { takenOnLane, type Piece } from '@/core/reels';
import { damagedSegments, type Title } from '@/core/reading';
import type { DiscRecord, DraftReel } from '@/store/db';
import { bytes, clock, plural } from '../format';
import { Button, Panel } from '../parts/controls';
import { Switch } from '../parts/switch';
import { inField } from '../parts/in-field';
import { kindText } from '../words';
import { Lane, LooseLane, REPEATS } from './map-lanes';
import { MapTable } from './map-table';
import { WHOLE, around, moved, zoomed, type MapView } from './map-view';

interface Group {
  readonly name: string;
  readonly roles: readonly Role[];
  /** From so many titles on, they are shown only when asked for. */
  readonly foldedFrom?: number;
}

const GROUPS: readonly Group[] = [
  { name: 'Film', roles: ['main', 'cut', 'version', 'feature'] },
  { name: 'Episodes', roles: ['episode'] },
  { name: 'Repeats', roles: ['play-all', 'duplicate', 'part'], foldedFrom: 13 },
  { name: 'Extras', roles: ['extra'] },
  { name: 'Decoys', roles: ['decoy'], foldedFrom: 5 },
  { name: 'The rest', roles: ['menu', 'short', 'unusable'] },
];
const MARKS = 8;
const LANE_HEIGHT = 36;
const HEADING_HEIGHT = 28;
/** Width of the column with numbers and roles. */
const NAMES_WIDTH = 236;

interface ShownGroup extends Group {
  readonly titles: readonly Title[];
}
type MapRow = { readonly kind: 'heading'; readonly group: ShownGroup } | { readonly kind: 'lane'; readonly title: Title };
const NOTHING: readonly MapStretch[] = [];

function piecesByTitle(reels: readonly DraftReel[]): Map<number, Piece[]> {
  const pieces = new Map<number, Piece[]>();
  for (const piece of reels.flatMap((r) => r.reel.pieces)) pieces.set(piece.title, [...(pieces.get(piece.title) ?? []), piece]);
  return pieces;
}
const folds = (group: ShownGroup) => group.titles.length >= (group.foldedFrom ?? Number.POSITIVE_INFINITY);

function Axis({ length, unit, view }: { length: number; unit: 'place' | 'time'; view: MapView }) {
  return (
    <div className="relative h-6 border-b border-faint text-[11px] text-third" aria-hidden>
      {Array.from({ length: MARKS }, (_, i) => {
        const value = length * (view.from + ((view.to - view.from) * i) / (MARKS - 1));
        return (
          <span
            key={i}
            className="absolute top-1 -translate-x-1/2 whitespace-nowrap last:-translate-x-full first:translate-x-0"
            style={{ left: `${(100 * i) / (MARKS - 1)}%` }}
          >
            {unit === 'place' ? (value < 1 ? '0' : bytes(value)) : clock(value)}
          </span>
        );
      })}
    </div>
  );
}

/** The disc's own address space, one lane per title; the same material has the same hue and letter everywhere. */
export function DiscMap({
  disc,
  selected,
  onSelect,
  reels,
  stretch,
}: {
  disc: DiscRecord;
  selected: number | null;
  onSelect: (title: number) => void;
  reels: readonly DraftReel[];
  /** A stretch that no title leads to and that is to be seen: a new wish each time; null for none. */
  stretch: { readonly id: string } | null;
}) {
  const [shape, setShape] = useState<'place' | 'time' | 'table'>('place');
  const [view, setView] = useState<MapView>(WHOLE);
  const axis = shape === 'time' ? 'time' : 'place';
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
  const isOpen = (group: ShownGroup) => !folds(group) || unfolded.includes(group.name);
  const open = groups.filter(isOpen);
  const order = open.flatMap((g) => g.titles.map((t) => t.number));
  const segments = useMemo(() => new Map(reading.segments.map((s) => [s.id, s])), [reading]);
  const pieces = useMemo(() => piecesByTitle(reels), [reels]);
  const taken = useMemo(() => new Set(pieces.keys()), [pieces]);
  const takenAt = useMemo(
    () =>
      new Map(
        reading.titles.flatMap((title) => {
          const own = pieces.get(title.number);
          const lane = lanes.get(title.number);
          return own && lane ? [[title.number, takenOnLane(title, own, segments, lane)] as const] : [];
        }),
      ),
    [reading, pieces, segments, lanes],
  );
  // Headings and lanes in one row each: only those that are seen are drawn.
  const rows = useMemo(
    () =>
      groups.flatMap((group): readonly MapRow[] => [
        { kind: 'heading', group },
        ...(folds(group) && !unfolded.includes(group.name) ? [] : group.titles.map((title): MapRow => ({ kind: 'lane', title }))),
      ]),
    [groups, unfolded],
  );
  const scroller = useRef<HTMLDivElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (rows[i]?.kind === 'heading' ? HEADING_HEIGHT : LANE_HEIGHT),
    overscan: 14,
  });
  const choose = (next: number | undefined) => {
    if (next === undefined) return;
    onSelect(next);
    virtual.scrollToIndex(rows.findIndex((r) => r.kind === 'lane' && r.title.number === next));
    requestAnimationFrame(() => document.getElementById(`lane-${next}`)?.focus());
  };
  const onKey = (event: KeyboardEvent) => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    const at = order.indexOf(selected ?? -1);
    choose(order[Math.max(0, Math.min(order.length - 1, at + step))]);
  };
  useEffect(() => {
    const onWindowKey = (event: globalThis.KeyboardEvent) => {
      if (inField(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      if (event.key === '+' || event.key === '=') setView((v) => zoomed(v, 2, 0.5));
      else if (event.key === '-') setView((v) => zoomed(v, 0.5, 0.5));
      else if (event.key === '0') setView(WHOLE);
      else if (event.key === 'ArrowRight') setView((v) => moved(v, 0.2));
      else if (event.key === 'ArrowLeft') setView((v) => moved(v, -0.2));
      else return;
      event.preventDefault();
    };
    window.addEventListener('keydown', onWindowKey);
    return () => {
      window.removeEventListener('keydown', onWindowKey);
    };
  }, []);
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    // React listens passively: to keep the page from zooming, this one must not.
    const onWheel = (event: WheelEvent) => {
      const sideways = Math.abs(event.deltaX) > Math.abs(event.deltaY);
      if (!event.ctrlKey && !event.shiftKey && !sideways) return;
      event.preventDefault();
      const box = element.getBoundingClientRect();
      const place = Math.min(1, Math.max(0, (event.clientX - box.left - NAMES_WIDTH) / Math.max(1, box.width - NAMES_WIDTH)));
      if (event.ctrlKey) setView((v) => zoomed(v, event.deltaY < 0 ? 1.25 : 0.8, place));
      else setView((v) => moved(v, (sideways ? event.deltaX : event.deltaY) / 900));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => {
      element.removeEventListener('wheel', onWheel);
    };
  }, [shape]);
  const [shown, setShown] = useState<typeof stretch>(null);
  if (stretch !== shown) {
    // It is looked at from so far that it can be seen where on the disc it is.
    setShown(stretch);
    const place = layoutMap(reading, findings, 'place').loose.find((l) => l.stretch.id === stretch?.id);
    if (place) {
      setShape('place');
      setView(around(place.from, place.to));
    }
  }
  useEffect(() => {
    if (stretch !== null) document.getElementById('loose-lane')?.scrollIntoView({ block: 'nearest' });
  }, [stretch, shape]);
  const style = { '--map-from': view.from, '--map-scale': 1 / (view.to - view.from) } as CSSProperties;
  const places = new Map(order.map((number, i) => [number, i + 1]));
  return (
    <Panel
      label="Disc map"
      title="Disc map"
      aside={
        <div className="flex flex-1 items-center justify-between gap-3 pl-2">
          <span className="flex items-center gap-2">
            <Switch
              label="Shape"
              value={shape}
              onChange={setShape}
              options={[
                { value: 'place', name: 'by place on disc' },
                { value: 'time', name: 'by playing time' },
                { value: 'table', name: 'table' },
              ]}
            />
            {shape !== 'table' && (
              <span className="flex items-center">
                <Button
                  tone="quiet"
                  aria-label="Farther"
                  title="Farther (−, Ctrl and wheel)"
                  className="px-1"
                  disabled={view.to - view.from >= 1}
                  onClick={() => {
                    setView(zoomed(view, 0.5, 0.5));
                  }}
                >
                  <Minus size={13} aria-hidden />
                </Button>
                <Button
                  tone="quiet"
                  aria-label="Closer"
                  title="Closer (+, Ctrl and wheel)"
                  className="px-1"
                  onClick={() => {
                    setView(zoomed(view, 2, 0.5));
                  }}
                >
                  <Plus size={13} aria-hidden />
                </Button>
                {view.to - view.from < 1 && (
                  <Button
                    tone="quiet"
                    title="The whole map (0)"
                    className="px-1"
                    onClick={() => {
                      setView(WHOLE);
                    }}
                  >
                    whole
                  </Button>
                )}
              </span>
            )}
          </span>
          <span className="truncate text-second">
            {plural(reading.titles.length, 'title')} · {kindText(reading)} · {bytes(reading.sizeBytes)}
          </span>
        </div>
      }
    >
      {shape === 'table' ? (
        <MapTable disc={disc} selected={selected} onSelect={onSelect} taken={taken} />
      ) : (
        <>
          <div className="grid grid-cols-[236px_minmax(0,1fr)] pr-4">
            <span />
            <Axis length={map.axisLength} unit={axis} view={view} />
          </div>
          <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto" style={style}>
            <div
              role="listbox"
              aria-label="Titles"
              tabIndex={-1}
              onKeyDown={onKey}
              className="relative outline-none"
              style={{ height: virtual.getTotalSize() }}
            >
              {virtual.getVirtualItems().map((item) => {
                const row = rows[item.index];
                if (!row) return null;
                const position = { height: item.size, transform: `translateY(${item.start}px)` };
                if (row.kind === 'heading') {
                  const { group } = row;
                  return (
                    <div
                      key={group.name}
                      role="presentation"
                      className="smallcaps absolute inset-x-0 flex items-end gap-3 border-b border-faint px-3 pb-0.5"
                      style={position}
                    >
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
                          {isOpen(group) ? 'hide them' : `show all ${group.titles.length}`}
                        </button>
                      )}
                    </div>
                  );
                }
                const { title } = row;
                return (
                  <Lane
                    key={title.number}
                    title={title}
                    finding={found.get(title.number)}
                    lettered={lettered}
                    lane={lanes.get(title.number)}
                    selected={title.number === selected}
                    taken={takenAt.get(title.number) ?? NOTHING}
                    damaged={damaged}
                    tabbable={title.number === (selected ?? order[0])}
                    place={places.get(title.number) ?? 0}
                    count={order.length}
                    style={position}
                    onSelect={onSelect}
                  />
                );
              })}
            </div>
            {map.loose.length > 0 && (
              <LooseLane loose={map.loose} shown={stretch?.id ?? null} labelled={!groups.some((g) => g.name === 'The rest')} />
            )}
          </div>
        </>
      )}
    </Panel>
  );
}
